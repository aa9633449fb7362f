/* SPDX-License-Identifier: MIT */
/* PROTOCOL_line.h says of a clock at compile time what `zeugma timing` says of it. */
#include "support.h"

#include <string.h>

#include "analysis/timing.h"
#include "generate/generate.h"
#include "sim/random.h"

/* The header, written, and what a compiler says to it with such a clock. */
static char *said_of(const struct zg_plan *plan, unsigned long hz, unsigned samples, unsigned fraction_bits)
{
    g_autoptr(GPtrArray) files = zg_generate_c(plan, ZG_SIDE_DEVICE);
    g_autofree char *folder = g_dir_make_tmp("zeugma-line-XXXXXX", NULL);
    g_autofree char *command = g_strdup_printf(TEST_CC " -std=c11 -fsyntax-only -DF_CPU=%luUL -DSMALL_LINE_SAMPLES=%u "
                                                       "-DSMALL_LINE_FRACTION_BITS=%u -x c %s/small_line.h",
                                               hz, samples, fraction_bits, folder);
    char *said = NULL;

    assert_true(zg_generated_write(files, folder, false, NULL));
    assert_true(g_spawn_command_line_sync(command, NULL, &said, NULL, NULL));
    test_remove_folder(folder);
    return said;
}

static void test_clocks(void **state)
{
    struct zg_random random = zg_random_seeded(2, 0);
    unsigned good = 0, marginal = 0, bad = 0;
    (void)state;
    for (unsigned round = 0; round < 60; round++) {
        const unsigned long hz = 1000000 + (unsigned long)zg_random_below(&random, 30000000);
        const unsigned long baud = 9600UL << zg_random_below(&random, 6);
        const struct zg_divider divider = { round % 2 ? 16 : 8, round % 5 == 0 ? 4 : 0 };
        g_autofree char *text = g_strdup_printf(
            "line: { baud: %lu, format: %s, clock: { device_tolerance: %u ppm } }\n%s", baud, round % 3 ? "8N1" : "8E1",
            (unsigned)zg_random_below(&random, 20000), test_small_definition);
        struct test_plan plan = test_plan_of(text);
        const struct zg_uart_ends ends = { .device_hz = (double)hz, .host_baud = (double)baud, .divider = divider };
        const struct zg_timing timing = zg_timing_of(&plan.definition->line, &ends);
        const double margin = zg_timing_least(&timing);
        g_autofree char *said = said_of(plan.plan, hz, divider.samples, divider.fraction_bits);
        const bool has_error = strstr(said, "#error") != NULL, has_warning = strstr(said, "#warning") != NULL;
        if (has_error != (margin < 0) || (!has_error && has_warning != (margin < ZG_TIMING_MARGINAL)))
            if (margin < -1e-3 ||
                (margin > 1e-3 && (margin < ZG_TIMING_MARGINAL - 1e-3 || margin > ZG_TIMING_MARGINAL + 1e-3)))
                fail_msg("%lu Hz, %lu baud, %u+%u: %.4f bits left: %s", hz, baud, divider.samples,
                         divider.fraction_bits, margin, said);
        good += !has_error && !has_warning;
        marginal += has_warning;
        bad += has_error;
        test_plan_clear(&plan);
    }
    assert_true(good > 10 && marginal > 3 && bad > 5);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_clocks) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
