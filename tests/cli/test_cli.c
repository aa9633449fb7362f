/* SPDX-License-Identifier: MIT */
/* The command as a process: the blocks of data/cli.txt, pipes, files and signals. */
#include "support.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

/* A block of data/cli.txt. */
struct block {
    char *title;
    char *arguments;
    int status;
    GPtrArray *out;
    GPtrArray *err;
};

static bool line_matches(const char *line, const char *wanted)
{
    size_t length = strlen(wanted);
    return g_str_has_suffix(wanted, "...") ? strncmp(line, wanted, length - 3) == 0 : strcmp(line, wanted) == 0;
}

static void run_block(const struct block *block)
{
    g_autofree char *command = g_strdup_printf(TEST_ZEUGMA " %s", block->arguments);
    g_auto(GStrv) argv = NULL;
    g_autofree char *out = NULL, *err = NULL;
    int status = 0;

    assert_true(g_shell_parse_argv(command, NULL, &argv, NULL));
    assert_true(g_spawn_sync(TEST_SOURCE, argv, NULL, G_SPAWN_DEFAULT, NULL, NULL, &out, &err, &status, NULL));
    if (!WIFEXITED(status) || WEXITSTATUS(status) != block->status)
        fail_msg("%s: status %d\n%s%s", block->title, status, out, err);
    g_auto(GStrv) out_lines = g_strsplit(out, "\n", -1);
    g_auto(GStrv) err_lines = g_strsplit(err, "\n", -1);
    for (unsigned i = 0; i < block->out->len; i++) {
        bool found = false;
        for (char **line = out_lines; *line; line++)
            found = found || line_matches(*line, g_ptr_array_index(block->out, i));
        if (!found)
            fail_msg("%s: no line \"%s\" in\n%s", block->title, (char *)g_ptr_array_index(block->out, i), out);
    }
    if (g_strv_length(err_lines) != (block->err->len ? block->err->len + 1 : 0))
        fail_msg("%s: standard error is\n%s", block->title, err);
    for (unsigned i = 0; i < block->err->len; i++)
        if (!line_matches(err_lines[i], g_ptr_array_index(block->err, i)))
            fail_msg("%s: \"%s\" is not \"%s\"", block->title, err_lines[i], (char *)g_ptr_array_index(block->err, i));
}

static void test_blocks(void **state)
{
    g_autofree char *text = test_data("cli.txt");
    g_auto(GStrv) blocks = g_strsplit(text, "\n\n", -1);
    unsigned run = 0;
    (void)state;
    for (char **one = blocks; *one; one++) {
        g_auto(GStrv) lines = g_strsplit(*one, "\n", -1);
        struct block block = { lines[0], NULL, -1, g_ptr_array_new(), g_ptr_array_new() };
        for (char **line = lines; *line; line++) {
            char *rest = strlen(*line) > 2 ? *line + 2 : "";
            switch (**line) {
            case '$': block.arguments = rest; break;
            case '=': block.status = atoi(rest); break;
            case '>': g_ptr_array_add(block.out, rest); break;
            case '!': g_ptr_array_add(block.err, rest); break;
            default: break;
            }
        }
        if (block.arguments) {
            run_block(&block);
            run++;
        }
        g_ptr_array_unref(block.out);
        g_ptr_array_unref(block.err);
    }
    assert_true(run >= 40);
}

static int shell(const char *format, const char *folder)
{
    g_autofree char *command = g_strdup_printf(format, folder);
    g_autofree char *whole =
        g_strconcat("cd " TEST_SOURCE "; Z=" TEST_ZEUGMA "; D=examples/loom/loom.yaml; ", command, NULL);
    int status = system(whole);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

/* Input through pipes and in pieces; a full or closed output is noticed. */
static void test_pipes(void **state)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-cli-XXXXXX", NULL);
    (void)state;
    assert_int_equal(
        shell("for i in 1 2 3; do $Z encode $D load_row '{\"row\": 7, \"lift\": 9}' --binary; done > %s/three", folder),
        0);
    assert_int_equal(shell("test $(wc -c < %s/three) = 33", folder), 0);
    assert_int_equal(shell("test $($Z decode $D %s/three --json | grep -c '\"row\":7') = 3", folder), 0);
    assert_int_equal(shell("test $(cat %s/three | $Z decode $D - | grep -c load_row) = 3", folder), 0);
    assert_int_equal(shell("head -c 300000 /dev/urandom | $Z decode $D > %s/out", folder), 0);
    assert_int_equal(shell("$Z layout $D > /dev/full 2> %s/err", folder), 3);
    assert_int_equal(shell("grep -q 'zeugma layout: cannot write the output: No space left on device' %s/err", folder),
                     0);
    assert_int_equal(shell("cat %s/three | $Z decode $D | true", folder), 0);
    /* what is written goes into its place as a whole, and a device stays one */
    assert_int_equal(
        shell("F=%s; for k in svg png vcd csv; do echo old > $F/drawn; $Z wave $D --hex 55 --$k $F/drawn && "
              "! grep -q old $F/drawn && test $(ls $F | grep -c drawn) = 1 || exit 1; done",
              folder),
        0);
    assert_int_equal(
        shell("F=%s; for k in svg png vcd csv; do $Z wave $D --hex 55 --$k /dev/full 2> $F/err; "
              "test $? = 3 && test -c /dev/full && grep -q 'zeugma wave: /dev/full: No space left on device' "
              "$F/err || exit 1; done",
              folder),
        0);
    assert_int_equal(shell("$Z generate $D -o %s/gen > /dev/null", folder), 0);
    assert_int_equal(shell("test $(ls %s/gen | wc -l) = 11", folder), 0);
    assert_int_equal(shell("rm -r %s", folder), 0);
}

/* Ctrl-C ends a soak cleanly, with what was measured. */
static void test_interrupt(void **state)
{
    char *argv[] = { TEST_ZEUGMA, "soak", TEST_SOURCE "/examples/loom/loom.yaml", "sim:", "--for", "240h",
                     "--json",    NULL };
    GPid child;
    int out = -1, status = 0;
    char buffer[65536];
    ssize_t length;
    g_autoptr(GString) text = g_string_new(NULL);
    (void)state;
    assert_true(g_spawn_async_with_pipes(NULL, argv, NULL, G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL, &child, NULL, &out,
                                         NULL, NULL));
    g_usleep(1000000); /* time for the signal handler to be installed */
    assert_int_equal(kill(child, SIGINT), 0);
    while ((length = read(out, buffer, sizeof buffer)) > 0)
        g_string_append_len(text, buffer, length);
    close(out);
    assert_int_equal(waitpid(child, &status, 0), child);
    assert_true(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    assert_non_null(strstr(text->str, "\"stopped\": true"));
    assert_non_null(strstr(text->str, "\"adds_up\": true"));
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_blocks), cmocka_unit_test(test_pipes),
                                        cmocka_unit_test(test_interrupt) };
    setenv("LC_ALL", "C.UTF-8", 1);
    return cmocka_run_group_tests(tests, NULL, NULL);
}
