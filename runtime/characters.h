/* SPDX-License-Identifier: MIT */
/* What the writers and readers of text share: characters one by one. */
#ifndef ZEUGMA_CHARACTERS_H
#define ZEUGMA_CHARACTERS_H

#include "zeugma/spell.h"

static inline size_t zgi_length_of(const char *text)
{
    size_t length = 0;
    while (text[length] != '\0')
        length++;
    return length;
}

static inline void zgi_put(struct zg_writer *to, char character)
{
    if (to->size < to->room)
        to->out[to->size] = (uint8_t)character;
    to->size++;
}

/* Behind a text; NULL: something else is there. */
static inline const char *zgi_behind(const char *from, const char *to, const char *text)
{
    for (; *text != '\0'; text++, from++)
        if (from == to || *from != *text)
            return NULL;
    return from;
}

static inline bool zgi_begins(const char *from, const char *to, const char *with)
{
    return zgi_behind(from, to, with) != NULL;
}

static inline bool zgi_is_digit(const char *at, const char *to)
{
    return at < to && (uint8_t)(*at - '0') < 10;
}

/* A digit of base 16, lower case or upper; one of base 2 to 16, or 255. */
static inline char zgi_hex_digit(uint8_t value, bool upper)
{
    return (char)(value < 10 ? '0' + value : value - 10 + (upper ? 'A' : 'a'));
}

static inline uint8_t zgi_digit_value(char c)
{
    return (uint8_t)(c >= '0' && c <= '9'   ? c - '0'
                     : c >= 'a' && c <= 'f' ? c - 'a' + 10
                     : c >= 'A' && c <= 'F' ? c - 'A' + 10
                                            : 255);
}

/* Takes one character, if it is there. */
static inline bool zgi_take_one(struct zg_text_reader *from, char wanted)
{
    if (from->at == from->end || *from->at != wanted)
        return false;
    from->at++;
    return true;
}

/* A number below 100. */
static inline void zgi_put_small(struct zg_writer *to, unsigned number)
{
    if (number >= 10)
        zgi_put(to, (char)('0' + number / 10));
    zgi_put(to, (char)('0' + number % 10));
}

/* The number of a bit, of one or two digits. False: it is none, or there is no such bit. */
static inline bool zgi_read_bit(const char *from, const char *to, unsigned bits, unsigned *bit)
{
    if (from == to || to - from > 2)
        return false;
    *bit = 0;
    while (zgi_is_digit(from, to))
        *bit = 10 * *bit + (unsigned)(*from++ - '0');
    return from == to && *bit < bits;
}

/* A number with its sign apart, because unsigned ones may need all bits. */
struct zgi_number {
    zg_spelled size;
    bool negative;
};

/* Writes a number of units of the last decimal. */
void zgi_write_units(struct zg_writer *to, const struct zg_spelling *spelling, struct zgi_number units);

/* Writes digits of a number with its sign ('\0': none) and prefix, filled up to the width. */
void zgi_put_number(struct zg_writer *to, const struct zg_spelling *spelling, char sign, const char *digits,
                    size_t count);

/* The sign of a number, which zero has not, unless it is a plus. */
static inline char zgi_sign_of(const struct zg_spelling *spelling, bool negative)
{
    return negative ? '-' : (spelling->flags & ZG_SPELL_PLUS) != 0 ? '+' : '\0';
}

/* The word of a value, or of a bit; NULL: it has none. */
static inline const char *zgi_word_of(const struct zg_word *words, unsigned count, zg_spelled value)
{
    for (unsigned i = 0; i < count; i++)
        if (words[i].value == value)
            return words[i].text;
    return NULL;
}

/* Whether a number has as many characters as it must have. */
static inline bool zgi_has_width(const char *from, const char *to, const struct zg_spelling *spelling)
{
    return spelling->width == 0 || (size_t)(to - from) == spelling->width;
}

/* Behind blanks, sign and prefix; NULL: the prefix is not there. */
const char *zgi_behind_front(const char *from, const char *to, const struct zg_spelling *spelling, bool *negative);

/* Behind "E-12", which is added to the exponent, if it is there. Exponents beyond what any number needs are cut. NULL:
 * no digit follows the E. */
const char *zgi_behind_exponent(const char *from, const char *to, int32_t *exponent);

/* Whether nothing is left but the blanks that fill a width up. */
bool zgi_is_all(const char *from, const char *to, const struct zg_spelling *spelling);

/* Takes a decimal number, rounded to units of the last decimal, whatever the type; zero may be negative. Returns what
 * is behind it; NULL: it is none, or too large. The other reads all characters so, filled up to a width. */
const char *zgi_take_units(const char *from, const char *to, const struct zg_spelling *spelling,
                           struct zgi_number *units);
bool zgi_read_units(const char *from, const char *to, const struct zg_spelling *spelling, struct zgi_number *units);

#endif
