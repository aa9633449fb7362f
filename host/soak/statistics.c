/* SPDX-License-Identifier: MIT */
#include "soak/statistics.h"

#include <glib.h>
#include <math.h>

/* ln Gamma by the C library, whose sign variable is not ours to touch. */
static double log_gamma(double x)
{
    int sign;
    return lgamma_r(x, &sign);
}

/* The continued fraction of the incomplete beta function, Abramowitz and Stegun 26.5.8, evaluated by the method of W. J. Lentz,
 * "Generating Bessel functions in Mie scattering calculations using continued fractions", Applied Optics 15, 1976. */
static double beta_fraction(double a, double b, double x)
{
    const double tiny = 1e-300;
    double c = 1;
    double d = 1 - (a + b) * x / (a + 1);
    d = 1 / (fabs(d) < tiny ? tiny : d);
    double result = d;

    for (int m = 1; m < 10000; m++) {
        double even = m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m));
        double odd = -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1));
        double before = result;
        d = 1 + even * d;
        c = 1 + even / c;
        d = 1 / (fabs(d) < tiny ? tiny : d);
        c = fabs(c) < tiny ? tiny : c;
        result *= d * c;
        d = 1 + odd * d;
        c = 1 + odd / c;
        d = 1 / (fabs(d) < tiny ? tiny : d);
        c = fabs(c) < tiny ? tiny : c;
        result *= d * c;
        if (fabs(result - before) <= 1e-15 * fabs(result))
            break;
    }
    return result;
}

/* The regularised incomplete beta function I_x(a, b). */
static double beta_share(double a, double b, double x)
{
    if (x <= 0)
        return 0;
    if (x >= 1)
        return 1;
    double front = exp(log_gamma(a + b) - log_gamma(a) - log_gamma(b) + a * log(x) + b * log1p(-x));
    return x < (a + 1) / (a + b + 2) ? front * beta_fraction(a, b, x) / a : 1 - front * beta_fraction(b, a, 1 - x) / b;
}

/* The x at which I_x(a, b) is `share`. Halves the interval of ln x, so that small rates are found to full precision. */
static double beta_quantile(double a, double b, double share)
{
    double low = -750, high = 0;
    for (int i = 0; i < 100; i++) {
        double middle = (low + high) / 2;
        if (beta_share(a, b, exp(middle)) < share)
            low = middle;
        else
            high = middle;
    }
    return exp((low + high) / 2);
}

void zg_rate_bounds(uint64_t errors, uint64_t trials, double confidence, double *low, double *high)
{
    double tail = (1 - confidence) / 2;
    double k = (double)errors;
    double n = (double)trials;

    *low = 0;
    *high = 1;
    if (trials == 0)
        return;
    if (errors > 0)
        *low = errors == trials ? exp(log(tail) / n) : beta_quantile(k, n - k + 1, tail);
    if (errors < trials)
        *high = errors == 0 ? -expm1(log(tail) / n) : beta_quantile(k + 1, n - k, 1 - tail);
}

uint64_t zg_rate_trials_needed(double rate, double confidence)
{
    if (rate >= 1)
        return 1;
    double trials = rate > 0 ? ceil(log((1 - confidence) / 2) / log1p(-rate)) : INFINITY;
    return trials < 0x1p63 ? (uint64_t)trials : UINT64_MAX;
}

enum { FINE_BITS = 5 }; /* 32 bins for each power of two */

static unsigned bin_of(uint64_t ns)
{
    unsigned bits = g_bit_storage(ns); /* 1 for 0 */
    if (bits <= FINE_BITS)
        return (unsigned)ns;
    return (bits - FINE_BITS) << FINE_BITS | (unsigned)(ns >> (bits - FINE_BITS - 1) & 31U);
}

static uint64_t top_of(unsigned bin)
{
    unsigned scale = bin >> FINE_BITS;
    return scale == 0 ? bin : (((uint64_t)(bin & 31U) + 33) << (scale - 1)) - 1;
}

void zg_spread_add(struct zg_spread *spread, uint64_t ns)
{
    spread->least_ns = spread->count == 0 || ns < spread->least_ns ? ns : spread->least_ns;
    spread->most_ns = MAX(spread->most_ns, ns);
    spread->count++;
    spread->bins[bin_of(ns)]++;
}

uint64_t zg_spread_at(const struct zg_spread *spread, double share)
{
    uint64_t wanted = (uint64_t)ceil(share * (double)spread->count);
    uint64_t seen = 0;

    for (unsigned bin = 0; bin < G_N_ELEMENTS(spread->bins) && wanted > 0; bin++) {
        seen += spread->bins[bin];
        if (seen >= wanted)
            return MIN(top_of(bin), spread->most_ns);
    }
    return 0;
}
