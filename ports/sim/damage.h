/* SPDX-License-Identifier: MIT */
/* What a line does to the bytes of one direction. Random numbers are drawn only where a fault strikes, by a generator
 * for each kind, so that one fault does not move another's; one seed always gives the same run. The caller owns the
 * memory. */
#ifndef ZEUGMA_SIM_DAMAGE_H
#define ZEUGMA_SIM_DAMAGE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "sim/random.h"

/* What goes wrong in one direction. */
struct zg_sim_faults {
    double bit_error_rate; /* of the data bits; start and stop bits are never hit */
    double drop;           /* share of bytes that never arrive */
    double twice;          /* share of bytes that arrive twice */
    double insert;         /* bytes that nobody sent, for each byte sent */
    uint64_t latency_ns;   /* from the end of a byte's stop bit to its arrival */
};

/* What happened to the bytes that one end sent. */
struct zg_sim_totals {
    uint64_t sent;
    uint64_t dropped;
    uint64_t doubled;
    uint64_t inserted;
    uint64_t flipped_bits;
    uint64_t arrived; /* sent - dropped + doubled + inserted - those still on their way */
};

/* When a kind of fault strikes, by a generator of its own. */
struct zg_strikes {
    struct zg_random random;
    uint64_t left; /* private: trials until the next one; UINT64_MAX: there is none */
};

/* Different numbers of `kind`, and of `purpose` (below 2^32), give unrelated sequences of one seed. */
struct zg_strikes zg_strikes_seeded(uint64_t seed, uint64_t purpose, unsigned kind, double probability);

/* Whether it strikes in this trial. */
bool zg_strikes(struct zg_strikes *kind, double probability);

struct zg_damage {
    struct zg_sim_faults faults;
    struct zg_sim_totals totals; /* read only, except `arrived`, which the caller counts */
    /* private */
    struct zg_strikes flips, drops, twices, inserts;
};

/* Different `purpose` numbers, such as one for each direction, give unrelated sequences of one seed. */
struct zg_damage zg_damage_seeded(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose);

/* How many of the next `count` bytes pass as they are, before one that a fault strikes. They count as sent. */
size_t zg_damage_spare(struct zg_damage *damage, size_t count);

/* What becomes of a byte: none to this many. */
enum { ZG_DAMAGE_MOST = 3 };
unsigned zg_damage_byte(struct zg_damage *damage, uint8_t byte, uint8_t left[ZG_DAMAGE_MOST]);

#endif
