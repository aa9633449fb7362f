/* SPDX-License-Identifier: MIT */
#include "zeugma/scale.h"

#include <float.h>
#include <stdbool.h>
#include <stdint.h>

#include "zeugma/error.h"

/* The two halves of a double, each short enough that products of halves are exact: G. W. Veltkamp's splitting, in
 * T. J. Dekker, "A floating-point technique for extending the available precision", Numerische Mathematik 18, 1971. */
static void split(double value, double *upper, double *lower)
{
    const double splitter = (double)((UINT32_C(1) << ((DBL_MANT_DIG + 1) / 2)) + 1U);
    double big = splitter * value;
    *upper = big - (big - value);
    *lower = value - *upper;
}

/* a * b - c without rounding error in its sign, for c near a * b (Dekker's product). */
static double exact_difference(double a, double b, double c)
{
    double a_upper, a_lower, b_upper, b_lower;
    double product = a * b;
    split(a, &a_upper, &a_lower);
    split(b, &b_upper, &b_lower);
    double error = ((a_upper * b_upper - product) + a_upper * b_lower + a_lower * b_upper) + a_lower * b_lower;
    return (product - c) + error;
}

double zg_scale_physical(const struct zg_scale *scale, double raw)
{
    return (raw * scale->factor + scale->shift) / scale->divisor;
}

/* From here on every double is whole, and adding one may be lost. */
static const double dense = (double)(UINT64_C(1) << (DBL_MANT_DIG - 1));

static bool is_dense(double value)
{
    return value >= dense || value <= -dense;
}

static double whole(double value)
{
    if (is_dense(value))
        return value;
    return value < 0 ? -(double)(uint64_t)-value : (double)(uint64_t)value;
}

/* How far `physical` is from the middle between raw and raw + 1, in raw's direction. The sign is exact. */
static double beyond_middle(const struct zg_scale *scale, double physical, double raw)
{
    double twice = (2 * raw + 1) * scale->factor + 2 * scale->shift;
    double difference = exact_difference(physical, 2 * scale->divisor, twice);
    return scale->factor < 0 ? -difference : difference;
}

int zg_scale_raw(const struct zg_scale *scale, double physical, double *raw)
{
    if (!(physical >= scale->low && physical <= scale->high))
        return ZG_ERANGE;
    double near = whole((physical * scale->divisor - scale->shift) / scale->factor);
    double above;
    *raw = near;
    if (is_dense(near))
        return 0;
    while ((above = beyond_middle(scale, physical, near)) > 0 || (near >= 0 && above >= 0))
        near += 1;
    while ((above = beyond_middle(scale, physical, near - 1)) < 0 || (near - 1 < 0 && above <= 0))
        near -= 1;
    *raw = near;
    return 0;
}
