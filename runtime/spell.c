/* SPDX-License-Identifier: MIT */
#include "zeugma/spell.h"

#include "characters.h"

enum { DECIMAL_DIGITS = ZG_SPELL_BITS / 3 + 12 }; /* with point and zeros */

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

/* The nearest whole number to a quotient, ties away from zero. */
static struct zg_number divided(zg_spelled_signed value, zg_spelled_signed by)
{
    struct zg_number number = zg_number_of(value), divisor = zg_number_of(by);

    number.size = (number.size + divisor.size / 2) / divisor.size;
    number.negative = number.negative != divisor.negative;
    return number;
}

/* Whether a number's type has more bits than are shown in one shift. */
static zg_spelled mask_of(const struct zg_spelling *spelling)
{
    return ~(zg_spelled)0 >> (ZG_SPELL_BITS - spelling->bits);
}

void zgi_put_number(struct zg_writer *to, const struct zg_spelling *spelling, char sign, const char *digits,
                    size_t count)
{
    const size_t size = count + zgi_length_of(spelling->prefix) + (sign != '\0' ? 1 : 0);
    size_t more = spelling->width > size ? spelling->width - size : 0;

    if (spelling->width > 0 && size > spelling->width)
        to->refused = true;
    if ((spelling->flags & ZG_SPELL_ZEROS) == 0) {
        fill(to, more, ' ');
        more = 0;
    }
    if (sign != '\0')
        zgi_put(to, sign);
    zg_write(to, spelling->prefix);
    fill(to, more, '0');
    for (size_t i = 0; i < count; i++)
        zgi_put(to, digits[i]);
}

void zg_write_decimal(struct zg_writer *to, const struct zg_spelling *spelling, struct zg_number raw)
{
    struct zg_number units = raw;
    char digits[DECIMAL_DIGITS];
    uint8_t at = DECIMAL_DIGITS, behind = 0;

    if (spelling->divisor != 0)
        units = divided((zg_spelled_signed)zg_number_bits(raw) * spelling->factor + spelling->shift, spelling->divisor);
    const bool is_zero = units.size == 0;
    do {
        if (behind == spelling->decimals && behind > 0)
            digits[--at] = zgi_point_of(spelling);
        behind++;
        digits[--at] = (char)('0' + (uint8_t)(units.size % 10));
        units.size /= 10;
    } while (units.size > 0 || behind <= spelling->decimals);
    zgi_put_number(to, spelling, zgi_sign_of(spelling, units.negative && !is_zero), digits + at,
                   (size_t)(DECIMAL_DIGITS - at));
}

void zg_write_number(struct zg_writer *to, const struct zg_spelling *spelling, struct zg_number raw)
{
    const uint8_t size = spelling->base == 16 ? 4 : 1;
    zg_spelled bits = zg_number_bits(raw) & mask_of(spelling);
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
                   const struct zg_spelling *spelling, struct zg_number raw, unsigned width)
{
    const char *const word = zgi_word_of(words, count, zg_number_bits(raw));

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
    if (!zgi_begins(from->at, from->end, literal))
        return false;
    from->at += zgi_length_of(literal);
    return true;
}

bool zg_is_word(const char *from, const char *to, const char *text)
{
    return zgi_begins(from, to, text) && (size_t)(to - from) == zgi_length_of(text);
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

/* Behind blanks, a sign and the prefix, as far as they are there. */
static const char *skip_front(const char *from, const char *to, const struct zg_spelling *spelling)
{
    from = skip_blanks(from, to);
    if (spelling->base == 10 && from < to && (*from == '-' || *from == '+'))
        from++;
    return zgi_begins(from, to, spelling->prefix) ? from + zgi_length_of(spelling->prefix) : from;
}

const char *zg_value_end(const struct zg_text_reader *from, const char *stop, size_t size,
                         const struct zg_spelling *number, char quote)
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
    return find(number ? skip_front(at, from->end, number) : at, from->end, stop);
}

