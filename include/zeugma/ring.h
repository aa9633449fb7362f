/* SPDX-License-Identifier: MIT */
/*
 * A byte ring between exactly one producer and one consumer, one of which may be an interrupt. No locks. The caller
 * owns the memory. Each function names the side that may call it.
 */
#ifndef ZEUGMA_RING_H
#define ZEUGMA_RING_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/detail/order.h"
#include "zeugma/index.h"

#ifdef __cplusplus
extern "C" {
#endif

struct zg_ring {
    /* private */
    uint8_t *bytes;
    zg_index mask;    /* size - 1; size is a power of two */
    zg_index head;    /* written by the producer; bytes used == head - tail, modulo the index's width */
    zg_index tail;    /* written by the consumer */
    uint16_t dropped; /* written by the producer: bytes refused because the ring was full; wraps */
};

/* Takes `size` bytes of the caller's memory: a power of two from 2 to ZG_RING_MAX. Returns 0 or ZG_EINVALID. Call it
 * before either side runs. */
int zg_ring_init(struct zg_ring *ring, uint8_t *memory, size_t size);

/* Private: zg_ring_put() without the counting, and zg_ring_get(), for a compiler that knows the ring's memory. */
static ZGI_INLINE bool zgi_ring_put(struct zg_ring *ring, uint8_t *memory, size_t size, uint8_t byte)
{
    const zg_index mask = (zg_index)(size - 1);
    zg_index head = ring->head;

    if ((zg_index)(head - zgi_load_acquire(&ring->tail)) > mask)
        return false;
    memory[head & mask] = byte;
    zgi_store_release(&ring->head, (zg_index)(head + 1U));
    return true;
}

static ZGI_INLINE bool zgi_ring_get(struct zg_ring *ring, const uint8_t *memory, size_t size, uint8_t *byte)
{
    zg_index tail = ring->tail;

    if (zgi_load_acquire(&ring->head) == tail)
        return false;
    *byte = memory[tail & (zg_index)(size - 1)];
    zgi_store_release(&ring->tail, (zg_index)(tail + 1U));
    return true;
}

/* Producer. Appends one byte. False: the ring is full, and the loss is counted. Constant time. */
static inline bool zg_ring_put(struct zg_ring *ring, uint8_t byte)
{
    if (zgi_ring_put(ring, ring->bytes, (size_t)ring->mask + 1, byte))
        return true;
    ring->dropped++;
    return false;
}

/* Private: zg_ring_room(), for a compiler that knows the mask. */
static inline zg_index zgi_ring_room(const struct zg_ring *ring, zg_index mask)
{
    zg_index used = (zg_index)(ring->head - zgi_load_acquire(&ring->tail));
    return (zg_index)(mask + 1U - used);
}

/* Producer. Bytes that can be appended now. */
static inline zg_index zg_ring_room(const struct zg_ring *ring)
{
    return zgi_ring_room(ring, ring->mask);
}

/* Producer. Writes a byte `ahead` places after the end, not yet visible to the consumer; `ahead` must be below
 * zg_ring_room(). zg_ring_publish() makes the first `count` of them visible. Constant time. */
static inline void zg_ring_poke(struct zg_ring *ring, zg_index ahead, uint8_t byte)
{
    ring->bytes[(zg_index)(ring->head + ahead) & ring->mask] = byte;
}

static inline void zg_ring_publish(struct zg_ring *ring, zg_index count)
{
    zgi_store_release(&ring->head, (zg_index)(ring->head + count));
}

/* Producer. The contiguous free space, for a DMA or a copy to write into: returns its bytes (0: the ring is full) and
 * where it starts. zg_ring_publish() makes the first `count` of them visible. Constant time. */
static inline zg_index zg_ring_free_span(struct zg_ring *ring, uint8_t **first)
{
    const zg_index room = zg_ring_room(ring);
    const zg_index at = (zg_index)(ring->head & ring->mask);
    const zg_index to_end = (zg_index)(ring->mask + 1U - at);

    *first = ring->bytes + at;
    return room < to_end ? room : to_end;
}

/* Consumer. Takes the oldest byte; false if there is none. Constant time. */
static inline bool zg_ring_get(struct zg_ring *ring, uint8_t *byte)
{
    return zgi_ring_get(ring, ring->bytes, (size_t)ring->mask + 1, byte);
}

/* Consumer. Bytes that can be taken now. */
static inline zg_index zg_ring_used(const struct zg_ring *ring)
{
    return (zg_index)(zgi_load_acquire(&ring->head) - ring->tail);
}

/* Private: how many of the `used` oldest bytes are contiguous. */
static inline zg_index zgi_ring_span(const struct zg_ring *ring, zg_index used, const uint8_t **first)
{
    zg_index at = (zg_index)(ring->tail & ring->mask);
    zg_index to_end = (zg_index)(ring->mask + 1U - at);
    *first = ring->bytes + at;
    return used < to_end ? used : to_end;
}

/* Consumer. The oldest bytes that are contiguous: returns how many (0: none) and where they start. They stay in the
 * ring until zg_ring_release() releases `count` of them. Constant time. */
static inline zg_index zg_ring_span(const struct zg_ring *ring, const uint8_t **first)
{
    return zgi_ring_span(ring, zg_ring_used(ring), first);
}

/* For a ring that is empty and of which only one context knows: what is put into it next will be contiguous. */
static inline void zg_ring_rewind(struct zg_ring *ring)
{
    ring->head = 0;
    ring->tail = 0;
}

static inline void zg_ring_release(struct zg_ring *ring, zg_index count)
{
    zgi_store_release(&ring->tail, (zg_index)(ring->tail + count));
}

#ifdef __cplusplus
}
#endif

#endif
