/* SPDX-License-Identifier: MIT */
/* What the benches share: a clock, the median of some turns, and a node's surroundings when time does not matter. */
#ifndef ZEUGMA_BENCH_MEASURE_H
#define ZEUGMA_BENCH_MEASURE_H

#include <glib.h>
#include <stdlib.h>

#include "zeugma/port.h"
#include "zeugma/protocol.h"

enum { TURNS = 9 };

static inline double seconds(void)
{
    return (double)g_get_monotonic_time() * 1e-6;
}

static inline int by_value(const void *a, const void *b)
{
    double left = *(const double *)a, right = *(const double *)b;
    return (left > right) - (left < right);
}

static inline double median(double *values)
{
    qsort(values, TURNS, sizeof values[0], by_value);
    return values[TURNS / 2];
}

static inline uint32_t now_us(void *context)
{
    (void)context;
    return 0;
}

static inline void start_transmit(void *context)
{
    (void)context;
}

static const struct zg_port still_port = { .now_us = now_us, .start_transmit = start_transmit };

/* How many frames were delivered, by a node's call. */
static unsigned delivered;

static inline int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    (void)data;
    (void)frame;
    (void)payload;
    (void)length;
    delivered++;
    return 0;
}

#endif
