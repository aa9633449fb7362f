/* SPDX-License-Identifier: MIT */
/* A comparison in words, and as JSON. */
#include <math.h>

#include "report/compare.h"

static void append_number(GString *text, double value, int width, const char *unknown)
{
    g_autofree char *number = isfinite(value) ? g_strdup_printf("%.3g", value) : g_strdup(unknown);
    g_string_append_printf(text, "%*s", width, number);
}

const char *zg_compared_said(const struct zg_comparison *comparison, const struct zg_compared *row)
{
    if (row->empty)
        return "no errors in either";
    if (comparison->allowed > 0)
        return row->shown ? "no worse" : "not shown to be no worse";
    return row->shown ? "WORSE" : "not shown to be worse";
}

const char *zg_comparison_said(const struct zg_comparison *comparison)
{
    if (comparison->allowed > 0)
        return comparison->passed ? "no worse than allowed, in all kinds"
                                  : "not all kinds are shown to be no worse than allowed";
    return comparison->passed ? "no kind is shown to be worse" : "this run is worse";
}

void zg_comparison_to_text(const struct zg_comparison *comparison, const struct zg_stored *other, GString *text)
{
    g_string_append_printf(text, "\n  against run %" G_GINT64_FORMAT " of %s (%.0f s)\n", other->run, other->begun,
                           other->ran_s);
    g_string_append(text, "  kind                        here      there    ratio   bounds of it         chance  "
                          "would show from\n");
    for (unsigned i = 0; i < comparison->count; i++) {
        const struct zg_compared *row = &comparison->rows[i];
        g_autofree char *high = isfinite(row->ratio_high) ? g_strdup_printf("%.3g", row->ratio_high) : g_strdup("any");
        g_autofree char *bounds = g_strdup_printf("%.3g to %s", row->ratio_low, high);
        g_string_append_printf(text, "  %-22s %9" G_GUINT64_FORMAT "  %9" G_GUINT64_FORMAT, row->key, row->errors[0],
                               row->errors[1]);
        append_number(text, zg_compared_ratio(row), 9, isnan(zg_compared_ratio(row)) ? "-" : "new");
        g_string_append_printf(text, "   %-17s %9.2g", bounds, row->chance);
        append_number(text, row->shown_from, 9, "-");
        g_string_append_printf(text, "  %s%s\n", zg_compared_said(comparison, row),
                               row->clustered ? ", clustered" : "");
    }
    g_string_append_printf(text, "  %s\n", zg_comparison_said(comparison));
}

void zg_comparison_to_json(const struct zg_comparison *comparison, const struct zg_stored *other, struct zg_json *json)
{
    zg_json_open(json, "comparison", '{');
    zg_json_signed(json, "run", other->run);
    zg_json_string(json, "begun", other->begun);
    if (comparison->allowed > 0)
        zg_json_double(json, "no_worse_than", comparison->allowed);
    zg_json_open(json, "kinds", '[');
    for (unsigned i = 0; i < comparison->count; i++) {
        const struct zg_compared *row = &comparison->rows[i];
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "kind", row->key);
        zg_json_string(json, "of", row->of);
        zg_json_open(json, "here", '{');
        zg_json_unsigned(json, "count", row->errors[0]);
        zg_json_unsigned(json, "of", row->trials[0]);
        zg_json_close(json, '}');
        zg_json_open(json, "there", '{');
        zg_json_unsigned(json, "count", row->errors[1]);
        zg_json_unsigned(json, "of", row->trials[1]);
        zg_json_close(json, '}');
        zg_json_bool(json, "clustered", row->clustered);
        zg_json_double(json, "ratio", zg_compared_ratio(row));
        zg_json_double(json, "ratio_low", row->ratio_low);
        zg_json_double(json, "ratio_high", row->ratio_high);
        zg_json_double(json, "chance", row->chance);
        zg_json_double(json, "level", row->level);
        zg_json_double(json, "would_show_from", row->shown_from);
        zg_json_bool(json, comparison->allowed > 0 ? "no_worse" : "worse", row->shown);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
    zg_json_bool(json, "passed", comparison->passed);
    zg_json_close(json, '}');
}
