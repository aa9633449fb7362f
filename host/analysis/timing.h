/* SPDX-License-Identifier: MIT */
/*
 * Whether two ends whose rates differ read each other. A receiver samples each bit at three of its ticks around the
 * middle (7, 8, 9 of 16; 3, 4, 5 of 8), takes the majority, and looks for the next start bit after the third sample of
 * the stop bit. Its ticks run freely, so an edge is seen up to a tick late.
 */
#ifndef ZEUGMA_TIMING_H
#define ZEUGMA_TIMING_H

#include "definition/definition.h"

/* A character as its receiver sees it, in bits. */
struct zg_character {
    unsigned before_stop; /* start, data and parity */
    double stop;
    double idle;        /* pause between characters; 0: back to back */
    unsigned samples;   /* ticks a bit, 16 or 8 */
    double edges_late;  /* how much later edges to the idle level are than those from it; negative: earlier */
    bool stop_opposite; /* stop bits have the other level than the idle one, and a bit of that follows them */
};

/* What limits a rate: the last bit is sampled behind its end, before its beginning, or the next start bit begins before
 * the receiver is ready for it. */
enum zg_limit { ZG_LIMIT_SLOW, ZG_LIMIT_FAST, ZG_LIMIT_NEXT };

/* What is left, in the receiver's bits, if the sender's rate is `excess` + 1 times the receiver's. Below 0: it does not
 * read. */
struct zg_margin {
    double bits;
    enum zg_limit limit;
};
struct zg_margin zg_timing_margin(const struct zg_character *character, double excess);

/* The excesses, a negative and a positive one, within which a receiver reads a sender. */
void zg_timing_limits(const struct zg_character *character, double *slowest, double *fastest);

/* A line's character, for a receiver with so many samples. */
struct zg_character zg_timing_character(const struct zg_line *line, unsigned samples);

/* The rate that a clock makes, with the divisor, from 1 on, that comes nearest to the one asked for. `divisor_bits`: of
 * its whole part; 0: any. */
struct zg_made_rate {
    double divisor, baud;
    double error; /* as a part of the rate asked for */
};
struct zg_made_rate zg_timing_rate(double clock_hz, struct zg_divider divider, unsigned divisor_bits, double baud);

/* Both ends: the device's clock and divider; the rate of the host, whose receiver takes 16 samples a bit; the pause
 * between characters and how late rising edges are, in bits. */
struct zg_uart_ends {
    double device_hz, host_baud;
    struct zg_divider divider;
    unsigned divisor_bits;
    double idle, edges_late;
};

/* How one end reads the other, between the worst cases of both tolerances: the sender's rate over the receiver's, less
 * one, and the least margin. */
struct zg_reading {
    double low, high;
    struct zg_margin margin;
};

struct zg_timing {
    struct zg_made_rate made;
    struct zg_reading by_device, by_host;
};
struct zg_timing zg_timing_of(const struct zg_line *line, const struct zg_uart_ends *ends);

/* How far off the device's rate may be, as a part of it, for both ends to have at least this margin, in bits, with
 * tolerances at their worst. False: they have it nowhere. */
bool zg_timing_range(const struct zg_line *line, unsigned samples, double margin, double *slowest, double *fastest);

/* The least margin of both, in bits. */
double zg_timing_least(const struct zg_timing *timing);

/* Margins under this many bits are marginal. */
#define ZG_TIMING_MARGINAL 0.1

/* The rates that are usual, in rising order, and the one nearest to a rate by ratio. */
extern const double zg_timing_usual_rates[];
extern const size_t zg_timing_usual_rate_count;
double zg_timing_usual_rate(double baud);

/* The same ends with another device clock, or at another rate: the error of the rate that the clock makes, as a part of
 * it, and the least margin in bits, 0 or more. */
struct zg_other_timing {
    double clock_hz, baud, error, margin;
};

/* Of the usual rates those that the device's clock makes, and of the usual crystals those that make the line's rate, so
 * that the ends read each other at their worst: arrays of struct zg_other_timing, in rising order. Free with
 * g_array_unref(). */
GArray *zg_timing_rates(const struct zg_line *line, const struct zg_uart_ends *ends);
GArray *zg_timing_crystals(const struct zg_line *line, const struct zg_uart_ends *ends);

/* What leaves at least that to two ends that have less: of a second stop bit, a pause of a bit between characters and
 * other dividers the first; then it is in `*divider`. */
enum zg_cure { ZG_CURE_NONE, ZG_CURE_STOP, ZG_CURE_PAUSE, ZG_CURE_DIVIDER };
enum zg_cure zg_timing_cure(const struct zg_line *line, const struct zg_uart_ends *ends, struct zg_divider *divider);

#endif
