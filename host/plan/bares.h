/* SPDX-License-Identifier: MIT */
/* Messages outside frames: whether a receiver can tell them from what a frame begins with. */
#ifndef ZEUGMA_BARES_H
#define ZEUGMA_BARES_H

#include "plan/model.h"

void zgi_check_bares(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

#endif
