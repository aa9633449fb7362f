/* SPDX-License-Identifier: MIT */
/*
 * A byte ring that keeps the newest bytes: where it is full, the oldest gives way. Between exactly one producer and one
 * consumer, one of which may be an interrupt. No locks. The caller owns the memory. Each function names the side that
 * may call it. (zeugma/ring.h keeps the oldest, and has spans.)
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
    zg_index head;    /* written by the producer: the place of the next byte put */
    zg_index oldest;  /* written by the producer: no byte before it is left; may be behind tail by up to size */
    zg_index tail;    /* written by the consumer: the place behind the last byte got */
    uint16_t lost;    /* written by the consumer: bytes that it found to have given way; wraps */
    uint16_t refused; /* written by the producer; wraps */
};

/* Takes `size` bytes of the caller's memory: a power of two from 2 to ZG_RING_MAX. Returns 0 or ZG_EINVALID.
 * Before either side runs. */
int zg_newest_init(struct zg_newest *ring, uint8_t *memory, size_t size);

/* Producer. Appends one byte; where the ring is full, the oldest gives way. Only when the consumer has stayed away for
 * as many bytes as the index tells apart, less the ring's size (2^16 of them or more but for 8-bit indices), the new
 * byte is refused. Constant time. */
void zg_newest_put(struct zg_newest *ring, uint8_t byte);

/* Consumer. Takes the oldest byte that is left; false where there is none. What gave way before it is counted now, in
 * `lost`. Tried again for each byte that the producer puts meanwhile. */
bool zg_newest_get(struct zg_newest *ring, uint8_t *byte);

#ifdef __cplusplus
}
#endif

#endif
