/* SPDX-License-Identifier: MIT */
/* What checks_avr.c computes, for those who know better. */
#ifndef CHECKS_AVR_H
#define CHECKS_AVR_H

#include <stdint.h>

enum { CHECKS = 4, LENGTHS = 45, LONGEST = 768 };

/* The short ones, one after the other, and some beyond what eight bits count. */
static inline unsigned length_of(unsigned number)
{
    return number <= 40 ? number : (number - 38) * 128 + (number & 1U);
}

static inline uint8_t byte_of(unsigned place)
{
    return (uint8_t)(place * place * 7 + place * 31 + 200);
}

#endif
