/* SPDX-License-Identifier: MIT */
/*
 * The level of a wire over time, as the moments at which it changes: a queue, which grows as needed. It begins idle.
 * Times are picoseconds, as double: exact to 0.02 ns after a day.
 */
#ifndef ZEUGMA_SIM_LEVELS_H
#define ZEUGMA_SIM_LEVELS_H

#include <stdbool.h>
#include <stddef.h>

struct zg_levels {
    /* private */
    double *at;
    size_t size; /* a power of two */
    /* read only: counts since the beginning; changes in the queue == last - first */
    size_t first, last;
};

void zg_levels_free(struct zg_levels *levels);

/* The level changes then, after all changes before. */
void zg_levels_change(struct zg_levels *levels, double at_ps);

/* The level changes then, or, if that is not after the newest change in the queue, both vanish: a pulse that is too
 * short to be. */
void zg_levels_change_or_cancel(struct zg_levels *levels, double at_ps);

static inline bool zg_levels_are_there(const struct zg_levels *levels)
{
    return levels->first != levels->last;
}

/* The next change that was not passed. */
static inline double zg_levels_next(const struct zg_levels *levels)
{
    return levels->at[levels->first & (levels->size - 1)];
}

/* The change that was passed last, if there was one since the newest came. */
static inline double zg_levels_latest(const struct zg_levels *levels)
{
    return levels->at[(levels->first - 1) & (levels->size - 1)];
}

/* The level before that: whether it is not the idle one. */
static inline bool zg_levels_active(const struct zg_levels *levels)
{
    return (levels->first & 1) != 0;
}

/* Passes the changes up to a moment. Whether the level is then not the idle one. */
static inline bool zg_levels_pass(struct zg_levels *levels, double until_ps)
{
    while (zg_levels_are_there(levels) && zg_levels_next(levels) <= until_ps)
        levels->first++;
    return zg_levels_active(levels);
}

#endif
