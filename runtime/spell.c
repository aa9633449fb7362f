/* SPDX-License-Identifier: MIT */
#include "zeugma/spell.h"

#include "characters.h"

enum {
    DECIMAL_DIGITS = ZG_SPELL_BITS / 3 + 12,      /* written, with point and zeros */
    UNITS_DIGITS = ZG_SPELL_BITS == 32 ? 10 : 20, /* of the greatest number */
    IS_LONG = ZG_SPELL_BITS > 32                  /* there is code besides that makes the usual case quick */
};

/* --- writing */

void zg_write(struct zg_writer *to, const char *text)
{
    for (; *text != '\0'; text++)
        zgi_put(to, *text);
}

static void fill(struct zg_writer *to, size_t count, char with)
{
    for (; count > 0; count--)
        zgi_put(to, with);
}

/* Fills what was written from a place on up to a width. */
static void fill_up(struct zg_writer *to, size_t from, unsigned width)
{
    const size_t size = to->size - from;

    if (width > 0 && size > width)
        to->refused = true;
    else if (width > 0)
        fill(to, width - size, ' ');
}

static struct zgi_number number_of(zg_spelled bits, bool is_signed)
{
    struct zgi_number number;

    number.negative = is_signed && (zg_spelled_signed)bits < 0;
    number.size = number.negative ? (zg_spelled)0 - bits : bits;
    return number;
}

static zg_spelled bits_of(struct zgi_number number)
{
    return number.negative ? (zg_spelled)0 - number.size : number.size;
}

static bool is_signed(const struct zg_spelling *spelling)
{
    return (spelling->flags & ZG_SPELL_SIGNED) != 0;
}

/* The nearest whole number to a quotient, ties away from zero. */
static struct zgi_number divided(zg_spelled_signed value, zg_spelled_signed by)
{
    struct zgi_number number = number_of((zg_spelled)value, true), divisor = number_of((zg_spelled)by, true);

    number.size = (number.size + divisor.size / 2) / divisor.size;
    number.negative = number.negative != divisor.negative;
    return number;
}

/* Takes the last decimal digit off a number. Where a processor may lack division, by shifts, which take less code: the
 * half and the quarter together, times 1 + 1/16, 1 + 1/256, ..., are eight tenths, less what was cut off. */
static uint8_t take_digit(zg_spelled *number)
{
#if UINTPTR_MAX > 0xFFFF
    zg_spelled tenth = (*number >> 1) + (*number >> 2);
    uint8_t digit;

    for (uint8_t shift = 4; shift < ZG_SPELL_BITS; shift = (uint8_t)(2 * shift))
        tenth += tenth >> shift;
    tenth >>= 3;
    for (digit = (uint8_t)(*number - 10 * tenth); digit >= 10; digit = (uint8_t)(digit - 10))
        tenth++;
    *number = tenth;
    return digit;
#else
    const uint8_t digit = (uint8_t)(*number % 10);

    *number /= 10;
    return digit;
#endif
}

/* The bits of a number's type. */
static zg_spelled mask_of(const struct zg_spelling *spelling)
{
    return ~(zg_spelled)0 >> (ZG_SPELL_BITS - spelling->bits);
}

/* Bits of a digit, of base 16 or 2. */
static uint8_t shift_of(const struct zg_spelling *spelling)
{
    return spelling->base == 16 ? 4 : 1;
}

void zgi_put_number(struct zg_writer *to, const struct zg_spelling *spelling, char sign, const char *digits,
                    size_t count)
{
    const size_t size = count + spelling->prefix_size + (sign != '\0' ? 1 : 0);
    uint8_t width = spelling->width; /* what the number does not take of it is filled */

    if (width > 0 && size > width)
        to->refused = true;
    if ((spelling->flags & ZG_SPELL_ZEROS) == 0)
        for (; width > size; width--)
            zgi_put(to, ' ');
    if (sign != '\0')
        zgi_put(to, sign);
    zg_write(to, spelling->prefix);
    for (; width > size; width--)
        zgi_put(to, '0');
    for (; count > 0; count--)
        zgi_put(to, *digits++);
}

