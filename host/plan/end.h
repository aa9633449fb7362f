/* SPDX-License-Identifier: MIT */
/* What the node of one side does beside sending and receiving, and the memory that it takes. */
#ifndef ZEUGMA_PLAN_END_H
#define ZEUGMA_PLAN_END_H

#include "plan/plan.h"

struct zg_plan_end {
    bool shared;    /* its line is: frames tell where to and where from */
    bool addressed; /* frames tell one of them, at least: its address may be set; a PC that has one peer sets the peer's
                     */
    bool has_many;  /* the PC of a shared line: it has several peers */
    bool hello, delivery, variables, console;
    bool interleaved;     /* text shares the line */
    bool tells;           /* what changed about its peers */
    unsigned window;      /* the largest of the ticketed messages that it sends; 0: none */
    bool windows_differ;  /* not all of them have that */
    unsigned kinds;       /* of such messages */
    bool asks;            /* requests are among them, */
    bool keeps;           /* and messages whose order is kept */
    unsigned slots;       /* for them: a power of two */
    unsigned answers;     /* for replies to its peer's requests: a power of two, or 0 */
    unsigned room;        /* bytes of the largest that waits in a slot: header, payload, check */
    unsigned answer_room; /* of the largest reply */
    bool takes;           /* ticketed messages come in */
    bool late;            /* its answers to echo and counters wait, since silence is due in front of a frame */
};

struct zg_plan_end zg_plan_end(const struct zg_plan *plan, enum zg_side side);

/* Whether a side sends a message with a ticket of its own: one that is to be acknowledged, or a request. */
bool zg_side_tickets(enum zg_side side, const struct zg_message *message);

/* Whether an end answers such a message, of the services, by itself; whether one is such an answer, which it sends by
 * itself; whether one settles what was sent with a ticket. */
bool zg_side_answers(enum zg_side side, const struct zg_message *message);
bool zg_message_is_answer(const struct zg_message *message);
bool zg_message_settles(const struct zg_message *message);

#endif
