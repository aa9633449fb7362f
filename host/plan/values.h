/* SPDX-License-Identifier: MIT */
#ifndef ZEUGMA_VALUES_H
#define ZEUGMA_VALUES_H

#include "plan/plan.h"

/* Fills a step's limits and scale from its type and field. */
void zgi_step_limits(struct zg_step *step);

/* Fills the raw value that a missing field takes, or reports a default that the field cannot hold. */
void zgi_step_fallback(struct zg_step *step, struct zg_diagnostics *diagnostics);

#endif
