/* SPDX-License-Identifier: MIT */
/* A recording as a whole: what its signals are like, what passed on them, and how they depend on each other. */
#ifndef ZEUGMA_WAVE_SURVEY_H
#define ZEUGMA_WAVE_SURVEY_H

#include "wave/measure.h"
#include "wave/receive.h"
#include "wave/recording.h"

struct zg_survey_settings {
    const struct zg_plan *plan;   /* NULL: characters only, */
    struct zg_uart_format format; /* in this format */
    bool has_format;              /* given besides the plan, or instead of it */
    double baud;                  /* 0: the plan's, or as it is measured */
};

struct zg_surveyed {
    const struct zg_trace *trace;
    struct zg_measured measured;
    struct zg_receiving receiving;
    struct zg_received_counts counts;
    bool low_rate; /* under 6 samples a bit */
};

/* Times from requests to what answers them: from the end of the last stop bit to the next start bit. */
struct zg_turn_round {
    uint64_t count;
    double least_s, mean_s, greatest_s;
};

/* Something on a signal, in the order of the signals, and of time on each. */
struct zg_survey_event {
    guint signal;
    const struct zg_stretch *stretch;    /* or, if that is NULL, */
    const struct zg_received *character; /* a character */
    int64_t from_ps, to_ps;
};

struct zg_survey {
    GArray *signals; /* struct zg_surveyed */
    struct zg_turn_round turn_round;
    GArray *why; /* struct zg_explanation, of the first signal on which more is wrong than right; empty: of none */
    guint why_of;
};

/* Reads all signals; of a clocked line the first two are its clock and its data, and are one. `event` may be NULL. Free
 * with zg_survey_free(). */
struct zg_survey *zg_survey_run(const struct zg_recording *recording, const struct zg_survey_settings *settings,
                                void (*event)(void *data, const struct zg_survey_event *event), void *data);
void zg_survey_free(struct zg_survey *survey);

/* One signal before and after a medium: how much later both edges come, on average, and pulses that do not. */
struct zg_medium_delays {
    uint64_t rises, falls, lost; /* the last: edges without a counterpart, halved */
    double rise_s, fall_s;
};
struct zg_medium_delays zg_survey_delays(const struct zg_trace *before, const struct zg_trace *after);

/* A driver enable, active high, beside the wire whose frames it is for: how many of these began before it was on, or
 * ended after it was off; and how many of the other side's came while it was on. */
struct zg_enable {
    uint64_t late, early, both;
};
struct zg_enable zg_survey_enable(const struct zg_trace *enable, const struct zg_trace *wire,
                                  const struct zg_receiving *receiving, const struct zg_plan *plan);

#endif
