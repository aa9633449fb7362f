/* SPDX-License-Identifier: MIT */
/* What one side's end of a link does besides sending and receiving frames, and the memory that it takes. */
#ifndef ZEUGMA_PLAN_END_H
#define ZEUGMA_PLAN_END_H

#include "plan/plan.h"

struct zg_plan_end {
    bool shared;    /* the line is: frames say who sent them and for whom they are */
    bool addressed; /* frames say at least one of the two */
    bool has_many;  /* the PC on a shared line, which has several peers */
    bool hello, delivery, variables, console, traffic;
    bool interleaved;      /* console text and frames share the line */
    bool reports_changes;  /* that a peer is heard, is silent, has restarted */
    unsigned window;       /* the largest window of the ticketed messages that it sends; 0: it sends none */
    bool windows_differ;   /* some of those have a smaller one */
    unsigned kinds;        /* how many such messages there are */
    bool sends_requests;   /* some of them are requests */
    bool keeps_order;      /* some must be taken in the order in which they were sent */
    unsigned slots;        /* for messages that are not settled yet: a power of two */
    unsigned answers;      /* for replies to its peer's requests: a power of two, or 0 */
    unsigned room;         /* bytes of the largest message in a slot: header, payload, check */
    unsigned answer_room;  /* bytes of the largest reply */
    bool receives_tickets; /* ticketed messages come in */
    unsigned queries;      /* how many messages it sends that are requests without a ticket */
    unsigned query_room;   /* bytes of the largest of them: header, payload, check */
    bool late;             /* replies to echo and counters wait, because silence is due before each frame */
};

struct zg_plan_end zg_plan_end(const struct zg_plan *plan, enum zg_side side);

/* Whether the ends have a console, in frames or between them. */
bool zg_plan_has_console(const struct zg_plan *plan);

/* Whether a side sends this message with a ticket of its own: it is to be acknowledged, or it is a request. */
bool zg_side_tickets(enum zg_side side, const struct zg_message *message);

/* Whether a side sends this message as a request without a ticket. */
bool zg_side_queries(enum zg_side side, const struct zg_message *message);

/* Whether an end answers this message of a service by itself, without the application. */
bool zg_side_answers(enum zg_side side, const struct zg_message *message);

/* Whether this message is such an answer, sent without the application. */
bool zg_message_is_answer(const struct zg_message *message);

/* Whether this message settles one that was sent with a ticket: acknowledge, refused. */
bool zg_message_settles(const struct zg_message *message);

#endif
