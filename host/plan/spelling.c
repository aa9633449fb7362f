/* SPDX-License-Identifier: MIT */
#include "plan/spelling.h"

#include <math.h>
#include <string.h>

#include "plan/physical.h"

enum {
    DIGITS_MOST = 20,    /* of 2^64 */
    MAGNITUDE_MOST = 400 /* of a number that any type can hold: 10 to that */
};

static const struct zg_form *form_of(const struct zg_step *step)
{
    return &step->field->form;
}

static bool is_float(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_FLOAT;
}

/* Whether it is written in base 2 or 16, as its bits. */
static bool is_bits(const struct zg_step *step)
{
    return form_of(step)->base != 10;
}

unsigned zg_step_decimals(const struct zg_step *step)
{
    const struct zg_form *form = form_of(step);

    if (form->decimals >= 0)
        return (unsigned)form->decimals;
    return step->field->scaled && !form->raw && !is_bits(step) ? (unsigned)MAX(step->field->decimals, 0) : 0;
}

static void power_of_ten(mpz_t power, unsigned long exponent)
{
    mpz_ui_pow_ui(power, 10, exponent);
}

/* The number that is written: the physical value, or the raw one. */
static void exact_value(const struct zg_step *step, union zg_raw raw, mpq_t value)
{
    if (is_float(step))
        mpq_set_d(value, raw.f);
    else if (form_of(step)->raw)
        zg_step_exact_raw(step, raw, value);
    else
        zg_step_exact(step, raw, value);
}

/* --- written */

/* Appends sign, prefix and digits, filled up to the width. False: they exceed it. */
static bool append_filled(const struct zg_step *step, const char *sign, const char *digits, GString *text)
{
    const struct zg_form *form = form_of(step);
    const char *prefix = form->prefix ? form->prefix : "";
    const size_t size = strlen(sign) + strlen(prefix) + strlen(digits);

    if (form->width > 0 && size > form->width)
        return false;
    const size_t fill = form->width > size ? form->width - size : 0;
    for (size_t i = 0; i < fill && form->pad == ' '; i++)
        g_string_append_c(text, ' ');
    g_string_append(text, sign);
    g_string_append(text, prefix);
    for (size_t i = 0; i < fill && form->pad == '0'; i++)
        g_string_append_c(text, '0');
    g_string_append(text, digits);
    return true;
}

static const char *sign_of(const struct zg_step *step, int sign)
{
    return sign < 0 ? "-" : form_of(step)->sign ? "+" : "";
}

/* Appends a whole number of units of the last decimal. */
static bool append_decimal(const struct zg_step *step, const mpz_t units, GString *text)
{
    const unsigned decimals = zg_step_decimals(step);
    char digits[DIGITS_MOST + 16] = "";
    mpz_t size;

    mpz_init(size);
    mpz_abs(size, units);
    const bool fits = mpz_sizeinbase(size, 2) <= 64;
    if (fits)
        (void)gmp_snprintf(digits, sizeof digits, "%0*Zd", (int)decimals + 1, size);
    mpz_clear(size);
    if (!fits)
        return false;
    const size_t whole = strlen(digits) - decimals;
    if (decimals > 0) {
        memmove(digits + whole + 1, digits + whole, decimals + 1);
        digits[whole] = form_of(step)->point;
    }
    return append_filled(step, sign_of(step, mpz_sgn(units)), digits, text);
}

/* number = the integer nearest to value * 10^exponent */
static void scaled_by_ten(mpz_t number, const mpq_t value, long exponent)
{
    mpz_t power;
    mpq_t scaled;

    mpz_init(power);
    mpq_init(scaled);
    power_of_ten(power, (unsigned long)labs(exponent));
    mpz_set_ui(mpq_numref(scaled), 1);
    mpz_set(exponent >= 0 ? mpq_numref(scaled) : mpq_denref(scaled), power);
    mpq_mul(scaled, scaled, value);
    zg_round_away(number, scaled);
    mpq_clear(scaled);
    mpz_clear(power);
}

