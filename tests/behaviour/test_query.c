/* SPDX-License-Identifier: MIT */
/* Requests without a ticket: the host library's own end, the generated C and the generated Python see the same. */
#include <stdlib.h>
#include <string.h>

#include "generate/generate.h"
#include "generated.h"
#include "node/node.h"
#include "sim/random.h"
#include "zeugma/error.h"

static struct test_plan plan;
static struct zg_node *node;

static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    (void)frame;
    g_string_append(data, message->message->name);
    for (unsigned i = 0; i < message->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&message->payload, i);
        if (step->type.kind == ZG_KIND_TEXT)
            g_string_append_printf(data, " %.*s", (int)values[i].count, (const char *)values[i].bytes);
        else if (step->type.kind == ZG_KIND_SIGNED)
            g_string_append_printf(data, " %d", (int)values[i].raw.i);
        else
            g_string_append_printf(data, " %u", (unsigned)values[i].raw.u);
    }
    g_string_append_c(data, '\n');
}

static void settled(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how)
{
    (void)peer;
    (void)ticket;
    (void)values;
    g_string_append_printf(data, "%s: %s\n", message->message->name,
                           how == ZG_DELIVERED           ? "delivered"
                           : how == ZG_SETTLED_NO_ANSWER ? "no answer"
                                                         : "?");
}

/* Sends the oldest request that waits, if it may, and notes what leaves. */
static void turn(GQueue *waiting, GString *seen)
{
    uint8_t byte;

    zg_node_poll(node);
    if (!g_queue_is_empty(waiting) &&
        zg_node_send(node, 0, zg_plan_by_name(plan.plan, g_queue_peek_head(waiting)), NULL, NULL) == 0)
        g_queue_pop_head(waiting);
    if (zg_ring_used(&zg_node_link(node)->transmit) == 0)
        return;
    g_string_append(seen, "> ");
    while (zg_link_transmit_isr(zg_node_link(node), &byte))
        g_string_append_c(seen, (char)byte); /* with the line's end */
}

static char *by_the_node(const char *scene)
{
    static const struct zg_node_calls calls = { .take = take, .settled = settled };
    g_auto(GStrv) lines = g_strsplit(scene, "\n", -1);
    GString *seen = g_string_new(NULL);
    GQueue waiting = G_QUEUE_INIT;

    test_clock_us = UINT32_C(0) - 400000;
    node = zg_node_new(plan.plan, ZG_SIDE_HOST, 64, &test_port, NULL, &calls, seen);
    for (char **line = lines; *line && **line; line++) {
        g_autofree char *text = g_strconcat(*line + 2, "\n", NULL);
        if (**line == 'S')
            g_queue_push_tail(&waiting, *line + 2);
        else if (**line == 'R')
            zg_node_receive(node, (const uint8_t *)text, strlen(text));
        for (int ms = **line == 'T' ? atoi(*line + 2) : 1; ms > 0; ms--) {
            test_clock_us += 1000;
            turn(&waiting, seen);
        }
    }
    const struct zg_counters *counters = &zg_node_link(node)->counters;
    g_string_append_printf(seen, "late %u, resent %u, given up %u\n", counters->late, counters->resent,
                           counters->given_up);
    zg_node_free(node);
    g_queue_clear(&waiting);
    return g_string_free(seen, FALSE);
}

static char *by(const char *command, const char *folder, const char *scene)
{
    g_autofree char *in = g_build_filename(folder, "scene", NULL), *out = NULL;
    g_autofree char *line = g_strdup_printf("sh -c '%s <%s'", command, in);
    int status;

    assert_true(g_file_set_contents(in, scene, -1, NULL));
    assert_true(g_spawn_command_line_sync(line, &out, NULL, &status, NULL));
    assert_int_equal(status, 0);
    return g_steal_pointer(&out);
}

