/* SPDX-License-Identifier: MIT */
/* Plain marks that are searched: no content may hold the end mark. */
#ifndef ZEUGMA_SEARCHED_H
#define ZEUGMA_SEARCHED_H

#include "plan/model.h"

/* Reports what could hold a byte of the end mark (numbers, counts, check), or all of it (what a layout writes). */
void zgi_check_searched(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

/* Warns where a start mark may stand inside a block of pairs that may be shortened, and the check is weak. */
void zgi_check_start_inside(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

#endif
