/* SPDX-License-Identifier: MIT */
/* The page of a report, in a real browser: it needs nothing else, draws its charts, and takes nothing that came from
 * outside for markup. */
#include <string.h>

#include "processes.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"
#define CHARTS 6

/* What the browser makes of a page, after its scripts. Free with g_free(). */
static char *browse(const char *page)
{
    g_autofree char *profile = g_build_filename(test_folder, "profile", NULL);
    g_autofree char *command = g_strdup_printf(
        "chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking "
        "--disable-component-update --disable-sync --user-data-dir=%s --virtual-time-budget=5000 --dump-dom file://%s",
        profile, page);
    g_autofree char *errors = NULL;
    g_autoptr(GError) error = NULL;
    char *dom = NULL;

    if (!g_spawn_command_line_sync(command, &dom, &errors, NULL, &error))
        fail_msg("%s", error->message);
    return dom;
}

static void it_shows_all_and_needs_nothing(void **state)
{
    g_autofree char *store = g_build_filename(test_folder, "page.store", NULL),
                    *page = g_build_filename(test_folder, "page.html", NULL),
                    *soak = g_strdup_printf("soak " LOOM
                                            " sim: --for 60s --faults \"ber=1e-5 back:restart=0.05\" --require "
                                            "\"lost <= 1e-9\" --store %s --html %s",
                                            store, page);
    g_autofree char *text = NULL;
    (void)state;
    g_free(test_run(1, soak)); /* whatever the verdict */
    assert_true(g_file_get_contents(page, &text, NULL, NULL));
    assert_true(strlen(text) < 5000000);
    g_autofree char *dom = browse(page), *ready = g_strdup_printf("data-ready=\"%d\"", CHARTS);
    test_assert_in(dom, ready);
    test_assert_in(dom, "Failed: not all requirements are met");
    test_assert_in(dom, "independent bit errors");
    test_assert_in(dom, "store's SHA-256");
    test_assert_in(dom, "The command that repeats the run");
    test_assert_in(dom, "the line's limit");
    assert_true(test_lines_with(dom, "class=\"stretch\"") > 20);
    assert_null(strstr(dom, "src=\""));
    assert_null(strstr(dom, "href=\""));
    g_autofree char *again = g_strdup_printf("report %s --html %s.2", store, page),
                    *second = g_strconcat(page, ".2", NULL);
    g_autofree char *same = NULL;
    g_free(test_run(1, again));
    assert_true(g_file_get_contents(second, &same, NULL, NULL));
    assert_string_equal(text, same);
    g_autofree char *lost = g_strdup_printf("soak " LOOM " sim: --for 1s --html %s/no/x.html", test_folder);
    test_assert_run(3, lost, "No such file or directory");
    test_assert_run(3, "soak " LOOM " sim: --for 1s --html /", "Is a directory");
    test_assert_run(2, "soak " LOOM " sim: --for 1s --html ''", "--html: expected a file");
}

/* What a device, a file of marks or a command line may hold. */
static void nothing_is_taken_for_markup(void **state)
{
    static const char hostile[] = "time,what\n"
                                  "1,</script><img src=x onerror=document.title=1>\n"
                                  "2,\x1b[31m\xff\xfe&quot;\x07<b>\n"
                                  "3,<!--\n"
                                  "4,\" onmouseover=\"x\n";
    g_autofree char *marks = g_build_filename(test_folder, "marks.csv", NULL),
                    *page = g_build_filename(test_folder, "hostile.html", NULL),
                    *soak = g_strdup_printf("soak " LOOM " sim: --for 6s --marks %s --html %s", marks, page);
    g_autofree char *text = NULL;
    (void)state;
    assert_true(g_file_set_contents(marks, hostile, sizeof hostile - 1, NULL));
    g_free(test_run(0, soak));
    assert_true(g_file_get_contents(page, &text, NULL, NULL));
    assert_true(g_utf8_validate(text, -1, NULL));
    assert_null(strstr(text, "<img"));
    assert_null(strchr(text, '\x1b'));
    g_autofree char *dom = browse(page);
    test_assert_in(dom, "data-ready=\"");
    test_assert_in(dom, "&lt;/script&gt;&lt;img src=x onerror=document.title=1&gt;");
    test_assert_in(dom, "<title>Soak of loom</title>");
    assert_null(strstr(dom, "<img"));
}

/* A store that keeps the bytes of damages in fewer and fewer seconds makes no period and no bursts of independent
 * errors, and tells their rate. */
static void what_is_left_out_misleads_nobody(void **state)
{
    (void)state;
    g_free(test_run(0, "soak " TEST_SOURCE "/examples/loom/loom.yaml sim: --for 4min --faults ber=2e-4 --seed 3 "
                       "--store thin --stretches 600"));
    g_autofree char *text = test_run(0, "report thin");
    test_assert_in(text, "independent bit errors: ");
    assert_null(strstr(text, "periodic interference"));
    assert_null(strstr(text, "bursts: "));
    const double rate = g_ascii_strtod(strstr(text, " inverted bits, ") + strlen(" inverted bits, "), NULL);
    assert_true(rate > 1.6e-4 && rate < 2.4e-4);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test_teardown(it_shows_all_and_needs_nothing, test_kill_running),
                                        cmocka_unit_test_teardown(nothing_is_taken_for_markup, test_kill_running),
                                        cmocka_unit_test_teardown(what_is_left_out_misleads_nobody,
                                                                  test_kill_running) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
