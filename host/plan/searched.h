/* SPDX-License-Identifier: MIT */
/* Plain marks: a content may hold the end mark only if its message is told by its first bytes and has one size. */
#ifndef ZEUGMA_SEARCHED_H
#define ZEUGMA_SEARCHED_H

#include "plan/model.h"

/* Finds the messages that could hold the end mark, but have one size, so that it counts only where it must stand. */
void zgi_find_fixed_ends(struct zg_plan *plan);

/* Reports what, in the others, could hold a byte of the end mark (numbers, counts, check), or all of it (what a layout
 * writes). */
void zgi_check_searched(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

/* Reports what could hold a byte that a receiver drops. */
void zgi_check_ignored(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

/* Warns where a start mark may stand inside a block of pairs that may be shortened, and the check is weak. */
void zgi_check_start_inside(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

/* With characters of fewer than 8 data bits: reports what of any frame could be a byte that they do not carry. */
void zgi_check_characters(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

#endif
