/* SPDX-License-Identifier: MIT */
/*
 * Values as CSV (RFC 4180, with line feeds): a row for each value, or, where the selection shows one message only, a
 * row for each of these with its fields in columns.
 */
#ifndef ZEUGMA_VIEW_CSV_H
#define ZEUGMA_VIEW_CSV_H

#include "view/selection.h"

/* Appends the row of names. */
void zg_csv_head(const struct zg_plan *plan, const struct zg_selection *selection, GString *text);

/* Appends the rows of a frame that arrived `at` seconds after the beginning. */
void zg_csv_rows(const struct zg_plan *plan, const struct zg_selection *selection, double at,
                 const struct zg_stretch *stretch, GString *text);

#endif