void zgi_write_units(struct zg_writer *to, const struct zg_spelling *spelling, struct zgi_number units)
{
    const char sign = zgi_sign_of(spelling, units.negative && units.size > 0);
    char digits[DECIMAL_DIGITS], *at = digits + DECIMAL_DIGITS;

    for (uint8_t behind = 0; units.size > 0 || behind <= spelling->decimals; behind++) {
        const uint8_t digit = take_digit(&units.size);
        if (behind == spelling->decimals && behind > 0)
            *--at = spelling->point;
        *--at = (char)('0' + digit);
    }
    zgi_put_number(to, spelling, sign, at, (size_t)(digits + DECIMAL_DIGITS - at));
}

void zg_write_decimal(struct zg_writer *to, const struct zg_spelling *spelling, zg_spelled units)
{
    zgi_write_units(to, spelling, number_of(units, is_signed(spelling)));
}

void zg_write_scaled(struct zg_writer *to, const struct zg_spelling *spelling, const struct zg_scaling *scaling,
                     zg_spelled raw)
{
    zgi_write_units(to, spelling, divided((zg_spelled_signed)raw * scaling->factor + scaling->shift, scaling->divisor));
}

void zg_write_number(struct zg_writer *to, const struct zg_spelling *spelling, zg_spelled raw)
{
    const uint8_t size = shift_of(spelling);
    zg_spelled bits = raw & mask_of(spelling);
    char digits[ZG_SPELL_BITS];
    uint8_t at = ZG_SPELL_BITS;

    if (spelling->base == 10) {
        zg_write_decimal(to, spelling, raw);
        return;
    }
    do {
        digits[--at] = zgi_hex_digit((uint8_t)(bits & (spelling->base - 1U)), (spelling->flags & ZG_SPELL_LOWER) == 0);
        bits >>= size;
    } while (bits > 0);
    zgi_put_number(to, spelling, '\0', digits + at, (size_t)(ZG_SPELL_BITS - at));
}

void zg_write_filled(struct zg_writer *to, const char *word, unsigned width)
{
    const size_t from = to->size;

    zg_write(to, word);
    fill_up(to, from, width);
}

void zg_write_word(struct zg_writer *to, const struct zg_word *words, unsigned count,
                   const struct zg_spelling *spelling, zg_spelled raw, unsigned width)
{
    const char *const word = zgi_word_of(words, count, raw);

    if (word)
        zg_write_filled(to, word, width);
    else
        zg_write_number(to, spelling, raw);
}

void zg_write_flags(struct zg_writer *to, const struct zg_word *words, unsigned count, unsigned bits,
                    const char *between, zg_spelled raw)
{
    bool first = true;

    for (unsigned bit = 0; bit < bits; bit++) {
        const char *const word = zgi_word_of(words, count, bit);
        if ((raw >> bit & 1U) == 0)
            continue;
        if (!first)
            zg_write(to, between);
        if (word)
            zg_write(to, word);
        else
            zgi_put_small(to, bit);
        first = false;
    }
}

void zg_write_text(struct zg_writer *to, const char *text, size_t size, char quote, unsigned width)
{
    const size_t from = to->size;

    if (quote != '\0')
        zgi_put(to, quote);
    for (size_t i = 0; i < size; i++) {
        zgi_put(to, text[i]);
        if (quote != '\0' && text[i] == quote)
            zgi_put(to, quote);
    }
    if (quote != '\0')
        zgi_put(to, quote);
    if (width > 0 && quote == '\0' && size > 0 && text[size - 1] == ' ')
        to->refused = true;
    fill_up(to, from, width);
}

