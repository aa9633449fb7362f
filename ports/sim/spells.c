/* SPDX-License-Identifier: MIT */
#include "sim/spells.h"

#include <math.h>

/* Exponentially distributed. */
static uint64_t span_ns(struct zg_random *random, double mean_ns)
{
    const double unit = zg_random_unit(random) + 0x1p-53; /* above 0, up to 1 */
    const double span = -log(unit) * mean_ns;

    return span < 0x1p62 ? (uint64_t)span : UINT64_C(1) << 62;
}

/* The next one after a time. */
static void draw(struct zg_spells *spells, uint64_t after_ns)
{
    const struct zg_spell *kind = &spells->kind;

    spells->from_ns = after_ns + span_ns(&spells->random, 1e9 / kind->rate);
    spells->until_ns =
        spells->from_ns + 1 + (spells->even ? kind->length_ns : span_ns(&spells->random, (double)kind->length_ns));
}

struct zg_spells zg_spells_seeded(uint64_t seed, uint64_t purpose, unsigned kind, const struct zg_spell *spell,
                                  bool even, uint64_t now_ns)
{
    struct zg_spells spells = { .random = zg_random_seeded(seed, purpose + ((uint64_t)(kind + 1) << 32)),
                                .kind = *spell,
                                .even = even,
                                .from_ns = UINT64_MAX,
                                .until_ns = UINT64_MAX };

    if (spell->rate > 0)
        draw(&spells, now_ns);
    return spells;
}

void zg_spells_change(struct zg_spells *spells, const struct zg_spell *spell, uint64_t now_ns)
{
    if (spells->kind.rate == spell->rate && spells->kind.length_ns == spell->length_ns)
        return;
    spells->kind = *spell;
    spells->from_ns = spells->until_ns = UINT64_MAX;
    if (spell->rate > 0)
        draw(spells, now_ns);
}

bool zg_spells_on(struct zg_spells *spells, uint64_t now_ns)
{
    while (spells->until_ns <= now_ns && spells->until_ns != UINT64_MAX)
        draw(spells, spells->until_ns);
    return spells->from_ns <= now_ns;
}

uint64_t zg_spells_change_ns(const struct zg_spells *spells, uint64_t now_ns)
{
    return spells->from_ns <= now_ns ? spells->until_ns : spells->from_ns;
}
