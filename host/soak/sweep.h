/* SPDX-License-Identifier: MIT */
/*
 * Many soaks that differ in a setting: a sweep over one or more (a grid), the same again and again, or the search for
 * the value at which a requirement fails. On the simulated line they run on all cores; each has random streams of its
 * own, so the result does not depend on how many cores there are.
 */
#ifndef ZEUGMA_SWEEP_H
#define ZEUGMA_SWEEP_H

#include "soak/soak.h"

enum { ZG_SWEEP_AXES = 4, ZG_SWEEP_POINTS = 10000 };

/* A setting and its values: size, load, open, gap, baud, or on the simulated line a fault whose value is one number. */
struct zg_sweep_axis {
    char *name;
    double from, to;  /* bytes, share, frames, seconds, baud; as the fault has it, times in seconds */
    unsigned steps;   /* values, the ends included; 1 to ZG_SWEEP_POINTS */
    bool logarithmic; /* to / from is 100 or more */
    bool percent;     /* off the definition's baud */
};

/* Reads NAME=FROM..TO/STEPS, or for a search NAME=FROM..TO. False with an error. Free with zg_sweep_axis_clear(). */
bool zg_sweep_axis_parse(const char *text, bool with_steps, bool is_real, struct zg_sweep_axis *axis, GError **error);
void zg_sweep_axis_clear(struct zg_sweep_axis *axis);

/* A value of an axis by its index, and as text: "1e-05", "2ms", "-3%". Free the text with g_free(). */
double zg_sweep_value(const struct zg_sweep_axis *axis, unsigned index);
char *zg_sweep_value_text(const struct zg_sweep_axis *axis, double value);

/* One soak of many. */
struct zg_sweep_point {
    double values[ZG_SWEEP_AXES];
    struct zg_soak_result *result; /* NULL: it was not run, or `error` says why it could not be */
    GError *error;
};

/* What is swept. Without an axis the points are repetitions of the same. */
struct zg_sweep {
    const struct zg_plan *plan;
    const struct zg_soak_settings *settings;
    const struct zg_sweep_axis *axes;
    unsigned axes_count;
    unsigned repetitions; /* at least 1 */
};

/* Called from time to time, from any thread, with the number of points that are done. False ends all. */
typedef bool (*zg_sweep_progress)(unsigned done, unsigned of, void *data);

/* How many points there are; 0: too many. */
unsigned zg_sweep_count(const struct zg_sweep *sweep);

/* Runs all points; an array of struct zg_sweep_point, the last axis fastest. Free with g_array_unref(). */
GArray *zg_sweep_run(const struct zg_sweep *sweep, zg_sweep_progress progress, void *data);

/* --- the search for where it breaks */

struct zg_search {
    bool found;       /* otherwise it holds, or fails, at both ends, or it was stopped */
    bool holds[2];    /* at the ends */
    double good, bad; /* the nearest values at which it was met, and failed */
    unsigned runs;    /* soaks that it took */
    bool stopped;
    GError *error; /* a soak could not be run; owned */
};

/* Looks for it by bisection, in ratios where the axis is logarithmic, until the interval is a twentieth of the axis.
 * Where a soak neither shows that the requirement is met nor that it failed, it is made longer, up to 16 times; if it
 * is still not shown, the measured rate decides. */
struct zg_search zg_search_run(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                               const struct zg_sweep_axis *axis, const struct zg_soak_requirement *requirement,
                               zg_sweep_progress progress, void *data);

/* --- written out; free with g_free() */

char *zg_sweep_text(const struct zg_sweep *sweep, const GArray *points, const struct zg_soak_requirement *requirements,
                    unsigned requirements_count);
char *zg_sweep_json(const struct zg_sweep *sweep, const GArray *points, const struct zg_soak_requirement *requirements,
                    unsigned requirements_count);

/* Whether all points were run, add up and meet all requirements. */
bool zg_sweep_passed(const GArray *points, const struct zg_soak_requirement *requirements, unsigned requirements_count);

#endif
