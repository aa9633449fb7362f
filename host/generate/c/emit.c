/* SPDX-License-Identifier: MIT */
/* Templates of C code with the names of a protocol and an end. */
#include <string.h>

#include "generate/c/c.h"

void zgi_c_emit(const struct zgi_c *c, GString *text, const char *name, const char *template)
{
    const char *side = zg_side_name(c->side);

    for (const char *at = template; *at; at++) {
        g_autofree char *capitals = NULL;
        const char *word = NULL;
        if (at[0] == '@' && strchr("psn", at[1]))
            word = at[1] == 'p' ? c->prefix : at[1] == 's' ? side : name;
        else if (at[0] == '@' && strchr("PSN", at[1]))
            word = capitals = g_ascii_strup(at[1] == 'P' ? c->prefix : at[1] == 'S' ? side : name, -1);
        if (word) {
            g_string_append(text, word);
            at++;
        } else {
            g_string_append_c(text, *at);
        }
    }
}

const char *zgi_c_to_parameter(const struct zgi_c *c)
{
    return c->end.has_many ? "zg_header_number to, " : "";
}

void zgi_c_member(GString *text, const char *member, const char *format, ...)
{
    va_list arguments;

    g_string_append(text, "    ");
    va_start(arguments, format);
    g_string_append_vprintf(text, format, arguments);
    va_end(arguments);
    g_string_append_printf(text, ", /* %s */\n", member);
}
