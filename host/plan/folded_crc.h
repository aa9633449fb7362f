/* SPDX-License-Identifier: MIT */
/* A CRC by carry-less multiplication, where the processor has it: V. Gopal et al., "Fast CRC Computation for Generic
 * Polynomials Using PCLMULQDQ Instruction", Intel, 2009. A CRC of fewer than 64 bits is one of 64 whose polynomial is
 * multiplied by a power of x, which is how the register stands in the word (zeugma/crc.h). */
#ifndef ZEUGMA_FOLDED_CRC_H
#define ZEUGMA_FOLDED_CRC_H

#include "zeugma/crc.h"

/* Powers of x modulo the polynomial, and what divides by it; reflected where the CRC is. */
struct zg_folded_crc {
    uint64_t near[2];     /* to move 128 bits on by as many: its first half, its second */
    uint64_t far[2];      /* by 512 bits */
    uint64_t reduce[2];   /* the power that brings 128 bits to 64, and the polynomial */
    uint64_t quotient[2]; /* of x^128 by the polynomial, without the highest term; 0 */
    bool reflected;
};

/* The least stretch that zg_folded_crc_update() takes, bytes. */
enum { ZG_FOLDED_LEAST = 16 };

/* Prepares it; false where this processor cannot. */
bool zg_folded_crc_init(struct zg_folded_crc *folded, const struct zg_crc *crc);

/* As zg_crc_update(), for at least ZG_FOLDED_LEAST bytes. */
uint64_t zg_folded_crc_update(const struct zg_folded_crc *folded, uint64_t reg, const uint8_t *bytes, size_t count);

#endif
