/* SPDX-License-Identifier: MIT */
/* The parts of a report's page. All text goes through zgi_page(), which escapes it. */
#ifndef ZEUGMA_PAGE_PARTS_H
#define ZEUGMA_PAGE_PARTS_H

#include "report/report.h"

/* Appends, with arguments of %s escaped and made valid UTF-8. */
void zgi_page(GString *page, const char *format, ...) G_GNUC_PRINTF(2, 3);

/* Verdict, rates, time, ledger, latencies, counters, events. */
void zgi_page_head(GString *page, const struct zg_stored *stored);
void zgi_page_tables(GString *page, const struct zg_stored *stored);

/* Figures for the charts, the bar of availability, and the numbers that they are drawn from. */
void zgi_page_figures(GString *page, const struct zg_stored *stored);
void zgi_page_numbers(GString *page, const struct zg_stored *stored);

/* The run held against another. */
void zgi_page_comparison(GString *page, const struct zg_against *against);

/* The diagnosis, and damages as aligned hex. */
void zgi_page_causes(GString *page, const struct zg_stored *stored);
void zgi_page_stretches(GString *page, const struct zg_stored *stored);

/* What was tested, with what, by which rule, and what was not covered. */
void zgi_page_record(GString *page, const struct zg_stored *stored, const char *file);

#endif
