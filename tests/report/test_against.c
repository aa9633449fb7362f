/* SPDX-License-Identifier: MIT */
/* One run against another: what is worse is called so, what is alike is not; the chance is Fisher's; runs that cannot
 * be compared are refused. And the control chart over many runs. */
#include <math.h>
#include <string.h>

#include "processes.h"
#include "report/compare.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

/* A run with a stream out only. */
static struct zg_stored run_of(uint64_t lost, uint64_t sent)
{
    struct zg_stored run = { .times = g_array_new(FALSE, FALSE, sizeof(struct zg_time_row)) };

    run.sums.sums.sent[ZG_FLOW_STREAM_OUT] = sent;
    run.sums.sums.entries[ZG_FLOW_STREAM_OUT][ZG_CLASS_LOST_OUT] = lost;
    run.sums.sums.entries[ZG_FLOW_STREAM_OUT][ZG_CLASS_DELIVERED] = sent - lost;
    run.sums.sums.arrivals[0][ZG_CLASS_DELIVERED] = sent - lost;
    return run;
}

static struct zg_compared lost_out(uint64_t lost, uint64_t sent, uint64_t other_lost, uint64_t other_sent,
                                   double allowed)
{
    struct zg_stored run = run_of(lost, sent), other = run_of(other_lost, other_sent);
    const struct zg_comparison found = zg_compare_runs(&run, &other, allowed);

    g_array_unref(run.times);
    g_array_unref(other.times);
    for (unsigned i = 0; i < found.count; i++)
        if (g_str_equal(found.rows[i].key, "lost_out"))
            return found.rows[i];
    fail_msg("no losses out are compared");
    return found.rows[0];
}

static void test_chance(void **state)
{
    (void)state;
    struct zg_compared row = lost_out(3, 4, 1, 4, 0); /* the lady tasting tea */
    assert_true(fabs(row.chance - 17.0 / 70) < 1e-12 && !row.shown);
    row = lost_out(10, 1000, 0, 1000, 0);
    assert_true(row.shown && isinf(zg_compared_ratio(&row)) && row.ratio_low > 1.5 && isinf(row.ratio_high));
    row = lost_out(0, 1000, 10, 1000, 0);
    assert_true(!row.shown && row.ratio_high < 0.6);
    row = lost_out(100, 100000, 100, 100000, 1.5);
    assert_true(row.shown && row.chance < 0.01 && row.ratio_low < 1 && row.ratio_high > 1);
    row = lost_out(20, 100000, 20, 100000, 1.5);
    assert_false(row.shown);
    row = lost_out(0, 1000, 0, 1000, 0);
    assert_true(row.empty && isnan(zg_compared_ratio(&row)));
    row = lost_out(200, 200000, 100, 100000, 0); /* twice as long */
    assert_true(fabs(zg_compared_ratio(&row) - 1) < 1e-9 && row.chance > 0.4);
    /* so many as are said to be needed are, and one less is not */
    row = lost_out(50, 100000, 50, 100000, 0);
    const uint64_t needed = (uint64_t)(row.shown_from * 50 + 0.5);
    assert_true(lost_out(needed, 100000, 50, 100000, 0).shown);
    assert_false(lost_out(needed - 1, 100000, 50, 100000, 0).shown);
}

static char *soak(const char *store, unsigned seed, const char *faults)
{
    g_autofree char *arguments =
        g_strdup_printf("soak " LOOM " sim: --for 2min --seed %u --faults %s --store %s", seed, faults, store);
    return test_run(0, arguments);
}

static void test_command(void **state)
{
    g_autofree char *store = g_build_filename(test_folder, "runs.store", NULL),
                    *other = g_build_filename(test_folder, "other.store", NULL),
                    *page = g_build_filename(test_folder, "against.html", NULL);
    (void)state;
    for (unsigned seed = 1; seed <= 5; seed++)
        g_free(soak(store, seed, "ber=1e-6"));
    g_free(soak(store, 6, "ber=3e-6"));
    g_free(soak(other, 7, "ber=1e-6"));
    const struct {
        int status;
        const char *arguments, *in;
    } runs[] = { { 0, "--run 2 --against 1", "no kind is shown to be worse" },
                 { 0, "--run 2 --against 1 --no-worse-than 2", "no worse than allowed, in all kinds" },
                 { 1, "--run 2 --against 1 --no-worse-than 1.01", "not all kinds are shown" },
                 { 2, "--against 1", "faults.all is \"ber=3e-06\" here and \"ber=1e-06\" there" },
                 { 1, "--against 1 --anyway", "this run is worse" },
                 { 1, "--against 1 --anyway --json", "\"worse\": true" },
                 { 2, "--against 6", "run 6 is the run itself" },
                 { 3, "--against 77", "there is no run 77" },
                 { 3, "--against nowhere.store", "no such file" },
                 { 2, "--no-worse-than 0.5 --against 1", "expected a ratio above 1, found 0.5" },
                 { 2, "--anyway", "are for --against" },
                 { 1, "--history", "the newest run is above the limit" },
                 { 1, "--history --json", "\"signals\": true" } };
    for (size_t i = 0; i < G_N_ELEMENTS(runs); i++) {
        g_autofree char *arguments = g_strdup_printf("report %s %s", store, runs[i].arguments);
        test_assert_run(runs[i].status, arguments, runs[i].in);
    }
    g_autofree char *across = g_strdup_printf("report %s --run 3 --against %s --html %s", store, other, page),
                    *few = g_strdup_printf("report %s --history", other);
    test_assert_run(0, across, "no kind is shown to be worse");
    test_assert_run(3, few, "expected 3 runs or more, found 1");
    g_autofree char *text = NULL;
    assert_true(g_file_get_contents(page, &text, NULL, NULL));
    test_assert_in(text, "<h2>Against run 1");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_chance),
                                        cmocka_unit_test_teardown(test_command, test_kill_running) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
