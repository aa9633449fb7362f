/* SPDX-License-Identifier: MIT */
/* The live page, by live_page.py: what a user does with it in a real browser, and what others may do to it. */
#include <string.h>

#include "processes.h"

static void hold(const char *scenario)
{
    g_autofree char *errors = NULL, *output = NULL;
    const char *argv[] = {
        TEST_PYTHON, TEST_SOURCE "/tests/page/live_page.py", TEST_ZEUGMA, TEST_SOURCE, scenario, NULL
    };
    g_autoptr(GError) error = NULL;
    int status = 0;

    if (!g_spawn_sync(NULL, (char **)argv, NULL, G_SPAWN_DEFAULT, NULL, NULL, &output, &errors, &status, &error))
        fail_msg("%s", error->message);
    if (status != 0)
        fail_msg("%s: %s%s", scenario, output, strlen(errors) > 1500 ? errors + strlen(errors) - 1500 : errors);
}

static void it_sees_and_sends(void **state)
{
    (void)state;
    hold("sees_and_sends");
}

static void values_arrive_soon(void **state)
{
    (void)state;
    hold("values_arrive_soon");
}

static void markup_does_no_harm(void **state)
{
    (void)state;
    hold("markup_does_no_harm");
}

static void strangers_are_refused(void **state)
{
    (void)state;
    hold("strangers_are_refused");
}

static void many_look(void **state)
{
    (void)state;
    hold("many_look");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(strangers_are_refused), cmocka_unit_test(many_look),
                                        cmocka_unit_test(markup_does_no_harm), cmocka_unit_test(values_arrive_soon),
                                        cmocka_unit_test(it_sees_and_sends) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
