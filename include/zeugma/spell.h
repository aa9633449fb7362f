/* SPDX-License-Identifier: MIT */
/*
 * Values in text layouts, for generated code: written into a payload, and read from one. Integers only, without heap or
 * stdio. What can be written is read again as the same; docs/definition.md, "Text", says what is taken besides.
 */
#ifndef ZEUGMA_SPELL_H
#define ZEUGMA_SPELL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/config.h"

#ifdef __cplusplus
extern "C" {
#endif

/* A number, raw or in units of its last decimal: two's complement, or unsigned, as its type is. */
#if ZG_SPELL_BITS == 32
typedef uint32_t zg_spelled;
typedef int32_t zg_spelled_signed;
#else
typedef uint64_t zg_spelled;
typedef int64_t zg_spelled_signed;
#endif

enum {
    ZG_SPELL_SIGNED = 1,   /* the type is */
    ZG_SPELL_PLUS = 2,     /* a plus is written */
    ZG_SPELL_ZEROS = 4,    /* zeros fill the width up, not blanks */
    ZG_SPELL_LOWER = 8,    /* digits beyond 9 */
    ZG_SPELL_EXPONENT = 16 /* of a float: `decimals` digits behind the mantissa's point, and an exponent */
};

/* How a field's numbers are written. */
struct zg_spelling {
    const char *prefix; /* before the digits, */
    uint8_t prefix_size;
    uint8_t bits;     /* of the type */
    uint8_t base;     /* 2, 10, 16; 2 and 16 show the raw bits */
    uint8_t width;    /* characters; 0: as many as it takes */
    uint8_t decimals; /* a decimal number is in units of the last of them */
    uint8_t flags;
    char point;
};

/* Of a field whose raw values are not units of the last decimal: units = (raw * factor + shift) / divisor. */
struct zg_scaling {
    zg_spelled_signed factor, shift, divisor;
};

/* A word for a value: of an enum, or for one bit of flags. */
struct zg_word {
    const char *text;
    zg_spelled value; /* two's complement */
};

/* --- writing */

/* Where characters go. Beyond the room they are counted only. */
struct zg_writer {
    uint8_t *out;
    size_t room, size;
    bool refused; /* a value cannot be written */
};

void zg_write(struct zg_writer *to, const char *text);
/* A number in any base; one in base 10, which takes less code; one that is scaled. */
void zg_write_number(struct zg_writer *to, const struct zg_spelling *spelling, zg_spelled raw);
void zg_write_decimal(struct zg_writer *to, const struct zg_spelling *spelling, zg_spelled units);
void zg_write_scaled(struct zg_writer *to, const struct zg_spelling *spelling, const struct zg_scaling *scaling,
                     zg_spelled raw);

/* A value's word, or its number if it has none; filled up to a width. */
void zg_write_word(struct zg_writer *to, const struct zg_word *words, unsigned count,
                   const struct zg_spelling *spelling, zg_spelled raw, unsigned width);

/* The words of the bits that are set, and numbers of bits without one. */
void zg_write_flags(struct zg_writer *to, const struct zg_word *words, unsigned count, unsigned bits,
                    const char *between, zg_spelled raw);

/* A word, filled up to a width. */
void zg_write_filled(struct zg_writer *to, const char *word, unsigned width);

/* Text within quotes that are doubled inside (0: none), filled up with blanks to a width (0: none), which it must not
 * end with. Bytes in hex, or in base 64 (RFC 4648). */
void zg_write_text(struct zg_writer *to, const char *text, size_t size, char quote, unsigned width);
void zg_write_hex(struct zg_writer *to, const uint8_t *bytes, size_t size, bool upper);
void zg_write_base64(struct zg_writer *to, const uint8_t *bytes, size_t size);

/* --- reading */

/* What is left of a text. */
struct zg_text_reader {
    const char *at, *end;
};

/* Takes a literal. False: something else is there. */
bool zg_take(struct zg_text_reader *from, const char *literal);

/* Where a value ends that begins here: at the next `stop`, or with the text; text within quotes may hold it. `size`:
 * the value always has so many characters; 0: it has not. Where a number ends: its blanks, sign and prefix come first.
 */
const char *zg_value_end(const struct zg_text_reader *from, const char *stop, size_t size, char quote);
const char *zg_number_end(const struct zg_text_reader *from, const char *stop, const struct zg_spelling *number);

/* Takes a literal, and a decimal number without a width behind it, as far as that goes. False: they are not there, or
 * the number is outside its type. */
bool zg_take_decimal(struct zg_text_reader *from, const char *front, const struct zg_spelling *spelling,
                     zg_spelled *units);

/* Each reads all characters from `from` to `to`. False: they are no such value, or outside its type. */
bool zg_read_number(const char *from, const char *to, const struct zg_spelling *spelling, zg_spelled *raw);
bool zg_read_decimal(const char *from, const char *to, const struct zg_spelling *spelling, zg_spelled *units);
bool zg_read_scaled(const char *from, const char *to, const struct zg_spelling *spelling,
                    const struct zg_scaling *scaling, zg_spelled *raw);
bool zg_read_word(const char *from, const char *to, const struct zg_word *words, unsigned count,
                  const struct zg_spelling *spelling, zg_spelled *raw, unsigned width);
bool zg_read_bool(const char *from, const char *to, const char *on, const char *off, unsigned width, bool *value);
bool zg_read_flags(const char *from, const char *to, const struct zg_word *words, unsigned count, unsigned bits,
                   const char *between, zg_spelled *raw);
bool zg_read_text(const char *from, const char *to, char *text, size_t most, size_t *size, char quote, unsigned width);
bool zg_read_hex(const char *from, const char *to, uint8_t *bytes, size_t most, size_t *size);
bool zg_read_base64(const char *from, const char *to, uint8_t *bytes, size_t most, size_t *size);

/* Takes the next element of a list that ends with the reader: where it ends, and whether it is the last. A separator
 * follows the others. */
const char *zg_next_element(const struct zg_text_reader *from, const char *between, size_t size,
                            const struct zg_spelling *number, bool *last);

/* Takes the key of the next pair, which ends at `between`: where it ends; the reader is then at the value. Without an
 * assignment the key is taken later, with zg_take(). NULL: there is no pair. */
const char *zg_next_key(struct zg_text_reader *from, const char *assign, const char *between);

/* Whether a mark stands in characters, or begins in them and ends in itself behind them. */
bool zg_holds_mark(const uint8_t *characters, size_t size, const uint8_t *mark, size_t mark_size);

/* Whether characters are this integer; characters of a text up to its end or a limit. */
bool zg_is_integer(const char *from, const char *to, zg_spelled_signed value);
size_t zg_text_length(const char *text, size_t most);

/* Whether characters are all of a text. */
bool zg_is_word(const char *from, const char *to, const char *text);

#ifdef __cplusplus
}
#endif

#endif
