/* SPDX-License-Identifier: MIT */
#include "sim/medium.h"

#include <math.h>

#define PS_PER_NS 1000.0

enum { PULSES, HOLDS };

/* Looks at a spell at a moment of its own. */
static void look(struct spell *spell, uint64_t at_ns)
{
    spell->on = zg_spells_on(&spell->spells, at_ns);
    const uint64_t change_ns = zg_spells_change_ns(&spell->spells, at_ns);
    spell->change_ps = change_ns == UINT64_MAX ? HUGE_VAL : (double)change_ns * PS_PER_NS;
}

static void turn(struct spell *spell, double at_ps)
{
    if (spell->change_ps == at_ps)
        look(spell, (uint64_t)(at_ps / PS_PER_NS + 0.5));
}

struct zg_medium zg_medium_seeded(const struct zg_medium_settings *settings, uint64_t seed, uint64_t purpose)
{
    struct zg_medium medium = { .settings = *settings };

    medium.pulses.spells = zg_spells_seeded(seed, purpose, PULSES, &settings->pulses, true, 0);
    medium.holds.spells = zg_spells_seeded(seed, purpose, HOLDS, &settings->holds, true, 0);
    look(&medium.pulses, 0);
    look(&medium.holds, 0);
    return medium;
}

void zg_medium_clear(struct zg_medium *medium)
{
    zg_levels_free(&medium->delayed);
}

static double delay_of(const struct zg_medium *medium, bool to_idle)
{
    return to_idle != medium->settings.idle_low ? medium->settings.rise_ps : medium->settings.fall_ps;
}

double zg_medium_delay(const struct zg_medium *medium)
{
    return delay_of(medium, false);
}

void zg_medium_lateness(const struct zg_medium *medium, double *least_ps, double *most_ps)
{
    *least_ps = delay_of(medium, true) - delay_of(medium, false);
    *most_ps = *least_ps + medium->settings.carrier_ps;
}

void zg_medium_send(struct zg_medium *medium, double at_ps)
{
    const double carrier_ps = medium->settings.carrier_ps;
    const bool to_idle = (medium->sent++ & 1) != 0;

    if (!to_idle)
        medium->active_ps = at_ps;
    else if (carrier_ps > 0)
        at_ps = medium->active_ps + zg_medium_pulses(at_ps - medium->active_ps, carrier_ps) * carrier_ps;
    zg_levels_change_or_cancel(&medium->delayed, at_ps + delay_of(medium, to_idle));
}

double zg_medium_pass(struct zg_medium *medium, double known_ps, struct zg_levels *levels)
{
    const struct zg_medium_settings *settings = &medium->settings;
    const double until_ps = known_ps + fmin(settings->rise_ps, settings->fall_ps);

    for (;;) {
        const double sent_ps = zg_levels_are_there(&medium->delayed) ? zg_levels_next(&medium->delayed) : HUGE_VAL;
        const double at_ps = fmin(sent_ps, fmin(medium->pulses.change_ps, medium->holds.change_ps));
        if (at_ps >= until_ps)
            break;
        bool active = zg_levels_pass(&medium->delayed, at_ps);
        turn(&medium->pulses, at_ps);
        turn(&medium->holds, at_ps);
        active = medium->holds.on ? !settings->idle_low : active != medium->pulses.on;
        if (active != ((levels->last & 1) != 0))
            zg_levels_change(levels, at_ps);
    }
    medium->passed_ps = until_ps;
    return until_ps;
}

bool zg_medium_is_quiet(const struct zg_medium *medium, double until_ps)
{
    return !zg_levels_are_there(&medium->delayed) && !medium->pulses.on && !medium->holds.on &&
           medium->pulses.change_ps > until_ps && medium->holds.change_ps > until_ps;
}

void zg_medium_change(struct zg_medium *medium, const struct zg_medium_settings *settings, uint64_t now_ns)
{
    const uint64_t passed_ns = (uint64_t)(medium->passed_ps / PS_PER_NS) + 1;

    now_ns = passed_ns > now_ns ? passed_ns : now_ns;
    medium->settings = *settings;
    zg_spells_change(&medium->pulses.spells, &settings->pulses, now_ns);
    zg_spells_change(&medium->holds.spells, &settings->holds, now_ns);
    look(&medium->pulses, now_ns);
    look(&medium->holds, now_ns);
}