/* Appends a float as a mantissa of one digit before the point, and an exponent of two digits or more. */
static bool append_exponent(const struct zg_step *step, const mpq_t value, GString *text)
{
    const unsigned behind = (unsigned)form_of(step)->exponent;
    const int sign = mpq_sgn(value);
    long exponent = 0;
    mpq_t size;
    mpz_t units, limit;

    mpq_init(size);
    mpz_inits(units, limit, NULL);
    mpq_abs(size, value);
    if (sign != 0) { /* an estimate that is right or one too low, and then a digit too many shows it */
        exponent = (long)floor(
            (double)((long)mpz_sizeinbase(mpq_numref(size), 2) - (long)mpz_sizeinbase(mpq_denref(size), 2) - 1) *
            0.30102999566398119521);
        power_of_ten(limit, behind + 1UL);
        for (;; exponent++) {
            scaled_by_ten(units, size, (long)behind - exponent);
            if (mpz_cmp(units, limit) < 0)
                break;
        }
    }
    g_autofree char *digits = g_malloc(behind + 32);
    (void)gmp_snprintf(digits, behind + 32, "%0*Zd", (int)behind + 1, units);
    g_autofree char *whole =
        behind > 0 ? g_strdup_printf("%c%c%sE%+03ld", digits[0], form_of(step)->point, digits + 1, exponent)
                   : g_strdup_printf("%sE%+03ld", digits, exponent);
    /* rounded up, the greatest numbers are beyond the type */
    union zg_raw again;
    mpq_set_z(size, units);
    power_of_ten(limit, (unsigned long)MAX(exponent - (long)behind, 0));
    mpz_mul(mpq_numref(size), mpq_numref(size), limit);
    const bool fits = exponent <= (long)behind || zg_step_nearest(step, size, false, &again);
    mpz_clears(units, limit, NULL);
    mpq_clear(size);
    return fits && append_filled(step, sign_of(step, sign), whole, text);
}

/* Appends a number's bits in base 2 or 16. */
static bool append_bits(const struct zg_step *step, union zg_raw raw, GString *text)
{
    const struct zg_form *form = form_of(step);
    const unsigned size = form->base == 16 ? 4 : 1;
    const char *const all = form->lower == 1 ? "0123456789abcdef" : "0123456789ABCDEF";
    uint64_t bits = raw.u & UINT64_MAX >> (64 - step->type.bits);
    char digits[65];
    unsigned at = sizeof digits - 1;

    digits[at] = '\0';
    do
        digits[--at] = all[bits & (form->base - 1)];
    while ((bits >>= size) > 0);
    return append_filled(step, "", digits + at, text);
}

bool zg_spell(const struct zg_step *step, union zg_raw raw, GString *text)
{
    bool good;
    mpq_t value;

    if (is_bits(step))
        return append_bits(step, raw, text);
    if (is_float(step) && !isfinite(raw.f))
        return false;
    mpq_init(value);
    exact_value(step, raw, value);
    if (form_of(step)->exponent >= 0) {
        good = append_exponent(step, value, text);
    } else {
        mpz_t units;
        mpz_init(units);
        scaled_by_ten(units, value, (long)zg_step_decimals(step));
        good = append_decimal(step, units, text);
        mpz_clear(units);
    }
    mpq_clear(value);
    return good;
}

/* --- read */

static size_t blanks(const char *text, size_t length)
{
    size_t count = 0;
    while (count < length && text[count] == ' ')
        count++;
    return count;
}

size_t zg_before_digits(const struct zg_step *step, const char *text, size_t length)
{
    const char *prefix = form_of(step)->prefix;
    size_t at = blanks(text, length);

    if (at < length && (text[at] == '-' || text[at] == '+') && !is_bits(step))
        at++;
    const size_t size = prefix ? strlen(prefix) : 0;
    return at + (size > 0 && length - at >= size && memcmp(text + at, prefix, size) == 0 ? size : 0);
}

/* A decimal number in its parts: the digits of the mantissa without point, and the power of ten of the last one. */
struct parts {
    GString *digits;
    bool negative;
    long exponent;
};

