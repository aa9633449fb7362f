/* SPDX-License-Identifier: MIT */
/*
 * Cyclic redundancy checks of 3 to 64 bits, in the parameter model of Ross Williams, "A Painless Guide to CRC Error
 * Detection Algorithms" (1993): width, polynomial, initial value, reflection of input and output, final XOR.
 * Stateless; the caller owns the parameters. Any context; time is linear in the bytes.
 */
#ifndef ZEUGMA_CRC_H
#define ZEUGMA_CRC_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Entries of a CRC's table, and the table's size where one is needed. */
#define ZG_CRC_TABLE_ENTRIES (ZG_CRC_TABLE == 0 ? 0 : 1 << ZG_CRC_TABLE)

struct zg_crc {
    uint8_t width;              /* bits, 3 to 64 */
    bool reflected;             /* bytes enter least significant bit first */
    bool turned;                /* output reflected differently from input */
    zg_check_word poly;         /* reflected: bit-reversed, in the low bits; else in the top bits */
    zg_check_word init;         /* as poly */
    zg_check_word xor_out;      /* in the low bits */
    const zg_check_word *table; /* ZG_CRC_TABLE_ENTRIES words; not read when there are none */
};

/* Where a polynomial, initial value or table entry of a CRC that is not reflected stands in the word. */
#define ZG_CRC_TOP(value, width) ((zg_check_word)((zg_check_word)(value) << (ZG_CHECK_BITS - (width))))

/* Fills `crc` from parameters as they are written (none of them shifted or reversed yet). `table` is the caller's
 * memory of ZG_CRC_TABLE_ENTRIES words, filled here and kept, or NULL when there are none. Returns 0, or ZG_EINVALID
 * for a width outside 3 to ZG_CHECK_BITS, a polynomial, init or xor_out wider than that, or a missing table. */
int zg_crc_make(struct zg_crc *crc, unsigned width, uint64_t poly, uint64_t init, bool reflect_in, bool reflect_out,
                uint64_t xor_out, zg_check_word *table);

/* The register before the first byte; after `count` more bytes; and the check value at the end, in the low bits. */
zg_check_word zg_crc_start(const struct zg_crc *crc);
zg_check_word zg_crc_update(const struct zg_crc *crc, zg_check_word reg, const uint8_t *bytes, size_t count);
zg_check_word zg_crc_finish(const struct zg_crc *crc, zg_check_word reg);

/* The same as a frame's check wants them (zeugma/check.h): `crc` is a struct zg_crc. */
zg_check_word zg_check_crc_update(const void *crc, zg_check_word reg, const uint8_t *bytes, size_t count);
zg_check_word zg_check_crc_finish(const void *crc, zg_check_word reg);

#ifdef __cplusplus
}
#endif

#endif
