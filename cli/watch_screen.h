/* SPDX-License-Identifier: MIT */
/* The live table on a terminal. */
#ifndef ZEUGMA_CLI_WATCH_SCREEN_H
#define ZEUGMA_CLI_WATCH_SCREEN_H

#include "node/session.h"
#include "view/lines.h"
#include "view/plotted.h"
#include "view/recent.h"
#include "view/table.h"

/* What is drawn; filled in by the owner. */
struct screen_view {
    const struct zg_plan *plan;
    const char *link;
    const struct zg_table *table;
    const struct zg_recent *recent;
    uint64_t now_ns;
    uint64_t heard_ns; /* when a frame came last */
    uint64_t frames;   /* from the device */
    unsigned long baud;
    bool up; /* the port is there */
    const struct zg_counters *counters;
    const struct zg_serial_errors *line; /* NULL: not counted */
    const char *note;                    /* the newest, or "" */
    enum zg_depth depth;
    const struct zg_plotted *plotted;     /* NULL: nothing is plotted; */
    const struct zg_selection *selection; /* whose marks are drawn with it, */
    uint64_t until_ns, span_ns;           /* up to when, and how much */
    bool held;                            /* the user stopped the view */
    bool unicode;
};

/* Takes over the terminal; restores it. False: it cannot be used. */
bool screen_begin(void);
void screen_end(void);

void screen_draw(const struct screen_view *view);

/* The next key pressed, or -1. */
int screen_key(void);

#endif
