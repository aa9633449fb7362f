/* SPDX-License-Identifier: MIT */
/* Exact arithmetic between raw and physical values. */
#include <math.h>
#include <string.h>

#include "definition/words.h"
#include "plan/physical.h"

/* The nearest binary number with so many bits, the last of which weighs at least 2^least; ties to even. */
static double nearest(const mpq_t value, long bits, long least)
{
    mpz_t quotient, rest, divisor;
    int sign = mpq_sgn(value);

    if (sign == 0)
        return 0;
    mpz_inits(quotient, rest, divisor, NULL);
    mpz_abs(quotient, mpq_numref(value));
    mpz_set(divisor, mpq_denref(value));
    /* 2^exponent <= |value| < 2^(exponent+1), or exponent is one too high; then the quotient has one bit less */
    long exponent = (long)mpz_sizeinbase(quotient, 2) - (long)mpz_sizeinbase(divisor, 2);
    mpz_t scaled;
    mpz_init_set(scaled, divisor);
    if (exponent >= 0)
        mpz_mul_2exp(scaled, scaled, (mp_bitcnt_t)exponent);
    else
        mpz_mul_2exp(quotient, quotient, (mp_bitcnt_t)-exponent);
    if (mpz_cmp(quotient, scaled) < 0)
        exponent--;
    mpz_abs(quotient, mpq_numref(value));
    long lowest = MAX(exponent - bits + 1, least); /* the weight of the last bit of a number of this size */
    if (lowest < 0)
        mpz_mul_2exp(quotient, quotient, (mp_bitcnt_t)-lowest);
    else
        mpz_mul_2exp(divisor, divisor, (mp_bitcnt_t)lowest);
    mpz_fdiv_qr(quotient, rest, quotient, divisor);
    mpz_mul_2exp(rest, rest, 1);
    int half = mpz_cmp(rest, divisor);
    if (half > 0 || (half == 0 && mpz_odd_p(quotient)))
        mpz_add_ui(quotient, quotient, 1);
    double result = ldexp(mpz_get_d(quotient), (int)CLAMP(lowest, -2000, 2000));
    mpz_clears(quotient, rest, divisor, scaled, NULL);
    return sign < 0 ? -result : result;
}

double zg_nearest_double(const mpq_t value)
{
    return nearest(value, 53, -1074);
}

double zg_nearest_float(const mpq_t value)
{
    const double number = nearest(value, 24, -149);
    return fabs(number) > (double)G_MAXFLOAT ? copysign(HUGE_VAL, number) : number;
}

static void set_raw(mpq_t value, enum zg_kind kind, union zg_raw raw)
{
    if (kind == ZG_KIND_SIGNED || kind == ZG_KIND_LEB_SIGNED)
        mpz_set_si(mpq_numref(value), raw.i);
    else
        mpz_set_ui(mpq_numref(value), raw.u);
    mpz_set_ui(mpq_denref(value), 1);
}

static void exact_physical(const struct zg_step *step, union zg_raw raw, mpq_t physical)
{
    set_raw(physical, step->type.kind, raw);
    if (step->field && step->field->scaled) {
        mpq_mul(physical, physical, step->field->scale);
        mpq_add(physical, physical, step->field->offset);
    }
}

void zg_step_exact(const struct zg_step *step, union zg_raw raw, mpq_t physical)
{
    exact_physical(step, raw, physical);
}

void zg_step_exact_raw(const struct zg_step *step, union zg_raw raw, mpq_t value)
{
    set_raw(value, step->type.kind, raw);
}

double zg_step_physical(const struct zg_step *step, union zg_raw raw)
{
    if (step->type.kind == ZG_KIND_FLOAT)
        return raw.f;
    if (step->type.kind == ZG_KIND_BOOL)
        return raw.b;
    if (step->exact)
        return zg_scale_physical(&step->scale, zg_step_is_signed(step) ? (double)raw.i : (double)raw.u);
    mpq_t physical;
    mpq_init(physical);
    exact_physical(step, raw, physical);
    double nearest = zg_nearest_double(physical);
    mpq_clear(physical);
    return nearest;
}

double zg_step_rounded(const struct zg_step *step, double value)
{
    /* volatile: GCC 12.2 at -O2 drops one of two such conversions in a row */
    volatile float narrow = (float)value;
    return step->type.bits == 64 ? value : (double)narrow;
}

bool zg_step_permits(const struct zg_step *step, union zg_raw raw)
{
    if (step->type.kind == ZG_KIND_FLOAT)
        return !step->field->ranged || (raw.f >= step->low.f && raw.f <= step->high.f);
    if (!zg_type_is_integer(step->type))
        return true;
    return zg_step_is_signed(step) ? raw.i >= step->low.i && raw.i <= step->high.i
                                   : raw.u >= step->low.u && raw.u <= step->high.u;
}

