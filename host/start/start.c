/* SPDX-License-Identifier: MIT */
#include "start/start.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <string.h>

#include "definition/definition.h"
#include "definition/reserved.h"
#include "definition/words.h"
#include "generate/embedded.h"
#include "generate/generate.h"

const struct zg_start_choice zg_start_boards[] = {
    { "interrupt", "two interrupts pass bytes on" },
    { "loop", "the loop asks the UART for bytes" },
    { "dma", "a DMA fills a circular buffer, and sends pieces of the transmit ring" },
    { "rtos", "a task owns the node, another measures" },
};
const unsigned zg_start_boards_length = G_N_ELEMENTS(zg_start_boards);

const struct zg_start_choice zg_start_hosts[] = { { "c", "C11" }, { "python", "Python 3" } };
const unsigned zg_start_hosts_length = G_N_ELEMENTS(zg_start_hosts);

/* The files, by their place in the project; `host`: only for this one. The definition gets the protocol's name. */
static const char definition_file[] = "definition.yaml";
static const struct {
    const char *place, *host;
} files[] = {
    { definition_file, NULL },    { "device/device.c", NULL },   { "device/board.h", NULL },
    { "device/board.c", NULL },   { "device/board_pc.c", NULL }, { "host/host.c", "c" },
    { "host/host.py", "python" }, { "Makefile", NULL },          { "CMakeLists.txt", NULL },
    { "README.md", NULL },
};

/* A file's text, with the name in place of @name@. Lines that begin with %WORD% or %WORD,WORD% are for those boards or
 * hosts only, with %!WORD% for all but that one. */
static char *text_of(const char *file, const char *name, const char *board, const char *host)
{
    g_autofree char *source = g_strdup_printf("project/%s.in", file);
    g_auto(GStrv) lines = g_strsplit(zgi_embedded_text(source), "\n", -1);
    g_autoptr(GString) text = g_string_new(NULL);

    for (char **line = lines; *line && (line[1] || **line); line++) {
        const char *end = **line == '%' ? strchr(*line + 1, '%') : NULL;
        g_autofree char *list = end ? g_strndup(*line + 1, (gsize)(end - *line - 1)) : NULL;
        g_auto(GStrv) words = list ? g_strsplit(list, ",", -1) : NULL;
        if (list && list[0] == '!' ? strcmp(list + 1, board) == 0
                                   : words && !g_strv_contains((const char *const *)words, board) &&
                                         !g_strv_contains((const char *const *)words, host))
            continue;
        g_string_append_printf(text, "%s\n", end ? end + 1 : *line);
    }
    g_string_replace(text, "@name@", name, 0);
    return g_string_free(g_steal_pointer(&text), FALSE);
}

static bool is_choice(const struct zg_start_choice *choices, unsigned count, const char *word, const char *what,
                      GError **error)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < count; i++) {
        if (strcmp(choices[i].name, word) == 0)
            return true;
        g_ptr_array_add(names, (gpointer)choices[i].name);
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(word, (const char *const *)names->pdata);
    g_set_error(error, ZG_START_ERROR, ZG_START_ERROR_CHOICE, "unknown %s \"%s\"%s", what, word, hint);
    return false;
}

/* Whether the definition that the project begins with is sound under this name. */
static bool is_sound(const char *name, const char *text, GError **error)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new(name);
    struct zg_definition *definition = zg_definition_parse(name, text, strlen(text), diagnostics);
    const bool sound = zg_diagnostics_errors(diagnostics) == 0;

    if (!sound)
        g_set_error(error, ZG_START_ERROR, ZG_START_ERROR_CHOICE, "%s", zg_diagnostics_get(diagnostics, 0)->message);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return sound;
}

static bool write_file(const char *folder, const char *place, const char *text, GError **error)
{
    g_autofree char *path = g_build_filename(folder, place, NULL), *inner = g_path_get_dirname(path);

    (void)g_mkdir_with_parents(inner, 0777); /* if that fails, so will the writing */
    return g_file_set_contents(path, text, -1, error);
}

static bool write_project(const char *folder, const char *name, const char *board, const char *host, GError **error)
{
    g_autofree char *schema = zg_generate_schema();

    for (size_t i = 0; i < G_N_ELEMENTS(files); i++) {
        if (files[i].host && strcmp(files[i].host, host) != 0)
            continue;
        g_autofree char *text = text_of(files[i].place, name, board, host);
        g_autofree char *named = g_strdup_printf("%s.yaml", name);
        if (!write_file(folder, files[i].place == definition_file ? named : files[i].place, text, error))
            return false;
    }
    return write_file(folder, "zeugma.schema.json", schema, error);
}

static void remove_folder(const char *folder)
{
    GDir *names = g_dir_open(folder, 0, NULL);
    const char *name;

    while (names && (name = g_dir_read_name(names))) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        if (g_file_test(path, G_FILE_TEST_IS_DIR))
            remove_folder(path);
        else
            (void)g_unlink(path);
    }
    if (names)
        g_dir_close(names);
    (void)g_rmdir(folder);
}

static bool fail_write(GError **error, const char *path, int reason)
{
    g_set_error(error, ZG_START_ERROR, ZG_START_ERROR_WRITE,
                reason == ENOTEMPTY || reason == EEXIST || reason == ENOTDIR
                    ? "%s exists already; give another name, or remove it"
                    : "cannot make the folder %s: %s",
                path, g_strerror(reason));
    return false;
}

bool zg_start(const char *path, const char *board, const char *host, GError **error)
{
    g_autofree char *name = g_path_get_basename(path);
    g_autofree char *parent = g_path_get_dirname(path);
    g_autofree char *stage = g_build_filename(parent, ".zeugma-XXXXXX", NULL);

    if (!is_choice(zg_start_boards, zg_start_boards_length, board, "board", error) ||
        !is_choice(zg_start_hosts, zg_start_hosts_length, host, "host", error))
        return false;
    g_autofree char *fault = zgi_name_fault(name, "a protocol");
    if (fault) {
        g_set_error(error, ZG_START_ERROR, ZG_START_ERROR_CHOICE, "%s", fault);
        return false;
    }
    g_autofree char *definition = text_of(definition_file, name, board, host);
    if (!is_sound(name, definition, error))
        return false;
    if (!g_mkdtemp_full(stage, 0777))
        return fail_write(error, path, errno);
    if (!write_project(stage, name, board, host, error)) {
        remove_folder(stage);
        return false;
    }
    if (g_rename(stage, path) == 0) /* an empty folder is replaced */
        return true;
    const int reason = errno;
    remove_folder(stage);
    return fail_write(error, path, reason);
}
