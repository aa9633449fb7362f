/* SPDX-License-Identifier: MIT */
/* The live page, by live_page.py: what a user does with it in a real browser, and what others may do to it. */
#include <string.h>

#include "processes.h"

static void hold(void **state)
{
    const char *scenario = *state;
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

#define SCENARIO(name)                                                                                                 \
    {                                                                                                                  \
#name, hold, NULL, NULL, #name                                                                                 \
    }

int main(void)
{
    const struct CMUnitTest tests[] = { SCENARIO(strangers_are_refused), SCENARIO(many_look),
                                        SCENARIO(markup_does_no_harm),   SCENARIO(values_arrive_soon),
                                        SCENARIO(sees_and_sends),        SCENARIO(two_devices),
                                        SCENARIO(soak_is_seen) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
