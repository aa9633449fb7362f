/* SPDX-License-Identifier: MIT */
/*
 * The check at the end of a frame: a CRC (zeugma/crc.h), a sum (zeugma/sums.h) or none. Stateless; the caller owns what
 * it points to. Any context; linear in the bytes.
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

/* The most bytes of a literal in front of a check, and of a check on the wire with it. */
#define ZG_CHECK_AFTER_MAX 8
#define ZG_CHECK_WIRE_MAX (ZG_CHECK_AFTER_MAX + 20)

/* A check that is more than bytes at the content's end. */
struct zg_check_form {
    uint8_t base;       /* 16: hexadecimal digits; 10: digits without leading zeros; 0: bytes */
    bool lower;         /* hexadecimal digits are sent in lower case; either is taken */
    uint8_t digits;     /* bytes, or the most digits */
    uint8_t after_size; /* bytes of the literal in front, which is never covered */
    uint8_t after[ZG_CHECK_AFTER_MAX];
    uint8_t closing_size; /* bytes of the end mark, if it is covered, too; at most 4 */
    uint8_t closing[4];
};

/* A frame's check: constant, usually generated. Its functions are called for runs of bytes, never for each byte. */
struct zg_check {
    /* The state after `count` more bytes; and the check value at the end, in the low bits. NULL if there is no check.
     */
    zg_check_word (*update)(const void *parameters, zg_check_word state, const uint8_t *bytes, size_t count);
    zg_check_word (*finish)(const void *parameters, zg_check_word state);
    const void *parameters;
    zg_check_word start;              /* the state before the first byte that is covered */
    uint8_t size;                     /* bytes on the wire, at most; 0: no check */
    uint8_t skip;                     /* bytes at the beginning of the content that are not covered */
    bool big_endian;                  /* most significant byte first */
    const struct zg_check_form *form; /* NULL: bytes at the content's end */
};

/* The check value of a frame's content, of which the `covered` bytes before the check count; `covered` is at least
 * check->skip. */
zg_check_word zg_check_value(const struct zg_check *check, const uint8_t *content, size_t covered);

/* Writes a check value of check->size bytes in its byte order on the wire, and reads it back. */
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
    if (check->size == 2) /* the usual size, without a loop */
        return check->big_endian ? (zg_check_word)((uint16_t)((uint16_t)at[0] << 8) | at[1])
                                 : (zg_check_word)((uint16_t)((uint16_t)at[1] << 8) | at[0]);
#endif
    for (uint8_t i = 0; i < check->size; i++)
        value = (zg_check_word)((zg_check_word)(value << 4 << 4) | at[check->big_endian ? i : check->size - 1 - i]);
    return value;
}

/* The fewest bytes of a check on the wire. */
static inline uint8_t zg_check_least(const struct zg_check *check)
{
    return check->form && check->form->base == 10 ? (uint8_t)(check->form->after_size + 1U) : check->size;
}

/* Writes a check value with what stands in front of it, at most ZG_CHECK_WIRE_MAX bytes, and returns how many. */
uint8_t zg_check_write(const struct zg_check *check, zg_check_word value, uint8_t *at);

/* Reads the check of a form at the end of a content, and what stands in front of it. Returns their bytes; 0: there is
 * no such check. */
uint8_t zg_check_read(const struct zg_check *check, const uint8_t *content, size_t length, zg_check_word *value);

#ifdef __cplusplus
}
#endif

#endif
