/* SPDX-License-Identifier: MIT */
/* A step's numbers: raw, as on the wire, and physical, exactly. */
#ifndef ZEUGMA_PLAN_PHYSICAL_H
#define ZEUGMA_PLAN_PHYSICAL_H

#include "definition/diagnostics.h"
#include "plan/steps.h"

/* Fills a step's limits and scale from its type and field. */
void zgi_step_limits(struct zg_step *step);

/* Sets other raw limits, within those of the type. */
void zgi_step_narrow(struct zg_step *step, union zg_raw low, union zg_raw high);

/* Sets the raw value of a missing field, or reports a default that the field cannot hold. */
void zgi_step_fallback(struct zg_step *step, struct zg_diagnostics *diagnostics);

/* The raw value that a step sends for an exact physical value. False: it is outside type or range. */
bool zg_step_raw(const struct zg_step *step, const mpq_t physical, union zg_raw *raw);

/* The double nearest to a raw value's exact physical value. For a float, its own value. */
double zg_step_physical(const struct zg_step *step, union zg_raw raw);

/* A number rounded to the step's float type. */
double zg_step_rounded(const struct zg_step *step, double value);

/* Whether a raw value is within the step's limits. NaN is within the limits of a float without a range. */
bool zg_step_permits(const struct zg_step *step, union zg_raw raw);

/* The double, or the 32-bit float, nearest to an exact number, ties to even. */
double zg_nearest_double(const mpq_t value);
double zg_nearest_float(const mpq_t value);

/* The integer nearest to an exact number, ties away from zero. */
void zg_round_away(mpz_t number, const mpq_t value);

/* A raw value's exact physical value; the raw value itself. */
void zg_step_exact(const struct zg_step *step, union zg_raw raw, mpq_t physical);
void zg_step_exact_raw(const struct zg_step *step, union zg_raw raw, mpq_t value);

/* The raw value nearest to an exact physical one, or `is_raw` to the raw one itself, whatever the range. False: it is
 * outside the type. */
bool zg_step_nearest(const struct zg_step *step, const mpq_t value, bool is_raw, union zg_raw *raw);

#endif
