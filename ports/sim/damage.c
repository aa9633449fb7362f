/* SPDX-License-Identifier: MIT */
#include "sim/damage.h"

#include <string.h>

enum { FLIPS, DROPS, TWICES, INSERTS, BURST_FLIPS, HUM_FLIPS, BURSTS = 16, CUTS, HOLDS /* the soak has 8 to 15 */ };

struct zg_strikes zg_strikes_seeded(uint64_t seed, uint64_t purpose, unsigned kind, double probability)
{
    struct zg_strikes strikes = { .random = zg_random_seeded(seed, purpose + ((uint64_t)(kind + 1) << 32)),
                                  .probability = probability };

    strikes.left = zg_random_skip(&strikes.random, probability);
    return strikes;
}

bool zg_strikes(struct zg_strikes *kind)
{
    if (kind->left == UINT64_MAX || kind->left-- > 0)
        return false;
    kind->left = zg_random_skip(&kind->random, kind->probability);
    return true;
}

void zg_strikes_change(struct zg_strikes *kind, double probability)
{
    if (kind->probability == probability)
        return;
    kind->probability = probability;
    kind->left = zg_random_skip(&kind->random, probability);
}

/* Passes trials in which it does not strike. */
static void pass(struct zg_strikes *kind, uint64_t trials)
{
    if (kind->left != UINT64_MAX)
        kind->left -= trials;
}

static void look_at(struct zg_damage *damage)
{
    const struct zg_sim_faults *faults = &damage->faults;
    static const uint8_t none[sizeof faults->eat];

    damage->is_timed = faults->burst.rate > 0 || faults->cut.rate > 0 || faults->hold.rate > 0 || faults->hum_hz > 0;
    damage->is_bytewise = faults->strip || faults->invert || memcmp(faults->eat, none, sizeof none) != 0;
}

struct zg_damage zg_damage_seeded(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose)
{
    struct zg_damage damage = { .faults = *faults,
                                .data_bits = 8,
                                .flips = zg_strikes_seeded(seed, purpose, FLIPS, faults->bit_error_rate),
                                .drops = zg_strikes_seeded(seed, purpose, DROPS, faults->drop),
                                .twices = zg_strikes_seeded(seed, purpose, TWICES, faults->twice),
                                .inserts = zg_strikes_seeded(seed, purpose, INSERTS, faults->insert),
                                .burst_flips =
                                    zg_strikes_seeded(seed, purpose, BURST_FLIPS, faults->burst_bit_error_rate),
                                .hum_flips = zg_strikes_seeded(seed, purpose, HUM_FLIPS, faults->hum_bit_error_rate),
                                .bursts = zg_spells_seeded(seed, purpose, BURSTS, &faults->burst, false, 0),
                                .cuts = zg_spells_seeded(seed, purpose, CUTS, &faults->cut, true, 0),
                                .holds = zg_spells_seeded(seed, purpose, HOLDS, &faults->hold, true, 0) };

    look_at(&damage);
    return damage;
}

void zg_damage_change(struct zg_damage *damage, const struct zg_sim_faults *faults, uint64_t now_ns)
{
    zg_strikes_change(&damage->flips, faults->bit_error_rate);
    zg_strikes_change(&damage->drops, faults->drop);
    zg_strikes_change(&damage->twices, faults->twice);
    zg_strikes_change(&damage->inserts, faults->insert);
    zg_strikes_change(&damage->burst_flips, faults->burst_bit_error_rate);
    zg_strikes_change(&damage->hum_flips, faults->hum_bit_error_rate);
    zg_spells_change(&damage->bursts, &faults->burst, now_ns);
    zg_spells_change(&damage->cuts, &faults->cut, now_ns);
    zg_spells_change(&damage->holds, &faults->hold, now_ns);
    damage->faults = *faults;
    look_at(damage);
}

static uint8_t all_bits(const struct zg_damage *damage)
{
    return (uint8_t)(0xFFU >> (8U - damage->data_bits));
}

