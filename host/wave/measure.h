/* SPDX-License-Identifier: MIT */
/* What a recorded wire is like: its idle level, the rate of its bits, how even they are. */
#ifndef ZEUGMA_WAVE_MEASURE_H
#define ZEUGMA_WAVE_MEASURE_H

#include "wave/trace.h"

struct zg_measured {
    bool idle_low;           /* the level that lasts longest at a time; or, if that is shorter than a character, with
                                which it begins and ends */
    uint64_t edges;          /* changes between low and high */
    double shortest_pulse_s; /* the shortest time between two of them; 0: there are not two */
    bool has_rate;           /* there are edges enough to tell: */
    double rate_bd;          /* the least-squares fit of the edges within each character to a grid of bits, */
    double rate_error_ppm;   /* the standard error of that fit: of the slope, over the slope */
    double jitter_s;         /* the standard deviation of edges from the grid of their character and direction */
    double rise_late_s;      /* how much later rising edges are on it than falling ones */
    double drift_ppm;        /* the rate in the second half of the bits, over that in the first half, less one */
    double nearest_usual_bd;
};

/* Measures a trace whose characters have so many bits before the stop bit (start, data, parity). `nominal_bd`: what the
 * rate should be, which decides only where no pulse is a single bit; 0: nothing is known. */
struct zg_measured zg_measure(const struct zg_trace *trace, unsigned before_stop, double nominal_bd);

#endif
