/* SPDX-License-Identifier: MIT */
/* Generated files: marked so that edits are noticed, and written all or none. */
#include "generate/generate.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <string.h>

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

/* "[1a2b3c4d] " after the mark: CRC-32/ISO-HDLC of the text without it. */
enum { SEAL = 11 };

static char *seal_of(const char *before, size_t length, const char *after)
{
    const struct zg_check_choice choice = { .kind = ZG_CHECK_CRC, .crc = *zg_crc_by_name("crc32/iso-hdlc") };
    struct zg_checker checker;

    zg_checker_init(&checker, &choice, 0);
    const struct zg_check *check = &checker.check;
    zg_check_word state = check->update(check->parameters, check->start, (const uint8_t *)before, length);
    state = check->update(check->parameters, state, (const uint8_t *)after, strlen(after));
    char *seal = g_strdup_printf("[%08x] ", (unsigned)check->finish(check->parameters, state));
    zg_checker_clear(&checker);
    return seal;
}

void zgi_generated_add(GPtrArray *files, char *name, GString *text)
{
    struct zg_generated *file = g_new0(struct zg_generated, 1);
    const char *mark = strstr(text->str, ZGI_MARK);

    g_assert(mark);
    gsize at = (gsize)(mark - text->str) + strlen(ZGI_MARK) + 1;
    g_autofree char *seal = seal_of(text->str, at, text->str + at);
    g_string_insert(text, (gssize)at, seal);
    file->name = name;
    file->text = g_string_free(text, FALSE);
    g_ptr_array_add(files, file);
}

/* Whether a file's text is unchanged since it was generated. */
static bool is_untouched(const char *text)
{
    const char *mark = strstr(text, ZGI_MARK " [");
    const char *seal = mark ? mark + strlen(ZGI_MARK) + 1 : NULL;

    if (!seal || strlen(seal) < SEAL)
        return false;
    g_autofree char *right = seal_of(text, (size_t)(seal - text), seal + SEAL);
    return strncmp(seal, right, SEAL) == 0;
}

/* The files whose bytes would change, in `changed`; others are left alone, so that nothing is rebuilt because of them.
 * False if one of them may not be replaced: it is neither missing nor unchanged since it was generated. */
static bool select_changed(const GPtrArray *files, const char *folder, bool force, GPtrArray *changed, GError **error)
{
    for (unsigned i = 0; i < files->len; i++) {
        struct zg_generated *file = g_ptr_array_index(files, i);
        g_autofree char *path = g_build_filename(folder, file->name, NULL), *text = NULL;
        gsize length = 0;
        const bool is_read = g_file_get_contents(path, &text, &length, NULL);
        if (is_read && length == strlen(file->text) && memcmp(text, file->text, length) == 0)
            continue;
        if (!force && !(is_read ? is_untouched(text) : !g_file_test(path, G_FILE_TEST_EXISTS))) {
            g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_FOREIGN,
                        text && strstr(text, ZGI_MARK)
                            ? "%s was edited since it was generated; --force replaces it, or choose another folder"
                            : "%s exists and was not generated; --force replaces it, or choose another folder",
                        path);
            return false;
        }
        g_ptr_array_add(changed, file);
    }
    return true;
}

/* --- all files or none: they are written into a folder of their own beside the target, whose old files go there, too
 */

static char *staged(const char *stage, unsigned index, const char *which)
{
    return g_strdup_printf("%s/%u.%s", stage, index, which);
}

static bool write_all(const GPtrArray *files, const char *stage, GError **error)
{
    for (unsigned i = 0; i < files->len; i++) {
        const struct zg_generated *file = g_ptr_array_index(files, i);
        g_autofree char *path = staged(stage, i, "new");
        if (!g_file_set_contents(path, file->text, -1, error))
            return false;
    }
    return true;
}

static char *target_of(const GPtrArray *files, const char *folder, unsigned index)
{
    const struct zg_generated *file = g_ptr_array_index(files, index);
    return g_build_filename(folder, file->name, NULL);
}

/* Restores the first `count` files. */
static void undo(const GPtrArray *files, const char *folder, const char *stage, unsigned count)
{
    while (count-- > 0) {
        g_autofree char *path = target_of(files, folder, count), *old = staged(stage, count, "old");
        (void)g_remove(path);
        (void)g_rename(old, path); /* if there was one */
    }
}

static bool move_all(const GPtrArray *files, const char *folder, const char *stage, GError **error)
{
    for (unsigned i = 0; i < files->len; i++) {
        g_autofree char *path = target_of(files, folder, i);
        g_autofree char *old = staged(stage, i, "old"), *new = staged(stage, i, "new");
        const bool is_folder = g_file_test(path, G_FILE_TEST_IS_DIR);
        if (!is_folder)
            (void)g_rename(path, old);
        if (is_folder || g_rename(new, path) != 0) {
            g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_WRITE, "cannot write %s: %s", path,
                        g_strerror(is_folder ? EISDIR : errno));
            (void)g_rename(old, path);
            undo(files, folder, stage, i);
            return false;
        }
    }
    return true;
}

static void remove_stage(const char *stage, unsigned count)
{
    for (unsigned i = 0; i < count; i++) {
        g_autofree char *old = staged(stage, i, "old"), *new = staged(stage, i, "new");
        (void)g_remove(old);
        (void)g_remove(new);
    }
    (void)g_rmdir(stage);
}

bool zg_generated_write(const GPtrArray *files, const char *folder, bool force, GError **error)
{
    g_autofree char *stage = g_build_filename(folder, ".zeugma-XXXXXX", NULL);
    g_autoptr(GPtrArray) changed = g_ptr_array_new();

    if (g_mkdir_with_parents(folder, 0777) != 0) {
        g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_WRITE, "cannot make the folder %s: %s", folder,
                    g_strerror(errno));
        return false;
    }
    if (!select_changed(files, folder, force, changed, error))
        return false;
    for (unsigned i = 0; i < changed->len; i++) {
        g_autofree char *path = target_of(changed, folder, i);
        g_autofree char *inner = g_path_get_dirname(path);
        (void)g_mkdir_with_parents(inner, 0777); /* if that fails, so will the writing */
    }
    if (changed->len == 0)
        return true;
    if (!g_mkdtemp(stage)) {
        g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_WRITE, "cannot write to the folder %s: %s", folder,
                    g_strerror(errno));
        return false;
    }
    const bool good = write_all(changed, stage, error) && move_all(changed, folder, stage, error);
    remove_stage(stage, changed->len);
    return good;
}
