/* SPDX-License-Identifier: MIT */
/* The devices of examples/boards, each with its way to meet the UART: nothing is lost, messages pass both ways, a
 * variable has its effect. */
#include <stdlib.h>
#include <string.h>

#include "processes.h"

#define GAUGE TEST_SOURCE "/examples/boards/gauge.yaml "

static void test_example(void **state)
{
    const char *name = *state;

    if (TEST_SHARE > 1 && strcmp(name, "dma") != 0 && strcmp(name, "rtos") != 0)
        skip(); /* with sanitizers, which change nothing in the others */
    g_autofree char *command = g_strdup_printf(TEST_BIN "/gauge_%s gauge.tty", name),
                    *path = g_build_filename(test_folder, "gauge.tty", NULL);
    const bool prints = strcmp(name, "printing") == 0; /* then text of the device is on the line, too */

    struct process device = test_start_program(command);
    for (unsigned tries = 0; !g_file_test(path, G_FILE_TEST_EXISTS) && tries < 1000; tries++)
        g_usleep(10000);
    g_autofree char *seen = test_run(0, "watch " GAUGE "serial:gauge.tty --for 1s");
    const unsigned before = test_lines_with(seen, "reading ");
    assert_true(before >= 3);
    test_assert_in(seen, " 0 lost");
    test_assert_run(0, "send " GAUGE "serial:gauge.tty lamp '{\"on\":true}'", "lamp: delivered");
    if (!prints)
        test_await(&device, "the lamp is on");
    test_assert_run(0, "vars " GAUGE "serial:gauge.tty interval=20", "20 ms");
    g_autofree char *more = test_run(0, "watch " GAUGE "serial:gauge.tty --for 1s");
    assert_true(test_lines_with(more, "reading ") > before);
    if (prints)
        test_assert_in(more, " bytes so far");
    g_autofree char *soaked =
        test_run(0, "soak " GAUGE "serial:gauge.tty --for 2s --load 0.3 --slow 1s --require \"lost <= 0.02\"");
    test_assert_in(soaked, "every frame and byte is accounted for");
    test_end(&device);
    assert_false(g_file_test(path, G_FILE_TEST_IS_SYMLINK));
}

/* With newlib, printf() goes through the _write() of the example. */
static void test_newlib(void **state)
{
    (void)state;
    g_free(test_run(0, "generate " GAUGE "-o code --bundle"));
    g_autofree char *line =
        g_strdup_printf("cd %s && arm-none-eabi-gcc -std=c11 -Os -Wall -Wextra -Werror -mcpu=cortex-m0plus -mthumb "
                        "-Icode -c " TEST_SOURCE
                        "/examples/boards/printing.c -o printing.o && arm-none-eabi-nm printing.o | grep -q 'T _write'",
                        test_folder);
    assert_int_equal(system(line), 0);
}

#define EXAMPLE(name)                                                                                                  \
    {                                                                                                                  \
#name, test_example, NULL, test_kill_running, (void *)(uintptr_t) #name                                        \
    }

int main(void)
{
    const struct CMUnitTest tests[] = {
        EXAMPLE(polling),  EXAMPLE(interrupts),          EXAMPLE(dma), EXAMPLE(rtos), EXAMPLE(printing),
        EXAMPLE(firmware), cmocka_unit_test(test_newlib)
    };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
