/* SPDX-License-Identifier: MIT */
/* The model of delivery and its code agree: random runs of docs/model/delivery.pml, replayed on generated code, give
 * the same events. tests/model.sh checks that the model keeps its promises. */
#include <stdlib.h>
#include <string.h>

#include "generate/generate.h"
#include "support.h"

static const char definition[] = "zeugma: 1\nprotocol: thread\nversion: 1.0\n"
                                 "frame: { framing: cobs, header: [id: u8, sequence: u8], check: crc16/xmodem }\n"
                                 "services: [hello, delivery]\nmessages:\n"
                                 "  pull: { id: 1, from: host, delivery: acknowledged, %swindow: %u, "
                                 "retries: 2, fields: { number: u8 } }\n";

/* The events in what the simulation prints; its other lines describe processes and the end. */
static char *events_of(const char *output)
{
    static const char *const kinds[] = { "send ",    "again ",       "give up ", "lose ",
                                         "message ", "acknowledge ", "settle ",  "done" };
    g_auto(GStrv) lines = g_strsplit(output, "\n", -1);
    GString *events = g_string_new(NULL);

    for (unsigned i = 0; lines[i]; i++) {
        const char *line = g_strstrip(lines[i]);
        for (unsigned k = 0; k < G_N_ELEMENTS(kinds); k++)
            if (g_str_has_prefix(line, kinds[k]))
                g_string_append_printf(events, "%s\n", line);
    }
    return g_string_free(events, FALSE);
}

static char *output_of(const char *command)
{
    g_autoptr(GError) error = NULL;
    const char *const arguments[] = { "/bin/sh", "-c", command, NULL };
    char *output = NULL;

    if (!g_spawn_sync(NULL, (char **)(guintptr)arguments, NULL, G_SPAWN_DEFAULT, NULL, NULL, &output, NULL, NULL,
                      &error))
        fail_msg("%s", error->message);
    return output;
}

/* One window and order, in some random runs. Returns how many events there were. */
static unsigned replay(unsigned window, bool kept, GHashTable *seen)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-model-XXXXXX", NULL);
    g_autofree char *text = g_strdup_printf(definition, kept ? "order: kept, " : "", window);
    unsigned count = 0;
    struct test_plan plan = test_plan_of(text);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan, ZG_SIDE_BOTH);
    g_autofree char *build = g_strdup_printf("cd %s && " TEST_CC " -std=c11 -Wall -Wextra -Werror -I. *.c " TEST_DATA
                                             "/generated/replay.c -o replay",
                                             folder);
    assert_true(zg_generate_bundle(files, NULL));
    assert_true(zg_generated_write(files, folder, false, NULL));
    assert_int_equal(system(build), 0);
    for (unsigned seed = 1; seed <= test_rounds(12); seed++) {
        g_autofree char *simulate = g_strdup_printf(
            "cd %s && spin -n%u -u6000 -DW=%u -DMEMORY=8 -DFAULTS=9 %s " TEST_SOURCE "/docs/model/delivery.pml", folder,
            seed, window, kept ? "-DKEPT" : "");
        g_autofree char *output = output_of(simulate);
        g_autofree char *events = events_of(output);
        g_autofree char *file = g_build_filename(folder, "events", NULL);
        g_autofree char *run = g_strdup_printf("cd %s && ./replay < events", folder);
        assert_true(g_file_set_contents(file, events, -1, NULL));
        g_autofree char *told = output_of(run);
        assert_string_equal(told, events);
        g_auto(GStrv) lines = g_strsplit(events, "\n", -1);
        for (unsigned i = 0; lines[i]; i++, count++) {
            g_auto(GStrv) words = g_strsplit(lines[i], " ", -1);
            if (words[0] && g_str_has_suffix(lines[i], "within 2"))
                g_hash_table_add(seen, g_strdup("within"));
            if (words[0])
                g_hash_table_add(seen, g_strdup(strcmp(words[0], "message") == 0 ? words[3] : words[0]));
        }
    }
    test_remove_folder(folder);
    test_plan_clear(&plan);
    return count;
}

static void test_same_events(void **state)
{
    static const char *const kinds[] = { "send", "again", "give",   "lose",   "new",
                                         "copy", "early", "settle", "within", "done" };
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);
    unsigned count = 0;
    (void)state;
    count += replay(1, false, seen);
    count += replay(2, false, seen);
    count += replay(2, true, seen);
    assert_true(count > 150);
    for (unsigned i = 0; i < G_N_ELEMENTS(kinds); i++)
        if (!g_hash_table_contains(seen, kinds[i]))
            fail_msg("no run had the event %s", kinds[i]);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_same_events) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
