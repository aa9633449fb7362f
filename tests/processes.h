/* SPDX-License-Identifier: MIT */
/* The command as processes that run beside a test. Those that a failed test left are ended. */
#ifndef TEST_PROCESSES_H
#define TEST_PROCESSES_H

#include "support.h"

struct process {
    GPid id;
    int out, err;
    GString *text, *errors;
};

/* Where they run: a folder of the test program's own. */
extern char *test_folder;

/* Starts one with these arguments. */
struct process test_start(const char *format, ...) G_GNUC_PRINTF(1, 2);

/* Starts another program. */
struct process test_start_program(const char *command);

/* A simulated loom; returns once it is there. */
struct process test_start_device(const char *link, const char *more);

/* Reads until `wanted` is in the output or the errors; fails the test after 20 s, or when the process ends. */
void test_await(struct process *process, const char *wanted);

/* Reads what is there, waiting for at least one byte. False: no more comes. */
bool test_read_some(int fd, GString *text);

/* Waits for the end, reading everything; returns the exit status. Sends `signal_number` first, unless it is 0. */
int test_finish(struct process *process, int signal_number);

/* Ends it with Ctrl-C, which must be clean. */
void test_end(struct process *process);
void test_clear(struct process *process);

/* Runs one to its end, and checks its exit status. Returns its output and errors; free with g_free(). Where an answer
 * is wanted and none comes, it runs again, twice at most: a busy machine may stop the other end for longer than the
 * definition waits. */
char *test_run(int wanted, const char *arguments);
void test_assert_run(int wanted, const char *arguments, const char *in);

/* A socket of this machine, bound to a free port, which is stored. SOCK_STREAM or SOCK_DGRAM. */
int test_bind_anywhere(int type, unsigned *port);

void test_assert_in(const char *text, const char *wanted);
unsigned test_lines_with(const char *text, const char *wanted);

/* The teardown of each test, and the main function. */
int test_kill_running(void **state);
int test_run_processes(const struct CMUnitTest *tests, size_t count);

#endif
