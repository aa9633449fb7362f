/* SPDX-License-Identifier: MIT */
/*
 * Delivery between one sender and one receiver (include/zeugma/delivery.h), on a line that loses, repeats, delays and
 * reorders frames, whose sender's handlers send as soon as they are told of an end. Checked by tests/model.sh: no message is taken twice; one that is settled as delivered was taken; with
 * KEPT they are taken in order; nothing gets stuck; and none is given up while the faults are no more than its retries (a message that is overtaken
 * where the order is kept counts as one).
 *
 * W          the window, open messages at a time
 * N          messages to send; tickets are counted modulo M, from M - 3, so that they wrap on the way
 * FAULTS     frames lost, frames repeated and timeouts that come too early, all together
 * RETRIES    times that a message is sent again
 * KEPT       the order is kept: frames carry the base
 * FORGETFUL  a fault made on purpose: the receiver remembers the newest ticket alone
 * STALE      a fault made on purpose: the walk over open messages takes what a handler has put into a slot for what
 *            stood there before
 *
 * MEMORY     tickets behind the newest that the receiver remembers; the window is enough
 *
 * A frame is overtaken by fewer than M / 2 - W messages: the one assumption about the line. In the code M is 256 and
 * MEMORY 8, as in the runs that are replayed. Timeouts that are not too early come when
 * nothing is on the way any more. Each line printed is an event, which tests/generate/test_model.c replays on the code.
 */
#ifndef W
#define W 2
#endif
#ifndef N
#define N 5
#endif
#ifndef FAULTS
#define FAULTS 2
#endif
#ifndef RETRIES
#define RETRIES 2
#endif
#ifndef MEMORY
#define MEMORY W
#endif
#define M 16
#define ROOM 3 /* frames on the way, each direction */
#define FIRST (M - 3)
#define TICKET(number) ((FIRST + (number)) % M)

/* Frames on the way, in any order: a message's number + 1, its ticket and the base, or an acknowledgement; 0 is none. The
 * number is for the checks alone: the receiver looks at tickets. */
byte message[ROOM], ticket_of[ROOM], base_of[ROOM];
byte newest_of[ROOM], earlier_of[ROOM]; /* newest ticket + 1 */
byte age_of[ROOM];                      /* `next` when the acknowledgement was sent */

/* The sender. */
byte base, next;      /* numbers: base <= n < next is open, or settled behind an open one */
bool open[N];
byte left[N];
bool delivered[N];

/* The receiver. */
byte newest = FIRST - 1, earlier = (1 << MEMORY) - 1;
bool taken[N];
byte last_taken; /* + 1 */

byte faults;
byte overtaken; /* with KEPT: messages that came before an older one, and were left; each cost a try */
bool given_up;

inline find_message_room(at)
{
    at = 0;
    do
    :: at < ROOM && message[at] != 0 -> at++
    :: else -> break
    od
}

inline find_acknowledge_room(at)
{
    at = 0;
    do
    :: at < ROOM && newest_of[at] != 0 -> at++
    :: else -> break
    od
}

inline transmit(number, ticket)
{
    find_message_room(place);
    message[place] = number + 1;
    ticket_of[place] = ticket;
    base_of[place] = TICKET(base);
    place = 0
}

inline settle(number)
{
    open[number] = false;
    do
    :: base < next && !open[base] -> base++
    :: else -> break
    od
}

#define MESSAGES_ROOM ((!message[0]) + (!message[1]) + (!message[2]))
#define MESSAGES_FULL (message[0] && message[1] && message[2])
#define ACKNOWLEDGEMENTS_FULL (newest_of[0] && newest_of[1] && newest_of[2])
#define NOTHING_MOVES (!message[0] && !message[1] && !message[2] && !newest_of[0] && !newest_of[1] && !newest_of[2])

/* What handlers send within a turn of the sender: as many as it chose, `within`, which have room. */
inline send_within()
{
    do
    :: within > 0 ->
        within--;
        open[next] = true;
        left[next] = RETRIES;
        next++;
        transmit(next - 1, TICKET(next - 1))
    :: else -> break
    od
}

inline choose_within()
{
    within = 0;
    do
    :: next + within < N && next + within - base < W && MESSAGES_ROOM > within -> within++
    :: break
    od
}

/* Whether the receiver has taken a ticket: the newest, MEMORY behind it, and all that is older. */
#define BACK(ticket) ((newest + M - (ticket)) % M)
#ifdef FORGETFUL /* a fault made on purpose, which the check must see */
#define IS_TAKEN(ticket) (BACK(ticket) == 0)
#else
#define IS_TAKEN(ticket) \
    (BACK(ticket) < M / 2 && (BACK(ticket) == 0 || BACK(ticket) > MEMORY || ((earlier >> (BACK(ticket) - 1)) & 1)))
#endif

inline take(ticket)
{
    if
    :: BACK(ticket) < M / 2 -> earlier = earlier | (1 << (BACK(ticket) - 1))
    :: else ->
        earlier = (((earlier << 1) | 1) << (M - BACK(ticket) - 1)) & ((1 << MEMORY) - 1);
        newest = ticket
    fi
}

inline is_early(ticket, oldest, result)
{
    result = false;
#ifdef KEPT
    before = oldest;
    do
    :: before != ticket && !IS_TAKEN(before) -> result = true; break
    :: before != ticket && IS_TAKEN(before) -> before = (before + 1) % M
    :: else -> break
    od;
    before = 0
#endif
}

