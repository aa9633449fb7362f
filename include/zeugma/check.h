/* SPDX-License-Identifier: MIT */
/*
 * The check at a frame's end: a CRC (zeugma/crc.h), a sum (zeugma/sums.h) or none. Stateless; the caller owns what it
 * points to. Any context; time is linear in the bytes.
 */
#ifndef ZEUGMA_CHECK_H
#define ZEUGMA_CHECK_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A frame's check, constant, usually generated. Called for stretches of bytes, never for each. */
struct zg_check {
    /* The state after `count` more bytes, and the check value at the end, in the low bits; NULL without a check. */
    zg_check_word (*update)(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);
    zg_check_word (*finish)(const void *parameters, zg_check_word state);
    const void *parameters;
    zg_check_word start; /* the state before the first byte that it covers */
    uint8_t size;        /* bytes on the wire; 0: no check */
    uint8_t skip;        /* bytes of the content in front that it does not cover */
    bool big_endian;     /* most significant byte first */
};

/* The check value of a frame's content, of which `covered` bytes stand before the check: at least check->skip. */
zg_check_word zg_check_value(const struct zg_check *check, const uint8_t *content, size_t covered);

/* Writes a check value as it stands on the wire, check->size bytes, and reads it back. */
static inline void zg_check_store(const struct zg_check *check, zg_check_word value, uint8_t *at)
{
    for (uint8_t i = 0; i < check->size; i++) {
        at[check->big_endian ? check->size - 1 - i : i] = (uint8_t)value;
        value = (zg_check_word)(value >> 4 >> 4);
    }
}

static inline zg_check_word zg_check_load(const struct zg_check *check, const uint8_t *at)
{
    zg_check_word value = 0;

#if ZG_CHECK_BITS >= 16
    if (check->size == 2) /* the most usual, and no loop */
        return check->big_endian ? (zg_check_word)((uint16_t)((uint16_t)at[0] << 8) | at[1])
                                 : (zg_check_word)((uint16_t)((uint16_t)at[1] << 8) | at[0]);
#endif
    for (uint8_t i = 0; i < check->size; i++)
        value = (zg_check_word)((zg_check_word)(value << 4 << 4) | at[check->big_endian ? i : check->size - 1 - i]);
    return value;
}

#ifdef __cplusplus
}
#endif

#endif
