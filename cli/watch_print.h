/* SPDX-License-Identifier: MIT */
/* What `watch` prints: what passes, in the order of its times, notes, and a summary. */
#ifndef ZEUGMA_CLI_WATCH_PRINT_H
#define ZEUGMA_CLI_WATCH_PRINT_H

#include "cli.h"
#include "node/session.h"
#include "page/live.h"
#include "view/in_order.h"
#include "view/lines.h"
#include "view/suspect.h"
#include "view/watched.h"

enum watch_form {
    FORM_LINES,
    FORM_TABLE,
    FORM_JSON,
    FORM_CSV,
    FORM_PAGE /* alone: of what passes nothing is printed */
};

struct watching;
struct running;

/* A device that is watched. */
struct watched_device {
    struct watching *watching;
    struct running *running; /* watch.c's own */
    unsigned number;
    const struct zg_viewed *viewed;
    const char *link;
    struct zg_wire *wire;
    struct zg_session *session;
    struct zg_lines *lines;
    struct zg_suspect *suspect;
    struct zg_watched watched;
    uint64_t frames, skipped, undelivered; /* that are shown */
};

struct watching {
    const struct cli_verb *verb;
    struct watched_device *devices;
    struct zg_viewed *viewed;
    unsigned count; /* of devices */
    enum watch_form form;
    enum zg_depth depth;
    struct zg_live *live;           /* NULL: there is no page */
    GString *text;                  /* being composed */
    struct zg_in_order *lines_made; /* made, waiting for what passed before them */
    bool csv_begun;
};

/* Frames of all devices that are shown. */
uint64_t watch_frames(const struct watching *watching);

/* Prints what no earlier line can precede any more; everything. */
void watch_print_due(struct watching *watching);
void watch_print_all(struct watching *watching);

/* Tells those at the terminal that something happened to a device's link; NULL: to none of them. */
void watch_say(struct watching *watching, struct watched_device *device, const char *text);

/* Shows a stretch, or raw bytes, in the form that was asked for. */
void watch_show_stretch(struct watched_device *device, uint64_t at_ns, bool out, const struct zg_stretch *stretch);
void watch_show_bytes(struct watched_device *device, const struct zg_passage *passage);

void watch_print_summary(const struct watched_device *device);

#endif
