/* SPDX-License-Identifier: MIT */
/* Single words and numbers as a user writes them, in a definition or on the command line. */
#ifndef ZEUGMA_WORDS_H
#define ZEUGMA_WORDS_H

#include <glib.h>
#include <gmp.h>
#include <stdbool.h>
#include <stdint.h>

/* The word of `known` (NULL-terminated) that `word` was probably meant to be, or NULL if none is similar. */
const char *zg_word_nearest(const char *word, const char *const *known);

/* "; did you mean "X"?" or "; expected one of A, B, C" for an unknown word. Free with g_free(). */
char *zg_word_hint(const char *word, const char *const *known);

/* [A-Za-z][A-Za-z0-9_]* */
bool zgi_is_identifier(const char *word);

/* An integer: decimal, 0x hexadecimal or 0b binary, `_` between digits, an optional sign. Stores its magnitude. False:
 * it is none, or fits neither int64_t nor uint64_t; *negative is then undefined. */
bool zgi_parse_integer(const char *text, bool *negative, uint64_t *magnitude);

/* The same, for a number that must not be negative. */
bool zgi_parse_unsigned(const char *text, uint64_t *value);

/* A number, exactly: an integer as above, or a decimal with an optional exponent (`-0.25`, `1e3`); if `fraction`, also
 * `1/64`. At most 40 digits, exponent up to 300. `value` must be initialised. */
bool zgi_parse_number(const char *text, bool fraction, mpq_t value);

/* major.minor, each 0 to 255. */
bool zgi_parse_version(const char *text, unsigned *major, unsigned *minor);

/* A frequency with its unit, `16 MHz`, `32.768 kHz`, `8000000 Hz` or a bare number of hertz. False if malformed, below
 * 1 Hz or above 1 THz. */
bool zg_parse_frequency(const char *text, double *hertz);

/* A tolerance, `0.2 %` or `50 ppm`, as a part of one, at most 0.5. */
bool zg_parse_tolerance(const char *text, double *part);

/* How a UART divides its clock, `16`, `8`, `16+4`: samples a bit, and bits of the divisor behind the point. */
struct zg_divider {
    unsigned samples, fraction_bits;
};
bool zg_parse_divider(const char *text, struct zg_divider *divider);

/* A character's format in short: data bits from 4 to 9, parity N E O M or S, stop bits 1, 1.5 or 2: `8N1`, `7E1.5`. */
bool zg_parse_format(const char *text, unsigned *data_bits, char *parity, unsigned *half_stops);

/* A span of time with its unit, `500us`, `20 ms`, `1.5 s`, `10min`, `24h`, in nanoseconds. False if malformed or above
 * 2^63 ns. */
bool zg_parse_time(const char *text, uint64_t *nanoseconds);

/* Whether a character is invisible or changes how others appear: control characters of both sets, marks of the writing
 * direction (Unicode Standard Annex 9), line separators, the byte order mark. */
bool zg_is_hidden(gunichar c);

/* Text from outside, made safe for a terminal, log or report: invisible characters, and bytes that are not UTF-8,
 * become escapes (\033, \n, \u202e). `length` -1: up to its end. `quoted`: quotes and backslashes are escaped too, so
 * that it may be put in quotes. Free with g_free(). */
char *zg_shown(const char *text, gssize length, bool quoted);

#endif
