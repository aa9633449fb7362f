/* SPDX-License-Identifier: MIT */
#include "roff.h"

void roff_plain(GString *page, const char *text)
{
    for (const char *at = text; *at; at++) {
        if (*at == '\\')
            g_string_append(page, "\\e");
        else if (*at == '-')
            g_string_append(page, "\\-");
        else if ((*at == '.' || *at == '\'') && (at == text || at[-1] == '\n'))
            g_string_append_printf(page, "\\&%c", *at);
        else
            g_string_append_c(page, *at);
    }
}

void roff_line(GString *page, const char *text)
{
    roff_plain(page, text);
    g_string_append_c(page, '\n');
}

void roff_begin(GString *page, const char *name, const char *section, const char *summary)
{
    g_autofree char *capitals = g_ascii_strup(name, -1);

    g_string_append_printf(page, ".TH \"%s\" %s \"\" \"zeugma %s\"\n.SH NAME\n", capitals, section, ZEUGMA_VERSION);
    roff_plain(page, name);
    g_string_append(page, " \\- ");
    roff_line(page, summary);
}
