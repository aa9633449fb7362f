/* SPDX-License-Identifier: MIT */
#include "zeugma/spell_float.h"

#if ZG_SPELL_BITS == 64

#include "characters.h"
#include "zeugma/bytes.h"

/* --- large whole numbers */

/* The lowest word first. Its words are as many as the largest number of its float takes; see struct format. */
struct large {
    uint32_t *words;
    uint16_t used; /* the highest of these is not 0 */
};

static void set(struct large *number, uint64_t value)
{
    number->used = 0;
    for (; value > 0; value >>= 32)
        number->words[number->used++] = (uint32_t)value;
}

/* number = number * by + more */
static void multiply(struct large *number, uint32_t by, uint32_t more)
{
    uint64_t carry = more;

    for (uint16_t i = 0; i < number->used; i++, carry >>= 32) {
        carry += (uint64_t)number->words[i] * by;
        number->words[i] = (uint32_t)carry;
    }
    if (carry > 0)
        number->words[number->used++] = (uint32_t)carry;
}

static void multiply_by_five(struct large *number, int32_t times)
{
    for (; times >= 13; times -= 13)
        multiply(number, 1220703125U, 0); /* 5^13 */
    for (; times > 0; times--)
        multiply(number, 5, 0);
}

static void shift_left(struct large *number, int32_t bits)
{
    const uint16_t words = (uint16_t)(bits / 32);

    if (number->used == 0)
        return;
    multiply(number, (uint32_t)1 << (bits % 32), 0);
    for (uint16_t i = number->used; i > 0 && words > 0; i--)
        number->words[i - 1 + words] = number->words[i - 1];
    for (uint16_t i = 0; i < words; i++)
        number->words[i] = 0;
    number->used = (uint16_t)(number->used + words);
}

static void halve(struct large *number)
{
    for (uint16_t i = 0; i < number->used; i++)
        number->words[i] =
            number->words[i] >> 1 | (i + 1U < number->used ? (number->words[i + 1U] & 1U) << 31 : (uint32_t)0);
    if (number->used > 0 && number->words[number->used - 1U] == 0)
        number->used--;
}

static bool is_less(const struct large *a, const struct large *b)
{
    if (a->used != b->used)
        return a->used < b->used;
    for (uint16_t i = a->used; i > 0; i--)
        if (a->words[i - 1] != b->words[i - 1])
            return a->words[i - 1] < b->words[i - 1];
    return false;
}

/* a = a - b, which is not larger */
static void subtract(struct large *a, const struct large *b)
{
    uint32_t borrow = 0;

    for (uint16_t i = 0; i < a->used; i++) {
        const uint32_t from = a->words[i], take = i < b->used ? b->words[i] : 0;
        a->words[i] = from - take - borrow;
        borrow = from < take || from - take < borrow ? 1 : 0;
    }
    while (a->used > 0 && a->words[a->used - 1U] == 0)
        a->used--;
}

static int32_t bits_of(const struct large *number)
{
    int32_t bits = 32 * (int32_t)number->used;

    for (uint32_t top = number->used > 0 ? number->words[number->used - 1U] : 0; top > 0 && top >> 31 == 0; top <<= 1)
        bits--;
    return bits;
}

/* The whole quotient; `left` becomes the remainder. False: it has more than 64 bits. */
static bool divide(struct large *left, struct large *by, uint64_t *quotient)
{
    int32_t shift = bits_of(left) - bits_of(by);

    *quotient = 0;
    if (shift < 0)
        return true;
    if (shift > 64)
        return false;
    shift_left(by, shift);
    for (; shift >= 0; shift--) {
        if (*quotient >> 63 != 0)
            return false;
        *quotient <<= 1;
        if (!is_less(left, by)) {
            subtract(left, by);
            *quotient |= 1;
        }
        if (shift > 0)
            halve(by);
    }
    return true;
}

/* --- floats as whole numbers */

