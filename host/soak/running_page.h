/* SPDX-License-Identifier: MIT */
/* A soak while it runs, as a page for any number of browsers. All calls come from the soak's thread. */
#ifndef ZEUGMA_RUNNING_PAGE_H
#define ZEUGMA_RUNNING_PAGE_H

#include "page/server.h"
#include "soak/running.h"

/* Opaque; free with zg_running_page_free(). */
struct zg_running_page;

/* Begins to serve the page at `where` (see zg_page_server_new()). `rules` are the requirements as they were written,
 * NULL at the end, or NULL; they must outlive it. */
struct zg_running_page *zg_running_page_new(const char *where, const char *const *rules, GError **error);
void zg_running_page_free(struct zg_running_page *page);

/* Where the page is. */
const char *zg_running_page_address(const struct zg_running_page *page);

/* Does what is due: tells the viewers how it goes, four times a second, and sets marks that they ask for. */
void zg_running_page_step(struct zg_running_page *page, const struct zg_soak_running *running);

/* Tells the viewers that it has ended, and how, and gives them a moment to take that. */
void zg_running_page_end(struct zg_running_page *page, const struct zg_soak_running *running, const char *how);

#endif
