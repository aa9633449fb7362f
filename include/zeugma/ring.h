/* SPDX-License-Identifier: MIT */
/*
 * A byte ring between exactly one producer and one consumer, one of which may be an interrupt. No locks.
 * The caller owns the memory. Each function names the side that may call it.
 */
#ifndef ZEUGMA_RING_H
#define ZEUGMA_RING_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

#if ZG_RING_INDEX_BITS == 8
typedef uint8_t zg_index;
#elif ZG_RING_INDEX_BITS == 16
typedef uint16_t zg_index;
#else
typedef uint32_t zg_index;
#endif

/* The largest ring, bytes. */
#define ZG_RING_MAX ((zg_index)((zg_index)1 << (ZG_RING_INDEX_BITS - 1)))

struct zg_ring {
    /* private */
    uint8_t *bytes;
    zg_index mask;    /* size - 1; size is a power of two */
    zg_index head;    /* written by the producer; bytes used == head - tail, modulo the index's width */
    zg_index tail;    /* written by the consumer */
    uint16_t dropped; /* written by the producer: bytes refused because the ring was full; wraps */
};

/* Takes `size` bytes of the caller's memory: a power of two from 2 to ZG_RING_MAX. Returns 0 or ZG_EINVALID.
 * Before either side runs. */
int zg_ring_init(struct zg_ring *ring, uint8_t *memory, size_t size);

/* Producer. Appends one byte; false, with the loss counted, where the ring is full. Constant time. */
bool zg_ring_put(struct zg_ring *ring, uint8_t byte);

/* Producer. Bytes that can be appended now. */
zg_index zg_ring_room(const struct zg_ring *ring);

/* Producer. Writes a byte `ahead` places past the end without showing it to the consumer; `ahead` must be below
 * zg_ring_room(). zg_ring_publish() shows the first `count` of them. Constant time. */
void zg_ring_poke(struct zg_ring *ring, zg_index ahead, uint8_t byte);
void zg_ring_publish(struct zg_ring *ring, zg_index count);

/* Consumer. Takes the oldest byte; false where there is none. Constant time. */
bool zg_ring_get(struct zg_ring *ring, uint8_t *byte);

/* Consumer. Bytes that can be taken now. */
zg_index zg_ring_used(const struct zg_ring *ring);

/* Consumer. The oldest bytes that lie in one piece: returns their number (0: none) and where they start. They stay
 * in the ring until zg_ring_release() gives `count` of them back. Constant time. */
zg_index zg_ring_span(const struct zg_ring *ring, const uint8_t **first);
void zg_ring_release(struct zg_ring *ring, zg_index count);

#ifdef __cplusplus
}
#endif

#endif
