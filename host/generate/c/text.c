/* SPDX-License-Identifier: MIT */
/* Names, types, constants and comments in C. */
#include <string.h>

#include "generate/c/c.h"

char *zgi_c_comment(const char *text)
{
    g_auto(GStrv) ends = g_strsplit(text, "*/", -1);
    g_autofree char *open = g_strjoinv("* /", ends);
    g_auto(GStrv) begins = g_strsplit(open, "/*", -1); /* compilers warn about it inside a comment */
    g_autofree char *safe = g_strjoinv("/ *", begins);
    g_auto(GStrv) lines = g_strsplit(safe, "\n", -1);
    return g_strstrip(g_strjoinv(" ", lines));
}

GString *zgi_c_file(const struct zgi_c *c, const char *what)
{
    const struct zg_definition *definition = c->plan->definition;
    g_autofree char *file = g_path_get_basename(definition->file);
    g_autofree char *source = zgi_c_comment(file);
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "/* Made by zeugma from %s, %s %u.%u. Change that, not this. */\n", source, c->prefix,
                           definition->major, definition->minor);
    if (definition->summary) {
        g_autofree char *summary = zgi_c_comment(definition->summary);
        g_string_append_printf(text, "/* %s: %s. */\n", summary, what);
    } else {
        g_string_append_printf(text, "/* %s: %s. */\n", c->prefix, what);
    }
    return text;
}

unsigned zgi_c_bits(const struct zg_step *step)
{
    unsigned bits = 8;
    while (bits < step->type.bits)
        bits *= 2;
    return bits;
}

char *zgi_c_constant(const struct zgi_c *c, const char *first, const char *second)
{
    g_autofree char *name = g_strconcat(c->upper, "_", first, second ? "_" : "", second ? second : "", NULL);
    return g_ascii_strup(name, -1);
}

char *zgi_c_element_type(const struct zgi_c *c, const struct zg_step *step)
{
    if (step->type.enumeration)
        return g_strdup_printf("%s_%s", c->prefix, step->type.enumeration->name);
    switch (step->type.kind) {
    case ZG_KIND_BOOL: return g_strdup("bool");
    case ZG_KIND_FLOAT: return g_strdup(step->type.bits == 64 ? "double" : "float");
    case ZG_KIND_TEXT: return g_strdup("char");
    case ZG_KIND_RECORD: return g_strdup_printf("struct %s_%s", c->prefix, step->record->name);
    default: return g_strdup_printf("%sint%u_t", zg_step_is_signed(step) ? "" : "u", zgi_c_bits(step));
    }
}

char *zgi_c_literal(enum zg_kind kind, unsigned width, union zg_raw raw)
{
    if (kind != ZG_KIND_SIGNED && kind != ZG_KIND_LEB_SIGNED)
        return g_strdup_printf("UINT%u_C(%" G_GUINT64_FORMAT ")", width, raw.u);
    int64_t least = width == 64 ? INT64_MIN : -((int64_t)1 << (width - 1));
    if (raw.i == least)
        return g_strdup_printf("(-INT%u_C(%" G_GINT64_FORMAT ") - 1)", width, -(least + 1));
    return raw.i < 0 ? g_strdup_printf("(-INT%u_C(%" G_GINT64_FORMAT "))", width, -raw.i)
                     : g_strdup_printf("INT%u_C(%" G_GINT64_FORMAT ")", width, raw.i);
}
