/* SPDX-License-Identifier: MIT */
/* What is wrong with a definition, each with its place. */
#ifndef ZEUGMA_DIAGNOSTICS_H
#define ZEUGMA_DIAGNOSTICS_H

#include <glib.h>
#include <stdbool.h>

/* A place in a file; both count from 1, columns in characters. */
struct zg_place {
    unsigned line;
    unsigned column;
};

enum zg_severity { ZG_SEVERITY_ERROR, ZG_SEVERITY_WARNING };

struct zg_diagnostic {
    enum zg_severity severity;
    struct zg_place place;
    char *message;
};

/* The diagnostics of one file. Opaque; free with zg_diagnostics_free(). */
struct zg_diagnostics;

struct zg_diagnostics *zg_diagnostics_new(const char *file);
void zg_diagnostics_free(struct zg_diagnostics *diagnostics);

/* The file's name, how many diagnostics there are, how many of them are errors, and one by its index in the order of
 * the file. */
const char *zg_diagnostics_file(const struct zg_diagnostics *diagnostics);
unsigned zg_diagnostics_count(const struct zg_diagnostics *diagnostics);
unsigned zg_diagnostics_errors(const struct zg_diagnostics *diagnostics);
const struct zg_diagnostic *zg_diagnostics_get(const struct zg_diagnostics *diagnostics, unsigned index);

/* "FILE:LINE:COL: error: MESSAGE", without a line end. Free with g_free(). */
char *zg_diagnostics_line(const struct zg_diagnostics *diagnostics, unsigned index);

/* Adds a diagnostic. After 200 they are only counted. */
void zgi_error(struct zg_diagnostics *diagnostics, struct zg_place place, const char *format, ...) G_GNUC_PRINTF(3, 4);
void zgi_warning(struct zg_diagnostics *diagnostics, struct zg_place place, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

/* Sorts them into the order of the file. */
void zgi_diagnostics_sort(struct zg_diagnostics *diagnostics);

#endif