static const char told[] =                                  /* what is to be seen; then random scenes follow */
    "S ask_level\nT 20\nR 12\n"                             /* answered */
    "S ask_name\nS ask_level\nT 20\nR 12\nT 20\nR 13\n"     /* the open request says what a bare answer is */
    "S ask_log\nT 80\nR E 1 5\nT 80\nR E 2 6\nT 80\nR OK\n" /* each line gives more time */
    "S ask_level\nT 150\nR ERR 7\n"                         /* sent again */
    "S ask_level\nT 310\nR 99\nS ask_name\nT 100\nR ACME\n" /* given up: what comes late is no answer to the next */
    "R 5\nR 5000\n"                                         /* nobody asked */
    "S ask_log\nT 20\nR E 1 5\nT 120\nR OK\nT 200\nR OK\nR E 3 3\n"; /* given up between two lines */
static const char seen[] =
    "> LEVEL?\nask_level: delivered\nlevel 12\n"
    "> NAME?\nask_name: delivered\nname 12\n> LEVEL?\nask_level: delivered\nlevel 13\n"
    "> LOG?\nentry 1 5\nentry 2 6\nask_log: delivered\ndone\n"
    "> LEVEL?\n> LEVEL?\nask_level: delivered\nfailed 7\n"
    "> LEVEL?\n> LEVEL?\n> LEVEL?\nask_level: no answer\n> NAME?\nask_name: delivered\nname ACME\n"
    "level 5\nname 5000\n"
    "> LOG?\nentry 1 5\nask_log: no answer\ndone\nentry 3 3\n"
    "late 2, resent 3, given up 2\n";

static char *random_scene(struct zg_random *random)
{
    static const char *const requests[] = { "ask_level", "ask_log", "ask_name" };
    static const char *const answers[] = { "12", "E 1 2", "OK", "ERR 3", "ACME", "-600", "?" };
    GString *scene = g_string_new(NULL);

    for (unsigned i = 0; i < 6; i++) {
        g_string_append_printf(scene, "S %s\n", requests[zg_random_below(random, 3)]);
        for (unsigned k = (unsigned)zg_random_below(random, 6); k > 0; k--)
            g_string_append_printf(scene, "T %u\nR %s\n", 19 + 20 * (unsigned)zg_random_below(random, 6),
                                   answers[zg_random_below(random, G_N_ELEMENTS(answers))]);
        g_string_append(scene, "T 999\n");
    }
    return g_string_free(scene, FALSE);
}

static void test_hosts(void **state)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-query-XXXXXX", NULL);
    g_autofree char *python = g_strdup_printf(TEST_PYTHON " -B " TEST_DATA "/generated/query.py %s", folder);
    g_autofree char *program = g_build_filename(folder, "query", NULL);
    struct zg_random random = zg_random_seeded(21, 0);
    (void)state;
    plan = test_plan_load("bench.yaml");
    test_write_c(plan.plan, folder);
    g_autoptr(GPtrArray) files = zg_generate_python(plan.plan);
    assert_true(zg_generated_write(files, folder, false, NULL));
    g_autofree char *build =
        g_strdup_printf("cd %s && " TEST_CC " -std=c11 -O1 -Wall -Wextra -Wshadow -Werror -I. -I" TEST_SOURCE
                        "/include " TEST_DATA "/generated/query.c bench.c bench_text.c bench_host.c %s -o query",
                        folder, test_runtime());
    assert_int_equal(system(build), 0);
    g_autofree char *first = by_the_node(told);
    assert_string_equal(first, seen);
    for (unsigned round = 0; round <= test_rounds(20); round++) {
        g_autofree char *scene = round == 0 ? g_strdup(told) : random_scene(&random);
        g_autofree char *wanted = by_the_node(scene), *c = by(program, folder, scene), *p = by(python, folder, scene);
        assert_string_equal(c, wanted);
        assert_string_equal(p, wanted);
    }
    test_plan_clear(&plan);
    test_remove_folder(folder);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_hosts) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
