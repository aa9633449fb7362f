/* SPDX-License-Identifier: MIT */
/* Messages to be sent, from a file. */
#include "node/script.h"

#include <string.h>

#include "support.h"

static const char definition[] =
    "zeugma: 1\nprotocol: kiln\nversion: 1.0\n"
    "frame: { framing: cobs, header: [id: u8, destination: u4, source: u4], check: crc16/xmodem, max_payload: 30 }\n"
    "messages:\n  set: { id: 1, from: host, fields: { heat: u16, fan: u8 } }\n"
    "  seen: { id: 2, from: device, fields: { heat: u16 } }\n";
static struct test_plan plan;
static char *folder, *path;

static int set_up(void **state)
{
    (void)state;
    plan = test_plan_of(definition);
    folder = g_dir_make_tmp("zeugma-script-XXXXXX", NULL);
    path = g_build_filename(folder, "script", NULL);
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    test_plan_clear(&plan);
    test_remove_folder(folder);
    g_free(folder);
    g_free(path);
    return 0;
}

static GPtrArray *load(const char *text, unsigned *skipped, GError **error)
{
    assert_true(g_file_set_contents(path, text, -1, NULL));
    return zg_script_load(plan.plan, path, skipped, error);
}

/* Times count from the first line's; a line without one has that of the line before; what the host does not send is
 * skipped. */
static void test_sound(void **state)
{
    static const struct {
        uint64_t at_ns;
        unsigned heat, to;
    } wanted[] = { { 0, 7, 0 }, { 0, 8, 3 }, { 1500000000, 9, 0 } };
    unsigned skipped;
    (void)state;
    g_autoptr(GPtrArray) script =
        load("{\"at\":10.25,\"message\":\"set\",\"fields\":{\"heat\":7,\"fan\":1},\"raw\":\"00\"}\n\n"
             "  {\"message\":\"set\",\"fields\":{\"heat\":8,\"fan\":2},\"header\":{\"destination\":3}}  \n"
             "{\"at\":11,\"message\":\"seen\",\"from\":\"device\",\"fields\":{\"heat\":1}}\n"
             "{\"at\":11.5,\"note\":\"lid open\"}\n"
             "{\"at\":11.75,\"message\":\"set\",\"fields\":{\"heat\":9,\"fan\":3}}",
             &skipped, NULL);
    assert_non_null(script);
    assert_int_equal(skipped, 2);
    assert_int_equal(script->len, G_N_ELEMENTS(wanted));
    for (unsigned i = 0; i < script->len; i++) {
        const struct zg_script_item *item = g_ptr_array_index(script, i);
        assert_string_equal(item->message->message->name, "set");
        assert_true(item->at_ns == wanted[i].at_ns);
        assert_int_equal(item->values[0].raw.u, wanted[i].heat);
        assert_int_equal(item->values[1].raw.u, i + 1);
        assert_int_equal(item->to, wanted[i].to);
    }
}

/* Errors are reported with their line. */
static void test_unsound(void **state)
{
    static const char *const cases[][2] = {
        { "{\"message\":\"set\"}\n", "script:1: set: " },
        { "\n\n{\"message\":\"sett\",\"fields\":{}}\n", "script:3: kiln has no message \"sett\"" },
        { "{\"message\":\"set\",\"fields\":{\"heat\":70000,\"fan\":1}}", "script:1: " },
        { "[]\n", "script:1: expected a JSON object" },
        { "{\n", "script:1: " },
        { "{\"at\":5,\"message\":\"set\",\"fields\":{\"heat\":1,\"fan\":1}}\n"
          "{\"at\":4,\"message\":\"set\",\"fields\":{\"heat\":1,\"fan\":1}}\n",
          "script:2: at: expected seconds, not before those of the first line" },
        { "{\"at\":\"now\",\"message\":\"set\",\"fields\":{\"heat\":1,\"fan\":1}}\n", "script:1: at: " },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GError) error = NULL;
        unsigned skipped;
        assert_null(load(cases[i][0], &skipped, &error));
        if (!strstr(error->message, cases[i][1]))
            fail_msg("no \"%s\" in \"%s\"", cases[i][1], error->message);
    }
}

/* Lists as deep as a stack is: told, whatever their number. */
static void test_deep(void **state)
{
    enum { DEEP = 1000000 };
    g_autofree char *text = g_malloc(DEEP + 1);
    g_autoptr(GError) error = NULL;
    unsigned skipped;

    (void)state;
    memset(text, '[', DEEP);
    text[DEEP] = '\0';
    assert_null(load(text, &skipped, &error));
    assert_string_equal(strstr(error->message, "script:1: "),
                        "script:1: the [ at position 101 is inside 100 others; at most 100 levels are read");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_sound), cmocka_unit_test(test_unsound),
                                        cmocka_unit_test(test_deep) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
