/* SPDX-License-Identifier: MIT */
/* What a line does to the bytes of one direction. Random numbers are drawn only where a fault strikes; one seed always
 * gives the same run. The caller owns the memory. */
#ifndef ZEUGMA_SIM_DAMAGE_H
#define ZEUGMA_SIM_DAMAGE_H

#include <stdint.h>

#include "sim/random.h"

/* What goes wrong in one direction. */
struct zg_sim_faults {
    double bit_error_rate; /* of the data bits; start and stop bits are never hit */
    double drop;           /* share of bytes that never arrive */
    double twice;          /* share of bytes that arrive twice */
    uint64_t latency_ns;   /* from the end of a byte's stop bit to its arrival */
};

/* What happened to the bytes that one end sent. */
struct zg_sim_totals {
    uint64_t sent;
    uint64_t dropped;
    uint64_t doubled;
    uint64_t flipped_bits;
    uint64_t arrived; /* sent - dropped + doubled - those still on their way */
};

struct zg_damage {
    struct zg_sim_faults faults;
    struct zg_sim_totals totals; /* read only, except `arrived`, which the caller counts */
    /* private */
    struct zg_random random;
    uint64_t good_bits; /* bits until the next flipped one */
    uint64_t kept;      /* bytes until the next dropped one */
    uint64_t single;    /* bytes until the next doubled one */
};

/* Different `purpose` numbers, such as one for each direction, give unrelated sequences of one seed. */
struct zg_damage zg_damage_seeded(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose);

/* What becomes of a byte: 0, 1 or 2 of them. */
unsigned zg_damage_byte(struct zg_damage *damage, uint8_t byte, uint8_t left[2]);

#endif
