/* SPDX-License-Identifier: MIT */
#include "wave/reading.h"

#include <errno.h>

static void free_trace(void *data)
{
    zg_trace_free(data);
}

struct zg_recording *zgi_recording_new(void)
{
    struct zg_recording *recording = g_new0(struct zg_recording, 1);

    recording->traces = g_ptr_array_new_with_free_func(free_trace);
    recording->complete = true;
    return recording;
}

void zg_recording_free(struct zg_recording *recording)
{
    if (!recording)
        return;
    g_ptr_array_unref(recording->traces);
    g_free(recording->start);
    g_free(recording);
}

/* --- characters of a file */

bool zgi_source_open(struct zgi_source *source, const char *path, GError **error)
{
    *source = (struct zgi_source){ .path = path, .line = 1, .file = fopen(path, "rb") };
    if (source->file)
        return true;
    g_set_error(error, ZG_RECORDING_ERROR, ZG_RECORDING_ERROR_FILE, "%s: %s", path, g_strerror(errno));
    return false;
}

bool zgi_source_close(struct zgi_source *source, GError **error)
{
    const bool good = !ferror(source->file);

    if (!good)
        g_set_error(error, ZG_RECORDING_ERROR, ZG_RECORDING_ERROR_FILE, "%s: cannot be read", source->path);
    (void)fclose(source->file);
    return good;
}

bool zgi_source_fill(struct zgi_source *source)
{
    source->used = fread(source->bytes, 1, sizeof source->bytes, source->file);
    source->at = 0;
    return source->used > 0;
}

bool zgi_fail(const struct zgi_source *source, GError **error, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    if (error && !*error)
        g_set_error(error, ZG_RECORDING_ERROR, ZG_RECORDING_ERROR_FILE, "%s:%" G_GUINT64_FORMAT ": %s", source->path,
                    source->line, text);
    return false;
}

/* --- which signals */

bool zgi_unclear(const char *path, const GPtrArray *names, GError **error, const char *format, ...)
{
    enum { LISTED = 24 };
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *what = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_autoptr(GString) list = g_string_new(NULL);
    for (guint i = 0; i < MIN(names->len, LISTED); i++)
        g_string_append_printf(list, "%s%s", i > 0 ? ", " : "", (const char *)names->pdata[i]);
    if (names->len > LISTED)
        g_string_append_printf(list, ", and %u more", names->len - LISTED);
    g_set_error(error, ZG_RECORDING_ERROR, ZG_RECORDING_ERROR_SIGNAL, "%s: %s; it has %s", path, what, list->str);
    return false;
}