void zg_round_away(mpz_t number, const mpq_t value)
{
    mpz_t twice;
    mpz_init(twice);
    mpz_mul_2exp(twice, mpq_numref(value), 1);
    if (mpq_sgn(value) >= 0)
        mpz_add(twice, twice, mpq_denref(value));
    else
        mpz_sub(twice, twice, mpq_denref(value));
    mpz_mul_2exp(number, mpq_denref(value), 1);
    mpz_tdiv_q(number, twice, number);
    mpz_clear(twice);
}

/* A whole number as a raw value. False: the 64 bits of this kind do not hold it. */
static bool raw_of(const mpz_t number, enum zg_kind kind, union zg_raw *raw)
{
    if (kind == ZG_KIND_SIGNED || kind == ZG_KIND_LEB_SIGNED) {
        if (!mpz_fits_slong_p(number))
            return false;
        raw->i = mpz_get_si(number);
    } else {
        if (!mpz_fits_ulong_p(number))
            return false;
        raw->u = mpz_get_ui(number);
    }
    return true;
}

static bool float_raw(const struct zg_step *step, const mpq_t physical, union zg_raw *raw)
{
    double value = zg_nearest_double(physical);

    raw->f = zg_step_rounded(step, value);
    if (isinf(raw->f) || (step->type.bits == 32 && fabs(value) > (double)G_MAXFLOAT))
        return false;
    return (value >= step->scale.low && value <= step->scale.high) || (raw->f == value && zg_step_permits(step, *raw));
}

/* Whether a value with more than 53 bits, outside the raw limits, is the double nearest to one of them. */
static bool is_limit(const struct zg_step *step, const mpq_t physical, union zg_raw *raw)
{
    const double given = zg_nearest_double(physical);

    if (!step->field || !step->field->scaled || step->type.bits <= 53)
        return false;
    *raw = given == zg_step_physical(step, step->low) ? step->low : step->high;
    return given == zg_step_physical(step, *raw);
}

bool zg_step_raw(const struct zg_step *step, const mpq_t physical, union zg_raw *raw)
{
    mpq_t exact;
    mpz_t number;
    bool good;

    if (step->type.kind == ZG_KIND_FLOAT)
        return float_raw(step, physical, raw);
    mpq_init(exact);
    mpz_init(number);
    mpq_set(exact, physical);
    if (step->field && step->field->scaled) {
        mpq_sub(exact, exact, step->field->offset);
        mpq_div(exact, exact, step->field->scale);
    }
    zg_round_away(number, exact);
    good = raw_of(number, step->type.kind, raw) && zg_step_permits(step, *raw);
    if (good && mpz_cmp_ui(mpq_denref(exact), 1) != 0) { /* judged by the given value, not by the rounded one */
        double given = zg_nearest_double(physical);
        good = (given >= step->scale.low && given <= step->scale.high) || given == zg_step_physical(step, *raw);
    }
    mpq_clear(exact);
    mpz_clear(number);
    return good || is_limit(step, physical, raw);
}

/* Whether a whole number is within the step's type, whatever its range. */
static bool is_within_type(const struct zg_step *step, union zg_raw raw)
{
    const unsigned bits = step->type.bits;

    if (!zg_step_is_signed(step))
        return raw.u <= UINT64_MAX >> (64 - bits);
    return raw.i <= (int64_t)(UINT64_MAX >> (65 - bits)) && raw.i >= -(int64_t)(UINT64_MAX >> (65 - bits)) - 1;
}

bool zg_step_nearest(const struct zg_step *step, const mpq_t value, bool is_raw, union zg_raw *raw)
{
    mpq_t exact;
    mpz_t number;

    if (step->type.kind == ZG_KIND_FLOAT) {
        raw->f = step->type.bits == 64 ? zg_nearest_double(value) : zg_nearest_float(value);
        return isfinite(raw->f);
    }
    mpq_init(exact);
    mpz_init(number);
    mpq_set(exact, value);
    if (step->field && step->field->scaled && !is_raw) {
        mpq_sub(exact, exact, step->field->offset);
        mpq_div(exact, exact, step->field->scale);
    }
    zg_round_away(number, exact);
    const bool good = raw_of(number, step->type.kind, raw) && is_within_type(step, *raw);
    mpq_clear(exact);
    mpz_clear(number);
    return good;
}

/* Moves a raw limit to the first raw value within a physical one. */
static void tighten(struct zg_step *step, const mpq_t limit, bool is_low)
{
    const struct zg_field *field = step->field;
    bool raw_low = is_low == (mpq_sgn(field->scale) > 0);
    union zg_raw raw;
    mpq_t exact;
    mpz_t number;

    mpq_init(exact);
    mpz_init(number);
    mpq_sub(exact, limit, field->offset);
    mpq_div(exact, exact, field->scale);
    if (raw_low)
        mpz_cdiv_q(number, mpq_numref(exact), mpq_denref(exact));
    else
        mpz_fdiv_q(number, mpq_numref(exact), mpq_denref(exact));
    if (raw_of(number, step->type.kind, &raw) && zg_step_permits(step, raw))
        *(raw_low ? &step->low : &step->high) = raw;
    mpq_clear(exact);
    mpz_clear(number);
}