#define TOO_OLD(number) ((number) + M / 2 - W <= next)

active proctype sender()
{
    byte number, place, within, behind;

end: do
    :: atomic { next < N && next - base < W && !MESSAGES_FULL ->
            printf("send %d\n", next);
            open[next] = true;
            left[next] = RETRIES;
            next++;
            transmit(next - 1, TICKET(next - 1)) }
    :: atomic { base < next && !MESSAGES_FULL && (NOTHING_MOVES || faults < FAULTS) ->
            if
            :: NOTHING_MOVES -> skip
            :: else -> faults++
            fi;
            number = base; /* too early: any of the open ones; else the one that was sent least, the first of them */
            if
            :: NOTHING_MOVES ->
                place = base;
                do
                :: place < next ->
                    if
                    :: open[place] && left[place] > left[number] -> number = place
                    :: else -> skip
                    fi;
                    place++
                :: else -> break
                od;
                place = 0
            :: else ->
                do
                :: number + 1 < next -> number++
                :: break
                od
            fi;
            if
            :: open[number] && left[number] > 0 ->
                printf("again %d\n", number);
                left[number]--;
                transmit(number, TICKET(number))
            :: open[number] && left[number] == 0 ->
                given_up = true;
                behind = next;
                settle(number);
                choose_within();
                printf("give up %d within %d\n", number, within);
                send_within();
#ifdef STALE
                number++;
                do
                :: number < behind && number + W < next && !MESSAGES_FULL ->
                    transmit(number + W, TICKET(number));
                    number++
                :: number < behind && (number + W >= next || MESSAGES_FULL) -> number++
                :: else -> break
                od;
#endif
                behind = 0
            :: !open[number] -> skip
            fi;
            number = 0 }
    od
}

active proctype line()
{
    byte at, number, place, within, before, ticket, bits;
    bool early, repeated, ended;

end: do
    :: atomic { !NOTHING_MOVES ->
            at = 0;
            do
            :: at < ROOM - 1 -> at++
            :: break
            od;
            if
            :: message[at] && TOO_OLD(message[at] - 1) -> /* no line holds a frame for so long */
                printf("lose message %d\n", at);
                message[at] = 0;
                ticket_of[at] = 0
            :: message[at] && faults < FAULTS ->
                printf("lose message %d\n", at);
                faults++;
                message[at] = 0;
                ticket_of[at] = 0
            :: newest_of[at] && age_of[at] + M / 2 - W <= next ->
                printf("lose acknowledge %d\n", at);
                newest_of[at] = 0
            :: newest_of[at] && faults < FAULTS ->
                printf("lose acknowledge %d\n", at);
                faults++;
                newest_of[at] = 0
            :: message[at] && !TOO_OLD(message[at] - 1) && !ACKNOWLEDGEMENTS_FULL ->
                number = message[at] - 1;
                ticket = ticket_of[at];
                is_early(ticket, base_of[at], early);
                repeated = false;
                if
                :: message[at] = 0; ticket_of[at] = 0
                :: faults < FAULTS -> faults++; repeated = true
                fi;
                if
                :: IS_TAKEN(ticket) -> printf("message %d %d copy %d\n", at, repeated, number)
                :: !IS_TAKEN(ticket) && early ->
                    printf("message %d %d early %d\n", at, repeated, number);
                    overtaken++
                :: else ->
                    printf("message %d %d new %d\n", at, repeated, number);
                    assert(!taken[number]);
#ifdef KEPT
                    assert(given_up || number == last_taken);
#endif
                    taken[number] = true;
                    last_taken = number + 1;
                    take(ticket)
                fi;
                if
                :: early && !IS_TAKEN(ticket) -> skip
                :: else ->
                    find_acknowledge_room(place);
                    newest_of[place] = newest + 1;
                    earlier_of[place] = earlier;
                    age_of[place] = next
                fi;
                number = 0;
                ticket = 0;
                place = 0;
                early = false;
                repeated = false
            :: newest_of[at] && age_of[at] + M / 2 - W > next ->
                number = base;
                do
                :: number < next ->
                    ticket = TICKET(number);
                    bits = (newest_of[at] - 1 + M - ticket) % M;
                    if
                    :: open[number] && bits <= MEMORY && (bits == 0 || ((earlier_of[at] >> (bits - 1)) & 1)) ->
                        assert(taken[number]);
                        delivered[number] = true;
                        open[number] = false;
                        ended = true;
                        printf("settle %d\n", number)
                    :: else -> skip
                    fi;
                    number++
                :: else -> break
                od;
                do
                :: base < next && !open[base] -> base++
                :: else -> break
                od;
                newest_of[at] = 0;
                if
                :: ended -> choose_within()
                :: else -> skip
                fi;
                printf("acknowledge %d within %d\n", at, within);
                send_within();
                ended = false;
                number = 0;
                ticket = 0;
                bits = 0
            :: else -> skip
            fi;
            at = 0 }
    od
}

/* When nothing more can happen, all is settled; and delivered, unless the faults outnumbered the retries. */
active proctype judge()
{
    byte number;

    timeout -> atomic {
        assert(next == N && base == N);
        number = 0;
        do
        :: number < N ->
            assert(delivered[number] || (given_up && FAULTS + overtaken > RETRIES));
            number++
        :: else -> break
        od;
        printf("done\n")
    }
}