void zg_write_hex(struct zg_writer *to, const uint8_t *bytes, size_t size, bool upper)
{
    for (size_t i = 0; i < 2 * size; i++) {
        const uint8_t digit = (i & 1U) != 0 ? bytes[i / 2] & 15U : bytes[i / 2] >> 4;
        zgi_put(to, zgi_hex_digit(digit, upper));
    }
}

static char base64_digit(uint8_t value)
{
    if (value < 26)
        return (char)('A' + value);
    if (value < 52)
        return (char)('a' + value - 26);
    if (value < 62)
        return (char)('0' + value - 52);
    return value == 62 ? '+' : '/';
}

void zg_write_base64(struct zg_writer *to, const uint8_t *bytes, size_t size)
{
    for (size_t i = 0; i < size; i += 3) {
        const size_t left = size - i;
        const uint8_t second = left > 1 ? bytes[i + 1] : 0, third = left > 2 ? bytes[i + 2] : 0;
        zgi_put(to, base64_digit(bytes[i] >> 2));
        zgi_put(to, base64_digit((uint8_t)((bytes[i] & 3U) << 4 | second >> 4)));
        zgi_put(to, left > 1 ? base64_digit((uint8_t)((second & 15U) << 2 | third >> 6)) : '=');
        zgi_put(to, left > 2 ? base64_digit(third & 63U) : '=');
    }
}

/* --- reading */

bool zg_take(struct zg_text_reader *from, const char *literal)
{
    const char *const behind = zgi_behind(from->at, from->end, literal);

    if (behind)
        from->at = behind;
    return behind != NULL;
}

bool zg_is_word(const char *from, const char *to, const char *text)
{
    return zgi_behind(from, to, text) == to;
}

/* Where a stop stands, or the end. */
static const char *find(const char *from, const char *to, const char *stop)
{
    const char first = *stop;

    for (const char *at = from; first != '\0' && at < to; at++)
        if (*at == first && zgi_begins(at, to, stop))
            return at;
    return to;
}

static const char *skip_blanks(const char *from, const char *to)
{
    while (from < to && *from == ' ')
        from++;
    return from;
}

const char *zgi_behind_front(const char *from, const char *to, const struct zg_spelling *spelling, bool *negative)
{
    from = skip_blanks(from, to);
    const char sign = from < to && spelling->base == 10 ? *from : '\0';
    *negative = sign == '-';
    return zgi_behind(sign == '-' || sign == '+' ? from + 1 : from, to, spelling->prefix);
}

const char *zg_number_end(const struct zg_text_reader *from, const char *stop, const struct zg_spelling *number)
{
    bool negative;
    const char *const digits = zgi_behind_front(from->at, from->end, number, &negative);

    return find(digits ? digits : from->at, from->end, stop); /* without its prefix it is no number */
}

const char *zg_value_end(const struct zg_text_reader *from, const char *stop, size_t size, char quote)
{
    const char *at = from->at;

    if (size > 0 && quote == '\0')
        return size < (size_t)(from->end - at) ? at + size : from->end;
    if (quote != '\0' && at < from->end && *at == quote) {
        at++;
        while (at < from->end && (*at != quote || (from->end - at > 1 && at[1] == quote)))
            at += *at == quote ? 2 : 1;
        return find(at < from->end ? at + 1 : at, from->end, stop);
    }
    return find(at, from->end, stop);
}

const char *zg_next_element(const struct zg_text_reader *from, const char *between, size_t size,
                            const struct zg_spelling *number, bool *last)
{
    *last = find(from->at, from->end, between) == from->end;
    const char *const stop = *last ? "" : between;
    return number && size == 0 ? zg_number_end(from, stop, number) : zg_value_end(from, stop, size, '\0');
}

const char *zg_next_key(struct zg_text_reader *from, const char *assign, const char *between)
{
    const char *key = from->at;

    if (key == from->end || zgi_begins(key, from->end, between))
        return NULL;
    while (*assign != '\0' && !(*key == *assign && zgi_begins(key, from->end, assign)))
        if (++key == from->end || (*key == *between && zgi_begins(key, from->end, between)))
            return NULL;
    from->at = key + zgi_length_of(assign);
    return key;
}

