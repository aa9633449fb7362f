/* SPDX-License-Identifier: MIT */
#include "soak/statistics.h"

#include <float.h>
#include <glib.h>
#include <math.h>

/* The remainder of Stirling's approximation: ln Gamma(z) - ((z - 1/2) ln z - z + ln(2 pi) / 2). */
static double stirling_rest(double z)
{
    int sign; /* lgamma() would write to a variable of the C library */
    if (z < 15)
        return lgamma_r(z, &sign) - ((z - 0.5) * log(z) - z + 0.5 * log(2 * G_PI));
    double square = z * z;
    return (1.0 / 12 - (1.0 / 360 - (1.0 / 1260 - 1.0 / 1680 / square) / square) / square) / z;
}

/* The regularised incomplete beta function I_x(a, b), by its series of positive terms (Abramowitz and Stegun 26.5.4).
 * Its first factor, x^a (1 - x)^b / B(a, b), is computed without cancellation between large logarithms, after C.
 * Loader, "Fast and accurate computation of binomial probabilities", 2000. */
static double beta_share(double a, double b, double x)
{
    const double negligible = -60; /* adding e^-60 to 1 does not change a double */
    double n = a + b;
    double off = x * n - a;
    double deviance = a * (log1p(off / a) - off / a) + b * (log1p(-off / b) + off / b);
    double rest = stirling_rest(n) - stirling_rest(a) - stirling_rest(b);
    double sum = 1, term = 1;

    if (off > 0 && deviance < negligible)
        return 1;
    for (double j = 0; term > 1e-17 * sum; j++) {
        term *= x * (n + j) / (a + 1 + j);
        sum += term;
    }
    return exp(deviance + rest) * sqrt(a * b / (2 * G_PI * n)) / a * sum;
}

/* The x at which I_x(a, b) is `share`, by bisection in ln x, which finds small rates to full precision. */
static double beta_quantile(double a, double b, double share)
{
    double low = log(DBL_MIN), high = -DBL_EPSILON;
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
    if (errors > trials / 2) { /* the series is meant for small rates */
        double other_low, other_high;
        zg_rate_bounds(trials - errors, trials, confidence, &other_low, &other_high);
        *low = 1 - other_high;
        *high = 1 - other_low;
        return;
    }
    if (errors > 0)
        *low = beta_quantile(k, n - k + 1, tail);
    *high = errors == 0 ? -expm1(log(tail) / n) : beta_quantile(k + 1, n - k, 1 - tail);
}

void zg_rate_bounds_real(double errors, double trials, double confidence, double *low, double *high)
{
    const double tail = (1 - confidence) / 2;

    *low = errors > 0 ? beta_quantile(errors, trials - errors + 1, tail) : 0;
    *high = errors < trials ? beta_quantile(errors + 1, trials - errors, 1 - tail) : 1;
}

double zg_student_t(double confidence, double degrees)
{
    double low = 0, high = 100;

    for (int i = 0; i < 80;
         i++) { /* the share outside of -t to t is I_x(degrees/2, 1/2), x = degrees/(degrees + t^2) */
        const double t = (low + high) / 2, outside = t * t / (degrees + t * t);
        if (beta_share(0.5, degrees / 2, outside) < confidence)
            low = t;
        else
            high = t;
    }
    return (low + high) / 2;
}

bool zg_rate_is_at_most(uint64_t errors, uint64_t trials, double limit, double confidence)
{
    if (trials == 0 || errors >= trials || limit <= 0)
        return trials > 0 && limit >= 1;
    if (limit >= 1)
        return true;
    if (errors > trials / 2 || limit > 0.5) { /* the series is meant for small rates */
        double low, high;
        zg_rate_bounds(errors, trials, 2 * confidence - 1, &low, &high);
        return high <= limit;
    }
    return beta_share((double)errors + 1, (double)(trials - errors), limit) >= confidence;
}

bool zg_rate_is_above(uint64_t errors, uint64_t trials, double limit, double confidence)
{
    double low, high;

    zg_rate_bounds(errors, trials, 2 * confidence - 1, &low, &high);
    return low > limit;
}

/* ln of the integral of x^(a-1) (1-x)^(b-1) below the limit, or above it. */
static double log_beta_part(double a, double b, double limit, bool above)
{
    int sign;
    const double whole = lgamma_r(a, &sign) + lgamma_r(b, &sign) - lgamma_r(a + b, &sign);
    const double below = MIN(beta_share(a, b, limit), 1);
    return whole + log(above ? 1 - below : below);
}

