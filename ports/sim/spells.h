/* SPDX-License-Identifier: MIT */
/*
 * Spells of trouble: they begin at random, so many times a second, and last for a while. One seed always gives the same
 * spells, whoever asks and when. Times are nanoseconds since the start. The caller owns the memory.
 */
#ifndef ZEUGMA_SIM_SPELLS_H
#define ZEUGMA_SIM_SPELLS_H

#include "sim/random.h"

/* How often they begin and how long they last. */
struct zg_spell {
    double rate;        /* times a second, without the time of the spells themselves; 0: never */
    uint64_t length_ns; /* on average, or each */
};

struct zg_spells {
    /* private */
    struct zg_random random;
    struct zg_spell kind;
    bool even;                  /* all have the same length; otherwise lengths are exponentially distributed */
    uint64_t from_ns, until_ns; /* of the one in progress, or the next one; UINT64_MAX: there is none */
};

/* Different `purpose` numbers (below 2^32) and kinds give unrelated spells of one seed. */
struct zg_spells zg_spells_seeded(uint64_t seed, uint64_t purpose, unsigned kind, const struct zg_spell *spell,
                                  bool even, uint64_t now_ns);

/* Others from now on; the same ones go on as they are. */
void zg_spells_change(struct zg_spells *spells, const struct zg_spell *spell, uint64_t now_ns);

/* Whether one is in progress. Time does not go back. */
bool zg_spells_on(struct zg_spells *spells, uint64_t now_ns);

/* When that changes, after zg_spells_on(); UINT64_MAX: never. */
uint64_t zg_spells_change_ns(const struct zg_spells *spells, uint64_t now_ns);

#endif