bool zg_holds_mark(const uint8_t *characters, size_t size, const uint8_t *mark, size_t mark_size)
{
    for (size_t at = 0; at < size; at++) {
        size_t same = 0;
        while (same < mark_size && mark[same] == (at + same < size ? characters[at + same] : mark[at + same - size]))
            same++;
        if (same == mark_size)
            return true;
    }
    return false;
}

/* Adds a decimal digit. False: the number is too large. */
static bool add_digit(zg_spelled *number, uint8_t digit)
{
    const zg_spelled next = *number * 10 + digit;

    if (*number > ~(zg_spelled)0 / 10 || next < digit)
        return false;
    *number = next;
    return true;
}

static bool read_bits(const char **at, const char *to, const struct zg_spelling *spelling, zg_spelled *bits)
{
    const char *const first = *at;
    const uint8_t size = shift_of(spelling);

    *bits = 0;
    while (*at < to) {
        const uint8_t digit = zgi_digit_value(**at);
        if (digit >= spelling->base)
            break;
        if (*bits > ~(zg_spelled)0 >> size)
            return false;
        *bits = *bits << size | digit;
        ++*at;
    }
    return *at > first && *bits <= mask_of(spelling);
}

/* A number as one of the type. False: there is none. */
static bool fit(const struct zg_spelling *spelling, const struct zgi_number *number, zg_spelled *bits)
{
    const uint8_t sign = is_signed(spelling) ? 1 : 0; /* its bits */
    zg_spelled most = mask_of(spelling) >> sign;

    *bits = bits_of(*number);
    if (number->negative)
        most = sign > 0 ? most + 1 : 0;
    return number->size <= most;
}

bool zgi_is_all(const char *from, const char *to, const struct zg_spelling *spelling)
{
    return (spelling->width > 0 ? skip_blanks(from, to) : from) == to;
}

const char *zgi_behind_exponent(const char *from, const char *to, int32_t *exponent)
{
    const int32_t most = 1000000;
    int32_t size = 0;

    if (from == to || ((uint8_t)*from | 0x20U) != (uint8_t)'e')
        return from;
    const char sign = ++from < to ? *from : '\0';
    if (sign == '-' || sign == '+')
        from++;
    const char *const first = from;
    for (; zgi_is_digit(from, to); from++)
        if (size < most)
            size = size * 10 + (*from - '0');
    *exponent += sign == '-' ? -size : size;
    return from > first ? from : NULL;
}

const char *zgi_take_units(const char *from, const char *to, const struct zg_spelling *spelling,
                           struct zgi_number *units)
{
    uint8_t digits[UNITS_DIGITS + 1], used = 0; /* without zeros in front; one more, to round */
    int32_t whole = spelling->decimals;         /* how many digits the units have */
    int32_t exponent = 0;
    bool any = false, behind = false;

    units->size = 0;
    from = zgi_behind_front(from, to, spelling, &units->negative);
    for (; from && from < to; from++) {
        const uint8_t digit = (uint8_t)(*from - '0');
        if (digit >= 10) {
            if (behind || *from != spelling->point)
                break;
            behind = true;
            continue;
        }
        any = true;
        if (used == 0 && digit == 0) {
            whole -= behind;
            continue;
        }
        whole += !behind;
        if (IS_LONG)
            units->size = units->size * 10 + digit;
        if (used <= UNITS_DIGITS)
            digits[used++] = digit;
    }
    from = any ? zgi_behind_exponent(from, to, &exponent) : NULL;
    whole += exponent;
    if (IS_LONG && used == whole && used < UNITS_DIGITS)
        return from;
    units->size = 0;
    if (used == 0 || whole < 0)
        return from;
    if (whole > UNITS_DIGITS)
        return NULL;
    for (uint8_t i = 0; i < whole; i++)
        if (!add_digit(&units->size, i < used ? digits[i] : 0))
            return NULL;
    return whole < used && digits[whole] >= 5 && ++units->size == 0 ? NULL : from;
}