/* Takes an exponent's digits; those beyond what any number needs do not count. */
static bool take_exponent(const char *text, size_t length, size_t *at, long *exponent)
{
    bool negative = false;
    long value = 0;

    if (*at < length && (text[*at] == '-' || text[*at] == '+'))
        negative = text[(*at)++] == '-';
    const size_t first = *at;
    for (; *at < length && g_ascii_isdigit(text[*at]); ++*at)
        value = MIN(10 * value + (text[*at] - '0'), 10000000L);
    *exponent += negative ? -value : value;
    return *at > first;
}

static bool take_apart(const struct zg_step *step, const char *text, size_t length, struct parts *parts)
{
    const struct zg_form *form = form_of(step);
    const size_t prefix = form->prefix ? strlen(form->prefix) : 0, front = zg_before_digits(step, text, length);
    size_t at = blanks(text, length);
    bool behind = false;

    parts->negative = at < length && text[at] == '-';
    at += at < length && (text[at] == '-' || text[at] == '+');
    if (front != at + prefix)
        return false;
    for (at = front; at < length; at++) {
        if (text[at] == form->point && !behind)
            behind = true;
        else if (!g_ascii_isdigit(text[at]))
            break;
        else {
            g_string_append_c(parts->digits, text[at]);
            parts->exponent -= behind;
        }
    }
    if (parts->digits->len == 0)
        return false;
    if (at < length && (text[at] == 'e' || text[at] == 'E')) {
        at++;
        if (!take_exponent(text, length, &at, &parts->exponent))
            return false;
    }
    if (form->width > 0)
        at += blanks(text + at, length - at);
    return at == length;
}

/* The number, exactly; what is nearer to zero than any number is zero. False: it is larger than any. */
static bool value_of(const struct parts *parts, mpq_t value)
{
    const char *digits = parts->digits->str;
    size_t zeros = strspn(digits, "0");
    mpz_t power;

    mpq_set_ui(value, 0, 1);
    if (zeros == parts->digits->len)
        return true;
    const long magnitude = (long)(parts->digits->len - zeros) + parts->exponent;
    if (magnitude > MAGNITUDE_MOST || magnitude < -MAGNITUDE_MOST)
        return magnitude < 0;
    (void)mpz_set_str(mpq_numref(value), digits + zeros, 10);
    mpz_init(power);
    power_of_ten(power, (unsigned long)labs(parts->exponent));
    if (parts->exponent >= 0)
        mpz_mul(mpq_numref(value), mpq_numref(value), power);
    else
        mpz_set(mpq_denref(value), power);
    mpq_canonicalize(value);
    if (parts->negative)
        mpq_neg(value, value);
    mpz_clear(power);
    return true;
}

/* value = value rounded to the step's decimals. False: it is 2^64 or more in units of the last one. */
static bool round_to_decimals(const struct zg_step *step, mpq_t value)
{
    const unsigned decimals = zg_step_decimals(step);
    mpz_t units;

    mpz_init(units);
    scaled_by_ten(units, value, (long)decimals);
    const bool fits = mpz_sizeinbase(units, 2) <= 64;
    mpz_set(mpq_numref(value), units);
    power_of_ten(mpq_denref(value), decimals);
    mpq_canonicalize(value);
    mpz_clear(units);
    return fits;
}

static bool take_bits(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw)
{
    const struct zg_form *form = form_of(step);
    const size_t prefix = form->prefix ? strlen(form->prefix) : 0, front = zg_before_digits(step, text, length);
    size_t at = front;
    uint64_t bits = 0;

    if (front != blanks(text, length) + prefix)
        return false;
    for (; at < length; at++) {
        const int digit = g_ascii_xdigit_value(text[at]);
        if (digit < 0 || digit >= (int)form->base)
            break;
        if (bits > (UINT64_MAX >> (64 - step->type.bits)) / form->base)
            return false;
        bits = bits * form->base + (uint64_t)digit;
    }
    const bool any = at > front;
    if (form->width > 0)
        at += blanks(text + at, length - at);
    if (!any || at < length || bits > UINT64_MAX >> (64 - step->type.bits))
        return false;
    *raw = zg_step_of_bits(step, bits);
    return true;
}

