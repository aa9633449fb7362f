/* SPDX-License-Identifier: MIT */
#include "sim/random.h"

#include <math.h>

static uint64_t mix(uint64_t value)
{
    value = (value ^ value >> 30) * UINT64_C(0xBF58476D1CE4E5B9);
    value = (value ^ value >> 27) * UINT64_C(0x94D049BB133111EB);
    return value ^ value >> 31;
}

struct zg_random zg_random_seeded(uint64_t seed, uint64_t purpose)
{
    return (struct zg_random){ mix(mix(seed) + purpose) };
}

uint64_t zg_random_next(struct zg_random *random)
{
    random->state += UINT64_C(0x9E3779B97F4A7C15);
    return mix(random->state);
}

uint64_t zg_random_below(struct zg_random *random, uint64_t bound)
{
    uint64_t value = zg_random_next(random);

    /* Numbers beyond the last multiple of the bound would favour small results. */
    while (value > UINT64_MAX - bound && value >= UINT64_MAX - UINT64_MAX % bound)
        value = zg_random_next(random);
    return value % bound;
}

bool zg_random_one_in(struct zg_random *random, uint64_t n)
{
    return zg_random_below(random, n) == 0;
}

double zg_random_unit(struct zg_random *random)
{
    return (double)(zg_random_next(random) >> 11) * 0x1p-53;
}

uint64_t zg_random_skip(struct zg_random *random, double probability)
{
    if (probability <= 0)
        return UINT64_MAX;
    if (probability >= 1)
        return 0;
    double unit = zg_random_unit(random) + 0x1p-53; /* above 0, up to 1 */
    double skip = floor(log(unit) / log1p(-probability));
    return skip < 0x1p63 ? (uint64_t)skip : UINT64_MAX;
}
