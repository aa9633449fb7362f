/* SPDX-License-Identifier: MIT */
/* The tables of a soak's reports, for a terminal of 100 columns. */
#ifndef ZEUGMA_REPORT_TABLES_H
#define ZEUGMA_REPORT_TABLES_H

#include "soak/soak.h"

enum { ZGI_NAME_WIDTH = 24, ZGI_COLUMN = 13 };

/* "0", "3.125 ms", "250 ms", "3600 s". Free with g_free(). */
char *zgi_time_text(uint64_t ns);

/* A row's name; a count, or "-" for none. */
void zgi_row_start(GString *text, const char *name);
void zgi_cell(GString *text, uint64_t count);

/* A flow's name, and that of its way there and back; with the definition's own messages the flows are others. */
const char *zgi_flow_title(const struct zg_soak_result *result, unsigned flow);
const char *zgi_round_trip_title(const struct zg_soak_result *result);

void zgi_table_sent(GString *text, const struct zg_soak_result *result);
void zgi_table_arrived(GString *text, const struct zg_soak_result *result);
void zgi_table_rates(GString *text, const struct zg_soak_result *result);

/* A line: least, median, 99 % and most. */
void zgi_table_spread(GString *text, const char *what, const struct zg_spread *spread);

/* When the link was good, from rows of struct zg_time_row. */
void zgi_table_time(GString *text, const GArray *rows);

/* A line or two: whether a requirement is met, and why. */
void zgi_table_requirement(GString *text, const struct zg_soak_result *result,
                           const struct zg_soak_requirement *requirement);

#endif