void zgi_prepare_spelling(struct zg_step *step)
{
    const struct zg_form *form = form_of(step);
    mpq_t unit, each, zero;

    if (!zg_type_is_integer(step->type) || is_bits(step) || form->width > 0 || form->prefix)
        return;
    mpq_inits(unit, each, zero, NULL);
    power_of_ten(mpq_numref(unit), zg_step_decimals(step)); /* units in one */
    if (step->field->scaled && !form->raw) {
        mpq_mul(each, step->field->scale, unit);
        mpq_mul(zero, step->field->offset, unit);
    } else {
        mpq_set(each, unit);
    }
    if (mpz_cmp_ui(mpq_denref(each), 1) == 0 && mpz_cmp_ui(mpq_denref(zero), 1) == 0 &&
        mpz_sizeinbase(mpq_numref(each), 2) < 32 && mpz_sizeinbase(mpq_numref(zero), 2) < 62) {
        step->units_each = mpz_get_si(mpq_numref(each));
        step->units_zero = mpz_get_si(mpq_numref(zero));
    }
    mpq_clears(unit, each, zero, NULL);
}

/* Digits with a sign and a point at most, of moderate number and with no more decimals than are written, which are a
 * whole raw number within its type. False: it is none of these, and may be a number all the same. */
static bool take_quickly(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw)
{
    enum { DIGITS_QUICK = 18 };
    const unsigned decimals = zg_step_decimals(step);
    const char point = form_of(step)->point;
    const bool negative = length > 0 && text[0] == '-';
    size_t at = length > 0 && (text[0] == '-' || text[0] == '+'), digits = 0, behind = 0;
    int64_t units = 0;
    bool fraction = false;

    if (step->units_each == 0 || length - at > DIGITS_QUICK)
        return false;
    for (; at < length; at++) {
        const char letter = text[at];
        if (letter == point && !fraction) {
            fraction = true;
            continue;
        }
        if (letter < '0' || letter > '9')
            return false;
        units = 10 * units + (letter - '0');
        digits++;
        behind += fraction;
    }
    if (digits == 0 || behind > decimals || digits + decimals - behind > DIGITS_QUICK)
        return false;
    for (; behind < decimals; behind++)
        units *= 10;
    const int64_t above = (negative ? -units : units) - step->units_zero;
    const int64_t value = above / step->units_each;
    const unsigned bits = step->type.bits;
    if (above % step->units_each != 0)
        return false;
    if (zg_step_is_signed(step)) {
        const int64_t most = (int64_t)(UINT64_MAX >> (65 - bits));
        raw->i = value;
        return value <= most && value >= -most - 1;
    }
    raw->u = (uint64_t)value;
    return value >= 0 && raw->u <= UINT64_MAX >> (64 - bits);
}

bool zg_unspell(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw)
{
    struct parts parts = { .digits = NULL };
    bool good;
    mpq_t value;

    if (form_of(step)->width > 0 && length != form_of(step)->width)
        return false;
    if (is_bits(step))
        return take_bits(step, text, length, raw);
    if (take_quickly(step, text, length, raw))
        return true;
    parts.digits = g_string_new(NULL);
    mpq_init(value);
    good = take_apart(step, text, length, &parts) && value_of(&parts, value) &&
           (form_of(step)->exponent >= 0 || round_to_decimals(step, value)) &&
           zg_step_nearest(step, value, form_of(step)->raw, raw);
    if (good && is_float(step) && raw->f == 0)
        raw->f = 0; /* without a sign, however near to it the number was */
    mpq_clear(value);
    g_string_free(parts.digits, TRUE);
    return good;
}

static bool is_read_again(const struct zg_step *step, union zg_raw raw)
{
    g_autoptr(GString) text = g_string_new(NULL);
    union zg_raw again;

    return zg_spell(step, raw, text) && zg_unspell(step, text->str, text->len, &again);
}

