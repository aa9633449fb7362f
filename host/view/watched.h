/* SPDX-License-Identifier: MIT */
/* What a link has shown so far, bounded in memory: what the table, the plots and the page are drawn from. */
#ifndef ZEUGMA_VIEW_WATCHED_H
#define ZEUGMA_VIEW_WATCHED_H

#include "link/wire.h"
#include "view/plotted.h"
#include "view/recent.h"
#include "view/table.h"

/* Something that happened to the link. */
struct zg_watched_event {
    uint64_t at_ns;
    char *text;
};

enum zg_watched_state { ZG_WATCHED_PORT_GONE, ZG_WATCHED_UNHEARD, ZG_WATCHED_DOWN, ZG_WATCHED_UP };

/* Read it; the functions change it. */
struct zg_watched {
    const struct zg_viewed *viewed;
    struct zg_table *table;     /* NULL: nothing is shown, only counted */
    struct zg_plotted *plotted; /* the owner's, perhaps of several devices; NULL: nothing is plotted */
    unsigned device;            /* its number among these */
    struct zg_recent recent;
    GQueue events;                    /* struct zg_watched_event, the newest last, some hundreds of them */
    uint64_t frames, bytes, heard_ns; /* from the device; when the newest frame came */
    bool held;                        /* the table and the newest bytes stay as they are */
};

/* `viewed` must outlive it. `shows`: false if it only counts, and keeps what happens. */
void zg_watched_init(struct zg_watched *watched, const struct zg_viewed *viewed, bool shows);
void zg_watched_clear(struct zg_watched *watched);

/* Takes what passes: a stretch, its bytes; what happened. */
void zg_watched_stretch(struct zg_watched *watched, uint64_t at_ns, bool out, const struct zg_stretch *stretch);
void zg_watched_bytes(struct zg_watched *watched, const struct zg_passage *passage);
void zg_watched_event(struct zg_watched *watched, uint64_t at_ns, const char *text);

/* Down: nothing was heard for the definition's link_timeout, or 3 s. `up`: the port is there. */
enum zg_watched_state zg_watched_state(const struct zg_watched *watched, bool up, uint64_t now_ns);
const char *zg_watched_state_text(enum zg_watched_state state);

/* Frames that arrived and were no good. */
uint32_t zg_counters_failed(const struct zg_counters *counters);

#endif
