/* SPDX-License-Identifier: MIT */
/* The verb start: each kind of project is built and run as its README says, and nothing that exists is touched. */
#include <glib/gstdio.h>
#include <stdlib.h>
#include <string.h>

#include "processes.h"
#include "start/start.h"

/* Runs a line of shell in a project, with the command on the path. Returns the output and errors; fails unless the
 * status is 0. */
static char *run_there(const char *project, const char *line)
{
    g_autofree char *bin = g_path_get_dirname(TEST_ZEUGMA);
    g_autofree char *whole =
        g_strdup_printf("cd %s/%s && PATH=%s:$PATH && { %s; } > told 2>&1", test_folder, project, bin, line);
    g_autofree char *path = g_build_filename(test_folder, project, "told", NULL);
    char *text = NULL;
    const int status = system(whole);

    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    if (status != 0)
        fail_msg("%s: %s", line, text);
    return text;
}

static void build_and_run(const char *board, const char *host)
{
    g_autofree char *project = g_strdup_printf("gauge_%s_%s", board, host);
    g_autofree char *start = g_strdup_printf("start %s --board %s --host %s", project, board, host);
    g_autofree char *definition = g_strdup_printf("%s/%s.yaml", project, project);
    g_autofree char *soak =
        g_strdup_printf("build/device >/dev/null & device=$!; trap \"kill $device; wait\" EXIT; "
                        "until [ -e %s.tty ]; do sleep 0.1; done; "
                        "zeugma soak %s.yaml serial:%s.tty --for 3s --slow 1s --require 'lost <= 0.02'",
                        project, project, project);
    g_autofree char *check = g_strdup_printf("check %s", definition);

    test_assert_run(0, start, "make run");
    test_assert_run(0, check, "is sound");
    g_autofree char *ran =
        run_there(project, "make run SECONDS=2 CFLAGS='-std=c11 -O0 -Wall -Wextra -Wpedantic -Werror'");
    test_assert_in(ran, "both ends were built from the same definition\n");
    test_assert_in(ran, "the device says: ready");
    test_assert_in(ran, "device: the LED is on\n");
    test_assert_in(ran, "LED on: delivered\n");
    test_assert_in(ran, "the interval is 50 ms\n");
    test_assert_in(ran, " 0 frames lost\n");
    if (strcmp(board, zg_start_boards[0].name) != 0)
        return; /* test_board_examples soaks the other kinds */
    g_autofree char *soaked = run_there(project, soak);
    test_assert_in(soaked, "every frame and byte is accounted for");
}

/* Each board and each host once; every pair where tests are made many times over, one where they have sanitizers. */
static void test_projects(void **state)
{
    const unsigned longer = MAX(zg_start_boards_length, zg_start_hosts_length);
    const unsigned turns = TEST_SHARE > 1 ? 1 : test_rounds(1) > 1 ? longer * longer : longer;
    (void)state;
    for (unsigned i = 0; i < turns; i++)
        build_and_run(zg_start_boards[i % zg_start_boards_length].name,
                      zg_start_hosts[(i + i / longer) % zg_start_hosts_length].name);
}

static void test_cmake(void **state)
{
    (void)state;
    test_assert_run(0, "start valve", "valve.yaml");
    if (TEST_SHARE > 1)
        return; /* what is built is the same */
    g_free(run_there("valve", "make CFLAGS=-O0 && make -q CFLAGS=-O0 && touch valve.yaml && ! make -q && "
                              "make clean && test ! -e build && test ! -e generated"));
    g_free(run_there("valve", "cmake -S . -B made && cmake --build made && test -x made/device && test -x made/host"));
}

/* The schema that the definition's first line names describes it, and other makes of the chip's compiler agree. */
static void test_other_compilers(void **state)
{
    (void)state;
    test_assert_run(0, "start lift --board loop", "lift.yaml");
    g_free(run_there("lift", TEST_PYTHON
                     " -c \"import json,yaml,jsonschema; jsonschema.validate(yaml.safe_load(open('lift.yaml')), "
                     "json.load(open('zeugma.schema.json')))\" && head -1 lift.yaml | grep -q zeugma.schema.json"));
    test_assert_run(0, "start crane --board rtos", "crane.yaml");
    if (TEST_SHARE == 1) /* not with sanitizers, which would take long */
        g_free(run_there("crane", "make board BOARD_CC=arm-none-eabi-gcc BOARD_CFLAGS='-std=c11 -Os -Wall -Wextra "
                                  "-Werror -mcpu=cortex-m0plus -mthumb'"));
    if (TEST_SHARE == 1)
        g_free(run_there("lift",
                         "make board BOARD_CFLAGS='-std=c11 -O0 -Wall -Wextra -Wpedantic -Wconversion -Werror' && make "
                         "board BOARD_CC=avr-gcc BOARD_CFLAGS='-std=c11 -Os -Wall -Wextra -Werror "
                         "-mmcu=atmega328p' && make board BOARD_CC=arm-none-eabi-gcc BOARD_CFLAGS='-std=c11 -Os "
                         "-Wall -Wextra -Werror -mcpu=cortex-m0plus -mthumb'"));
}

/* What is there stays, and what could not be made whole leaves nothing. */
static void test_refusals(void **state)
{
    static const char *const refused[][3] = {
        { "2", "start 2gauge", "\"2gauge\" cannot name a protocol; expected a letter" },
        { "2", "start while", "\"while\" is a keyword of C or Python" },
        { "2", "start gauge --board lop", "unknown board \"lop\"; did you mean \"loop\"?" },
        { "2", "start gauge --host rust", "unknown host \"rust\"; expected one of c, python" },
        { "2", "start", "zeugma start NAME" },
        { "3", "start kept", "kept exists already; give another name, or remove it" },
        { "3", "start file", "file exists already; give another name, or remove it" },
        { "3", "start nowhere/gauge", "cannot make the folder nowhere/gauge: No such file or directory" },
    };
    g_autofree char *kept = g_build_filename(test_folder, "kept", NULL),
                    *own = g_build_filename(kept, "kept.yaml", NULL),
                    *file = g_build_filename(test_folder, "file", NULL);
    g_autofree char *text = NULL;
    (void)state;
    assert_int_equal(g_mkdir(kept, 0755), 0);
    assert_true(g_file_set_contents(own, "mine\n", -1, NULL) && g_file_set_contents(file, "", -1, NULL));
    for (unsigned i = 0; i < G_N_ELEMENTS(refused); i++)
        test_assert_run(atoi(refused[i][0]), refused[i][1], refused[i][2]);
    assert_true(g_file_get_contents(own, &text, NULL, NULL));
    assert_string_equal(text, "mine\n");
    g_autofree char *left = run_there(".", "ls -A kept; ls -A | grep zeugma- || echo none");
    assert_string_equal(left, "kept.yaml\nnone\n");
    assert_int_equal(g_unlink(own), 0);
    test_assert_run(0, "start kept", "kept.yaml"); /* an empty folder will do */
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test_teardown(test_projects, test_kill_running),
                                        cmocka_unit_test(test_cmake), cmocka_unit_test(test_other_compilers),
                                        cmocka_unit_test(test_refusals) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
