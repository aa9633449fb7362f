/* SPDX-License-Identifier: MIT */
/* Errors that come in clusters: found where they are and not where they are not, with bounds that hold the true rate,
 * by which requirements are judged. */
#include "support.h"

#include <math.h>
#include <string.h>

#include "sim/random.h"
#include "soak/report.h"

enum { LOST = 0, FRAMES = 200, RUNS = 300 };

static double uniform(struct zg_random *random)
{
    return ((double)(zg_random_next(random) >> 11) + 0.5) / 9007199254740992.0;
}

/* A run of seconds with disturbances at random times, each of a geometric number of errors. */
static GArray *make_rows(struct zg_random *random, unsigned seconds, double disturbances, double errors)
{
    GArray *rows = g_array_new(FALSE, TRUE, sizeof(struct zg_time_row));

    g_array_set_size(rows, seconds);
    for (unsigned i = 0; i < seconds; i++)
        g_array_index(rows, struct zg_time_row, i).rates.trials[LOST] = FRAMES;
    for (double at = 0; (at -= log(uniform(random)) * seconds / disturbances) < seconds;) {
        const double size = errors > 1 ? 1 + floor(log(uniform(random)) / log(1 - 1 / errors)) : 1;
        g_array_index(rows, struct zg_time_row, (guint)at).rates.errors[LOST] += (uint32_t)fmin(size, FRAMES);
    }
    return rows;
}

static void test_bounds_hold(void **state)
{
    static const struct {
        unsigned seconds;
        double disturbances, errors;
    } rows[] = { { 60, 40, 1 }, { 1200, 100, 1 }, { 120, 25, 3 }, { 600, 20, 10 }, { 1200, 40, 30 } };
    struct zg_random random = zg_random_seeded(3, 0);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        const double truth = rows[i].disturbances * rows[i].errors / (rows[i].seconds * (double)FRAMES);
        unsigned exact = 0, wide = 0, clustered = 0, counted = 0;
        while (counted < RUNS) {
            g_autoptr(GArray) made = make_rows(&random, rows[i].seconds, rows[i].disturbances, rows[i].errors);
            const struct zg_cluster cluster = zg_cluster_of(made, LOST);
            uint64_t errors = 0;
            double low, high;
            for (guint at = 0; at < made->len; at++)
                errors += g_array_index(made, struct zg_time_row, at).rates.errors[LOST];
            if (cluster.disturbances < ZG_DISTURBANCES_ENOUGH)
                continue;
            counted++;
            clustered += cluster.clustered;
            zg_rate_bounds(errors, (uint64_t)rows[i].seconds * FRAMES, 0.95, &low, &high);
            exact += low <= truth && truth <= high;
            zg_cluster_widen(&cluster, errors, (uint64_t)rows[i].seconds * FRAMES, 0.95, &low, &high);
            wide += low <= truth && truth <= high;
        }
        assert_true(wide >= RUNS * 92 / 100); /* 95 % less 2.4 standard deviations */
        if (rows[i].errors > 1)
            assert_true(clustered >= RUNS * 9 / 10 && exact < RUNS * 9 / 10);
        else
            assert_true(clustered <= RUNS / 20);
    }
}

/* What a soak of some faults shows. Free with g_free(). */
static struct zg_soak_result *soak(const char *faults, unsigned seconds, const char *rule, char **text)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    struct zg_soak_settings settings = zg_soak_defaults();
    struct zg_journal *journal = settings.journal = zg_journal_new(false);
    struct zg_soak_requirement requirement;

    settings.duration_ns = seconds * UINT64_C(1000000000);
    settings.seed = 5;
    assert_true(zg_faults_parse(faults, &settings.faults, NULL));
    assert_true(zg_soak_requirement_parse(rule, &requirement, NULL));
    struct zg_soak_result *result = zg_soak_run(plan.plan, &settings, NULL, NULL, NULL);
    assert_non_null(result);
    const struct zg_soak_report report = { .plan = plan.plan,
                                           .settings = &settings,
                                           .result = result,
                                           .journal = journal,
                                           .requirements = &requirement,
                                           .requirements_count = 1 };
    *text = zg_soak_report_text(&report);
    zg_journal_free(journal);
    test_plan_clear(&plan);
    return result;
}

/* Each second's errors and trials add up to those of the run, so that nothing is clustered that is not counted. The
 * same losses meet a requirement if they are independent, and do not show it if they come at once. */
static void test_soak(void **state)
{
    static const struct {
        const char *faults, *wanted;
        enum zg_soak_verdict verdict;
    } rows[] = { { "ber=1e-5", "as if independent", ZG_SOAK_MET },
                 { "out:cut=0.2/80ms", "disturbances (dispersion", ZG_SOAK_MET },
                 { "out:cut=0.03/900ms", "too few for bounds on frames;", ZG_SOAK_NOT_SHOWN } };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        struct zg_soak_requirement requirement;
        struct zg_soak_rate rate;
        g_autofree char *text = NULL;
        g_autofree struct zg_soak_result *result = soak(rows[i].faults, 120, "lost <= 0.01", &text);
        assert_true(zg_soak_requirement_parse("lost <= 0.03", &requirement, NULL));
        assert_int_equal(zg_soak_judge(result, &requirement, &rate), rows[i].verdict);
        assert_true(zg_rate_is_at_most(rate.errors, rate.trials, 0.03, 0.95)); /* in any case, if independent */
        assert_int_equal(rate.cluster.clustered, i > 0);
        assert_true(rate.wide_low <= rate.low && rate.wide_high >= rate.high);
        assert_non_null(strstr(text, rows[i].wanted));
    }
}

/* Where clusters alone keep a limit from being shown, it is a longer soak that would show it. */
static void test_how_long(void **state)
{
    static const char before[] = "a soak about ";
    struct zg_soak_rate rate;
    g_autofree char *text = NULL;
    (void)state;
    g_autofree struct zg_soak_result *result = soak("out:cut=0.2/80ms", 120, "lost <= 0.01", &text);
    const char *factor = strstr(text, before);
    assert_non_null(strstr(text, "not shown: lost"));
    assert_true(zg_soak_rate_at(result, LOST, &rate) &&
                zg_rate_is_at_most(rate.errors, rate.trials, 0.01, 0.95)); /* as if independent it is */
    assert_non_null(factor);
    assert_true(g_ascii_strtod(factor + strlen(before), NULL) > 1);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_bounds_hold), cmocka_unit_test(test_soak),
                                        cmocka_unit_test(test_how_long) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
