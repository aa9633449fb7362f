/* SPDX-License-Identifier: MIT */
#ifndef ZEUGMA_VALUES_H
#define ZEUGMA_VALUES_H

#include "plan/plan.h"

/* Fills a step's limits and scale from its type and field. */
void zgi_step_limits(struct zg_step *step);

#endif