/* ln of the likelihood ratio. */
static double log_evidence(double k, double n, double limit, bool above)
{
    return log_beta_part(k + 0.5, n - k + 0.5, limit, above) - log_beta_part(0.5, 0.5, limit, above) - k * log(limit) -
           (n - k) * log1p(-limit);
}

bool zg_rate_stays_at_most(uint64_t errors, uint64_t trials, double limit, double confidence)
{
    if (trials == 0 || limit <= 0 || limit >= 1)
        return trials > 0 && limit >= 1;
    return log_evidence((double)errors, (double)trials, limit, false) >= -log(1 - confidence);
}

bool zg_rate_stays_above(uint64_t errors, uint64_t trials, double limit, double confidence)
{
    if (errors == 0 || limit >= 1)
        return false;
    return limit <= 0 || log_evidence((double)errors, (double)trials, limit, true) >= -log(1 - confidence);
}

void zg_rate_bounds_always(uint64_t errors, uint64_t trials, double confidence, double *low, double *high)
{
    const double share = trials > 0 ? (double)errors / (double)trials : 0;

    *low = 0;
    *high = 1;
    if (trials == 0)
        return;
    for (unsigned upper = 0; upper < 2; upper++) { /* bisection in ln of the limit, from the measured rate outwards */
        double near = log(MAX(share, 1e-18)), far = upper ? -DBL_EPSILON : log(1e-18);
        for (int i = 0; i < 60; i++) {
            const double middle = (near + far) / 2, limit = exp(middle);
            const bool shown = upper ? zg_rate_stays_at_most(errors, trials, limit, confidence)
                                     : zg_rate_stays_above(errors, trials, limit, confidence);
            *(shown ? &far : &near) = middle;
        }
        if (upper)
            *high = exp(far);
        else if (errors > 0)
            *low = exp(far);
    }
}

uint64_t zg_rate_trials_needed(uint64_t errors, double limit, double confidence)
{
    uint64_t fewer = errors, enough = MAX(errors, 1);

    if (limit <= 0)
        return UINT64_MAX;
    while (!zg_rate_is_at_most(errors, enough, limit, confidence)) {
        if (enough > UINT64_C(1) << 52)
            return UINT64_MAX;
        fewer = enough;
        enough *= 2;
    }
    while (enough - fewer > 1) {
        const uint64_t middle = fewer + (enough - fewer) / 2;
        if (zg_rate_is_at_most(errors, middle, limit, confidence))
            enough = middle;
        else
            fewer = middle;
    }
    return enough;
}

enum { FINE_BITS = 5 }; /* 32 bins for each power of two */

unsigned zg_spread_bin(uint64_t ns)
{
    unsigned bits = g_bit_storage(ns); /* 1 for 0 */
    if (bits <= FINE_BITS)
        return (unsigned)ns;
    return (bits - FINE_BITS) << FINE_BITS | (unsigned)(ns >> (bits - FINE_BITS - 1) & 31U);
}

uint64_t zg_spread_top(unsigned bin)
{
    unsigned scale = bin >> FINE_BITS;
    return scale == 0 ? bin : (((uint64_t)(bin & 31U) + 33) << (scale - 1)) - 1;
}

void zg_spread_add_many(struct zg_spread *spread, uint64_t ns, uint64_t count)
{
    spread->least_ns = spread->count == 0 || ns < spread->least_ns ? ns : spread->least_ns;
    spread->most_ns = MAX(spread->most_ns, ns);
    spread->count += count;
    spread->bins[zg_spread_bin(ns)] += count;
}

void zg_spread_add(struct zg_spread *spread, uint64_t ns)
{
    zg_spread_add_many(spread, ns, 1);
}

uint64_t zg_spread_at(const struct zg_spread *spread, double share)
{
    uint64_t wanted = (uint64_t)ceil(share * (double)spread->count);
    uint64_t seen = 0;

    for (unsigned bin = 0; bin < G_N_ELEMENTS(spread->bins) && wanted > 0; bin++) {
        seen += spread->bins[bin];
        if (seen >= wanted)
            return MIN(zg_spread_top(bin), spread->most_ns);
    }
    return 0;
}

int zg_by_value(const void *one, const void *other)
{
    const double first = *(const double *)one, second = *(const double *)other;
    return (first > second) - (first < second);
}
