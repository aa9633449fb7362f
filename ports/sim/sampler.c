/* SPDX-License-Identifier: MIT */
#include "sim/sampler.h"

#include <math.h>

uint64_t zg_sampler_tick(const struct zg_sampler *sampler, double at_ps)
{
    const double ticks = (at_ps - sampler->phase_ps) / sampler->tick_ps;
    uint64_t tick = ticks > 0 ? (uint64_t)ticks : 0;

    while (tick > 0 && zg_sampler_time(sampler, tick - 1) >= at_ps)
        tick--;
    while (zg_sampler_time(sampler, tick) < at_ps)
        tick++;
    return tick;
}

/* The first tick to look at from `at_ps` on. */
static void skip_to(struct zg_sampler *sampler, double at_ps)
{
    const uint64_t tick = zg_sampler_tick(sampler, at_ps);
    sampler->next = tick > sampler->next ? tick : sampler->next + 1;
}

/* Looks for an edge. Between changes all samples are alike. */
static bool find_edge(struct zg_sampler *sampler, struct zg_levels *levels, double known_ps)
{
    for (;;) {
        const double at = zg_sampler_time(sampler, sampler->next);
        if (at >= known_ps)
            return false;
        const bool active = zg_levels_pass(levels, at);
        if (active && !sampler->active)
            break;
        sampler->active = active;
        if (!zg_levels_are_there(levels) || zg_levels_next(levels) >= known_ps)
            skip_to(sampler, known_ps);
        else
            skip_to(sampler, zg_levels_next(levels));
    }
    sampler->edge = sampler->next;
    sampler->change_ps = zg_levels_latest(levels);
    return true;
}

static bool majority(const struct zg_sampler *sampler, struct zg_levels *levels, uint64_t middle)
{
    unsigned active = zg_levels_pass(levels, zg_sampler_time(sampler, middle - 1));

    if (!zg_levels_are_there(levels) || zg_levels_next(levels) > zg_sampler_time(sampler, middle + 1))
        return active; /* all three are alike */
    for (uint64_t tick = middle; tick <= middle + 1; tick++)
        active += zg_levels_pass(levels, zg_sampler_time(sampler, tick));
    return active >= 2;
}

static void read_bits(struct zg_sampler *sampler, struct zg_levels *levels, uint64_t third, struct zg_sampled *sampled)
{
    const unsigned before = zg_uart_before_stop(&sampler->format), half = sampler->samples / 2;
    uint16_t bits = 1; /* the start bit, which was looked at */

    for (unsigned bit = 1; bit <= before; bit++)
        if (majority(sampler, levels, sampler->edge + bit * sampler->samples + half))
            bits = (uint16_t)(bits | 1U << bit);
    sampled->change_ps = sampler->change_ps;
    sampled->edge_ps = zg_sampler_time(sampler, sampler->edge);
    sampled->at_ps = zg_sampler_time(sampler, third);
    sampled->byte = zg_uart_value(&sampler->format, bits, &sampled->errors);
    sampler->active = zg_levels_active(levels) || ((bits >> before & 1U) != 0) != sampler->format.stop_opposite;
    sampler->next = third + 1;
    sampler->state = ZG_SAMPLER_LOOKS;
}

double zg_sampler_due(const struct zg_sampler *sampler)
{
    return sampler->state == ZG_SAMPLER_READS ? zg_sampler_time(sampler, zg_sampler_third(sampler, sampler->edge))
                                              : -HUGE_VAL;
}

bool zg_sampler_read(struct zg_sampler *sampler, struct zg_levels *levels, double known_ps, struct zg_sampled *sampled)
{
    const unsigned half = sampler->samples / 2;

    for (;;) {
        if (sampler->state == ZG_SAMPLER_LOOKS) {
            if (!find_edge(sampler, levels, known_ps))
                return false;
            sampler->state = ZG_SAMPLER_STARTS;
        }
        if (sampler->state == ZG_SAMPLER_STARTS) {
            const double middle = zg_sampler_time(sampler, sampler->edge + half);
            if (middle >= known_ps)
                return false;
            const bool starts = zg_levels_pass(levels, middle);
            sampler->state = starts ? ZG_SAMPLER_READS : ZG_SAMPLER_LOOKS;
            sampler->next = sampler->edge + half + 1;
            sampler->active = false;
            if (!starts)
                continue;
        }
        const uint64_t third = zg_sampler_third(sampler, sampler->edge);
        if (zg_sampler_time(sampler, third) >= known_ps)
            return false;
        read_bits(sampler, levels, third, sampled);
        return true;
    }
}
