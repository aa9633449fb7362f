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

static inline bool zgi_begins(const char *from, const char *to, const char *with)
{
    for (; *with != '\0'; with++, from++)
        if (from == to || *from != *with)
            return false;
    return true;
}

static inline bool zgi_is_digit(const char *at, const char *to)
{
    return at < to && *at >= '0' && *at <= '9';
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

/* Bits as a number of the type. */
struct zg_number zgi_number_of_bits(const struct zg_spelling *spelling, zg_spelled bits);

/* Writes digits of a number with its sign ('\0': none) and prefix, filled up to the width. */
void zgi_put_number(struct zg_writer *to, const struct zg_spelling *spelling, char sign, const char *digits,
                    size_t count);

/* The sign of a number, which zero has not, unless it is a plus. */
static inline char zgi_sign_of(const struct zg_spelling *spelling, bool negative)
{
    return negative ? '-' : (spelling->flags & ZG_SPELL_PLUS) != 0 ? '+' : '\0';
}

static inline char zgi_point_of(const struct zg_spelling *spelling)
{
    return (spelling->flags & ZG_SPELL_COMMA) != 0 ? ',' : '.';
}

/* The word of a value, or of a bit; NULL: it has none. */
static inline const char *zgi_word_of(const struct zg_word *words, unsigned count, zg_spelled value)
{
    for (unsigned i = 0; i < count; i++)
        if (words[i].value == value)
            return words[i].text;
    return NULL;
}

/* A decimal number from its sign to the blanks that fill its width up. */
struct zgi_decimal {
    const char *first, *last; /* its digits, with the point among them */
    int32_t whole;            /* how many of them stand in front of it, once the exponent is taken into account */
    bool negative;
};

/* Takes all characters as one. False: they are none. */
bool zgi_take_decimal(const char *from, const char *to, const struct zg_spelling *spelling, struct zgi_decimal *number);

/* Rounds decimal digits to a whole number: the first `whole` of them, and the next one. False: too large. */
bool zgi_round_digits(const char *from, const char *to, char point, int32_t whole, zg_spelled *units);

#endif
