/* SPDX-License-Identifier: MIT */
/*
 * LEB128 numbers: seven bits in each byte, lowest first, with the top bit set in all bytes but the last (DWARF 5,
 * section 7.6). Only the shortest form of a number is accepted. Any context; at most ten bytes.
 */
#ifndef ZEUGMA_LEB_H
#define ZEUGMA_LEB_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Bytes that a number takes: 1 to 10. */
unsigned zg_uleb_size(uint64_t value);
unsigned zg_sleb_size(int64_t value);

/* Writes a number, and returns how many bytes it took. */
unsigned zg_uleb_put(uint64_t value, uint8_t *at);
unsigned zg_sleb_put(int64_t value, uint8_t *at);

/* Reads a number of at most `bits` bits (32 or 64) from at most `length` bytes. Returns how many bytes it took, or
 * ZG_ESIZE if it is cut short, longer than necessary, or too wide; `*value` is unchanged then. */
int zg_uleb_get(const uint8_t *at, size_t length, unsigned bits, uint64_t *value);
int zg_sleb_get(const uint8_t *at, size_t length, unsigned bits, int64_t *value);

#ifdef __cplusplus
}
#endif

#endif
