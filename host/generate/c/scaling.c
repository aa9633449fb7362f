/* SPDX-License-Identifier: MIT */
#include "generate/c/scaling.h"

#include "plan/spelling.h"

void zgi_c_scaling_clear(struct zgi_c_scaling *scaling)
{
    mpz_clears(scaling->factor, scaling->shift, scaling->divisor, NULL);
}

struct zgi_c_scaling zgi_c_scaling_of(const struct zg_step *step)
{
    const struct zg_field *field = step->field;
    const unsigned decimals = zg_step_decimals(step);
    const bool is_raw = !field->scaled || field->form.raw || field->form.base != 10;
    struct zgi_c_scaling scaling = { .bits = step->type.bits };
    mpq_t by, more, ten;

    mpz_inits(scaling.factor, scaling.shift, scaling.divisor, NULL);
    if (step->type.kind == ZG_KIND_FLOAT)
        scaling.bits = 64;
    if (step->type.kind == ZG_KIND_FLOAT || (is_raw && decimals == 0) || field->form.base != 10) {
        mpz_set_ui(scaling.factor, 1);
        return scaling;
    }
    mpq_inits(by, more, ten, NULL);
    mpz_ui_pow_ui(mpq_numref(ten), 10, decimals);
    mpq_set_ui(by, 1, 1);
    if (!is_raw) {
        mpq_set(by, field->scale);
        mpq_set(more, field->offset);
    }
    mpq_mul(by, by, ten);
    mpq_mul(more, more, ten);
    mpz_lcm(scaling.divisor, mpq_denref(by), mpq_denref(more));
    mpz_divexact(scaling.factor, scaling.divisor, mpq_denref(by));
    mpz_mul(scaling.factor, scaling.factor, mpq_numref(by));
    mpz_divexact(scaling.shift, scaling.divisor, mpq_denref(more));
    mpz_mul(scaling.shift, scaling.shift, mpq_numref(more));
    if (mpz_cmp(scaling.factor, scaling.divisor) == 0 && mpz_sgn(scaling.shift) == 0) {
        mpz_set_ui(scaling.divisor, 0);
    } else { /* the greatest raw value times the factor, the shift, and what rounds */
        mpz_abs(mpq_numref(ten), scaling.factor);
        mpz_mul_2exp(mpq_numref(ten), mpq_numref(ten), step->type.bits - (zg_step_is_signed(step) ? 1 : 0));
        mpz_abs(mpq_numref(by), scaling.shift);
        mpz_add(mpq_numref(ten), mpq_numref(ten), mpq_numref(by));
        mpz_add(mpq_numref(ten), mpq_numref(ten), scaling.divisor);
        scaling.bits = (unsigned)mpz_sizeinbase(mpq_numref(ten), 2) + 1;
    }
    mpq_clears(by, more, ten, NULL);
    return scaling;
}

bool zgi_c_is_plain(const struct zg_step *step)
{
    return step->type.kind != ZG_KIND_FLOAT && step->field->form.base == 10 && !zgi_c_is_scaled(step);
}

bool zgi_c_is_scaled(const struct zg_step *step)
{
    struct zgi_c_scaling scaling = zgi_c_scaling_of(step);
    const bool is_scaled = mpz_sgn(scaling.divisor) != 0;

    zgi_c_scaling_clear(&scaling);
    return is_scaled;
}
