/* SPDX-License-Identifier: MIT */
/* Series: whatever is read shows the true extremes of its time, in order, within its bounds; gaps stay; memory is
 * bounded. And pictures of them, by the command. */
#include <math.h>
#include <string.h>

#include "processes.h"
#include "sim/random.h"
#include "view/series.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

struct truth {
    uint64_t at_ns;
    double value;
};

/* What is read covers every value from..to, and nothing that was not there. */
static void check(const struct zg_series *series, const GArray *truth, uint64_t from_ns, uint64_t to_ns, guint most)
{
    g_autoptr(GArray) spans = zg_series_read(series, from_ns, to_ns, most);
    uint64_t before_ns = 0;
    guint next = 0;

    assert_true(spans->len <= 2 * most + 64);
    for (guint i = 0; i < spans->len; i++) {
        const struct zg_series_span *span = &g_array_index(spans, struct zg_series_span, i);
        double least = INFINITY, greatest = -INFINITY;
        assert_true(span->from_ns <= span->to_ns && (i == 0 || span->from_ns > before_ns));
        before_ns = span->to_ns;
        while (next < truth->len && g_array_index(truth, struct truth, next).at_ns < span->from_ns)
            assert_true(g_array_index(truth, struct truth, next++).at_ns < from_ns); /* none is left out */
        for (; next < truth->len && g_array_index(truth, struct truth, next).at_ns <= span->to_ns; next++) {
            least = fmin(least, g_array_index(truth, struct truth, next).value);
            greatest = fmax(greatest, g_array_index(truth, struct truth, next).value);
        }
        assert_true(least == span->least && greatest == span->greatest);
    }
    for (; next < truth->len; next++) {
        const uint64_t at_ns = g_array_index(truth, struct truth, next).at_ns;
        assert_true(at_ns < from_ns || at_ns > to_ns);
    }
}

static void test_extremes(void **state)
{
    struct zg_random random = zg_random_seeded(3, 0);
    (void)state;
    for (unsigned round = 0; round < test_rounds(40); round++) {
        struct zg_series *series = zg_series_new();
        g_autoptr(GArray) truth = g_array_new(FALSE, FALSE, sizeof(struct truth));
        const unsigned count = 1 + (unsigned)zg_random_below(&random, round % 4 == 0 ? 30000 : 300);
        uint64_t at_ns = 0;
        for (unsigned i = 0; i < count; i++) {
            at_ns += 1 + zg_random_below(&random, 1000);
            const struct truth one = { at_ns, zg_random_unit(&random) * 2 - 1 };
            const bool lost = zg_random_one_in(&random, 50);
            zg_series_add(series, at_ns, lost ? NAN : one.value, zg_random_one_in(&random, 40));
            if (!lost)
                g_array_append_val(truth, one);
        }
        check(series, truth, 0, UINT64_MAX - 1, 1000000);
        check(series, truth, 0, UINT64_MAX - 1, 100);
        check(series, truth, at_ns / 3, at_ns / 2, 50);
        check(series, truth, at_ns, at_ns, 10);
        zg_series_free(series);
    }
}

static void test_bounds_and_gaps(void **state)
{
    struct zg_series *series = zg_series_new();
    unsigned gaps = 0;
    const uint64_t count = 20000000 / TEST_SHARE, outage_ns = 1000 * count, end_ns = 1000 * count + outage_ns;
    (void)state;
    for (uint64_t i = 0; i < count; i++)
        zg_series_add(series, i * 1000 + (i >= count / 2 ? outage_ns : 0), sin((double)i / 1e5),
                      i == 0 || i == count / 2);
    assert_int_equal(zg_series_count(series), count);
    assert_true(zg_series_memory(series) < 20000000);
    g_autoptr(GArray) spans = zg_series_read(series, 0, UINT64_MAX - 1, 1280);
    assert_in_range(spans->len, 300, 1400);
    assert_int_equal(g_array_index(spans, struct zg_series_span, 0).from_ns, 0);
    assert_int_equal(g_array_index(spans, struct zg_series_span, spans->len - 1).to_ns, end_ns - 1000);
    for (guint i = 0; i < spans->len; i++)
        gaps += g_array_index(spans, struct zg_series_span, i).after_gap;
    assert_int_equal(gaps, 1); /* nothing is missing before the first value */
    g_autoptr(GArray) newest = zg_series_read(series, end_ns - 1000000, UINT64_MAX - 1, 1280);
    assert_int_equal(newest->len, 1000); /* one by one */
    g_autoptr(GArray) none = zg_series_read(series, end_ns, UINT64_MAX - 1, 10);
    assert_int_equal(none->len, 0);
    zg_series_free(series);
}

static void test_pictures(void **state)
{
    static const struct {
        const char *name, *begins;
    } files[] = { { "p.svg", "<?xml" }, { "p.png", "\x89PNG" }, { "p.pdf", "%PDF" } };
    g_autofree char *capture = g_build_filename(test_folder, "loom.pcapng", NULL),
                    *watch = g_strdup_printf("watch " LOOM " sim: --for 2s --count 20 --capture %s", capture);
    (void)state;
    g_free(test_run(0, watch));
    for (size_t i = 0; i < G_N_ELEMENTS(files); i++) {
        g_autofree char *file = g_build_filename(test_folder, files[i].name, NULL),
                        *plot = g_strdup_printf("plot " LOOM " file:%s tension sag,pick.drive_temp -o %s --span 1s %s",
                                                capture, file, i == 1 ? "--dark --size 640x400" : "");
        g_autofree char *bytes = NULL;
        gsize length;
        test_assert_run(0, plot, " values");
        assert_true(g_file_get_contents(file, &bytes, &length, NULL));
        assert_true(length > 1000 && memcmp(bytes, files[i].begins, strlen(files[i].begins)) == 0);
        if (i == 1) /* width and height stand in its first chunk */
            assert_true((uint8_t)bytes[18] == 640 / 256 && (uint8_t)bytes[19] == 640 % 256);
    }
    g_autofree char *no_folder = g_strdup_printf("plot " LOOM " file:%s tension -o %s/no/x.svg", capture, test_folder);
    g_autofree char *no_value =
        g_strdup_printf("plot " LOOM " file:%s row_taken.row -o %s/y.svg", capture, test_folder);
    test_assert_run(3, no_folder, "No such file");
    test_assert_run(1, no_value, "no value of these fields came");
    test_assert_run(2, "plot " LOOM " sim: tensoin -o x.svg", "did you mean \"tension\"?");
    test_assert_run(2, "plot " LOOM " sim: tension -o x.gif", "ends in .svg, .png or .pdf");
    test_assert_run(2, "plot " LOOM " sim: tension", "expected -o FILE");
    test_assert_run(2, "plot " LOOM " sim: tension -o x.svg --size 10x10", "from 200x150");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_extremes), cmocka_unit_test(test_bounds_and_gaps),
                                        cmocka_unit_test_teardown(test_pictures, test_kill_running) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
