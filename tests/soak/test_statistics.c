/* SPDX-License-Identifier: MIT */
#include "support.h"

#include <math.h>

#include "soak/statistics.h"

/* The probability of `from` to `to` errors in n trials, summed term by term. */
static double chance(unsigned n, unsigned from, unsigned to, double rate)
{
    double sum = 0;
    for (unsigned k = from; k <= to; k++)
        sum += exp(lgamma(n + 1.0) - lgamma(k + 1.0) - lgamma(n - k + 1.0) + k * log(rate) + (n - k) * log1p(-rate));
    return sum;
}

static void assert_close(double a, double b, double tolerance)
{
    if (!(fabs(a - b) <= tolerance * fabs(b)))
        fail_msg("%.12g is not %.12g", a, b);
}

/* The bounds are those rates at which what was seen, or more (or less), has a probability of exactly half of 5 %. */
static void test_bounds_by_their_meaning(void **state)
{
    static const unsigned trials[] = { 1, 2, 10, 37, 200, 3000 };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(trials); i++) {
        unsigned n = trials[i];
        for (unsigned k = 0; k <= n; k += 1 + n / 7) {
            double low, high;
            zg_rate_bounds(k, n, 0.95, &low, &high);
            assert_true(low <= (double)k / n && (double)k / n <= high);
            if (k > 0)
                assert_close(chance(n, k, n, low), 0.025, 1e-6);
            else
                assert_true(low == 0);
            if (k < n)
                assert_close(chance(n, 0, k, high), 0.025, 1e-6);
            else
                assert_true(high == 1);
        }
    }
}

/* One-sided claims: what they say is what their trials show, to the frame. The numbers for 1e-6 were computed with 50
 * digits from the sum of the binomial distribution. */
static void test_claims(void **state)
{
    static const uint64_t millionth[] = { 2995731, 4743863, 6295792 };
    static const double limits[] = { 1e-6, 1e-4, 0.01, 0.3, 0.6 };
    (void)state;
    for (unsigned errors = 0; errors < 3; errors++)
        assert_int_equal(zg_rate_trials_needed(errors, 1e-6, 0.95), millionth[errors]);
    for (size_t i = 0; i < G_N_ELEMENTS(limits); i++)
        for (unsigned errors = 0; errors < 40; errors += 3) {
            const uint64_t needed = zg_rate_trials_needed(errors, limits[i], 0.95);
            double low, high;
            zg_rate_bounds(errors, needed, 0.9, &low, &high);
            assert_true(high <= limits[i] * (1 + 1e-9));
            zg_rate_bounds(errors, needed - 1, 0.9, &low, &high);
            assert_true(high >= limits[i] * (1 - 1e-9));
            assert_false(zg_rate_is_above(errors, needed, limits[i], 0.95));
            assert_true(limits[i] > 0.25 || zg_rate_is_above(errors * 5 + 20, needed, limits[i], 0.95));
        }
    assert_true(zg_rate_trials_needed(0, 0, 0.95) == UINT64_MAX);
    assert_false(zg_rate_is_at_most(0, 0, 0.5, 0.95));
    assert_true(zg_rate_is_at_most(3, 3, 1, 0.95));
}

static void test_large_and_none(void **state)
{
    double low, high;
    (void)state;
    zg_rate_bounds(0, 0, 0.95, &low, &high);
    assert_true(low == 0 && high == 1);
    zg_rate_bounds(0, 1000000000000, 0.95, &low, &high);
    assert_close(high, -log(0.025) / 1e12, 1e-9);
    /* with many trials a count is Poisson distributed: 10 has the bounds 4.795389 and 18.390356 (Garwood, Biometrika
     * 28, 1936) */
    zg_rate_bounds(10, 1000000000000, 0.95, &low, &high);
    assert_close(low, 4.795389e-12, 1e-6);
    assert_close(high, 18.390356e-12, 1e-6);
    uint64_t needed = zg_rate_trials_needed(0, 1e-6, 0.975);
    zg_rate_bounds(0, needed, 0.95, &low, &high);
    assert_true(high <= 1e-6);
    zg_rate_bounds(0, needed - 1, 0.95, &low, &high);
    assert_true(high > 1e-6);
    assert_true(zg_rate_trials_needed(0, 0, 0.95) == UINT64_MAX);
}

static void test_spread(void **state)
{
    struct zg_spread *spread = g_new0(struct zg_spread, 1);
    (void)state;
    assert_int_equal(zg_spread_at(spread, 0.5), 0);
    for (uint64_t i = 1; i <= 100000; i++)
        zg_spread_add(spread, i * 1000);
    zg_spread_add(spread, 0);
    zg_spread_add(spread, UINT64_MAX);
    assert_int_equal(spread->least_ns, 0);
    assert_int_equal(spread->most_ns, UINT64_MAX);
    for (double share = 0.01; share < 0.995; share += 0.01) {
        double found = (double)zg_spread_at(spread, share), right = share * 1e8;
        assert_true(found >= right * 0.999 && found <= right * 1.04);
    }
    assert_true(zg_spread_at(spread, 1) == UINT64_MAX);
    g_free(spread);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_bounds_by_their_meaning),
                                        cmocka_unit_test(test_large_and_none), cmocka_unit_test(test_claims),
                                        cmocka_unit_test(test_spread) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
