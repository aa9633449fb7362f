/* SPDX-License-Identifier: MIT */
/* How long frames take on the line, and how much of it they fill. */
#ifndef ZEUGMA_BUDGET_H
#define ZEUGMA_BUDGET_H

#include "plan/plan.h"

/* Seconds that `bytes` take on the line, start, parity and stop bits included. */
double zg_budget_seconds(const struct zg_line *line, unsigned bytes);

/* The share of one direction's capacity that a message's largest frame, and the gap behind it, takes at its period; 0
 * without one. */
double zg_budget_load(const struct zg_plan *plan, const struct zg_plan_message *message);

/* The sum of these over all messages that `side` sends (those of `both` on each side). */
double zg_budget_side_load(const struct zg_plan *plan, enum zg_side side);

/* The load of the line: of its busier direction, or of both together on a half-duplex one. */
double zg_budget_line_load(const struct zg_plan *plan);

/* Warns above 70 % of what a direction, or a half-duplex line, can carry; an error above 100 %. */
void zg_budget_check(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

#endif
