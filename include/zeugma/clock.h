/* SPDX-License-Identifier: MIT */
/*
 * Arithmetic on a free-running 32-bit counter of microseconds that wraps (every 71.6 minutes). Spans and deadlines of
 * up to 2^31 us (35 minutes) are correct at every value of the counter. Any context; constant time.
 */
#ifndef ZEUGMA_CLOCK_H
#define ZEUGMA_CLOCK_H

#include <stdbool.h>
#include <stdint.h>

/* Microseconds from `then` to `now`. */
static inline uint32_t zg_clock_since(uint32_t now, uint32_t then)
{
    return (uint32_t)(now - then);
}

/* Whether `deadline` has been reached. */
static inline bool zg_clock_reached(uint32_t now, uint32_t deadline)
{
    return (uint32_t)(now - deadline) < UINT32_C(0x80000000);
}

#endif