bool zgi_read_units(const char *from, const char *to, const struct zg_spelling *spelling, struct zgi_number *units)
{
    from = zgi_has_width(from, to, spelling) ? zgi_take_units(from, to, spelling, units) : NULL;
    return from && zgi_is_all(from, to, spelling);
}

bool zg_read_decimal(const char *from, const char *to, const struct zg_spelling *spelling, zg_spelled *units)
{
    struct zgi_number number;
    return zgi_read_units(from, to, spelling, &number) && fit(spelling, &number, units);
}

bool zg_take_decimal(struct zg_text_reader *from, const char *front, const struct zg_spelling *spelling,
                     zg_spelled *units)
{
    const char *const first = zgi_behind(from->at, from->end, front);
    struct zgi_number number;

    from->at = first ? zgi_take_units(first, from->end, spelling, &number) : NULL;
    return from->at && fit(spelling, &number, units);
}

bool zg_read_scaled(const char *from, const char *to, const struct zg_spelling *spelling,
                    const struct zg_scaling *scaling, zg_spelled *raw)
{
    const zg_spelled most = ~(zg_spelled)0 >> 1;
    const struct zgi_number shift = number_of((zg_spelled)scaling->shift, true);
    struct zgi_number units;

    if (!zgi_read_units(from, to, spelling, &units) || units.size > (most - shift.size) / (zg_spelled)scaling->divisor)
        return false;
    units = divided((zg_spelled_signed)bits_of(units) * scaling->divisor - scaling->shift, scaling->factor);
    return fit(spelling, &units, raw);
}

bool zg_read_number(const char *from, const char *to, const struct zg_spelling *spelling, zg_spelled *raw)
{
    bool negative;

    if (spelling->base == 10)
        return zg_read_decimal(from, to, spelling, raw);
    from = zgi_has_width(from, to, spelling) ? zgi_behind_front(from, to, spelling, &negative) : NULL;
    if (!from || !read_bits(&from, to, spelling, raw) || !zgi_is_all(from, to, spelling))
        return false;
    if (is_signed(spelling)) {
        const zg_spelled sign = (zg_spelled)1 << (spelling->bits - 1U);
        *raw = (*raw ^ sign) - sign;
    }
    return true;
}

/* Without the blanks that fill a width up. */
static const char *without_fill(const char *from, const char *to, unsigned width)
{
    while (width > 0 && to > from && to[-1] == ' ')
        to--;
    return to;
}

bool zg_read_word(const char *from, const char *to, const struct zg_word *words, unsigned count,
                  const struct zg_spelling *spelling, zg_spelled *raw, unsigned width)
{
    const char *const end = without_fill(from, to, width);

    if (width > 0 && (size_t)(to - from) != width)
        return false;
    for (unsigned i = 0; i < count; i++)
        if (zg_is_word(from, end, words[i].text)) {
            *raw = words[i].value;
            return true;
        }
    return zg_read_number(from, to, spelling, raw);
}

bool zg_read_bool(const char *from, const char *to, const char *on, const char *off, unsigned width, bool *value)
{
    const char *const end = without_fill(from, to, width);

    *value = zg_is_word(from, end, on);
    return (width == 0 || (size_t)(to - from) == width) && (*value || zg_is_word(from, end, off));
}

/* The bit that a word, or one or two digits, name. */
static bool bit_of(const char *from, const char *to, const struct zg_word *words, unsigned count, unsigned bits,
                   unsigned *bit)
{
    for (unsigned i = 0; i < count; i++)
        if (zg_is_word(from, to, words[i].text)) {
            *bit = (unsigned)words[i].value;
            return true;
        }
    return zgi_read_bit(from, to, bits, bit);
}

