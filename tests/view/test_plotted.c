/* SPDX-License-Identifier: MIT */
/* Where a plotted line is broken: not between the lumps in which a driver hands bytes on, but where values are missing.
 */
#include "support.h"
#include "view/plotted.h"

#define MS UINT64_C(1000000)

/* A value of the definition's message `data`, at a time. */
static void take(struct zg_plotted *plotted, const struct zg_plan *plan, uint64_t at_ns)
{
    struct zg_value value = { .raw = { .u = at_ns / MS } };
    const struct zg_stretch stretch = { .kind = ZG_STRETCH_FRAME,
                                        .message = zg_plan_by_name(plan, "data"),
                                        .values = &value };

    zg_plotted_take(plotted, 0, at_ns, &stretch);
}

static unsigned gaps(const struct zg_plotted *plotted)
{
    g_autoptr(GArray) spans = zg_series_read(zg_plotted_series(plotted, "data.value"), 0, UINT64_MAX - 1, 100000);
    unsigned count = 0;

    for (guint i = 0; i < spans->len; i++)
        count += g_array_index(spans, struct zg_series_span, i).after_gap;
    return count;
}

static void test_gaps(void **state)
{
    static const unsigned lumps[] = { 1, 5, 16, 100, 500 }; /* values, 1 ms from one to the next, that arrive at once */
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(lumps); i++) {
        struct test_plan plan = test_plan_of(test_small_definition);
        const struct zg_viewed viewed = { NULL, plan.plan, NULL };
        struct zg_plotted *plotted = zg_plotted_new(&viewed, 1);
        const uint64_t long_ns = 10 * MAX(lumps[i], 100) * MS;
        uint64_t at_ns = 0;
        assert_true(zg_plotted_add(plotted, "data.value", NULL));
        for (unsigned k = 0; k < 3000; k++) {
            at_ns += k % lumps[i] == 0 ? lumps[i] * MS : 0;
            take(plotted, plan.plan, at_ns);
        }
        assert_int_equal(gaps(plotted), 0);
        at_ns += long_ns;
        take(plotted, plan.plan, at_ns);
        assert_int_equal(gaps(plotted), 1);
        for (unsigned k = 0; k < 100; k++) /* slower for good: a few, and then it is what is usual */
            take(plotted, plan.plan, at_ns += 2 * long_ns);
        assert_in_range(gaps(plotted), 1, 12);
        zg_plotted_free(plotted);
        test_plan_clear(&plan);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_gaps) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
