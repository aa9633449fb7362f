/* SPDX-License-Identifier: MIT */
/* What pages are made of, embedded when this is built. */
#ifndef ZEUGMA_PAGE_FILES_H
#define ZEUGMA_PAGE_FILES_H

/* Of a report, of a live link; and the library that draws the charts of both, empty where there was none. */
extern const char zgi_page_style[], zgi_page_script[];
extern const char zgi_live_page[], zgi_live_style[], zgi_live_script[];
extern const char zgi_page_charts[];

#endif
