/* SPDX-License-Identifier: MIT */
/* Text into markup. */
#include <string.h>

#include "report/page_parts.h"

/* What a terminal or a browser would take for more than text becomes visible. */
static char *clean(const char *text)
{
    g_autofree char *valid = g_utf8_make_valid(text, -1);
    GString *cleaned = g_string_new(NULL);

    for (const char *at = valid; *at; at = g_utf8_next_char(at)) {
        const gunichar character = g_utf8_get_char(at);
        if (g_unichar_iscntrl(character) && character != '\n')
            g_string_append(cleaned, "\xEF\xBF\xBD");
        else
            g_string_append_unichar(cleaned, character);
    }
    char *escaped = g_markup_escape_text(cleaned->str, -1);
    g_string_free(cleaned, TRUE);
    return escaped;
}

void zgi_page(GString *page, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    for (const char *at = format; *at; at++) {
        if (strncmp(at, "%s", 2) == 0) {
            g_autofree char *text = clean(va_arg(arguments, const char *));
            g_string_append(page, text);
            at++;
        } else {
            g_string_append_c(page, *at);
        }
    }
    va_end(arguments);
}
