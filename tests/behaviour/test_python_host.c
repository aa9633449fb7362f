/* SPDX-License-Identifier: MIT */
/* The generated Python host works with the generated C device. */
#include <stdlib.h>

#include "generated.h"

/* Where the line carries one text, another is used instead. */
static void meet(const char *of_line, const char *instead)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-meet-XXXXXX", NULL);
    g_autofree char *run = g_strdup_printf("%s -B " TEST_DATA "/generated/meet.py %s %s/meet %u > %s/told", TEST_PYTHON,
                                           folder, folder, test_rounds(2), folder);
    g_autofree char *told = g_build_filename(folder, "told", NULL);
    g_autofree char *definition = NULL, *text = NULL;
    assert_true(g_file_get_contents(TEST_SOURCE "/tests/behaviour/loom.yaml", &definition, NULL, NULL));
    g_auto(GStrv) parts = g_strsplit(definition, of_line, 2);
    assert_int_equal(g_strv_length(parts), 2);
    g_autofree char *changed = g_strjoinv(instead, parts);
    struct test_plan plan = test_plan_of(changed);
    test_build_meeting(plan.plan, folder);
    assert_int_equal(system(run), 0);
    assert_true(g_file_get_contents(told, &text, NULL, NULL));
    assert_string_equal(text, "well\n");
    test_remove_folder(folder);
    test_plan_clear(&plan);
}

static void test_meeting(void **state)
{
    (void)state;
    meet("baud: 500000", "baud: 500000");
}

static void test_half_duplex(void **state)
{
    (void)state;
    meet("baud: 500000", "baud: 500000, duplex: half, gap: 1 ms");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_meeting), cmocka_unit_test(test_half_duplex) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