/* IEEE 754 binary32 or binary64. */
struct format {
    uint8_t mantissa;       /* bits, with the one that is not stored */
    int16_t least, most;    /* exponents of the mantissa's last bit */
    int16_t tiny, huge;     /* numbers below 10^tiny are nearest to 0; 10^huge is beyond the type */
    uint16_t digits;        /* with more than these only whether others are 0 counts: none is halfway between floats */
    uint32_t *first, *next; /* the words of two numbers */
};

enum { WORDS_32 = 16, WORDS_64 = 86 };

#define FORMAT_32(first, next)                                                                                         \
    {                                                                                                                  \
        24, -149, 104, -46, 39, 115, (first), (next)                                                                   \
    }
#define FORMAT_64(first, next)                                                                                         \
    {                                                                                                                  \
        53, -1074, 971, -324, 309, 769, (first), (next)                                                                \
    }

/* size * 2^exponent */
struct parts {
    uint64_t size;
    int16_t exponent;
    bool negative, finite;
};

/* Of the bits as stored: the exponent above the mantissa's bits, then the sign. */
static struct parts parts_of(const struct format *format, uint64_t bits)
{
    const uint8_t stored = (uint8_t)(format->mantissa - 1U);
    const uint16_t field = (uint16_t)(bits >> stored) & (format->mantissa == 24 ? 0xFFU : 0x7FFU);
    struct parts parts;

    parts.size = bits & (((uint64_t)1 << stored) - 1);
    parts.finite = field != (format->mantissa == 24 ? 0xFFU : 0x7FFU);
    parts.negative = bits >> (format->mantissa == 24 ? 31 : 63) != 0;
    parts.exponent = format->least;
    if (field > 0) {
        parts.size |= (uint64_t)1 << stored;
        parts.exponent = (int16_t)(format->least + (int16_t)field - 1);
    }
    return parts;
}

/* The whole number nearest to a float's size times 10^power, ties away from zero. False: it has more than 64 bits. */
static bool units_of(const struct format *format, const struct parts *parts, int32_t power, uint64_t *units)
{
    struct large number = { format->first, 0 }, by = { format->next, 0 };
    const int32_t shift = parts->exponent + power;

    set(&number, parts->size);
    set(&by, 1);
    multiply_by_five(power >= 0 ? &number : &by, power >= 0 ? power : -power);
    shift_left(shift >= 0 ? &number : &by, shift >= 0 ? shift : -shift);
    if (!divide(&number, &by, units))
        return false;
    shift_left(&number, 1);
    if (is_less(&number, &by))
        return true;
    ++*units;
    return *units > 0;
}

/* Rounds a quotient to a mantissa, half to even: `number` / `by` * 2^two. False: it is beyond the type. */
static bool round_to_float(const struct format *format, struct large *number, struct large *by, int32_t two,
                           uint64_t *bits)
{
    const int32_t shift = format->mantissa + 1 - (bits_of(number) - bits_of(by));
    uint64_t quotient;

    shift_left(shift >= 0 ? number : by, shift >= 0 ? shift : -shift);
    (void)divide(number, by, &quotient); /* one or two bits more than the mantissa has */
    int32_t exponent = two - shift, drop = quotient >> (format->mantissa + 1) != 0 ? 2 : 1;
    if (exponent + drop < format->least)
        drop = format->least - exponent;
    if (drop > format->mantissa + 2)
        drop = format->mantissa + 3; /* nothing is left but less than half a bit */
    const uint64_t half = (uint64_t)1 << (drop - 1), below = quotient & (2 * half - 1);
    uint64_t size = quotient >> drop;
    if (below > half || (below == half && (number->used > 0 || (size & 1) != 0)))
        size++;
    exponent = exponent + drop < format->least ? format->least : exponent + drop;
    if (size >> format->mantissa != 0) {
        size >>= 1;
        exponent++;
    }
    if (exponent > format->most)
        return false;
    const uint64_t stored = (uint64_t)1 << (format->mantissa - 1U);
    *bits =
        size < stored ? size : (uint64_t)(exponent - format->least + 1) << (format->mantissa - 1U) | (size - stored);
    return true;
}

