/* SPDX-License-Identifier: MIT */
/* The live table on a terminal. */
#ifndef ZEUGMA_CLI_WATCH_SCREEN_H
#define ZEUGMA_CLI_WATCH_SCREEN_H

#include "node/session.h"
#include "view/lines.h"
#include "view/watched.h"

/* A device, as it is now. */
struct screen_device {
    const struct zg_watched *watched;
    const char *link;
    uint64_t now_ns;
    unsigned long baud;
    bool up; /* the port is there */
    const struct zg_counters *counters;
    const struct zg_serial_errors *line; /* NULL: not counted */
};

/* What is drawn; filled in by the owner. */
struct screen_view {
    const struct screen_device *devices;
    unsigned count;
    unsigned looked; /* the device whose console and newest bytes are shown; lines are those of the first */
    const struct zg_plotted *plotted;
    enum zg_depth depth;
    guint first_panel, panels;  /* of the plots, those that are shown */
    uint64_t until_ns, span_ns; /* up to when is plotted, and how much */
    bool can_type, types;       /* keys may go to the device's console; they do */
    bool unicode;
};

/* Takes over the terminal; restores it. False: it cannot be used. */
bool screen_begin(void);
void screen_end(void);

void screen_draw(const struct screen_view *view);

/* The next key pressed, or -1. */
int screen_key(void);

#endif
