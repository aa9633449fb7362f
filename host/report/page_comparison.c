/* SPDX-License-Identifier: MIT */
/* One run against another, on a page. */
#include <math.h>

#include "report/page_parts.h"

static void append_ratio(GString *page, double ratio, const char *unknown)
{
    if (isfinite(ratio))
        g_string_append_printf(page, "<td>%.3g</td>", ratio);
    else
        zgi_page(page, "<td>%s</td>", unknown);
}

static void append_row(GString *page, const struct zg_comparison *comparison, const struct zg_compared *row)
{
    const bool is_bad = !row->empty && row->shown != (comparison->allowed > 0);

    zgi_page(page, "<tr><td>%s</td>", row->key);
    for (unsigned run = 0; run < 2; run++)
        g_string_append_printf(page, "<td>%" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT "</td>", row->errors[run],
                               row->trials[run]);
    append_ratio(page, zg_compared_ratio(row), isnan(zg_compared_ratio(row)) ? "-" : "new");
    g_string_append_printf(page, "<td>%.3g to ", row->ratio_low);
    g_string_append_printf(page, isfinite(row->ratio_high) ? "%.3g</td>" : "any</td>", row->ratio_high);
    g_string_append_printf(page, "<td>%.2g</td>", row->chance);
    append_ratio(page, row->shown_from, "-");
    zgi_page(page, "<td class=\"words %s\">%s%s</td></tr>\n", is_bad ? "failed" : "passed",
             zg_compared_said(comparison, row), row->clustered ? ", clustered" : "");
}

void zgi_page_comparison(GString *page, const struct zg_against *against)
{
    const struct zg_comparison *comparison = &against->comparison;
    g_autofree char *run = g_strdup_printf("run %" G_GINT64_FORMAT ", begun %s, %.0f s", against->other->run,
                                           against->other->begun, against->other->ran_s);

    zgi_page(page, "<h2>Against %s</h2>\n<p class=\"verdict %s\">%s</p>\n", run,
             comparison->passed ? "passed" : "failed", zg_comparison_said(comparison));
    g_string_append(page,
                    "<div class=\"wide\"><table><tr><th>kind</th><th>here</th><th>there</th><th>ratio</th><th>bounds "
                    "of it</th><th>chance</th><th>would show from</th><th "
                    "class=\"words\"></th></tr>\n");
    for (unsigned i = 0; i < comparison->count; i++)
        append_row(page, comparison, &comparison->rows[i]);
    g_string_append(page, "</table></div>\n");
}
