/* SPDX-License-Identifier: MIT */
/*
 * Values as CSV (RFC 4180, with line feeds): a row for each value, or, where the selection of the only device shows one
 * message only, a row for each of these with its fields in columns.
 */
#ifndef ZEUGMA_VIEW_CSV_H
#define ZEUGMA_VIEW_CSV_H

#include "view/viewed.h"

/* Appends the row of names. */
void zg_csv_head(const struct zg_viewed *viewed, unsigned count, GString *text);

/* Appends the rows of a frame of a device that arrived `at` seconds after the beginning. */
void zg_csv_rows(const struct zg_viewed *viewed, unsigned count, unsigned device, double at,
                 const struct zg_stretch *stretch, GString *text);

#endif
