/* SPDX-License-Identifier: MIT */
#include "marks.h"

#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <sys/stat.h>
#include <termios.h>
#include <unistd.h>

enum { LINE_MOST = 1000 };

struct cli_marks {
    char *const *texts;
    bool keys;
    struct termios before;
    const char *file;
    bool is_pipe;
    int pipe; /* -1: none */
    GString *line;
};

/* Keys come one by one, without being echoed; Ctrl-C stays a signal. */
static void take_keys(struct cli_marks *marks)
{
    struct termios mode;

    if (!marks->texts || !marks->texts[0] || tcgetattr(STDIN_FILENO, &marks->before) != 0 ||
        tcgetpgrp(STDIN_FILENO) != getpgrp()) /* a terminal, and in its foreground */
        return;
    mode = marks->before;
    mode.c_lflag &= ~(tcflag_t)(ICANON | ECHO);
    mode.c_cc[VMIN] = 0;
    mode.c_cc[VTIME] = 0;
    marks->keys = tcsetattr(STDIN_FILENO, TCSANOW, &mode) == 0;
}

struct cli_marks *cli_marks_open(const struct cli_verb *verb, char *const *texts, const char *file)
{
    struct cli_marks *marks = g_new0(struct cli_marks, 1);
    struct stat status;

    *marks = (struct cli_marks){ .texts = texts, .file = file, .pipe = -1, .line = g_string_new(NULL) };
    if (file && stat(file, &status) != 0) {
        cli_error(verb, "--marks: %s: %s", file, g_strerror(errno));
        cli_marks_close(marks);
        return NULL;
    }
    marks->is_pipe = file && S_ISFIFO(status.st_mode);
    /* Open for writing too, so that it does not end when a writer closes it. */
    if (marks->is_pipe)
        marks->pipe = open(file, O_RDWR | O_NONBLOCK | O_CLOEXEC);
    if (marks->is_pipe && marks->pipe < 0) {
        cli_error(verb, "--marks: %s: %s", file, g_strerror(errno));
        cli_marks_close(marks);
        return NULL;
    }
    take_keys(marks);
    return marks;
}

void cli_marks_close(struct cli_marks *marks)
{
    if (marks->keys)
        (void)tcsetattr(STDIN_FILENO, TCSANOW, &marks->before);
    if (marks->pipe >= 0)
        close(marks->pipe);
    (void)g_string_free(marks->line, TRUE);
    g_free(marks);
}

bool cli_marks_has_keys(const struct cli_marks *marks)
{
    return marks->keys;
}

static char *next_of_keys(struct cli_marks *marks)
{
    struct pollfd ready = { .fd = STDIN_FILENO, .events = POLLIN };
    char key;

    while (marks->keys && poll(&ready, 1, 0) == 1 && read(STDIN_FILENO, &key, 1) == 1)
        if (key >= '1' && key <= '9' && (guint)(key - '1') < g_strv_length((char **)marks->texts))
            return g_strdup(marks->texts[key - '1']);
    return NULL;
}

/* A line of the pipe that is complete. */
static char *next_of_pipe(struct cli_marks *marks)
{
    char byte;

    while (marks->pipe >= 0 && read(marks->pipe, &byte, 1) == 1) {
        if (byte != '\n') {
            if (marks->line->len < LINE_MOST)
                g_string_append_c(marks->line, byte);
            continue;
        }
        g_autofree char *line = g_utf8_make_valid(marks->line->str, (gssize)marks->line->len);
        g_string_truncate(marks->line, 0);
        if (g_strstrip(line)[0] != '\0')
            return g_steal_pointer(&line);
    }
    return NULL;
}

char *cli_marks_next(struct cli_marks *marks)
{
    char *mark = next_of_keys(marks);
    return mark ? mark : next_of_pipe(marks);
}

/* Seconds since the run began. */
static bool read_time(const char *text, gint64 begun_us, double *at_s)
{
    char *end = NULL;

    *at_s = g_ascii_strtod(text, &end);
    if (end != text && *end == '\0' && *at_s >= 0)
        return true;
    g_autoptr(GTimeZone) utc = g_time_zone_new_utc();
    g_autoptr(GDateTime) time = g_date_time_new_from_iso8601(text, utc);
    if (!time)
        return false;
    *at_s = (double)(g_date_time_to_unix(time) * G_USEC_PER_SEC + g_date_time_get_microsecond(time) - begun_us) * 1e-6;
    return *at_s >= 0;
}

static void take_line(char **names, char **cells, double at_s, cli_marks_taker take, void *data)
{
    for (guint i = 1; cells[i]; i++) {
        const char *value = g_strstrip(cells[i]);
        const char *name = names && i < g_strv_length(names) ? g_strstrip(names[i]) : NULL;
        g_autofree char *text = name ? g_strdup_printf("%s=%s", name, value) : g_strdup(value);
        g_autofree char *valid = g_utf8_make_valid(text, -1);
        if (value[0] != '\0')
            take(at_s, valid, data);
    }
}

unsigned cli_marks_from_table(const struct cli_marks *marks, gint64 begun_us, cli_marks_taker take, void *data)
{
    g_autofree char *text = NULL;
    unsigned skipped = 0;

    if (!marks->file || marks->is_pipe || !g_file_get_contents(marks->file, &text, NULL, NULL))
        return 0;
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    g_auto(GStrv) names = NULL;
    for (guint i = 0; lines[i]; i++) {
        g_auto(GStrv) cells = g_strsplit(g_strstrip(lines[i]), ",", -1);
        double at_s;
        if (!cells[0] || cells[0][0] == '\0')
            continue;
        if (read_time(g_strstrip(cells[0]), begun_us, &at_s))
            take_line(names, cells, at_s, take, data);
        else if (i == 0)
            names = g_steal_pointer(&cells);
        else
            skipped++;
    }
    return skipped;
}
