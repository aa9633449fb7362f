/* SPDX-License-Identifier: MIT */
/*
 * Single numbers in a run of bits, for arrays whose elements do not fill whole bytes. Bit 0 of a little-endian run is
 * the least significant bit of its first byte; bit 0 of a big-endian run is the most significant one. Any context;
 * linear in `bits`.
 */
#ifndef ZEUGMA_BITS_H
#define ZEUGMA_BITS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* The number of `bits` bits (1 to 64) that starts at bit `first` of the run. */
uint64_t zg_bits_get(const uint8_t *run, size_t first, unsigned bits, bool big_endian);

/* Stores the low `bits` bits of a number there. The run's bits there must be 0 before. */
void zg_bits_put(uint8_t *run, size_t first, unsigned bits, bool big_endian, uint64_t value);

#ifdef __cplusplus
}
#endif

#endif
