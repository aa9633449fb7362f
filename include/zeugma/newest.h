/* SPDX-License-Identifier: MIT */
/*
 * A byte ring that keeps the newest bytes: when it is full, the oldest is discarded. Between exactly one producer and
 * one consumer, one of which may be an interrupt. No locks. The caller owns the memory. Each function names the side
 * that may call it. (zeugma/ring.h keeps the oldest bytes, and has spans.)
 */
#ifndef ZEUGMA_NEWEST_H
#define ZEUGMA_NEWEST_H

#include "zeugma/ring.h"

#ifdef __cplusplus
extern "C" {
#endif

struct zg_newest {
    /* private */
    uint8_t *bytes;
    zg_index mask;    /* size - 1; size is a power of two */
    zg_index head;    /* written by the producer: the place of the next byte */
    zg_index oldest;  /* written by the producer: bytes before it are discarded; may lag behind tail by up to size */
    zg_index tail;    /* written by the consumer: the place after the last byte taken */
    uint16_t lost;    /* written by the consumer: discarded bytes that it noticed; wraps */
    uint16_t refused; /* written by the producer; wraps */
};

/* Takes `size` bytes of the caller's memory: a power of two from 2 to ZG_RING_MAX. Returns 0 or ZG_EINVALID. Call it
 * before either side runs. */
int zg_newest_init(struct zg_newest *ring, uint8_t *memory, size_t size);

/* Producer. Appends one byte; if the ring is full, the oldest is discarded. The new byte is refused only if the
 * consumer stayed away for about as many bytes as the index can count: 2^16 or more, less the ring's size; with 8-bit
 * indices fewer. Constant time. */
void zg_newest_put(struct zg_newest *ring, uint8_t byte);

/* Consumer. Takes the oldest byte that is left; false if there is none. Bytes discarded before it are now counted in
 * `lost`. Starts again for each byte that the producer puts meanwhile. */
bool zg_newest_get(struct zg_newest *ring, uint8_t *byte);

#ifdef __cplusplus
}
#endif

#endif
