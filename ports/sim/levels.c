/* SPDX-License-Identifier: MIT */
#include "sim/levels.h"

#include <stdlib.h>

void zg_levels_free(struct zg_levels *levels)
{
    free(levels->at);
}

static void grow(struct zg_levels *levels)
{
    const size_t size = levels->size ? 2 * levels->size : 64;
    double *at = malloc(size * sizeof *at);

    if (!at)
        abort();
    for (size_t i = levels->first; i != levels->last; i++)
        at[i & (size - 1)] = levels->at[i & (levels->size - 1)];
    free(levels->at);
    levels->at = at;
    levels->size = size;
}

void zg_levels_change(struct zg_levels *levels, double at_ps)
{
    if (levels->last - levels->first == levels->size)
        grow(levels);
    levels->at[levels->last++ & (levels->size - 1)] = at_ps;
}

void zg_levels_change_or_cancel(struct zg_levels *levels, double at_ps)
{
    if (zg_levels_are_there(levels) && levels->at[(levels->last - 1) & (levels->size - 1)] >= at_ps)
        levels->last--;
    else
        zg_levels_change(levels, at_ps);
}
