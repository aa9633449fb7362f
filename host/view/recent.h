/* SPDX-License-Identifier: MIT */
/* The newest of what passed, as much as a screen shows: lines, console text, raw bytes, rates. */
#ifndef ZEUGMA_VIEW_RECENT_H
#define ZEUGMA_VIEW_RECENT_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

struct zg_recent {
    GQueue lines;                     /* char *, the newest last */
    GQueue console;                   /* char *, lines of text; the last one may still grow */
    GByteArray *newest;               /* raw bytes */
    double bytes_per_s, frames_per_s; /* over the last second or more */
    /* private */
    uint64_t rated_ns, rated_bytes, rated_frames;
};

void zg_recent_init(struct zg_recent *recent);
void zg_recent_clear(struct zg_recent *recent);

/* Adds lines, each ended by a line feed; forgets all lines. */
void zg_recent_lines(struct zg_recent *recent, const char *text);
void zg_recent_forget_lines(struct zg_recent *recent);

/* Adds console text; adds raw bytes. */
void zg_recent_console(struct zg_recent *recent, const uint8_t *bytes, size_t count);
void zg_recent_bytes(struct zg_recent *recent, const uint8_t *bytes, size_t count);

/* Updates the rates, at most once a second, from the totals so far. */
void zg_recent_rate(struct zg_recent *recent, uint64_t now_ns, uint64_t bytes, uint64_t frames);

#endif
