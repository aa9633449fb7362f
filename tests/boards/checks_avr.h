/* SPDX-License-Identifier: MIT */
/* What checks_avr.c computes, for the test that compares. */
#ifndef CHECKS_AVR_H
#define CHECKS_AVR_H

#include <stdint.h>

enum { CHECKS = 4, LENGTHS = 45, LONGEST = 768 };

/* All short lengths, and some beyond eight bits. */
static inline unsigned length_of(unsigned number)
{
    return number <= 40 ? number : (number - 38) * 128 + (number & 1U);
}

static inline uint8_t byte_of(unsigned place)
{
    return (uint8_t)(place * place * 7 + place * 31 + 200);
}

#endif
