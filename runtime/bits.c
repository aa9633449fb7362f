/* SPDX-License-Identifier: MIT */
#include "zeugma/bits.h"

uint64_t zg_bits_get(const uint8_t *run, size_t first, unsigned bits, bool big_endian)
{
    uint64_t value = 0;
    for (unsigned i = 0; i < bits; i++) {
        size_t at = first + i;
        unsigned shift = (unsigned)(big_endian ? 7U - at % 8U : at % 8U);
        uint64_t bit = (unsigned)run[at / 8U] >> shift & 1U;
        value |= bit << (big_endian ? bits - 1U - i : i);
    }
    return value;
}

void zg_bits_put(uint8_t *run, size_t first, unsigned bits, bool big_endian, uint64_t value)
{
    for (unsigned i = 0; i < bits; i++) {
        size_t at = first + i;
        unsigned shift = (unsigned)(big_endian ? 7U - at % 8U : at % 8U);
        unsigned bit = (unsigned)(value >> (big_endian ? bits - 1U - i : i)) & 1U;
        run[at / 8U] = (uint8_t)(run[at / 8U] | bit << shift);
    }
}
