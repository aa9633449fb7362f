/* SPDX-License-Identifier: MIT */
#include "diagnosis/chance.h"

#include <math.h>

static double log_factorial(double n)
{
    int sign; /* lgamma() would write to a variable of the C library */
    return lgamma_r(n + 1, &sign);
}

/* ln(exp(a) + exp(b)) */
static double log_sum(double a, double b)
{
    const double most = fmax(a, b);
    return isinf(most) ? most : most + log1p(exp(fmin(a, b) - most));
}

double zgi_chance_binomial(uint64_t n, double share, uint64_t k)
{
    const double whole = (double)n, negligible = 40;
    double sum = -INFINITY;

    if (k == 0 || share >= 1)
        return k <= n ? 0 : -INFINITY;
    if (k > n || share <= 0)
        return -INFINITY;
    if ((double)k <= share * whole) /* the mean or less: more than a third */
        return 0;
    for (uint64_t i = k; i <= n; i++) {
        const double x = (double)i, term = log_factorial(whole) - log_factorial(x) - log_factorial(whole - x) +
                                           x * log(share) + (whole - x) * log1p(-share);
        sum = log_sum(sum, term);
        if (term < sum - negligible)
            break;
    }
    return fmin(sum, 0);
}

double zgi_chance_chi_square(double x, unsigned degrees)
{
    double sum = -INFINITY;

    if (x <= 0)
        return 0;
    for (unsigned i = 0; i < degrees / 2; i++) /* a Poisson variable of mean x / 2 is below degrees / 2 */
        sum = log_sum(sum, i * log(x / 2) - x / 2 - log_factorial(i));
    return fmin(sum, 0);
}

double zgi_chance_normal(double z)
{
    if (z < 30)
        return log(erfc(z / sqrt(2)) / 2);
    return -z * z / 2 - log(z * sqrt(2 * acos(-1)));
}
