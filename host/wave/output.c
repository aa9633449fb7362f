/* SPDX-License-Identifier: MIT */
#include "wave/output.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <unistd.h>

static bool fail(const char *path, int reason, GError **error)
{
    g_set_error(error, G_FILE_ERROR, (gint)g_file_error_from_errno(reason), "%s: %s", path, g_strerror(reason));
    return false;
}

bool zg_output_begin(struct zg_output *output, const char *path, GError **error)
{
    const bool is_special = g_file_test(path, G_FILE_TEST_EXISTS) && !g_file_test(path, G_FILE_TEST_IS_REGULAR);
    int descriptor = -1;

    *output = (struct zg_output){ .path = g_strdup(path) };
    if (is_special) {
        output->file = fopen(path, "wb");
    } else {
        output->part = g_strconcat(path, ".XXXXXX", NULL);
        descriptor = g_mkstemp_full(output->part, O_RDWR | O_CLOEXEC, 0666);
        output->file = descriptor >= 0 ? fdopen(descriptor, "wb") : NULL;
    }
    if (output->file)
        return true;
    const int reason = errno;
    if (descriptor >= 0) {
        (void)close(descriptor);
        (void)g_unlink(output->part);
    }
    g_free(output->part);
    g_free(output->path);
    return fail(path, reason, error);
}

bool zg_output_end(struct zg_output *output, bool good, GError **error)
{
    const bool was_written = fflush(output->file) == 0 && !ferror(output->file);
    int reason = was_written ? 0 : errno;

    if (fclose(output->file) != 0 && reason == 0)
        reason = errno;
    if (good && reason == 0 && output->part && g_rename(output->part, output->path) != 0)
        reason = errno;
    if (output->part && (!good || reason != 0))
        (void)g_unlink(output->part);
    if (good && reason != 0)
        (void)fail(output->path, reason, error);
    g_free(output->part);
    g_free(output->path);
    return good && reason == 0;
}

bool zg_output_text(const char *path, const char *text, GError **error)
{
    struct zg_output output;

    if (!zg_output_begin(&output, path, error))
        return false;
    (void)fputs(text, output.file);
    return zg_output_end(&output, true, error);
}
