/* SPDX-License-Identifier: MIT */
/*
 * A simulated serial line between two links, byte by byte, in virtual time. Frames take the time that their bits take.
 * Random numbers are drawn only where a fault strikes; one seed always gives the same run. Times are nanoseconds since
 * the start. One thread. The line owns its memory; the links are the caller's.
 */
#ifndef ZEUGMA_SIM_LINE_H
#define ZEUGMA_SIM_LINE_H

#include <stdint.h>

#include "sim/damage.h"
#include "zeugma/link.h"

struct zg_sim_settings {
    uint32_t baud;
    unsigned half_bits;             /* bit times of a byte, doubled: 20 for 8N1 */
    struct zg_sim_faults faults[2]; /* in what each end sends */
    uint64_t seed;
    uint32_t clock_us; /* what the ends' clocks show at the start; near 2^32 they wrap during the run */
};

struct zg_sim_line;

struct zg_sim_line *zg_sim_line_new(const struct zg_sim_settings *settings);
void zg_sim_line_free(struct zg_sim_line *line);

/* The port for the link at `end` (0 or 1): initialise the link with zg_sim_port and this context, then attach it. */
extern const struct zg_port zg_sim_port;
void *zg_sim_context(struct zg_sim_line *line, unsigned end);
void zg_sim_attach(struct zg_sim_line *line, unsigned end, struct zg_link *link);

/* Advances time to `until_ns`: bytes leave and arrive as by interrupts. Poll the links between such steps. */
void zg_sim_advance(struct zg_sim_line *line, uint64_t until_ns);

uint64_t zg_sim_now(const struct zg_sim_line *line);
uint64_t zg_sim_byte_ns(const struct zg_sim_line *line);
const struct zg_sim_totals *zg_sim_totals(const struct zg_sim_line *line, unsigned end);

#endif
