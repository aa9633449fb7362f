/* SPDX-License-Identifier: MIT */
/* How raw numbers become units of the last decimal in text. */
#ifndef ZEUGMA_GENERATE_C_SCALING_H
#define ZEUGMA_GENERATE_C_SCALING_H

#include <gmp.h>

#include "plan/steps.h"

/* units = (raw * factor + shift) / divisor, which is 0 where raw numbers are units; and how many bits that takes, sign
 * included. Clear it with zgi_c_scaling_clear(). */
struct zgi_c_scaling {
    mpz_t factor, shift, divisor;
    unsigned bits;
};

struct zgi_c_scaling zgi_c_scaling_of(const struct zg_step *step);
void zgi_c_scaling_clear(struct zgi_c_scaling *scaling);

/* Whether a step's numbers are of base 10, no floats, and raw ones are units; whether raw ones are not. */
bool zgi_c_is_plain(const struct zg_step *step);
bool zgi_c_is_scaled(const struct zg_step *step);

#endif
