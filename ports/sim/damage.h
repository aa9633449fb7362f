/* SPDX-License-Identifier: MIT */
/* What a line does to the bytes of one direction. Random numbers are drawn only where a fault strikes, by a generator
 * for each kind, so that one fault does not move another's; one seed always gives the same run. The caller owns the
 * memory. */
#ifndef ZEUGMA_SIM_DAMAGE_H
#define ZEUGMA_SIM_DAMAGE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "sim/spells.h"

/* The smaller of two numbers. */
static inline uint64_t zg_least(uint64_t a, uint64_t b)
{
    return a < b ? a : b;
}

/* What goes wrong in one direction. */
struct zg_sim_faults {
    double bit_error_rate; /* of the data bits; start and stop bits are never hit */
    double drop;           /* share of bytes that never arrive */
    double twice;          /* share of bytes that arrive twice */
    double insert;         /* bytes that nobody sent, for each byte sent */
    double reorder;        /* of a link that keeps packets apart: share of packets that the next one overtakes, */
    double clip;           /* and of those that lose their end, anywhere */
    uint64_t latency_ns;   /* from the end of a byte's stop bit to its arrival */
    uint64_t jitter_ns;    /* bytes arrive together, whenever so much time has passed; 0: each by itself */
    struct zg_spell burst; /* in which there are more bit errors: */
    double burst_bit_error_rate;
    struct zg_spell cut;  /* all the same length: the line is dead; */
    struct zg_spell hold; /* or held low, which arrives as one byte 0x00 */
    double hum_hz;        /* a period, in whose first part there are more bit errors; 0: none */
    uint64_t hum_width_ns;
    double hum_bit_error_rate;
    /* where a line is computed by the bit: */
    struct zg_spell pulse; /* all of one width, which invert the level */
    double edges_ns;       /* how much later rising edges arrive than falling ones; negative: earlier */
    double ppm;            /* of the receiving end's clock, in what it sends, too: how much too fast */
    bool strip;            /* bit 7 of each byte is cleared, */
    bool invert;           /* all bits are inverted, */
    uint8_t eat[32];       /* these bytes vanish: bit n of byte b stands for 8 b + n */
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
    double probability;
    uint64_t left; /* private: trials until the next one; UINT64_MAX: there is none */
};

/* Different numbers of `kind`, and of `purpose` (below 2^32), give unrelated sequences of one seed. */
struct zg_strikes zg_strikes_seeded(uint64_t seed, uint64_t purpose, unsigned kind, double probability);

/* Whether it strikes in this trial. */
bool zg_strikes(struct zg_strikes *kind);

/* Another probability from now on. */
void zg_strikes_change(struct zg_strikes *kind, double probability);

/* What may happen to a byte, or'd. */
enum zg_touch {
    ZG_TOUCH_CHANGED = 1,
    ZG_TOUCH_DROPPED = 2,
    ZG_TOUCH_DOUBLED = 4,
    ZG_TOUCH_INSERTED = 8 /* after it */
};

struct zg_damage {
    struct zg_sim_faults faults;
    struct zg_sim_totals totals; /* read only, except `arrived`, which the caller counts */
    unsigned data_bits;          /* of a character, at first 8; its byte's others are 0 */
    /* Called for each byte to which something happens, with its place among all that were sent. NULL: nobody asks. */
    void (*touched)(void *data, uint64_t place, unsigned touches);
    void *data;
    /* private */
    struct zg_strikes flips, drops, twices, inserts, burst_flips, hum_flips;
    struct zg_spells bursts, cuts, holds;
    bool is_timed, is_bytewise; /* whether faults depend on time; on the bytes themselves */
    uint64_t told_ns;           /* until when the line is held low, if that has arrived */
};

/* Different `purpose` numbers, such as one for each direction, give unrelated sequences of one seed. */
struct zg_damage zg_damage_seeded(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose);

/* Other faults from now on. Those that stay the same go on as they were. */
void zg_damage_change(struct zg_damage *damage, const struct zg_sim_faults *faults, uint64_t now_ns);

/* How many of the next bytes, the first of which is sent now and each of the others `byte_ps` picoseconds later, pass
 * as they are before one that a fault may strike. They count as sent. */
size_t zg_damage_spare(struct zg_damage *damage, uint64_t now_ns, uint64_t byte_ps, const uint8_t *bytes, size_t count);

/* How many of the next bytes surely pass as they are, whenever they are sent. */
uint64_t zg_damage_ahead(const struct zg_damage *damage);

/* What becomes of a byte that is sent now: none to this many. */
enum { ZG_DAMAGE_MOST = 3 };
unsigned zg_damage_byte(struct zg_damage *damage, uint64_t now_ns, uint8_t byte, uint8_t left[ZG_DAMAGE_MOST]);

/* What became of a byte, by its place, or behind it, beyond what the above do: of enum zg_touch, and bits that were
 * flipped. */
void zg_damage_note(struct zg_damage *damage, uint64_t place, unsigned touches, unsigned flipped_bits);

/* A byte never leaves, though it was to be sent. */
void zg_damage_omit(struct zg_damage *damage);

#endif
