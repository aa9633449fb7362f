/* SPDX-License-Identifier: MIT */
#include "sim/damage.h"

struct zg_strikes zg_strikes_seeded(uint64_t seed, uint64_t purpose, unsigned kind, double probability)
{
    struct zg_strikes strikes = { .random = zg_random_seeded(seed, purpose + ((uint64_t)(kind + 1) << 32)) };

    strikes.left = zg_random_skip(&strikes.random, probability);
    return strikes;
}

struct zg_damage zg_damage_seeded(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose)
{
    return (struct zg_damage){ .faults = *faults,
                               .flips = zg_strikes_seeded(seed, purpose, 0, faults->bit_error_rate),
                               .drops = zg_strikes_seeded(seed, purpose, 1, faults->drop),
                               .twices = zg_strikes_seeded(seed, purpose, 2, faults->twice),
                               .inserts = zg_strikes_seeded(seed, purpose, 3, faults->insert) };
}

/* The byte after the bit errors that hit it. */
static uint8_t flip_bits(struct zg_damage *damage, uint8_t byte)
{
    unsigned bit = 0;
    while (damage->flips.left < 8 - bit) {
        bit += (unsigned)damage->flips.left;
        byte = (uint8_t)(byte ^ 1U << bit);
        bit++;
        damage->totals.flipped_bits++;
        damage->flips.left = zg_random_skip(&damage->flips.random, damage->faults.bit_error_rate);
    }
    if (damage->flips.left != UINT64_MAX)
        damage->flips.left -= 8 - bit;
    return byte;
}

bool zg_strikes(struct zg_strikes *kind, double probability)
{
    if (kind->left == UINT64_MAX || kind->left-- > 0)
        return false;
    kind->left = zg_random_skip(&kind->random, probability);
    return true;
}

/* Passes trials in which it does not strike. */
static void pass(struct zg_strikes *kind, uint64_t trials)
{
    if (kind->left != UINT64_MAX)
        kind->left -= trials;
}

static uint64_t least(uint64_t a, uint64_t b)
{
    return a < b ? a : b;
}

size_t zg_damage_spare(struct zg_damage *damage, size_t count)
{
    const uint64_t spared = least(least(damage->flips.left / 8, damage->drops.left),
                                  least(damage->twices.left, least(damage->inserts.left, count)));

    pass(&damage->flips, 8 * spared);
    pass(&damage->drops, spared);
    pass(&damage->twices, spared);
    pass(&damage->inserts, spared);
    damage->totals.sent += spared;
    return (size_t)spared;
}

unsigned zg_damage_byte(struct zg_damage *damage, uint8_t byte, uint8_t left[ZG_DAMAGE_MOST])
{
    unsigned count = 0;

    damage->totals.sent++;
    byte = flip_bits(damage, byte);
    const bool dropped = zg_strikes(&damage->drops, damage->faults.drop);
    const bool doubled = zg_strikes(&damage->twices, damage->faults.twice) && !dropped;
    if (!dropped)
        left[count++] = byte;
    if (doubled)
        left[count++] = byte;
    damage->totals.dropped += dropped;
    damage->totals.doubled += doubled;
    if (zg_strikes(&damage->inserts, damage->faults.insert)) {
        left[count++] = (uint8_t)zg_random_next(&damage->inserts.random);
        damage->totals.inserted++;
    }
    return count;
}
