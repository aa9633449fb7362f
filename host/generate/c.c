/* SPDX-License-Identifier: MIT */
#include "generate/c.h"

static GString *begin_header(const struct zgi_c *c, const char *name, const char *what)
{
    GString *text = zgi_c_file(c, what);
    g_autofree char *guard = g_ascii_strup(name, -1);
    g_string_append_printf(text, "#ifndef %s_H\n#define %s_H\n\n", guard, guard);
    return text;
}

static void end_header(GString *text)
{
    g_string_append(text, "#endif\n");
}

static void add_node(const struct zgi_c *c, GPtrArray *files, enum zg_side side)
{
    g_autofree char *name = g_strdup_printf("%s_%s", c->prefix, zg_side_name(side));
    g_autofree char *what = g_strdup_printf("the %s's end of the link", zg_side_name(side));
    GString *header = begin_header(c, name, what);
    GString *code = zgi_c_file(c, what);

    zgi_c_node_header(c, header, side);
    end_header(header);
    zgi_c_node_code(c, code, side);
    zgi_generated_add(files, g_strconcat(name, ".h", NULL), header);
    zgi_generated_add(files, g_strconcat(name, ".c", NULL), code);
}

GPtrArray *zg_generate_c(const struct zg_plan *plan)
{
    GPtrArray *files = zgi_generated_new();
    struct zgi_c c = { plan, plan->definition->protocol, g_ascii_strup(plan->definition->protocol, -1) };
    GString *header = begin_header(&c, c.prefix, "messages, packing and unpacking");
    GString *code = zgi_c_file(&c, "messages, packing and unpacking");

    zgi_c_types(&c, header);
    end_header(header);
    zgi_c_code(&c, code);
    zgi_generated_add(files, g_strconcat(c.prefix, ".h", NULL), header);
    zgi_generated_add(files, g_strconcat(c.prefix, ".c", NULL), code);
    add_node(&c, files, ZG_SIDE_DEVICE);
    add_node(&c, files, ZG_SIDE_HOST);
    g_free(c.upper);
    return files;
}
