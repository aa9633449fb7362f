/* SPDX-License-Identifier: MIT */
#include "generate/c/c.h"

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

static void add_code(const struct zgi_c *c, GPtrArray *files, const char *suffix, const char *what,
                     void (*print)(const struct zgi_c *c, GString *text))
{
    GString *code = zgi_c_file(c, what);

    print(c, code);
    zgi_c_wrap(code);
    zgi_generated_add(files, g_strconcat(c->prefix, suffix, ".c", NULL), code);
}

static void add_header(const struct zgi_c *c, GPtrArray *files, const char *suffix, const char *what,
                       void (*print)(const struct zgi_c *c, GString *text))
{
    g_autofree char *name = g_strconcat(c->prefix, suffix, NULL);
    GString *header = begin_header(c, name, what);

    print(c, header);
    end_header(header);
    zgi_c_wrap(header);
    zgi_generated_add(files, g_strconcat(name, ".h", NULL), header);
}

/* A header and its code, named PROTOCOL and a suffix. */
static void add_pair(const struct zgi_c *c, GPtrArray *files, const char *suffix, const char *what,
                     void (*print_header)(const struct zgi_c *c, GString *text),
                     void (*print_code)(const struct zgi_c *c, GString *text))
{
    add_header(c, files, suffix, what, print_header);
    add_code(c, files, suffix, what, print_code);
}

static void add_end(struct zgi_c *c, GPtrArray *files, enum zg_side side, const char *suffix, const char *what)
{
    c->side = side;
    c->end = zg_plan_end(c->plan, side);
    add_pair(c, files, suffix, what, zgi_c_node_header, zgi_c_node_code);
}

GPtrArray *zg_generate_c(const struct zg_plan *plan, enum zg_side sides)
{
    GPtrArray *files = zgi_generated_new();
    struct zgi_c c = {
        plan, plan->definition->protocol, g_ascii_strup(plan->definition->protocol, -1), ZG_SIDE_BOTH, { 0 }
    };

    add_pair(&c, files, "", "messages, packing and unpacking", zgi_c_types, zgi_c_code);
    add_header(&c, files, "_frame", "check, framing and header, for the files of its ends", zgi_c_frame);
    add_code(&c, files, "_physical", "physical values", zgi_c_physical_code);
    add_pair(&c, files, "_text", "names of values and messages", zgi_c_words_header, zgi_c_words_code);
    add_header(&c, files, "_line", "what a board's UART is to be set to", zgi_c_line);
    if (sides & ZG_SIDE_DEVICE)
        add_end(&c, files, ZG_SIDE_DEVICE, "_device", "the device's end of the link");
    if (sides & ZG_SIDE_HOST)
        add_end(&c, files, ZG_SIDE_HOST, "_host", "the host's end of the link");
    g_free(c.upper);
    return files;
}
