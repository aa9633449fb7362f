/* SPDX-License-Identifier: MIT */
/*
 * What lies between two ends of a wire, in this order: a carrier that is sent and taken off again, edges that are
 * delayed, pulses that invert the level, and times in which it is held low. The caller owns the memory and clears it
 * with zg_medium_clear().
 */
#ifndef ZEUGMA_SIM_MEDIUM_H
#define ZEUGMA_SIM_MEDIUM_H

#include <math.h>
#include <stdint.h>

#include "sim/levels.h"
#include "sim/spells.h"

struct zg_medium_settings {
    bool idle_low;
    double carrier_ps;       /* period; 0: none. A low level begins with its first pulse, and ends a period after the
                                beginning of the last one */
    double rise_ps, fall_ps; /* delays of both edges, 0 or more */
    struct zg_spell pulses;  /* of one width; */
    struct zg_spell holds;
};

struct zg_medium {
    struct zg_medium_settings settings; /* read only */
    /* private */
    struct zg_levels delayed;
    size_t sent;      /* changes */
    double active_ps; /* when the last one from the idle level was sent */
    struct spell {
        struct zg_spells spells;
        bool on;
        double change_ps; /* when that changes */
    } pulses, holds;
    double passed_ps;
};

/* With how many periods of its carrier a low level is sent: the last one begins within it. */
static inline unsigned zg_medium_pulses(double length, double period)
{
    return (unsigned)ceil(length / period - 1e-9);
}

/* Different `purpose` numbers give unrelated pulses and holds of one seed. */
struct zg_medium zg_medium_seeded(const struct zg_medium_settings *settings, uint64_t seed, uint64_t purpose);
void zg_medium_clear(struct zg_medium *medium);

/* The sender's level changes then. */
void zg_medium_send(struct zg_medium *medium, double at_ps);

/* What the sender does is known before `known_ps`: passes what that makes at the other end to `levels`. Returns before
 * when their level is known. */
double zg_medium_pass(struct zg_medium *medium, double known_ps, struct zg_levels *levels);

/* Whether no pulse and no hold changes the level from what was passed on until then. */
bool zg_medium_is_quiet(const struct zg_medium *medium, double until_ps);

/* How much later a change to the idle level arrives than one from it: at least and at most. */
void zg_medium_lateness(const struct zg_medium *medium, double *least_ps, double *most_ps);

/* How much later a change from the idle level arrives than it was sent. */
double zg_medium_delay(const struct zg_medium *medium);

/* Others from now on; what is on its way keeps its delays. */
void zg_medium_change(struct zg_medium *medium, const struct zg_medium_settings *settings, uint64_t now_ns);

#endif