/* The byte after the bit errors of one kind that hit it. */
static uint8_t flip_bits(struct zg_damage *damage, struct zg_strikes *kind, uint8_t byte)
{
    unsigned bit = 0;

    while (kind->left < damage->data_bits - bit) {
        bit += (unsigned)kind->left;
        byte = (uint8_t)(byte ^ 1U << bit);
        bit++;
        damage->totals.flipped_bits++;
        kind->left = zg_random_skip(&kind->random, kind->probability);
    }
    pass(kind, damage->data_bits - bit);
    return byte;
}

/* Whether it is the part of the period in which the hum is, and when that changes. */
static bool is_humming(const struct zg_sim_faults *faults, uint64_t now_ns, uint64_t *change_ns)
{
    if (faults->hum_hz <= 0) {
        *change_ns = UINT64_MAX;
        return false;
    }
    const uint64_t period_ns = (uint64_t)(1e9 / faults->hum_hz + 0.5), in_ns = now_ns % period_ns;
    const bool humming = in_ns < faults->hum_width_ns;

    *change_ns = now_ns - in_ns + (humming && faults->hum_width_ns < period_ns ? faults->hum_width_ns : period_ns);
    return humming;
}

/* What depends on the time: which kinds of bit errors there are besides the usual one, and until when. */
struct moment {
    bool dead, held, burst, hum;
    uint64_t until_ns;
};

static inline struct moment moment_of(struct zg_damage *damage, uint64_t now_ns)
{
    struct moment moment = { .until_ns = UINT64_MAX };

    if (!damage->is_timed)
        return moment;
    moment.dead = zg_spells_on(&damage->cuts, now_ns);
    moment.held = zg_spells_on(&damage->holds, now_ns);
    moment.burst = zg_spells_on(&damage->bursts, now_ns);
    moment.hum = is_humming(&damage->faults, now_ns, &moment.until_ns);
    moment.until_ns =
        zg_least(zg_least(moment.until_ns, zg_spells_change_ns(&damage->cuts, now_ns)),
                 zg_least(zg_spells_change_ns(&damage->holds, now_ns), zg_spells_change_ns(&damage->bursts, now_ns)));
    return moment;
}

static bool is_eaten(const struct zg_sim_faults *faults, uint8_t byte)
{
    return faults->eat[byte / 8] >> byte % 8 & 1;
}

/* Bytes that pass, whatever their bits are. */
static size_t unchanged(const struct zg_sim_faults *faults, const uint8_t *bytes, size_t count)
{
    size_t passed = 0;

    while (!faults->invert && passed < count && !is_eaten(faults, bytes[passed]) &&
           !(faults->strip && bytes[passed] >= 0x80))
        passed++;
    return passed;
}

/* Bytes before one that a fault strikes that depends neither on time nor on the bytes. */
static uint64_t before_strike(const struct zg_damage *damage)
{
    const uint64_t flips = damage->data_bits == 8 ? damage->flips.left / 8 : damage->flips.left / damage->data_bits;

    return zg_least(zg_least(flips, damage->drops.left), zg_least(damage->twices.left, damage->inserts.left));
}

uint64_t zg_damage_ahead(const struct zg_damage *damage)
{
    return damage->is_timed || damage->is_bytewise ? 0 : before_strike(damage);
}

size_t zg_damage_spare(struct zg_damage *damage, uint64_t now_ns, uint64_t byte_ps, const uint8_t *bytes, size_t count)
{
    uint64_t spared = zg_least(before_strike(damage), count);
    const struct moment moment = moment_of(damage, now_ns);

    if (moment.dead || moment.held)
        return 0;
    if (moment.until_ns != UINT64_MAX)
        spared = zg_least(spared, ((moment.until_ns - now_ns) * 1000 + byte_ps - 1) / byte_ps);
    if (moment.burst)
        spared = zg_least(spared, damage->burst_flips.left / damage->data_bits);
    if (moment.hum)
        spared = zg_least(spared, damage->hum_flips.left / damage->data_bits);
    if (damage->is_bytewise)
        spared = unchanged(&damage->faults, bytes, (size_t)spared);
    pass(&damage->flips, damage->data_bits * spared);
    if (moment.burst)
        pass(&damage->burst_flips, damage->data_bits * spared);
    if (moment.hum)
        pass(&damage->hum_flips, damage->data_bits * spared);
    pass(&damage->drops, spared);
    pass(&damage->twices, spared);
    pass(&damage->inserts, spared);
    damage->totals.sent += spared;
    return (size_t)spared;
}

