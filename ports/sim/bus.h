/* SPDX-License-Identifier: MIT */
/*
 * A simulated pair of wires that many nodes share, half duplex, byte by byte, in virtual time. What one end sends is
 * received by all others that are not sending themselves; bytes of two ends that send at once are spoiled. One seed
 * always gives the same run. Times are nanoseconds since the start. One thread. The bus owns its memory; the links are
 * the caller's.
 */
#ifndef ZEUGMA_SIM_BUS_H
#define ZEUGMA_SIM_BUS_H

#include <stdbool.h>
#include <stdint.h>

#include "sim/damage.h"
#include "zeugma/link.h"

enum { ZG_SIM_BUS_ENDS = 16 };

struct zg_sim_bus_settings {
    uint32_t baud;
    unsigned half_bits;          /* bit times of a byte, doubled: 20 for 8N1 */
    struct zg_sim_faults faults; /* in what each end sends; the latency is not used */
    double burst_loss;           /* share of transmissions, from silence to silence, that nobody hears */
    uint64_t seed;
    uint32_t clock_us; /* what the ends' clocks show at the start */
};

struct zg_sim_bus;

struct zg_sim_bus *zg_sim_bus_new(const struct zg_sim_bus_settings *settings);
void zg_sim_bus_free(struct zg_sim_bus *bus);

/* The port for the link at `end` (0 to ZG_SIM_BUS_ENDS - 1): initialise it with zg_sim_bus_port and this context, then
 * attach it. */
extern const struct zg_port zg_sim_bus_port;
void *zg_sim_bus_context(struct zg_sim_bus *bus, unsigned end);
void zg_sim_bus_attach(struct zg_sim_bus *bus, unsigned end, struct zg_link *link);

/* Disconnects one end, or connects it again. Disconnected, it neither hears nor is heard. */
void zg_sim_bus_cut(struct zg_sim_bus *bus, unsigned end, bool cut);

/* Advances time to `until_ns`: bytes leave and arrive as by interrupts. Poll the links between such steps. */
void zg_sim_bus_advance(struct zg_sim_bus *bus, uint64_t until_ns);

uint64_t zg_sim_bus_now(const struct zg_sim_bus *bus);

/* Bytes spoiled because two ends sent at once, and transmissions that nobody heard. */
uint64_t zg_sim_bus_collisions(const struct zg_sim_bus *bus);
uint64_t zg_sim_bus_lost(const struct zg_sim_bus *bus);

#endif
