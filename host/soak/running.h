/* SPDX-License-Identifier: MIT */
/* A soak while it runs: what a terminal shows of it. */
#ifndef ZEUGMA_RUNNING_H
#define ZEUGMA_RUNNING_H

#include "soak/soak.h"

struct zg_soak_running {
    const struct zg_plan *plan;
    const struct zg_soak_settings *settings; /* with a journal */
    const struct zg_soak_result *so_far;
    double done;      /* share of the run */
    double left_s;    /* until its end, in real time; negative: not known yet */
    const char *note; /* said at the end, such as which keys do something; NULL: nothing */
};

/* How many of a flow's frames have arrived intact so far. */
uint64_t zg_soak_came(const struct zg_soak_result *result, enum zg_flow flow);

/* The seconds since this part of the run began of which all is known; one of them. */
uint32_t zg_soak_settled_seconds(const struct zg_soak_running *running);
struct zg_time_row zg_soak_second(const struct zg_soak_running *running, uint32_t at);

/* A line, without its end; and a view of several lines, each with its end, at most 100 columns and
 * ZG_SOAK_RUNNING_LINES lines. Free with g_free(). */
enum { ZG_SOAK_RUNNING_LINES = 20 };
char *zg_soak_running_line(const struct zg_soak_running *running);
char *zg_soak_running_view(const struct zg_soak_running *running);

#endif
