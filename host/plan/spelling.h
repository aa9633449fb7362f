/* SPDX-License-Identifier: MIT */
/* How a step's numbers are written in text layouts, and read, exactly. */
#ifndef ZEUGMA_PLAN_SPELLING_H
#define ZEUGMA_PLAN_SPELLING_H

#include "plan/steps.h"

/* Digits behind the point of a step's numbers. */
unsigned zg_step_decimals(const struct zg_step *step);

/* Appends a number: with decimals rounded to nearest, ties away from zero. False, with nothing appended: it is not
 * finite, is 2^64 or more in units of its last decimal, is beyond its type once it is rounded, or exceeds its width. */
bool zg_spell(const struct zg_step *step, union zg_raw raw, GString *text);

/* Reads a number that takes all of a text. It may have blanks in front (with a width behind, too), leading zeros, a
 * plus, an exponent and any number of decimals, to which it is rounded in the same way; then the raw value is the
 * nearest. False: it is none, or outside the step's type. */
bool zg_unspell(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw);

/* Notes what makes reading a step's numbers quick. */
void zgi_prepare_spelling(struct zg_step *step);

/* Limits a step's values to those that are read again: fewer decimals than the scale has round the last ones beyond the
 * type. False: there is none. */
bool zgi_limit_to_written(struct zg_step *step);

/* How many characters of a text are blanks, a sign and the prefix, in front of a number's digits. */
size_t zg_before_digits(const struct zg_step *step, const char *text, size_t length);

/* The fewest and the most characters of the step's numbers. */
void zg_spelling_lengths(const struct zg_step *step, unsigned *least, unsigned *most);

#endif
