/* SPDX-License-Identifier: MIT */
/*
 * Whether runs became worse over time: for each kind of error a control chart of cumulative sums (E. S. Page,
 * "Continuous inspection schemes", Biometrika 41, 1954). The first runs are the reference; of each later one the errors
 * over what they expect, in standard deviations less one half, are added up, and never below 0. Above 5 the chart
 * signals; where nothing changes it does so about once in 930 runs, if the reference
 * is good and errors are about normal.
 */
#ifndef ZEUGMA_HISTORY_H
#define ZEUGMA_HISTORY_H

#include "codec/json.h"
#include "report/compare.h"

struct zg_history_point {
    uint64_t errors, trials;
    double sum;   /* after this run */
    bool signals; /* it is above 5 */
};

struct zg_history {
    GPtrArray *runs;                    /* of struct zg_stored, by their numbers */
    unsigned reference;                 /* how many of the first are the reference */
    GArray *points[ZG_COMPARED_MOST];   /* of struct zg_history_point, one for each run */
    const char *keys[ZG_COMPARED_MOST]; /* NULL: it is not looked at */
    bool signals;                       /* at the newest run, in any kind */
};

/* Reads all runs of a store. NULL with an error: it cannot be read, or has fewer than three. */
struct zg_history *zg_history_read(const char *file, GError **error);
void zg_history_free(struct zg_history *history);

/* As lines for a terminal of 100 columns; as one JSON document. Free with g_free(). */
char *zg_history_text(const struct zg_history *history);
char *zg_history_json(const struct zg_history *history);

#endif
