/* SPDX-License-Identifier: MIT */
/*
 * Floats in text layouts, for generated code: written with so many decimals or as a mantissa and exponent, rounded from
 * the exact value, ties away from zero; read as the nearest float (IEEE 754, ties to even), however many digits there
 * are. Integers only, so it is the same on every machine. Needs ZG_SPELL_BITS 64. While it runs it takes about 200
 * bytes of stack for an f32 and 800 for an f64. Any context; at worst quadratic in the digits.
 */
#ifndef ZEUGMA_SPELL_FLOAT_H
#define ZEUGMA_SPELL_FLOAT_H

#include "zeugma/spell.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Writes a float with spelling->decimals; with ZG_SPELL_EXPONENT so many behind the mantissa's point. Refuses what is
 * infinite or no number, what is 2^64 and more in units of its last decimal, and what would be rounded beyond the type.
 */
void zg_write_f32(struct zg_writer *to, const struct zg_spelling *spelling, float value);
void zg_write_f64(struct zg_writer *to, const struct zg_spelling *spelling, double value);

/* Reads all characters from `from` to `to`, rounded to spelling->decimals first unless they have an exponent. False:
 * they are no number, or beyond the type. */
bool zg_read_f32(const char *from, const char *to, const struct zg_spelling *spelling, float *value);
bool zg_read_f64(const char *from, const char *to, const struct zg_spelling *spelling, double *value);

#ifdef __cplusplus
}
#endif

#endif
