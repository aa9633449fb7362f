/* SPDX-License-Identifier: MIT */
#include "sim/damage.h"

#include <stdbool.h>

struct zg_damage zg_damage_seeded(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose)
{
    struct zg_damage damage = { .faults = *faults, .random = zg_random_seeded(seed, purpose) };

    damage.good_bits = zg_random_skip(&damage.random, faults->bit_error_rate);
    damage.kept = zg_random_skip(&damage.random, faults->drop);
    damage.single = zg_random_skip(&damage.random, faults->twice);
    return damage;
}

/* The byte after the bit errors that hit it. */
static uint8_t flip_bits(struct zg_damage *damage, uint8_t byte)
{
    unsigned bit = 0;
    while (damage->good_bits < 8 - bit) {
        bit += (unsigned)damage->good_bits;
        byte = (uint8_t)(byte ^ 1U << bit);
        bit++;
        damage->totals.flipped_bits++;
        damage->good_bits = zg_random_skip(&damage->random, damage->faults.bit_error_rate);
    }
    if (damage->good_bits != UINT64_MAX)
        damage->good_bits -= 8 - bit;
    return byte;
}

/* Whether this trial is the one that `left` counts down to. If so, draws the next one. */
static bool strikes(struct zg_damage *damage, uint64_t *left, double probability)
{
    if (*left == UINT64_MAX)
        return false;
    if ((*left)-- > 0)
        return false;
    *left = zg_random_skip(&damage->random, probability);
    return true;
}

unsigned zg_damage_byte(struct zg_damage *damage, uint8_t byte, uint8_t left[2])
{
    damage->totals.sent++;
    byte = flip_bits(damage, byte);
    bool dropped = strikes(damage, &damage->kept, damage->faults.drop);
    bool doubled = strikes(damage, &damage->single, damage->faults.twice);
    left[0] = left[1] = byte;
    if (dropped) {
        damage->totals.dropped++;
        return 0;
    }
    damage->totals.doubled += doubled;
    return 1U + doubled;
}
