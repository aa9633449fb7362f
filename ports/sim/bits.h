/* SPDX-License-Identifier: MIT */
/*
 * One direction of an asynchronous line, bit by bit: a sender at its own rate, the medium, and a receiver that samples
 * at its own. What no fault comes near is not sampled, but computed to the same result. Each byte that is sent and each
 * character that is read is told once, with what became of it. The caller owns the memory and clears it.
 */
#ifndef ZEUGMA_SIM_BITS_H
#define ZEUGMA_SIM_BITS_H

#include "sim/damage.h"
#include "sim/medium.h"
#include "sim/sampler.h"

struct zg_bits_settings {
    struct zg_uart_format format;
    double sent_bit_ps, read_bit_ps; /* by each end's clock */
    unsigned samples;                /* the receiver's ticks a bit, 16 or 8 */
    struct zg_medium_settings medium;
};

/* What became of a byte, or what was read where none was sent. */
struct zg_heard {
    bool is_read;
    uint64_t at_ps; /* when it was read */
    uint8_t sent, byte, errors;
    uint64_t place;   /* of the byte; otherwise of the one before */
    unsigned touches; /* of enum zg_touch: changed, dropped, or inserted behind that place */
};

typedef void zg_bits_told(void *data, const struct zg_heard *heard);

struct zg_bits {
    struct zg_bits_settings settings;
    zg_bits_told *told;
    void *data;
    /* private */
    uint16_t characters[256];
    unsigned before_stop;
    double character_ps; /* to where the next one may begin */
    double late_least_ps, late_most_ps;
    struct zg_medium medium;
    struct zg_levels wire;
    struct zg_sampler sampler;
    struct zg_sent *sent; /* those of which it is not known yet what becomes of them: a queue */
    size_t sent_size;     /* a power of two */
    size_t first, last;   /* counts */
    uint64_t place;       /* of the last of which it is */
};

/* Different `purpose` numbers, such as one for each direction, give unrelated pulses and ticks of one seed. */
void zg_bits_init(struct zg_bits *bits, const struct zg_bits_settings *settings, uint64_t seed, uint64_t purpose,
                  zg_bits_told *told, void *data);
void zg_bits_clear(struct zg_bits *bits);

/* Sends bytes, the first at `start_ps`, each other one so much later; the first one has this place among all. Each
 * begins when the one before is over, or later. */
void zg_bits_send(struct zg_bits *bits, const uint8_t *bytes, size_t count, uint64_t start_ps, uint64_t each_ps,
                  uint64_t place);

/* Nothing more begins before this moment: tells what is read by then. */
void zg_bits_settle(struct zg_bits *bits, uint64_t known_ps);

/* Other rates, and another medium, from now on; the format and the samples stay. */
void zg_bits_change(struct zg_bits *bits, const struct zg_bits_settings *settings, uint64_t now_ns);

#endif
