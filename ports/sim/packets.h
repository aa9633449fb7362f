/* SPDX-License-Identifier: MIT */
/*
 * One direction of a simulated link that keeps packets apart, as a radio does: they are lost, repeated, overtaken, cut
 * short, and have bit errors. A packet takes the time of its bytes, and arrives whole. Its own memory; one thread.
 */
#ifndef ZEUGMA_SIM_PACKETS_H
#define ZEUGMA_SIM_PACKETS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "sim/damage.h"

/* Opaque; free with zg_packets_free(). */
struct zg_packets;

/* Of the faults, `drop` and `twice` are shares of packets here; the others of the line happen to a packet's bytes, for
 * which `damage` is prepared, except for what it calls. Different `purpose` numbers give unrelated sequences of one
 * seed. */
struct zg_packets *zg_packets_new(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose,
                                  struct zg_damage *damage);
void zg_packets_free(struct zg_packets *packets);

/* Other faults from now on. */
void zg_packets_change(struct zg_packets *packets, const struct zg_sim_faults *faults, uint64_t now_ns,
                       struct zg_damage *damage);

/* A packet whose first byte is sent then, and each other so much later. `damage` also counts the bytes. */
void zg_packets_send(struct zg_packets *packets, struct zg_damage *damage, uint64_t start_ps, uint64_t byte_ps,
                     const uint8_t *bytes, size_t size);

/* The next packet that has arrived by `until_ps`, when it did, and its size; valid until the next call of any of these.
 * NULL: there is none. */
const uint8_t *zg_packets_take(struct zg_packets *packets, uint64_t until_ps, uint64_t *at_ps, size_t *size);

/* When the next one arrives; UINT64_MAX: none is on its way. */
uint64_t zg_packets_next_ps(const struct zg_packets *packets);

/* Bytes on their way. */
uint64_t zg_packets_on_way(const struct zg_packets *packets);

#endif
