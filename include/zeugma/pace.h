/* SPDX-License-Identifier: MIT */
/*
 * How often a value is sent from a loop that turns as fast as it can: at most every so often, on change, or on change
 * but at least every so often. One struct zg_pace for each thing sent, all zero at first. Each function says whether to
 * send now and takes it for granted that this is done; where sending fails (ZG_EROOM), zg_pace_again(). Times are those
 * of the port's clock, microseconds; spans up to 2^31 us. Loop context; constant time.
 */
#ifndef ZEUGMA_PACE_H
#define ZEUGMA_PACE_H

#include <stdbool.h>
#include <stdint.h>

#include "zeugma/clock.h"

struct zg_pace {
    /* private */
    uint32_t sent_us;
    uint32_t value;
    bool started;
};

/* Private: notes that it is sent. */
static inline bool zgi_pace_note(struct zg_pace *pace, uint32_t now_us, uint32_t value)
{
    pace->started = true;
    pace->sent_us = now_us;
    pace->value = value;
    return true;
}

/* Where it could not be sent after all: the next call says to send. */
static inline void zg_pace_again(struct zg_pace *pace)
{
    pace->started = false;
}

/* At once, then no sooner than `least_us` after the last time. */
static inline bool zg_pace_at_most(struct zg_pace *pace, uint32_t now_us, uint32_t least_us)
{
    if (pace->started && zg_clock_since(now_us, pace->sent_us) < least_us)
        return false;
    return zgi_pace_note(pace, now_us, 0);
}

/* At once, then whenever `value` is another than when last sent. */
static inline bool zg_pace_on_change(struct zg_pace *pace, uint32_t now_us, uint32_t value)
{
    if (pace->started && value == pace->value)
        return false;
    return zgi_pace_note(pace, now_us, value);
}

/* The same, and also once `most_us` have passed. */
static inline bool zg_pace_on_change_or_every(struct zg_pace *pace, uint32_t now_us, uint32_t value, uint32_t most_us)
{
    if (pace->started && value == pace->value && zg_clock_since(now_us, pace->sent_us) < most_us)
        return false;
    return zgi_pace_note(pace, now_us, value);
}

#endif
