/* SPDX-License-Identifier: MIT */
#include "generate/generate.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <string.h>

static const char mark[] = "Made by zeugma from"; /* stands in the first line of every generated file */

static void generated_free(gpointer data)
{
    struct zg_generated *file = data;
    g_free(file->name);
    g_free(file->text);
    g_free(file);
}

GPtrArray *zgi_generated_new(void)
{
    return g_ptr_array_new_with_free_func(generated_free);
}

void zgi_generated_add(GPtrArray *files, char *name, GString *text)
{
    struct zg_generated *file = g_new0(struct zg_generated, 1);
    file->name = name;
    file->text = g_string_free(text, FALSE);
    g_assert(strstr(file->text, mark));
    g_ptr_array_add(files, file);
}

/* Whether a file may be replaced: it is missing, or was generated. */
static bool replaceable(const char *path, GError **error)
{
    char start[256] = "";
    FILE *file = fopen(path, "rb");
    size_t length = file ? fread(start, 1, sizeof start - 1, file) : 0;

    if (file)
        (void)fclose(file);
    start[length] = '\0';
    if (!g_file_test(path, G_FILE_TEST_EXISTS) || strstr(start, mark))
        return true;
    g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_FOREIGN,
                "%s exists and was not generated; move it away or choose another folder", path);
    return false;
}

static bool write_all(const GPtrArray *files, const char *folder, const char *suffix, GError **error)
{
    for (unsigned i = 0; i < files->len; i++) {
        const struct zg_generated *file = g_ptr_array_index(files, i);
        g_autofree char *name = g_strconcat(file->name, suffix, NULL);
        g_autofree char *path = g_build_filename(folder, name, NULL);
        if (!g_file_set_contents(path, file->text, -1, error))
            return false;
    }
    return true;
}

static bool move_all(const GPtrArray *files, const char *folder, const char *suffix, GError **error)
{
    for (unsigned i = 0; i < files->len; i++) {
        const struct zg_generated *file = g_ptr_array_index(files, i);
        g_autofree char *path = g_build_filename(folder, file->name, NULL);
        g_autofree char *beside = g_strconcat(path, suffix, NULL);
        if (g_rename(beside, path) != 0) {
            g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_WRITE, "cannot write %s: %s", path,
                        g_strerror(errno));
            return false;
        }
    }
    return true;
}

static void remove_all(const GPtrArray *files, const char *folder, const char *suffix)
{
    for (unsigned i = 0; i < files->len; i++) {
        const struct zg_generated *file = g_ptr_array_index(files, i);
        g_autofree char *name = g_strconcat(file->name, suffix, NULL);
        g_autofree char *path = g_build_filename(folder, name, NULL);
        (void)g_remove(path);
    }
}

bool zg_generated_write(const GPtrArray *files, const char *folder, GError **error)
{
    static const char suffix[] = ".new";

    if (g_mkdir_with_parents(folder, 0777) != 0) {
        g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_WRITE, "cannot make the folder %s: %s", folder,
                    g_strerror(errno));
        return false;
    }
    for (unsigned i = 0; i < files->len; i++) {
        const struct zg_generated *file = g_ptr_array_index(files, i);
        g_autofree char *path = g_build_filename(folder, file->name, NULL);
        if (!replaceable(path, error))
            return false;
    }
    if (write_all(files, folder, suffix, error) && move_all(files, folder, suffix, error))
        return true;
    remove_all(files, folder, suffix);
    return false;
}