static void tell(const struct zg_damage *damage, unsigned touches)
{
    if (damage->touched && touches != 0)
        damage->touched(damage->data, damage->totals.sent - 1, touches);
}

/* A line that is dead, or held low. The latter arrives once. */
static unsigned carry_nothing(struct zg_damage *damage, bool held, uint64_t until_ns, uint8_t *left)
{
    const bool arrives = held && damage->told_ns != until_ns;

    damage->totals.dropped++;
    damage->totals.inserted += arrives;
    tell(damage, ZG_TOUCH_DROPPED | (arrives ? ZG_TOUCH_INSERTED : 0U));
    if (arrives) {
        damage->told_ns = until_ns;
        *left = 0x00;
    }
    return arrives;
}

/* The byte after everything that hits bits. */
static uint8_t change_bits(struct zg_damage *damage, const struct moment *moment, uint8_t byte)
{
    const struct zg_sim_faults *faults = &damage->faults;

    byte = flip_bits(damage, &damage->flips, byte);
    if (moment->burst)
        byte = flip_bits(damage, &damage->burst_flips, byte);
    if (moment->hum)
        byte = flip_bits(damage, &damage->hum_flips, byte);
    byte = (uint8_t)(faults->invert ? byte ^ all_bits(damage) : byte);
    damage->totals.flipped_bits += (faults->invert ? damage->data_bits : 0U) + (faults->strip && byte >= 0x80);
    return faults->strip ? byte & 0x7FU : byte;
}

unsigned zg_damage_byte(struct zg_damage *damage, uint64_t now_ns, uint8_t byte, uint8_t left[ZG_DAMAGE_MOST])
{
    const struct moment moment = moment_of(damage, now_ns);
    unsigned count = 0;

    damage->totals.sent++;
    if (moment.dead || moment.held)
        return carry_nothing(damage, moment.held && !moment.dead, zg_spells_change_ns(&damage->holds, now_ns), left);
    const bool eaten = damage->is_bytewise && is_eaten(&damage->faults, byte);
    const uint8_t sent = byte;
    byte = change_bits(damage, &moment, byte);
    const bool dropped = zg_strikes(&damage->drops) || eaten;
    const bool doubled = zg_strikes(&damage->twices) && !dropped;
    if (!dropped)
        left[count++] = byte;
    if (doubled)
        left[count++] = byte;
    damage->totals.dropped += dropped;
    damage->totals.doubled += doubled;
    const bool inserted = zg_strikes(&damage->inserts);
    if (inserted)
        left[count++] = (uint8_t)zg_random_next(&damage->inserts.random) & all_bits(damage);
    damage->totals.inserted += inserted;
    tell(damage, (byte != sent ? ZG_TOUCH_CHANGED : 0U) | (dropped ? ZG_TOUCH_DROPPED : 0U) |
                     (doubled ? ZG_TOUCH_DOUBLED : 0U) | (inserted ? ZG_TOUCH_INSERTED : 0U));
    return count;
}

void zg_damage_note(struct zg_damage *damage, uint64_t place, unsigned touches, unsigned flipped_bits)
{
    damage->totals.dropped += (touches & ZG_TOUCH_DROPPED) != 0;
    damage->totals.inserted += (touches & ZG_TOUCH_INSERTED) != 0;
    damage->totals.flipped_bits += flipped_bits;
    if (damage->touched && touches != 0)
        damage->touched(damage->data, place, touches);
}

void zg_damage_omit(struct zg_damage *damage)
{
    damage->totals.sent++;
    damage->totals.dropped++;
    tell(damage, ZG_TOUCH_DROPPED);
}