/* The float nearest to size * 10^power, as bits. */
static bool nearest(const struct format *format, struct large *number, int32_t power, uint64_t *bits)
{
    struct large by = { format->next, 0 };

    *bits = 0;
    if (number->used == 0)
        return true;
    set(&by, 1);
    multiply_by_five(power >= 0 ? number : &by, power >= 0 ? power : -power);
    return round_to_float(format, number, &by, power, bits);
}

/* --- writing */

/* Writes digits of a mantissa with its point, and an exponent of two digits or more. */
static void put_exponent(struct zg_writer *to, const struct zg_spelling *spelling, bool negative, uint64_t units,
                         int32_t exponent)
{
    char digits[32];
    uint8_t at = sizeof digits, behind = 0;
    const bool below = exponent < 0;

    for (uint16_t left = (uint16_t)(below ? -exponent : exponent); left > 0 || behind < 2; left /= 10, behind++)
        digits[--at] = (char)('0' + left % 10);
    digits[--at] = below ? '-' : '+';
    digits[--at] = 'E';
    const bool is_zero = units == 0;
    for (behind = 0; units > 0 || behind <= spelling->decimals; behind++, units /= 10) {
        if (behind == spelling->decimals && behind > 0)
            digits[--at] = spelling->point;
        digits[--at] = (char)('0' + units % 10);
    }
    zgi_put_number(to, spelling, zgi_sign_of(spelling, negative && !is_zero), digits + at, sizeof digits - at);
}

static uint64_t power_of_ten(uint8_t exponent)
{
    uint64_t power = 1;

    for (; exponent > 0; exponent--)
        power *= 10;
    return power;
}

/* With an exponent: an estimate that is right or too low, and then a digit too many shows it. */
static void write_exponent(struct zg_writer *to, const struct zg_spelling *spelling, const struct format *format,
                           const struct parts *parts)
{
    const uint64_t limit = power_of_ten((uint8_t)(spelling->decimals + 1));
    struct large number = { format->first, 0 };
    uint64_t units = 0, bits;
    int32_t exponent = 0;

    if (parts->size > 0) {
        set(&number, parts->size);
        exponent = bits_of(&number) - 1 + parts->exponent; /* of 2 */
        exponent = exponent * 1233 / 4096 - (exponent < 0 ? 2 : 0);
        while (!units_of(format, parts, spelling->decimals - exponent, &units) || units >= limit)
            exponent++;
    }
    if (exponent > spelling->decimals) { /* rounded up, the greatest numbers are beyond the type */
        set(&number, units);
        if (!nearest(format, &number, exponent - spelling->decimals, &bits))
            to->refused = true;
    }
    put_exponent(to, spelling, parts->negative, units, exponent);
}

static void write_float(struct zg_writer *to, const struct zg_spelling *spelling, const struct format *format,
                        uint64_t bits)
{
    const struct parts parts = parts_of(format, bits);
    struct zgi_number units;

    units.size = 0;
    units.negative = parts.negative;
    if (!parts.finite)
        to->refused = true;
    else if ((spelling->flags & ZG_SPELL_EXPONENT) != 0)
        write_exponent(to, spelling, format, &parts);
    else if (!units_of(format, &parts, spelling->decimals, &units.size))
        to->refused = true;
    else
        zgi_write_units(to, spelling, units);
}

void zg_write_f32(struct zg_writer *to, const struct zg_spelling *spelling, float value)
{
    uint32_t first[WORDS_32], next[WORDS_32];
    const struct format format = FORMAT_32(first, next);

    write_float(to, spelling, &format, zg_bits_of_f32(value));
}

