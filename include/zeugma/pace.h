/* SPDX-License-Identifier: MIT */
/*
 * How often a loop that runs as fast as it can sends a value: at most once in a given time, on change, or on change and
 * at least once in a given time. One struct zg_pace for each value, all zero at first. Each function says whether to
 * send now, and assumes that this is done; if sending fails (ZG_EROOM), call zg_pace_again(). Times are microseconds of
 * the port's clock; spans up to 2^31 us. Loop context; constant time.
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

/* Private: notes that the value is sent. */
static inline bool zgi_pace_note(struct zg_pace *pace, uint32_t now_us, uint32_t value)
{
    pace->started = true;
    pace->sent_us = now_us;
    pace->value = value;
    return true;
}

/* The value could not be sent after all: the next call says to send. */
static inline void zg_pace_again(struct zg_pace *pace)
{
    pace->started = false;
}

/* At once, then not before `least_us` have passed since the last time. */
static inline bool zg_pace_at_most(struct zg_pace *pace, uint32_t now_us, uint32_t least_us)
{
    if (pace->started && zg_clock_since(now_us, pace->sent_us) < least_us)
        return false;
    return zgi_pace_note(pace, now_us, 0);
}

/* At once, then whenever `value` differs from the one last sent. */
static inline bool zg_pace_on_change(struct zg_pace *pace, uint32_t now_us, uint32_t value)
{
    if (pace->started && value == pace->value)
        return false;
    return zgi_pace_note(pace, now_us, value);
}

/* The same, and also when `most_us` have passed. */
static inline bool zg_pace_on_change_or_every(struct zg_pace *pace, uint32_t now_us, uint32_t value, uint32_t most_us)
{
    if (pace->started && value == pace->value && zg_clock_since(now_us, pace->sent_us) < most_us)
        return false;
    return zgi_pace_note(pace, now_us, value);
}

#endif
