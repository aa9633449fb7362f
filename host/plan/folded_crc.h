/* SPDX-License-Identifier: MIT */
/* A CRC by carry-less multiplication, if the processor has it: V. Gopal et al., "Fast CRC Computation for Generic
 * Polynomials Using PCLMULQDQ Instruction", Intel, 2009. A CRC of fewer than 64 bits is computed as one of 64 whose
 * polynomial is multiplied by a power of x; that is also how the register is kept in the word (zeugma/crc.h). */
#ifndef ZEUGMA_FOLDED_CRC_H
#define ZEUGMA_FOLDED_CRC_H

#include "zeugma/crc.h"

/* Powers of x modulo the polynomial, and the quotient for the division by it; reflected if the CRC is. */
struct zg_folded_crc {
    uint64_t near[2];     /* moves 128 bits on by 128: for the first half, for the second */
    uint64_t far[2];      /* moves them on by 512 */
    uint64_t reduce[2];   /* reduces 128 bits to 64; the polynomial */
    uint64_t quotient[2]; /* x^128 divided by the polynomial, without the highest term; 0 */
    bool reflected;
};

/* The fewest bytes that zg_folded_crc_update() takes. */
enum { ZG_FOLDED_LEAST = 16 };

/* Prepares it. False: this processor cannot. */
bool zg_folded_crc_init(struct zg_folded_crc *folded, const struct zg_crc *crc);

/* Like zg_crc_update(), for at least ZG_FOLDED_LEAST bytes. */
uint64_t zg_folded_crc_update(const struct zg_folded_crc *folded, uint64_t reg, const uint8_t *bytes, size_t count);

#endif
