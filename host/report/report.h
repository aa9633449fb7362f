/* SPDX-License-Identifier: MIT */
/* What a stored run shows: as text, as one JSON document, as a page. */
#ifndef ZEUGMA_STORED_REPORT_H
#define ZEUGMA_STORED_REPORT_H

#include "store/stored.h"

/* For a terminal of 100 columns; docs/store.md describes the JSON. Free with g_free(). */
char *zg_report_text(const struct zg_stored *stored);
char *zg_report_json(const struct zg_stored *stored);

/* One HTML page that needs nothing else. What a device sent is text in it, never markup. `file` is the store's, whose
 * hash it bears; NULL: it has none. Free with g_free(). */
char *zg_report_page(const struct zg_stored *stored, const char *file);

#endif
