/* SPDX-License-Identifier: MIT */
/* What pages are made of, embedded when this is built. */
#ifndef ZEUGMA_PAGE_FILES_H
#define ZEUGMA_PAGE_FILES_H

/* Of a report, of a live link, of a soak that runs, of both of these; and the library that draws the charts of all,
 * empty where there was none. */
extern const char zgi_page_style[], zgi_page_script[];
extern const char zgi_live_page[], zgi_live_style[], zgi_live_script[];
extern const char zgi_running_page[], zgi_running_script[];
extern const char zgi_viewer_script[];
extern const char zgi_page_charts[];

#endif