/* The last raw value that is read again, from one that is, `good`, up or down to one that is not. */
static union zg_raw last_good(const struct zg_step *step, union zg_raw good, union zg_raw bad, bool up)
{
    for (;;) {
        const uint64_t way = (up ? bad.u - good.u : good.u - bad.u) / 2;
        const union zg_raw middle = { .u = up ? good.u + way : good.u - way };
        if (way == 0)
            return good;
        *(is_read_again(step, middle) ? &good : &bad) = middle;
    }
}

/* A raw value that is read again: one in the middle of its limits, as long as its number is not too great; the one
 * nearest to zero; the limits themselves. False: there is none. */
static bool find_good(const struct zg_step *step, union zg_raw *good)
{
    union zg_raw tried[4] = {
        { .u = step->low.u + (step->high.u - step->low.u) / 2 }, step->low, step->high, step->low
    };
    unsigned i = 0;
    mpq_t zero;

    mpq_init(zero);
    (void)zg_step_raw(step, zero, &tried[3]);
    mpq_clear(zero);
    while (i < G_N_ELEMENTS(tried) && !is_read_again(step, tried[i]))
        i++;
    *good = tried[MIN(i, G_N_ELEMENTS(tried) - 1)];
    return i < G_N_ELEMENTS(tried);
}

bool zgi_limit_to_written(struct zg_step *step)
{
    const struct zg_form *form = form_of(step);
    union zg_raw low = step->low, high = step->high, good;

    if (!zg_type_is_integer(step->type) || !step->field->scaled || form->decimals < 0 || form->raw || is_bits(step))
        return true;
    if (!find_good(step, &good))
        return false;
    low = is_read_again(step, low) ? low : last_good(step, good, low, false);
    high = is_read_again(step, high) ? high : last_good(step, good, high, true);
    if (low.u != step->low.u || high.u != step->high.u)
        zgi_step_narrow(step, low, high);
    return true;
}

/* --- lengths */

/* The length of a limit of the type; of one that is too great for what is written, that of the greatest before it. */
static void note_length(const struct zg_step *step, union zg_raw raw, unsigned *least, unsigned *most)
{
    g_autoptr(GString) text = g_string_new(NULL);
    const unsigned prefix = step->field->form.prefix ? (unsigned)strlen(step->field->form.prefix) : 0;

    if (zg_spell(step, raw, text)) {
        *least = MIN(*least, (unsigned)text->len);
        *most = MAX(*most, (unsigned)text->len);
    } else {
        *most = MAX(*most, prefix + 1 + DIGITS_MOST + (zg_step_decimals(step) > 0));
    }
}

void zg_spelling_lengths(const struct zg_step *step, unsigned *least, unsigned *most)
{
    const struct zg_form *form = form_of(step);
    const unsigned decimals = zg_step_decimals(step), around = form->prefix ? (unsigned)strlen(form->prefix) : 0;

    if (form->width > 0) {
        *least = *most = form->width;
        return;
    }
    if (is_float(step)) {
        const unsigned signs = form->sign ? 1 : 0;
        const unsigned behind = form->exponent >= 0 ? (unsigned)form->exponent : decimals;
        const unsigned point = behind > 0 ? behind + 1 : 0;
        const unsigned exponent = form->exponent >= 0 ? 4 : 0, longest = step->type.bits == 64 ? 5 : 4;
        *least = around + signs + 1 + point + exponent;
        *most = around + 1 + (form->exponent >= 0 ? 1 + point + longest : DIGITS_MOST + (behind > 0));
        return;
    }
    const union zg_raw zero = { .u = 0 };
    const uint64_t all = UINT64_MAX >> (64 - step->type.bits);
    union zg_raw high = { .u = all }, low = zero;
    if (zg_step_is_signed(step)) {
        high.i = (int64_t)(all >> 1);
        low.i = -high.i - 1;
    }
    *least = UINT_MAX;
    *most = 1;
    note_length(step, zero, least, most);
    note_length(step, high, least, most);
    note_length(step, low, least, most);
    if (is_bits(step))
        note_length(step, (union zg_raw){ .u = all }, least, most);
    *most = MAX(*most, *least);
    const unsigned shortest = around + (form->sign && !is_bits(step)) + 1 + (decimals > 0 ? decimals + 1 : 0);
    *least = MIN(*least, shortest); /* a value near zero */
}
