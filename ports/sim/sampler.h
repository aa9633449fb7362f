/* SPDX-License-Identifier: MIT */
/*
 * The receiver of a UART on a wire. Its ticks run freely, 16 or 8 a bit. An idle sample followed by an active one is an
 * edge, at tick 0; if the tick half a bit later is no longer active, it looks on. Each bit, up to the first stop bit,
 * is the majority of the three ticks around its middle (7, 8, 9 of 16; 3, 4, 5 of 8). After the third sample of the
 * stop bit it looks for the next edge; after a stop bit at the wrong level only once the wire was idle. Only the
 * samples that matter are taken; the result is that of all. The caller owns the memory.
 */
#ifndef ZEUGMA_SIM_SAMPLER_H
#define ZEUGMA_SIM_SAMPLER_H

#include <stdint.h>

#include "sim/levels.h"
#include "soft_uart/format.h"

struct zg_sampler {
    /* set by the caller */
    struct zg_uart_format format;
    unsigned samples;         /* ticks a bit: 16 or 8 */
    double tick_ps, phase_ps; /* tick n is at phase_ps + n tick_ps */
    /* private */
    uint64_t next; /* the tick at which it looks */
    bool active;   /* at the tick before, or it waits for the idle level */
    enum { ZG_SAMPLER_LOOKS, ZG_SAMPLER_STARTS, ZG_SAMPLER_READS } state;
    uint64_t edge;    /* tick 0 of the character being read, */
    double change_ps; /* and the change in front of it */
};

/* A character that was read. */
struct zg_sampled {
    double change_ps; /* the edge itself, */
    double edge_ps;   /* tick 0, */
    double at_ps;     /* and the third sample of the stop bit */
    uint8_t byte, errors;
};

static inline double zg_sampler_time(const struct zg_sampler *sampler, uint64_t tick)
{
    return sampler->phase_ps + (double)tick * sampler->tick_ps;
}

/* The third sample of the stop bit, of a character whose tick 0 that is. */
static inline uint64_t zg_sampler_third(const struct zg_sampler *sampler, uint64_t edge)
{
    return edge + zg_uart_before_stop(&sampler->format) * sampler->samples + sampler->samples / 2 + 1;
}

/* The first tick that is not before a moment. */
uint64_t zg_sampler_tick(const struct zg_sampler *sampler, double at_ps);

/* Reads the next character of a wire whose level is known before `known_ps`. False: there is none yet. */
bool zg_sampler_read(struct zg_sampler *sampler, struct zg_levels *levels, double known_ps, struct zg_sampled *sampled);

/* Up to when the level must be known for more to be read. */
double zg_sampler_due(const struct zg_sampler *sampler);

#endif
