/* SPDX-License-Identifier: MIT */
/* Where marks come from while something runs: keys of the terminal, a named pipe, a table of times and values. */
#ifndef ZEUGMA_CLI_MARKS_H
#define ZEUGMA_CLI_MARKS_H

#include "cli.h"

/* Opaque; close with cli_marks_close(), which gives the terminal back as it was. */
struct cli_marks;

/* `texts` belong to the keys 1, 2, ..., if standard input is a terminal. `file` is a named pipe, from which each line
 * is a mark when it arrives; or a table of comma-separated values, see cli_marks_from_table(). Either may be NULL. NULL
 * with a message printed: the file cannot be read. */
struct cli_marks *cli_marks_open(const struct cli_verb *verb, char *const *texts, const char *file);
void cli_marks_close(struct cli_marks *marks);

/* Whether keys are read. */
bool cli_marks_has_keys(const struct cli_marks *marks);

/* The next mark that has come since the last call, or NULL. Free with g_free(). */
char *cli_marks_next(struct cli_marks *marks);

/* The marks of a table, read now, when it may have been written meanwhile: each line a time and values. The time is in
 * seconds since the run began, or UTC as in 2026-03-01T09:30:00Z; the first line may name the columns. Each value is a
 * mark "NAME=VALUE", or its text alone without a name. Lines that are none are skipped; returns their number. */
typedef void (*cli_marks_taker)(double at_s, const char *text, void *data);
unsigned cli_marks_from_table(const struct cli_marks *marks, gint64 begun_us, cli_marks_taker take, void *data);

#endif
