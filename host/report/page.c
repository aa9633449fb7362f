/* SPDX-License-Identifier: MIT */
/* The page: one file that opens without anything else. */
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

char *zg_report_page(const struct zg_stored *stored, const char *file)
{
    GString *page = g_string_new("<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
                                 "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
                                 "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; "
                                 "style-src 'unsafe-inline'; script-src 'unsafe-inline'\">\n");

    zgi_page(page, "<title>Soak of %s</title>\n", stored->protocol);
    g_string_append_printf(page, "<style>\n%s</style>\n</head>\n<body>\n<main>\n", zgi_page_style);
    zgi_page_head(page, stored);
    zgi_page_causes(page, stored);
    zgi_page_figures(page, stored);
    zgi_page_tables(page, stored);
    zgi_page_stretches(page, stored);
    zgi_page_record(page, stored, file);
    g_string_append(page, "</main>\n<script type=\"application/json\" id=\"numbers\">");
    zgi_page_numbers(page, stored);
    g_string_append_printf(page, "</script>\n<script>%s</script>\n<script>\n%s</script>\n</body>\n</html>\n",
                           zgi_page_charts, zgi_page_script);
    return g_string_free(page, FALSE);
}
