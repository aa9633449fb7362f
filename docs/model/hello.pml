/* SPDX-License-Identifier: MIT */
/*
 * How two nodes come to know each other and begin delivery afresh when either restarts (include/zeugma/hello.h), on a
 * line that keeps the order and loses frames. Node 0 sends messages, one at a time, node 1 takes them. Checked by
 * tests/model.sh: no message is taken twice; one that is settled as delivered was taken; and whatever is lost, the two
 * always end up knowing each other, with everything settled.
 *
 * N          messages to send
 * LOSSES     frames lost
 * RESTARTS   of each node, at any moment
 * STALE      hellos of the keepalive, sent at any moment
 * DEAF       a fault made on purpose: a node that is not known asks no more
 * SWEPT      a fault made on purpose: what a handler sends while a restart is told fails with what was open before
 * EAGER      a fault made on purpose: tickets are taken before the sender is known to know this run
 */
#ifndef N
#define N 3
#endif
#ifndef LOSSES
#define LOSSES 2
#endif
#ifndef RESTARTS
#define RESTARTS 1
#endif
#ifndef STALE
#define STALE 1
#endif
#define M 8 /* tickets */

mtype = { hello, data, acknowledge };

/* Hellos: boot number and peer's. Data: message's number and ticket. */
chan to[2] = [4] of { mtype, byte, byte };

byte boot[2], peer[2];       /* a node's number, and the one that it has heard */
bool known[2];               /* the peer has said this node's number */
bool answer[2], ask[2];      /* hellos that are due */
byte restarts[2], stale[2];
byte boots;                  /* drawn so far: each is another */
byte losses;

/* Node 0's sending, node 1's taking. */
byte number;                 /* of the next message, or of the one that is open */
byte ticket;
bool open, sent;
bool fresh;                  /* it was sent by a handler, told of the restart that is being taken in */
byte newest;
bool taken[N];

#define QUIET (empty(to[0]) && empty(to[1]))
#define SETTLED (number == N && !open)

inline begin(node)
{
    boots++;
    boot[node] = boots;
    peer[node] = 0;
    known[node] = false;
    answer[node] = false;
    ask[node] = true;
    afresh(node)
}

inline fail()
{
    assert(!fresh);
    open = false;
    sent = false;
    number++
}

/* What was between the two begins afresh: what is open has failed, and the handler that is told may send the next. */
inline afresh(node)
{
    if
    :: node == 0 ->
        ticket = 0;
        if
        :: open ->
            fail();
            if
            :: number < N -> open = true; fresh = true
            :: skip
            fi;
#ifdef SWEPT
            if
            :: open -> fail()
            :: else -> skip
            fi;
#endif
            fresh = false
        :: else -> skip
        fi
    :: else -> newest = M - 1
    fi
}

inline send(node, kind, first, second)
{
    if
    :: nfull(to[1 - node]) -> to[1 - node]!kind, first, second
    :: full(to[1 - node]) -> skip /* no room: lost, as if by the line */
    fi
}

proctype node(byte me)
{
    byte first, second;

end: do
    /* hellos that are due, and those that ask again because nothing came */
    :: atomic { answer[me] && nfull(to[1 - me]) -> send(me, hello, boot[me], peer[me]); answer[me] = false }
    :: atomic { !answer[me] && ask[me] && nfull(to[1 - me]) -> send(me, hello, boot[me], 0); ask[me] = false }
#ifndef DEAF
    :: atomic { QUIET && !known[me] && !ask[me] && !answer[me] -> ask[me] = true }
#endif
    :: atomic { stale[me] < STALE && known[me] && nfull(to[1 - me]) ->
            stale[me]++;
            send(me, hello, boot[me], peer[me]) }
    :: atomic { restarts[me] < RESTARTS ->
            restarts[me]++;
            if
            :: me == 0 && open -> open = false; sent = false; number++ /* it dies with its sender */
            :: else -> skip
            fi;
            begin(me) }
    :: atomic { to[me]?hello, first, second ->
            if
            :: first != peer[me] ->
                peer[me] = first;
                known[me] = false;
                afresh(me);
                answer[me] = true
            :: first == peer[me] && second != boot[me] -> answer[me] = true
            :: else -> skip
            fi;
            if
            :: second == boot[me] -> known[me] = true; ask[me] = false
            :: else -> skip
            fi;
            first = 0;
            second = 0 }
    /* node 0 */
    :: atomic { me == 0 && number < N && !open -> open = true; sent = false }
    :: atomic { me == 0 && open && known[0] && nfull(to[1]) && (!sent || QUIET) ->
            sent = true;
            send(0, data, number, ticket) }
    :: atomic { to[me]?acknowledge, first, second ->
            if
            :: me == 0 && open && sent && first == ticket ->
                assert(taken[number]);
                open = false;
                sent = false;
                number++;
                ticket = (ticket + 1) % M
            :: else -> skip
            fi;
            first = 0 }
    /* node 1 */
    :: atomic { to[me]?data, first, second ->
            if
#ifdef EAGER
            :: peer[1] != 0 ->
#else
            :: known[1] ->
#endif
                if
                :: (newest + M - second) % M >= M / 2 ->
                    assert(!taken[first]);
                    taken[first] = true;
                    newest = second
                :: else -> skip
                fi;
                send(1, acknowledge, newest, 0)
            :: else -> ask[1] = true
            fi;
            first = 0;
            second = 0 }
    :: atomic { losses < LOSSES && nempty(to[me]) -> losses++; to[me]?_, _, _ }
    od
}

/* When nothing more can happen. */
active proctype judge()
{
    timeout -> assert(SETTLED && known[0] && known[1] && peer[0] == boot[1] && peer[1] == boot[0])
}

init
{
    atomic {
        newest = M - 1;
        begin(0);
        begin(1);
        run node(0);
        run node(1)
    }
}
