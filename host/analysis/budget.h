/* SPDX-License-Identifier: MIT */
/* How long frames take on the line, and how much of its capacity they use. */
#ifndef ZEUGMA_BUDGET_H
#define ZEUGMA_BUDGET_H

#include "plan/plan.h"

/* Seconds that `bytes` take on the line, with start, parity and stop bits. */
double zg_budget_seconds(const struct zg_line *line, unsigned bytes);

/* The share of one direction's capacity that a message's largest frame, with the gap after it, uses if sent at its
 * period. 0: it has no period. */
double zg_budget_load(const struct zg_plan *plan, const struct zg_plan_message *message);

/* The sum of these over all messages that `side` sends (a message of `both` counts for each side). */
double zg_budget_side_load(const struct zg_plan *plan, enum zg_side side);

/* The load of the line: of its busier direction, or of both together if it is half duplex. */
double zg_budget_line_load(const struct zg_plan *plan);

/* Seconds that the largest frames of the other messages of a sender take, one of each, with its gaps: how long a
 * message may wait behind them. */
double zg_budget_behind(const struct zg_plan *plan, const struct zg_plan_message *message);

/* Seconds that a request's largest frame and its largest answer take, with the silence between them. 0: it is none. */
double zg_budget_round_trip(const struct zg_plan *plan, const struct zg_plan_message *message);

/* Bytes that come within some seconds, and the one that was coming before; `*ring` is the ring that holds them. */
unsigned zg_budget_away(const struct zg_line *line, double seconds, unsigned *ring);

/* Warns above 70 % of what a direction, or a half-duplex line, can carry; above 100 % it is an error. */
void zg_budget_check(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

#endif
