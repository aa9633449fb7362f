/* SPDX-License-Identifier: MIT */
#include "processes.h"

#include <netinet/in.h>
#include <poll.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

char *test_folder;
static GArray *running; /* processes, each GPid */

/* --- processes */

struct process test_start_program(const char *command)
{
    g_auto(GStrv) argv = NULL;
    struct process process = { .text = g_string_new(NULL), .errors = g_string_new(NULL) };

    assert_true(g_shell_parse_argv(command, NULL, &argv, NULL));
    assert_true(g_spawn_async_with_pipes(test_folder, argv, NULL, G_SPAWN_DO_NOT_REAP_CHILD | G_SPAWN_SEARCH_PATH, NULL,
                                         NULL, &process.id, NULL, &process.out, &process.err, NULL));
    g_array_append_val(running, process.id);
    return process;
}

struct process test_start(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    g_autofree char *rest = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_autofree char *command = g_strconcat(TEST_ZEUGMA " ", rest, NULL);
    return test_start_program(command);
}

bool test_read_some(int fd, GString *text)
{
    char buffer[65536];
    ssize_t count = read(fd, buffer, sizeof buffer);

    if (count > 0)
        g_string_append_len(text, buffer, count);
    return count > 0;
}

/* Reads until `wanted` is in the output or the errors; fails the test after 20 s, or when the process ends. */
void test_await(struct process *process, const char *wanted)
{
    const gint64 limit = g_get_monotonic_time() + 20000000;

    while (!strstr(process->text->str, wanted) && !strstr(process->errors->str, wanted)) {
        struct pollfd fds[] = { { process->out, POLLIN, 0 }, { process->err, POLLIN, 0 } };
        bool alive = false;
        (void)poll(fds, 2, 100);
        for (unsigned i = 0; i < 2; i++)
            if (fds[i].revents != 0)
                alive = test_read_some(fds[i].fd, i == 0 ? process->text : process->errors) || alive;
            else
                alive = true;
        if (!alive || g_get_monotonic_time() > limit)
            fail_msg("no \"%s\" in\n%s\n%s", wanted, process->text->str, process->errors->str);
    }
}

/* Waits for the end, reading everything; returns the exit status. Sends `signal_number` first, unless it is 0. */
int test_finish(struct process *process, int signal_number)
{
    int status = 0;

    if (signal_number != 0)
        assert_int_equal(kill(process->id, signal_number), 0);
    while (test_read_some(process->out, process->text))
        ;
    while (test_read_some(process->err, process->errors))
        ;
    assert_int_equal(waitpid(process->id, &status, 0), process->id);
    for (guint i = 0; i < running->len; i++)
        if (g_array_index(running, GPid, i) == process->id)
            g_array_remove_index_fast(running, i--);
    close(process->out);
    close(process->err);
    return WIFEXITED(status) ? WEXITSTATUS(status) : -WTERMSIG(status);
}

/* Processes that a failed test left must not disturb others. */
int test_kill_running(void **state)
{
    (void)state;
    for (guint i = 0; i < running->len; i++) {
        kill(g_array_index(running, GPid, i), SIGKILL);
        waitpid(g_array_index(running, GPid, i), NULL, 0);
    }
    g_array_set_size(running, 0);
    return 0;
}

void test_clear(struct process *process)
{
    g_string_free(process->text, TRUE);
    g_string_free(process->errors, TRUE);
}

/* Ends it with Ctrl-C, which must be clean. */
void test_end(struct process *process)
{
    int status = test_finish(process, SIGINT);
    if (status != 0)
        fail_msg("status %d: %s%s", status, process->text->str, process->errors->str);
    test_clear(process);
}

/* Runs one to its end, and checks its exit status. Returns its output and errors; free with g_free(). */
char *test_run(int wanted, const char *arguments)
{
    for (unsigned tries = 1;; tries++) {
        struct process process = test_start("%s", arguments);
        const int status = test_finish(&process, 0);
        char *all = g_strconcat(process.text->str, process.errors->str, NULL);

        test_clear(&process);
        if (status == wanted)
            return all;
        if (wanted != 0 || tries == 3 || !strstr(all, ": no answer, "))
            fail_msg("%s: status %d\n%s", arguments, status, all);
        print_message("the machine stood still, so again: %s\n%s", arguments, all);
        g_free(all);
    }
}

struct process test_start_device(const char *link, const char *more)
{
    struct process device = test_start("sim " LOOM " --on %s %s", link, more);
    test_await(&device, "Ctrl-C ends it");
    return device;
}

int test_bind_anywhere(int type, unsigned *port)
{
    struct sockaddr_in at = { .sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK) };
    socklen_t size = sizeof at;
    int fd = socket(AF_INET, type | SOCK_CLOEXEC, 0);

    assert_true(fd >= 0);
    assert_int_equal(bind(fd, (const struct sockaddr *)&at, size), 0);
    assert_int_equal(getsockname(fd, (struct sockaddr *)&at, &size), 0);
    *port = ntohs(at.sin_port);
    return fd;
}

void test_assert_in(const char *text, const char *wanted)
{
    if (!strstr(text, wanted))
        fail_msg("no \"%s\" in\n%s", wanted, text);
}

void test_assert_run(int wanted, const char *arguments, const char *in)
{
    g_autofree char *text = test_run(wanted, arguments);
    test_assert_in(text, in);
}

unsigned test_lines_with(const char *text, const char *wanted)
{
    unsigned count = 0;
    for (const char *at = strstr(text, wanted); at; at = strstr(at + 1, wanted))
        count++;
    return count;
}

int test_run_processes(const struct CMUnitTest *tests, size_t count)
{
    setenv("LC_ALL", "C.UTF-8", 1);
    test_folder = g_dir_make_tmp("zeugma-links-XXXXXX", NULL);
    running = g_array_new(FALSE, FALSE, sizeof(GPid));
    const int failures = _cmocka_run_group_tests("processes", tests, count, NULL, NULL);
    g_array_unref(running);
    test_remove_folder(test_folder);
    g_free(test_folder);
    return failures;
}
