/* SPDX-License-Identifier: MIT */
/* The files of the runtime that generated C needs. */
#include "generate/embedded.h"

#include <string.h>

#include "generate/generate.h"

const char *zgi_embedded_text(const char *path)
{
    for (const struct zgi_embedded *file = zgi_embedded_files; file->path; file++)
        if (strcmp(file->path, path) == 0)
            return file->text;
    return NULL;
}

static bool has_file(const GPtrArray *files, const char *name)
{
    for (unsigned i = 0; i < files->len; i++)
        if (strcmp(((struct zg_generated *)g_ptr_array_index(files, i))->name, name) == 0)
            return true;
    return false;
}

static void shorten_includes(GString *text, bool is_detail)
{
    if (is_detail)
        g_string_replace(text, "#include \"zeugma/detail/", "#include \"", 0);
    g_string_replace(text, "#include \"zeugma/", is_detail ? "#include \"../" : "#include \"", 0);
}

/* A file's name in a bundle. Names in the same folder as a user's files must not clash with theirs. */
static char *bundled_name(const char *path)
{
    return g_strconcat(g_str_has_prefix(path, "zeugma/") ? "" : "zg_", path, NULL);
}

static void add_file(GPtrArray *files, const char *path)
{
    const char *text = zgi_embedded_text(path);
    g_autofree char *name = bundled_name(path);
    g_autoptr(GRegex) own = g_regex_new("#include \"(\\w+\\.h)\"", 0, 0, NULL);

    if (!text || has_file(files, name))
        return;
    g_autofree char *renamed = g_regex_replace(own, text, -1, 0, "#include \"zg_\\1\"", 0, NULL);
    GString *whole = g_string_new(NULL);
    g_string_append_printf(whole, "/* " ZGI_MARK " the runtime, %s. Change it there. */\n%s", path, renamed);
    if (g_str_has_prefix(path, "zeugma/")) /* headers include each other without an include path */
        shorten_includes(whole, g_str_has_prefix(path, "zeugma/detail/"));
    zgi_generated_add(files, g_steal_pointer(&name), whole);
}

/* Adds a header that a text includes, and the source of the same name. */
static void add_part(GPtrArray *files, const char *name)
{
    g_autofree char *header = g_strconcat("zeugma/", name, ".h", NULL);
    g_autofree char *detail = g_strconcat("zeugma/detail/", name, ".h", NULL);
    g_autofree char *source = g_strconcat(name, ".c", NULL);
    g_autofree char *private_header = g_strconcat(name, ".h", NULL);

    add_file(files, header);
    add_file(files, detail);
    add_file(files, source);
    add_file(files, private_header);
}

/* Whether a generated file has the same name as one of the runtime. */
static bool clashes(const struct zg_generated *file)
{
    for (const struct zgi_embedded *embedded = zgi_embedded_files; embedded->path; embedded++) {
        g_autofree char *name = bundled_name(embedded->path);
        if (strcmp(name, file->name) == 0)
            return true;
    }
    return false;
}

bool zg_generate_bundle(GPtrArray *files, GError **error)
{
    for (unsigned i = 0; i < files->len; i++) {
        const struct zg_generated *file = g_ptr_array_index(files, i);
        if (!clashes(file))
            continue;
        g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_NAME,
                    "%s is also the name of a runtime file; rename the protocol, or omit --bundle", file->name);
        return false;
    }
    add_part(files, "pace"); /* which docs/ recommend for use with generated code */
    add_part(files, "newest");
    g_autoptr(GRegex) include = g_regex_new("#include \"(?:\\.\\./|zeugma/)?(?:detail/|zg_)?(\\w+)\\.h\"", 0, 0, NULL);

    for (unsigned i = 0; i < files->len; i++) { /* the list grows by what its files include */
        const struct zg_generated *file = g_ptr_array_index(files, i);
        g_autoptr(GMatchInfo) match = NULL;
        if (!g_str_has_suffix(file->name, ".c") && !g_str_has_suffix(file->name, ".h"))
            continue;
        g_autofree char *text = g_strdup(file->text);
        for (g_regex_match(include, text, 0, &match); g_match_info_matches(match); g_match_info_next(match, NULL)) {
            g_autofree char *name = g_match_info_fetch(match, 1);
            add_part(files, name);
        }
    }
    return true;
}