/* The limits of a float type, in the type's own precision. */
static void float_limits(struct zg_step *step)
{
    step->scale = (struct zg_scale){ 1, 0, 1, -HUGE_VAL, HUGE_VAL };
    if (!step->field->ranged)
        return;
    step->scale.low = zg_nearest_double(step->field->low);
    step->scale.high = zg_nearest_double(step->field->high);
    step->low.f = zg_step_rounded(step, step->scale.low);
    step->high.f = zg_step_rounded(step, step->scale.high);
}

static void type_limits(struct zg_step *step)
{
    if (zg_step_is_signed(step)) {
        step->high.i = (int64_t)(((uint64_t)1 << (step->type.bits - 1)) - 1);
        step->low.i = -step->high.i - 1;
    } else {
        step->high.u = UINT64_MAX >> (64 - step->type.bits);
    }
}

/* The scale as three whole numbers; and whether these, and twice the sums made of them, stay below 2^53. */
static void scale_in_doubles(struct zg_step *step)
{
    const struct zg_field *field = step->field;
    mpz_t factor, shift, divisor, sum;

    mpz_inits(factor, shift, divisor, sum, NULL);
    mpz_mul(factor, mpq_numref(field->scale), mpq_denref(field->offset));
    mpz_mul(shift, mpq_numref(field->offset), mpq_denref(field->scale));
    mpz_mul(divisor, mpq_denref(field->scale), mpq_denref(field->offset));
    mpz_gcd(sum, factor, shift);
    mpz_gcd(sum, sum, divisor);
    mpz_divexact(factor, factor, sum);
    mpz_divexact(shift, shift, sum);
    mpz_divexact(divisor, divisor, sum);
    mpz_abs(sum, factor);
    mpz_mul_2exp(sum, sum, step->type.bits);
    step->exact = mpz_sizeinbase(sum, 2) <= 50 && mpz_sizeinbase(shift, 2) <= 50 && mpz_sizeinbase(divisor, 2) <= 51;
    step->scale.factor = mpz_get_d(factor);
    step->scale.shift = mpz_get_d(shift);
    step->scale.divisor = mpz_get_d(divisor);
    mpz_clears(factor, shift, divisor, sum, NULL);
}

/* The physical limits: the type's, or the range's if that is narrower. */
static void physical_limits(struct zg_step *step, union zg_raw least, union zg_raw most)
{
    const struct zg_field *field = step->field;
    mpq_t low, high;

    mpq_inits(low, high, NULL);
    exact_physical(step, least, low);
    exact_physical(step, most, high);
    if (mpq_cmp(low, high) > 0)
        mpq_swap(low, high);
    if (field->ranged && mpq_cmp(field->low, low) > 0)
        mpq_set(low, field->low);
    if (field->ranged && mpq_cmp(field->high, high) < 0)
        mpq_set(high, field->high);
    step->scale.low = zg_nearest_double(low);
    step->scale.high = zg_nearest_double(high);
    mpq_clears(low, high, NULL);
}

void zgi_step_limits(struct zg_step *step)
{
    step->scale = (struct zg_scale){ 1, 0, 1, 0, 0 };
    if (step->type.kind == ZG_KIND_FLOAT) {
        float_limits(step);
        return;
    }
    if (!zg_type_is_integer(step->type))
        return;
    type_limits(step);
    if (!step->field)
        return;
    union zg_raw least = step->low, most = step->high;
    if (step->field->ranged) {
        tighten(step, step->field->low, true);
        tighten(step, step->field->high, false);
    }
    scale_in_doubles(step);
    physical_limits(step, least, most);
}

void zgi_step_narrow(struct zg_step *step, union zg_raw low, union zg_raw high)
{
    step->low = low;
    step->high = high;
    physical_limits(step, low, high);
}

static bool read_default(const struct zg_step *step, const char *text, union zg_raw *raw)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    bool good;
    mpq_t value;

    if (step->type.kind == ZG_KIND_BOOL) {
        raw->b = strcmp(text, "true") == 0;
        return raw->b || strcmp(text, "false") == 0;
    }
    for (unsigned i = 0; enumeration && !enumeration->flags && i < enumeration->values->len; i++) {
        const struct zg_enum_value *named = g_ptr_array_index(enumeration->values, i);
        if (strcmp(named->name, text) == 0) {
            *raw = named->raw;
            return true;
        }
    }
    mpq_init(value);
    good = zgi_parse_number(text, false, value) && zg_step_raw(step, value, raw);
    mpq_clear(value);
    return good;
}

void zgi_step_fallback(struct zg_step *step, struct zg_diagnostics *diagnostics)
{
    const struct zg_field *field = step->field;

    step->fallback.u = 0;
    if (!field->default_text || step->type.extent != ZG_EXTENT_ONE || step->record)
        return;
    if (!read_default(step, field->default_text, &step->fallback))
        zgi_error(diagnostics, field->default_place, "the default of %s, \"%s\", is not within its type and range",
                  field->name, field->default_text);
}