void zg_write_f64(struct zg_writer *to, const struct zg_spelling *spelling, double value)
{
    uint32_t first[WORDS_64], next[WORDS_64];
    const struct format format = FORMAT_64(first, next);

    write_float(to, spelling, &format, zg_bits_of_f64(value));
}

/* --- reading */

/* A decimal number as it stands. */
struct decimal {
    const char *first, *last; /* its digits, with the point among them */
    int32_t whole;            /* how many of them stand in front of it, once the exponent is taken into account */
    bool negative;
};

/* Takes all characters as one. False: they are none. */
static bool take_decimal(const char *from, const char *to, const struct zg_spelling *spelling, struct decimal *number)
{
    const char point = spelling->point;
    bool any = false, behind = false;

    from = zgi_has_width(from, to, spelling) ? zgi_behind_front(from, to, spelling, &number->negative) : NULL;
    if (!from)
        return false;
    number->whole = 0;
    for (number->first = from; zgi_is_digit(from, to) || (from < to && *from == point && !behind); from++) {
        behind = behind || *from == point;
        any = any || *from != point;
        number->whole += !behind;
    }
    number->last = from;
    from = any ? zgi_behind_exponent(from, to, &number->whole) : NULL;
    return from && zgi_is_all(from, to, spelling);
}

/* Takes the digits that count into a number. Zeros in front of them do not: 10^`decimal->whole` is above it then. */
static void take_digits(const struct format *format, struct decimal *decimal, char point, struct large *number,
                        int32_t *power)
{
    uint16_t digits = 0;
    bool more = false;

    for (const char *at = decimal->first; at < decimal->last; at++) {
        if (*at == point)
            continue;
        if (digits == 0 && *at == '0') {
            decimal->whole--;
        } else if (digits < format->digits) {
            multiply(number, 10, (uint32_t)(*at - '0'));
            digits++;
        } else {
            more = more || *at != '0';
        }
    }
    if (more) {
        digits++;
        multiply(number, 10, 1);
    }
    *power = decimal->whole - digits;
}

static bool read_float(const struct format *format, const char *from, const char *to,
                       const struct zg_spelling *spelling, uint64_t *bits)
{
    struct large number = { format->first, 0 };
    int32_t power = -(int32_t)spelling->decimals;
    bool negative;

    if ((spelling->flags & ZG_SPELL_EXPONENT) != 0) {
        struct decimal decimal;
        if (!take_decimal(from, to, spelling, &decimal))
            return false;
        take_digits(format, &decimal, spelling->point, &number, &power);
        *bits = 0;
        if (number.used == 0 || decimal.whole <= format->tiny)
            return true;
        if (decimal.whole > format->huge)
            return false;
        negative = decimal.negative;
    } else {
        struct zgi_number units;
        if (!zgi_read_units(from, to, spelling, &units))
            return false;
        set(&number, units.size);
        negative = units.negative;
    }
    if (!nearest(format, &number, power, bits))
        return false;
    if (negative && *bits != 0)
        *bits |= (uint64_t)1 << (format->mantissa == 24 ? 31 : 63);
    return true;
}

bool zg_read_f32(const char *from, const char *to, const struct zg_spelling *spelling, float *value)
{
    uint32_t first[WORDS_32], next[WORDS_32];
    const struct format format = FORMAT_32(first, next);
    uint64_t bits;

    if (!read_float(&format, from, to, spelling, &bits))
        return false;
    *value = zg_f32_of_bits((uint32_t)bits);
    return true;
}

bool zg_read_f64(const char *from, const char *to, const struct zg_spelling *spelling, double *value)
{
    uint32_t first[WORDS_64], next[WORDS_64];
    const struct format format = FORMAT_64(first, next);
    uint64_t bits;

    if (!read_float(&format, from, to, spelling, &bits))
        return false;
    *value = zg_f64_of_bits(bits);
    return true;
}

#endif