bool zg_read_flags(const char *from, const char *to, const struct zg_word *words, unsigned count, unsigned bits,
                   const char *between, zg_spelled *raw)
{
    *raw = 0;
    if (from == to)
        return true;
    for (;;) {
        const char *const end = find(from, to, between);
        unsigned bit;
        if (!bit_of(from, end, words, count, bits, &bit) || (*raw >> bit & 1U) != 0)
            return false;
        *raw |= (zg_spelled)1 << bit;
        if (end == to)
            return true;
        from = end + zgi_length_of(between);
    }
}

bool zg_read_text(const char *from, const char *to, char *text, size_t most, size_t *size, char quote, unsigned width)
{
    *size = 0;
    if (width > 0 && (size_t)(to - from) != width)
        return false;
    to = without_fill(from, to, width);
    if (quote != '\0') {
        if (to - from < 2 || *from != quote || to[-1] != quote)
            return false;
        from++;
        to--;
    }
    for (; from < to; from++) {
        if (*size == most)
            return false;
        text[(*size)++] = *from;
        if (quote != '\0' && *from == quote && (++from == to || *from != quote))
            return false;
    }
    return true;
}

bool zg_read_hex(const char *from, const char *to, uint8_t *bytes, size_t most, size_t *size)
{
    static const struct zg_spelling spelling = { "", 0, 8, 16, 0, 0, 0, '.' };

    *size = 0;
    for (; from < to; from += 2) {
        const char *at = from;
        zg_spelled byte;
        if (to - from < 2 || *size == most || !read_bits(&at, from + 2, &spelling, &byte) || at != from + 2)
            return false;
        bytes[(*size)++] = (uint8_t)byte;
    }
    return true;
}

static uint8_t base64_value(char c)
{
    for (uint8_t value = 0; value < 64; value++)
        if (base64_digit(value) == c)
            return value;
    return 64;
}

bool zg_read_base64(const char *from, const char *to, uint8_t *bytes, size_t most, size_t *size)
{
    *size = 0;
    for (; from < to; from += 4) {
        uint8_t values[4], missing = 0;
        if (to - from < 4)
            return false;
        for (uint8_t i = 0; i < 4; i++) {
            values[i] = base64_value(from[i]);
            if (values[i] == 64 && (from[i] != '=' || i < 2 || from + 4 != to))
                return false;
            if (values[i] != 64 && missing > 0)
                return false;
            missing = (uint8_t)(missing + (values[i] == 64 ? 1 : 0));
            values[i] &= 63U;
        }
        if (most - *size < 3U - missing)
            return false;
        /* what is left over of the last digit is zero */
        if ((missing == 2 && (values[1] & 15U) != 0) || (missing == 1 && (values[2] & 3U) != 0))
            return false;
        bytes[(*size)++] = (uint8_t)(values[0] << 2 | values[1] >> 4);
        if (missing < 2)
            bytes[(*size)++] = (uint8_t)(values[1] << 4 | values[2] >> 2);
        if (missing < 1)
            bytes[(*size)++] = (uint8_t)(values[2] << 6 | values[3]);
    }
    return true;
}

bool zg_is_integer(const char *from, const char *to, zg_spelled_signed value)
{
    const struct zgi_number wanted = number_of((zg_spelled)value, true);
    const bool negative = from < to && *from == '-';
    zg_spelled size = 0;

    if (from < to && (*from == '-' || *from == '+'))
        from++;
    const char *const first = from;
    while (zgi_is_digit(from, to) && add_digit(&size, (uint8_t)(*from - '0')))
        from++;
    return from == to && from > first && size == wanted.size && (size == 0 || negative == wanted.negative);
}

size_t zg_text_length(const char *text, size_t most)
{
    size_t length = 0;
    while (length < most && text[length] != '\0')
        length++;
    return length;
}