const char *zg_next_element(const struct zg_text_reader *from, const char *between, size_t size,
                            const struct zg_spelling *number, bool *last)
{
    *last = find(from->at, from->end, between) == from->end;
    return zg_value_end(from, *last ? "" : between, size, number, '\0');
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

/* Takes blanks, sign and prefix. False: the prefix is not there. */
static bool take_front(const char **at, const char *to, const struct zg_spelling *spelling, bool *negative)
{
    const char *from = skip_blanks(*at, to);

    *negative = from < to && *from == '-';
    if (spelling->base == 10 && from < to && (*from == '-' || *from == '+'))
        from++;
    if (!zgi_begins(from, to, spelling->prefix))
        return false;
    *at = from + zgi_length_of(spelling->prefix);
    return true;
}

/* Adds a digit. False: the number is too large. */
static bool add_digit(zg_spelled *number, uint8_t base, uint8_t digit)
{
    if (*number > (~(zg_spelled)0 - digit) / base)
        return false;
    *number = *number * base + digit;
    return true;
}

/* Takes "E-12". Exponents beyond what any number needs are cut. */
static bool take_exponent(const char **at, const char *to, int32_t *exponent)
{
    const int32_t most = 1000000;
    bool negative = false;

    *exponent = 0;
    if (*at == to || (**at != 'e' && **at != 'E'))
        return true;
    ++*at;
    if (*at < to && (**at == '-' || **at == '+'))
        negative = *(*at)++ == '-';
    if (!zgi_is_digit(*at, to))
        return false;
    while (zgi_is_digit(*at, to)) {
        if (*exponent < most)
            *exponent = *exponent * 10 + (**at - '0');
        ++*at;
    }
    if (negative)
        *exponent = -*exponent;
    return true;
}

bool zgi_round_digits(const char *from, const char *to, char point, int32_t whole, zg_spelled *units)
{
    *units = 0;
    for (; from < to && whole >= 0; from++) {
        if (*from == point)
            continue;
        if (whole == 0 && *from >= '5')
            return add_digit(units, 1, 1);
        if (whole > 0 && !add_digit(units, 10, (uint8_t)(*from - '0')))
            return false;
        whole--;
    }
    for (; whole > 0 && *units > 0; whole--)
        if (!add_digit(units, 10, 0))
            return false;
    return true;
}

/* Takes decimal digits with the point among them, and the exponent that may follow. */
static bool take_digits(const char **at, const char *to, const struct zg_spelling *spelling, struct zgi_decimal *number)
{
    const char point = zgi_point_of(spelling);
    bool any = false, behind = false;
    int32_t exponent;

    number->first = *at;
    number->whole = 0;
    while (zgi_is_digit(*at, to) || (*at < to && **at == point && !behind)) {
        if (**at == point) {
            behind = true;
        } else {
            any = true;
            number->whole += behind ? 0 : 1;
        }
        ++*at;
    }
    number->last = *at;
    if (!any || !take_exponent(at, to, &exponent))
        return false;
    number->whole += exponent;
    return true;
}

static bool read_bits(const char **at, const char *to, const struct zg_spelling *spelling, zg_spelled *bits)
{
    const char *const first = *at;

    *bits = 0;
    while (*at < to) {
        const uint8_t digit = zgi_digit_value(**at);
        if (digit >= spelling->base)
            break;
        if (!add_digit(bits, spelling->base, digit))
            return false;
        ++*at;
    }
    return *at > first && *bits <= mask_of(spelling);
}

/* The raw number with so many units. False: there is none in the type. */
static bool raw_of(const struct zg_spelling *spelling, struct zg_number units, struct zg_number *raw)
{
    const zg_spelled most = ~(zg_spelled)0 >> 1;

    *raw = units;
    if (spelling->divisor != 0) {
        const struct zg_number shift = zg_number_of(spelling->shift);
        if (units.size > (most - shift.size) / (zg_spelled)spelling->divisor)
            return false;
        *raw =
            divided((zg_spelled_signed)zg_number_bits(units) * spelling->divisor - spelling->shift, spelling->factor);
    }
    if (raw->size == 0)
        raw->negative = false;
    if ((spelling->flags & ZG_SPELL_SIGNED) == 0)
        return !raw->negative && raw->size <= mask_of(spelling);
    return raw->size <= (mask_of(spelling) >> 1) + (raw->negative ? 1U : 0U);
}

struct zg_number zgi_number_of_bits(const struct zg_spelling *spelling, zg_spelled bits)
{
    struct zg_number number;

    bits &= mask_of(spelling);
    number.negative = (spelling->flags & ZG_SPELL_SIGNED) != 0 && (bits >> (spelling->bits - 1) & 1U) != 0;
    number.size = number.negative ? ((zg_spelled)0 - bits) & mask_of(spelling) : bits;
    return number;
}

/* Whether nothing is left but the blanks that fill a width up. */
static bool is_all(const char *from, const char *to, const struct zg_spelling *spelling)
{
    return (spelling->width > 0 ? skip_blanks(from, to) : from) == to;
}

bool zgi_take_decimal(const char *from, const char *to, const struct zg_spelling *spelling, struct zgi_decimal *number)
{
    if (spelling->width > 0 && (size_t)(to - from) != spelling->width)
        return false;
    return take_front(&from, to, spelling, &number->negative) && take_digits(&from, to, spelling, number) &&
           is_all(from, to, spelling);
}

bool zg_read_decimal(const char *from, const char *to, const struct zg_spelling *spelling, struct zg_number *raw)
{
    struct zgi_decimal number;
    struct zg_number units;

    if (!zgi_take_decimal(from, to, spelling, &number) ||
        !zgi_round_digits(number.first, number.last, zgi_point_of(spelling), spelling->decimals + number.whole,
                          &units.size))
        return false;
    units.negative = number.negative;
    return raw_of(spelling, units, raw);
}

bool zg_read_number(const char *from, const char *to, const struct zg_spelling *spelling, struct zg_number *raw)
{
    zg_spelled bits;
    bool negative;

    if (spelling->base == 10)
        return zg_read_decimal(from, to, spelling, raw);
    if (spelling->width > 0 && (size_t)(to - from) != spelling->width)
        return false;
    if (!take_front(&from, to, spelling, &negative) || !read_bits(&from, to, spelling, &bits) ||
        !is_all(from, to, spelling))
        return false;
    *raw = zgi_number_of_bits(spelling, bits);
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
                  const struct zg_spelling *spelling, struct zg_number *raw, unsigned width)
{
    const char *const end = without_fill(from, to, width);

    if (width > 0 && (size_t)(to - from) != width)
        return false;
    for (unsigned i = 0; i < count; i++)
        if (zg_is_word(from, end, words[i].text)) {
            *raw = zgi_number_of_bits(spelling, words[i].value);
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
    struct zg_spelling spelling = { "", 1, 0, 0, 8, 16, 0, 0, 0 };

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
    const struct zg_number wanted = zg_number_of(value);
    const bool negative = from < to && *from == '-';
    zg_spelled size = 0;

    if (from < to && (*from == '-' || *from == '+'))
        from++;
    const char *const first = from;
    while (zgi_is_digit(from, to) && add_digit(&size, 10, (uint8_t)(*from - '0')))
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
