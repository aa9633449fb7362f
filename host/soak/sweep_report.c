/* SPDX-License-Identifier: MIT */
/* The points of a sweep, written out. */
#include "codec/json.h"
#include "soak/report_members.h"
#include "soak/report_tables.h"
#include "soak/sweep.h"

/* Rates that the table shows. */
static const char *const shown[] = { "lost", "damages", "damaged_accepted" };

static bool find_rate(const struct zg_soak_result *result, const char *key, struct zg_soak_rate *rate)
{
    for (unsigned i = 0; zg_soak_rate_at(result, i, rate); i++)
        if (g_strcmp0(rate->key, key) == 0)
            return true;
    return false;
}

static void append_rate(GString *text, const struct zg_soak_rate *rate)
{
    g_autofree char *bounds = rate->trials == 0  ? g_strdup("unknown")
                              : rate->errors > 0 ? g_strdup_printf("%.2e to %.2e", rate->wide_low, rate->wide_high)
                                                 : g_strdup_printf("at most %.2e", rate->wide_high);
    g_string_append_printf(text, "  %22s", bounds);
}

static void append_heads(GString *text, const struct zg_sweep *sweep, const struct zg_soak_requirement *requirements,
                         unsigned requirements_count)
{
    for (unsigned i = 0; i < sweep->axes_count; i++)
        g_string_append_printf(text, "%*s", ZGI_COLUMN, sweep->axes[i].name);
    if (sweep->repetitions > 1)
        g_string_append_printf(text, "%*s", 6, "run");
    g_string_append_printf(text, "%*s", ZGI_COLUMN, "sent");
    for (size_t i = 0; i < G_N_ELEMENTS(shown); i++)
        g_string_append_printf(text, "  %22s", shown[i]);
    g_string_append_printf(text, "%12s", "99 % within");
    for (unsigned i = 0; i < requirements_count; i++)
        g_string_append_printf(text, "  %s", requirements[i].key);
    g_string_append_c(text, '\n');
}

static void append_point(GString *text, const struct zg_sweep *sweep, const GArray *points, guint index,
                         const struct zg_soak_requirement *requirements, unsigned requirements_count)
{
    const struct zg_sweep_point *point = &g_array_index(points, struct zg_sweep_point, index);
    const struct zg_soak_result *result = point->result;
    struct zg_soak_rate rate;
    uint64_t sent = 0;

    for (unsigned i = 0; i < sweep->axes_count; i++) {
        g_autofree char *value = zg_sweep_value_text(&sweep->axes[i], point->values[i]);
        g_string_append_printf(text, "%*s", ZGI_COLUMN, value);
    }
    if (sweep->repetitions > 1)
        g_string_append_printf(text, "%6u", index % sweep->repetitions + 1);
    if (!result) {
        g_string_append_printf(text, "   %s\n", point->error ? point->error->message : "not run");
        return;
    }
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        sent += result->sums.sent[flow];
    zgi_cell(text, sent);
    for (size_t i = 0; i < G_N_ELEMENTS(shown); i++)
        if (find_rate(result, shown[i], &rate))
            append_rate(text, &rate);
    g_autofree char *most = zgi_time_text(zg_spread_at(&result->from_due, 0.99));
    g_string_append_printf(text, "%12s", result->from_due.count > 0 ? most : "-");
    for (unsigned i = 0; i < requirements_count; i++)
        g_string_append_printf(text, "  %-*s", (int)strlen(requirements[i].key),
                               zgi_verdict_words[zg_soak_judge(result, &requirements[i], &rate)]);
    if (!result->adds_up)
        g_string_append(text, "  does not add up");
    if (result->ended[0] != '\0')
        g_string_append_printf(text, "  ended early: %s", result->ended);
    g_string_append(text, result->stopped ? "  stopped\n" : "\n");
}

char *zg_sweep_text(const struct zg_sweep *sweep, const GArray *points, const struct zg_soak_requirement *requirements,
                    unsigned requirements_count)
{
    GString *text = g_string_new(NULL);

    append_heads(text, sweep, requirements, requirements_count);
    for (guint i = 0; i < points->len; i++)
        append_point(text, sweep, points, i, requirements, requirements_count);
    g_string_append(text, "\nbounds at 95 %, exact, wider where errors cluster, of frames sent; 99 % of the echoes "
                          "came back within that time from when they were "
                          "due\n");
    if (requirements_count > 0)
        g_string_append_printf(text, "verdict: %s\n",
                               zg_sweep_passed(points, requirements, requirements_count)
                                   ? "passed, each soak meets all requirements"
                                   : "failed, not each soak meets all requirements");
    return g_string_free(text, FALSE);
}

char *zg_sweep_json(const struct zg_sweep *sweep, const GArray *points, const struct zg_soak_requirement *requirements,
                    unsigned requirements_count)
{
    struct zg_json json;
    struct zg_soak_rate rate;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_open(&json, "points", '[');
    for (guint i = 0; i < points->len; i++) {
        const struct zg_sweep_point *point = &g_array_index(points, struct zg_sweep_point, i);
        zg_json_open(&json, NULL, '{');
        for (unsigned k = 0; k < sweep->axes_count; k++)
            zg_json_double(&json, sweep->axes[k].name, point->values[k]);
        if (sweep->repetitions > 1)
            zg_json_unsigned(&json, "run", i % sweep->repetitions + 1);
        if (point->error)
            zg_json_string(&json, "error", point->error->message);
        if (point->result) {
            zg_json_bool(&json, "adds_up", point->result->adds_up);
            zg_json_bool(&json, "stopped", point->result->stopped);
            zgi_members_rates(&json, point->result);
            zg_json_double(&json, "p99_from_due_seconds", (double)zg_spread_at(&point->result->from_due, 0.99) * 1e-9);
            zg_json_open(&json, "verdicts", '{');
            for (unsigned k = 0; k < requirements_count; k++)
                zg_json_string(&json, requirements[k].key,
                               zgi_verdict_words[zg_soak_judge(point->result, &requirements[k], &rate)]);
            zg_json_close(&json, '}');
        }
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zg_json_bool(&json, "passed", zg_sweep_passed(points, requirements, requirements_count));
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}
