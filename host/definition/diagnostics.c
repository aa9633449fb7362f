/* SPDX-License-Identifier: MIT */
#include "definition/diagnostics.h"

#include "definition/words.h"

enum { KEPT = 200 }; /* a file that is all noise must not fill the memory */

struct zg_diagnostics {
    char *file;
    GPtrArray *list;
    unsigned errors;
};

static void diagnostic_free(gpointer data)
{
    struct zg_diagnostic *diagnostic = data;
    g_free(diagnostic->message);
    g_free(diagnostic);
}

struct zg_diagnostics *zg_diagnostics_new(const char *file)
{
    struct zg_diagnostics *diagnostics = g_new0(struct zg_diagnostics, 1);
    diagnostics->file = g_strdup(file);
    diagnostics->list = g_ptr_array_new_with_free_func(diagnostic_free);
    return diagnostics;
}

void zg_diagnostics_free(struct zg_diagnostics *diagnostics)
{
    if (!diagnostics)
        return;
    g_free(diagnostics->file);
    g_ptr_array_unref(diagnostics->list);
    g_free(diagnostics);
}

const char *zg_diagnostics_file(const struct zg_diagnostics *diagnostics)
{
    return diagnostics->file;
}

unsigned zg_diagnostics_count(const struct zg_diagnostics *diagnostics)
{
    return diagnostics->list->len;
}

unsigned zg_diagnostics_errors(const struct zg_diagnostics *diagnostics)
{
    return diagnostics->errors;
}

const struct zg_diagnostic *zg_diagnostics_get(const struct zg_diagnostics *diagnostics, unsigned index)
{
    return g_ptr_array_index(diagnostics->list, index);
}

char *zg_diagnostics_line(const struct zg_diagnostics *diagnostics, unsigned index)
{
    const struct zg_diagnostic *diagnostic = zg_diagnostics_get(diagnostics, index);
    return g_strdup_printf("%s:%u:%u: %s: %s", diagnostics->file, diagnostic->place.line, diagnostic->place.column,
                           diagnostic->severity == ZG_SEVERITY_ERROR ? "error" : "warning", diagnostic->message);
}

static void add(struct zg_diagnostics *diagnostics, enum zg_severity severity, struct zg_place place,
                const char *format, va_list arguments)
{
    if (severity == ZG_SEVERITY_ERROR)
        diagnostics->errors++;
    if (diagnostics->list->len >= KEPT)
        return;
    struct zg_diagnostic *diagnostic = g_new0(struct zg_diagnostic, 1);
    diagnostic->severity = severity;
    diagnostic->place = place;
    g_autofree char *message = g_strdup_vprintf(format, arguments);
    diagnostic->message = zg_shown(message, -1, false); /* it quotes what was found in the file */
    g_ptr_array_add(diagnostics->list, diagnostic);
}

void zgi_error(struct zg_diagnostics *diagnostics, struct zg_place place, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    add(diagnostics, ZG_SEVERITY_ERROR, place, format, arguments);
    va_end(arguments);
}

void zgi_warning(struct zg_diagnostics *diagnostics, struct zg_place place, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    add(diagnostics, ZG_SEVERITY_WARNING, place, format, arguments);
    va_end(arguments);
}

static int by_place(gconstpointer a, gconstpointer b)
{
    const struct zg_diagnostic *left = *(const struct zg_diagnostic *const *)a;
    const struct zg_diagnostic *right = *(const struct zg_diagnostic *const *)b;
    if (left->place.line != right->place.line)
        return left->place.line < right->place.line ? -1 : 1;
    return (left->place.column > right->place.column) - (left->place.column < right->place.column);
}

void zgi_diagnostics_sort(struct zg_diagnostics *diagnostics)
{
    g_ptr_array_sort(diagnostics->list, by_place);
}
