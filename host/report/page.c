/* SPDX-License-Identifier: MIT */
/* The page: one file that opens without anything else. */
#include "page/files.h"
#include "report/page_parts.h"

char *zg_report_page(const struct zg_stored *stored, const struct zg_against *against, const char *file)
{
    GString *page = g_string_new("<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
                                 "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n"
                                 "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; "
                                 "style-src 'unsafe-inline'; script-src 'unsafe-inline'\">\n");

    zgi_page(page, "<title>Soak of %s</title>\n", stored->protocol);
    g_string_append_printf(page, "<style>\n%s</style>\n</head>\n<body>\n<main>\n", zgi_page_style);
    zgi_page_head(page, stored);
    if (against)
        zgi_page_comparison(page, against);
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
