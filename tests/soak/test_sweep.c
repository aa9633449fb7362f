/* SPDX-License-Identifier: MIT */
/* Many soaks: values of axes, a grid whose result does not depend on the cores, the search for where a limit breaks. */
#include <math.h>
#include <sched.h>
#include <string.h>

#include "soak/sweep.h"
#include "support.h"

static void axes_are_read(void **state)
{
    static const struct {
        const char *text;
        bool is_real;
        const char *wrong; /* NULL: it is sound */
    } rows[] = { { "ber=1e-7..1e-3/9", false, NULL },
                 { "latency=0ms..5ms/3", false, NULL },
                 { "baud=-6%..6%/13", true, NULL },
                 { "fifo=4..64/4", false, NULL },
                 { "load=0.1..0.9", false, "NAME=FROM..TO/STEPS" },
                 { "load=0.9..0.1/3", false, "greater value last" },
                 { "load=0.1..2/3", false, "from 1e-06 to 0.95" },
                 { "size=1ms..2ms/3", false, "expected numbers" },
                 { "gap=1..2/3", false, "times with their unit" },
                 { "latency=1..2/3", false, "times with their unit" },
                 { "ber=1e-7..1e-3/0", false, "1 to 10000 steps" },
                 { "ber=1e-7..2/3", true, "faults need sim:" },
                 { "baud=-6%..6%/13", false, "on a real port only" },
                 { "burst=1..2/3", false, "not one number" },
                 { "bre=1..2/3", false, "did you mean \"ber\"" } };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autoptr(GError) error = NULL;
        struct zg_sweep_axis axis;
        const bool fine = zg_sweep_axis_parse(rows[i].text, true, rows[i].is_real, &axis, &error);
        if (fine != (rows[i].wrong == NULL) || (!fine && !strstr(error->message, rows[i].wrong)))
            fail_msg("%s: %s", rows[i].text, fine ? "accepted" : error->message);
        zg_sweep_axis_clear(&axis);
    }
    struct zg_sweep_axis axis;
    assert_true(zg_sweep_axis_parse("ber=1e-7..1e-3/9", true, false, &axis, NULL));
    assert_true(fabs(zg_sweep_value(&axis, 4) / 1e-5 - 1) < 1e-9); /* logarithmic */
    zg_sweep_axis_clear(&axis);
    assert_true(zg_sweep_axis_parse("size=1..64/8", true, false, &axis, NULL));
    assert_true(zg_sweep_value(&axis, 3) == 28); /* linear, whole */
    zg_sweep_axis_clear(&axis);
}

static char *run_grid(const struct zg_plan *plan)
{
    struct zg_soak_settings settings = zg_soak_defaults();
    struct zg_sweep_axis axes[2];
    const struct zg_sweep sweep = { plan, &settings, axes, 2, 2 };

    settings.duration_ns = UINT64_C(2000000000);
    assert_true(zg_sweep_axis_parse("ber=1e-5..1e-3/3", true, false, &axes[0], NULL));
    assert_true(zg_sweep_axis_parse("size=8..64/2", true, false, &axes[1], NULL));
    g_autoptr(GArray) points = zg_sweep_run(&sweep, NULL, NULL);
    assert_int_equal(points->len, 12);
    for (guint i = 0; i < points->len; i++) {
        const struct zg_sweep_point *point = &g_array_index(points, struct zg_sweep_point, i);
        assert_true(point->result->adds_up);
        assert_true(point->values[1] == (i / 2 % 2 == 0 ? 8 : 64)); /* the last axis goes fastest */
    }
    char *text = zg_sweep_json(&sweep, points, NULL, 0);
    zg_sweep_axis_clear(&axes[0]);
    zg_sweep_axis_clear(&axes[1]);
    return text;
}

static void a_grid_is_the_same_on_one_core(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    cpu_set_t all, one;
    (void)state;
    g_autofree char *many = run_grid(plan.plan);
    assert_int_equal(sched_getaffinity(0, sizeof all, &all), 0);
    CPU_ZERO(&one);
    for (size_t i = 0; CPU_COUNT(&one) == 0; i++)
        if (CPU_ISSET(i, &all))
            CPU_SET(i, &one);
    assert_int_equal(sched_setaffinity(0, sizeof one, &one), 0);
    g_autofree char *few = run_grid(plan.plan);
    assert_int_equal(sched_setaffinity(0, sizeof all, &all), 0);
    assert_string_equal(many, few);
    test_plan_clear(&plan);
}

/* Frames of 69 bytes: a share of 1 - (1 - ber)^552 is lost, and of the next ones where the delimiter is hit. */
static void the_search_finds_where_it_breaks(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    struct zg_soak_settings settings = zg_soak_defaults();
    struct zg_soak_requirement limit;
    struct zg_sweep_axis axis;
    (void)state;
    settings.duration_ns = UINT64_C(20000000000);
    settings.size = 64;
    assert_true(zg_soak_requirement_parse("lost <= 1e-2", &limit, NULL));
    assert_true(zg_sweep_axis_parse("ber=1e-7..1e-3", false, false, &axis, NULL));
    const struct zg_search found = zg_search_run(plan.plan, &settings, &axis, &limit, NULL, NULL);
    const double expected = 1 - pow(1 - 0.01, 1.0 / 552);
    assert_true(found.found && found.holds[0] && !found.holds[1]);
    assert_true(found.good < found.bad && found.bad / found.good < pow(1e4, 0.051));
    assert_true(found.good < expected * 1.1 && found.bad > expected * 0.8);
    zg_sweep_axis_clear(&axis);
    assert_true(zg_sweep_axis_parse("load=0.1..0.5", false, false, &axis, NULL));
    const struct zg_search none = zg_search_run(plan.plan, &settings, &axis, &limit, NULL, NULL);
    assert_true(!none.found && none.holds[0] && none.holds[1] && none.runs == 2);
    zg_sweep_axis_clear(&axis);
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = {
        cmocka_unit_test(axes_are_read),
        cmocka_unit_test(a_grid_is_the_same_on_one_core),
        cmocka_unit_test(the_search_finds_where_it_breaks),
    };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
