/* SPDX-License-Identifier: MIT */
/* What a stored run shows: as text, as one JSON document, as a page. */
#ifndef ZEUGMA_STORED_REPORT_H
#define ZEUGMA_STORED_REPORT_H

#include "report/compare.h"

/* What a run is held against; NULL: nothing. */
struct zg_against {
    const struct zg_stored *other;
    struct zg_comparison comparison;
};

/* For a terminal of 100 columns; docs/store.md describes the JSON. Free with g_free(). */
char *zg_report_text(const struct zg_stored *stored, const struct zg_against *against);
char *zg_report_json(const struct zg_stored *stored, const struct zg_against *against);

/* One HTML page that needs nothing else. What a device sent is text in it, never markup. `file` is the store's, whose
 * hash it bears; NULL: it has none. Free with g_free(). */
char *zg_report_page(const struct zg_stored *stored, const struct zg_against *against, const char *file);

#endif
