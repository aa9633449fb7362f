/* SPDX-License-Identifier: MIT */
/* Every file of data/definitions ends with the diagnostics that it must produce, each as "#! LINE:COL: SEVERITY:
 * MESSAGE". */
#include "sim/random.h"
#include "support.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "definition/words.h"

static char *diagnose(const char *text, size_t length)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("x");
    struct zg_definition *definition = zg_definition_parse("x", text, length, diagnostics);
    struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;
    GString *lines = g_string_new(NULL);

    for (unsigned i = 0; i < zg_diagnostics_count(diagnostics); i++) {
        g_autofree char *line = zg_diagnostics_line(diagnostics, i);
        g_string_append_printf(lines, "#! %s\n", line + strlen("x:"));
    }
    assert_int_equal(plan != NULL, zg_diagnostics_errors(diagnostics) == 0);
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return g_string_free(lines, FALSE);
}

static void test_diagnostics(void **state)
{
    g_autoptr(GDir) folder = g_dir_open(TEST_DATA "/definitions", 0, NULL);
    unsigned files = 0, failed = 0;
    (void)state;
    assert_non_null(folder);
    for (const char *name; (name = g_dir_read_name(folder)); files++) {
        g_autofree char *path = g_build_filename("definitions", name, NULL);
        g_autofree char *text = test_data(path);
        const char *wanted = strstr(text, "\n#! ");
        size_t length = wanted ? (size_t)(wanted + 1 - text) : strlen(text);
        g_autofree char *told = diagnose(text, length);
        if (strcmp(told, text + length) == 0)
            continue;
        print_error("%s gives:\n%s", name, told);
        failed++;
    }
    assert_int_equal(failed, 0);
    assert_true(files >= 10);
}

/* Hostile files end in an error, quickly: nothing crashes, nothing hangs. */
static void test_hostile_files(void **state)
{
    static const char *const bases[] = { "definitions/sound.yaml", "definitions/behaviour.yaml" };
    struct zg_random random = zg_random_seeded(6, 0);
    unsigned unsound = 0;
    (void)state;
    for (unsigned round = 0; round < 6000;
         round++) { /* a sound one with a few characters changed, doubled or removed */
        static const char letters[] = "{}[]:,#&*!|>'\"%@`-0x \n\t\xFF";
        g_autofree char *text = test_data(bases[round % 2]);
        size_t length = strlen(text);
        for (uint64_t i = zg_random_below(&random, 4) + 1; i > 0; i--)
            text[zg_random_below(&random, length)] = letters[zg_random_below(&random, sizeof letters - 1)];
        g_autofree char *told = diagnose(text, length - zg_random_below(&random, 3) * zg_random_below(&random, 50));
        unsound += strstr(told, "error") != NULL;
    }
    assert_true(unsound > 3000);

    g_autoptr(GString) noise = g_string_new(NULL);
    for (unsigned i = 0; i < 100000; i++)
        g_string_append_c(noise, (char)zg_random_next(&random));
    g_autofree char *of_noise = diagnose(noise->str, noise->len);
    assert_non_null(strstr(of_noise, "error"));
    g_autofree char *deep = g_strnfill(1000000, '[');
    g_autofree char *of_deep = diagnose(deep, strlen(deep));
    assert_string_equal(of_deep, "#! 1:101: error: brackets are nested more than 100 deep; is one not closed?\n");
    g_autoptr(GString) bomb = g_string_new("a: &a [x, x]\n");
    for (char c = 'b'; c <= 'z'; c++)
        g_string_append_printf(bomb, "%c: &%c [*%c, *%c, *%c, *%c, *%c]\n", c, c, c - 1, c - 1, c - 1, c - 1, c - 1);
    g_string_append(bomb, "messages: *z\nframe: *z\n");
    g_autofree char *of_bomb = diagnose(bomb->str, bomb->len);
    assert_non_null(strstr(of_bomb, "with all aliases expanded this would be 1000000 nodes or more"));
    g_autofree char *of_itself = diagnose("a: &a [*a]\n", strlen("a: &a [*a]\n"));
    assert_non_null(strstr(of_itself, "error"));

    g_autoptr(GString) many =
        g_string_new("zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, check: "
                     "crc16/xmodem, header: [id: u8] }\nenums:\n  e:\n    type: u32\n    values:\n");
    for (unsigned i = 0; i < 40000;
         i++) /* would take a second if each were compared with all; a definition is at most 1 MB */
        g_string_append_printf(many, "      v%u: %u\n", i, i);
    g_string_append(many, "messages: { a: { id: 1, from: host, fields: { x: e } } }\n");
    const gint64 begun_us = g_get_monotonic_time();
    g_autofree char *of_many = diagnose(many->str, many->len);
    assert_string_equal(of_many, "");
    assert_true(g_get_monotonic_time() - begun_us < 10000000);
}

static void test_files(void **state)
{
    g_autofree char *large = g_build_filename(g_get_tmp_dir(), "zeugma-large-XXXXXX", NULL);
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("x");
    g_autoptr(GError) missing = NULL, folder = NULL;
    (void)state;
    assert_null(zg_definition_load("/nonexistent/x.yaml", diagnostics, &missing));
    assert_string_equal(missing->message, "cannot read /nonexistent/x.yaml: No such file or directory");
    assert_null(zg_definition_load("/tmp", diagnostics, &folder));
    assert_string_equal(folder->message, "cannot read /tmp: Is a directory");
    assert_int_equal(zg_diagnostics_count(diagnostics), 0);
    int handle = g_mkstemp(large);
    g_autofree char *zeros = g_malloc0(ZG_DEFINITION_MAX + 1);
    assert_true(write(handle, zeros, ZG_DEFINITION_MAX + 1) == ZG_DEFINITION_MAX + 1);
    close(handle);
    GError *none = NULL;
    assert_null(zg_definition_load(large, diagnostics, &none));
    assert_null(none);
    assert_int_equal(zg_diagnostics_errors(diagnostics), 1);
    remove(large);
    zg_diagnostics_free(diagnostics);
}

static void test_times(void **state)
{
    static const struct {
        const char *text;
        uint64_t ns;
    } good[] = { { "500us", 500000 },       { "20 ms", 20000000 },   { "10s", 10000000000 }, { "10min", 600000000000 },
                 { "24h", 86400000000000 }, { "1.5 s", 1500000000 }, { "0 us", 0 },          { "1_000ns", 1000 } };
    static const char *const bad[] = { "",    "10",     "ms",           "-1s",   "1e3s", "1 S",
                                       "1.s", "10 s x", "99999999999h", "0x10s", "1..2s" };
    uint64_t ns;
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(good); i++) {
        assert_true(zg_parse_time(good[i].text, &ns));
        assert_int_equal(ns, good[i].ns);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++)
        assert_false(zg_parse_time(bad[i], &ns));
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_diagnostics), cmocka_unit_test(test_hostile_files),
                                        cmocka_unit_test(test_files), cmocka_unit_test(test_times) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
