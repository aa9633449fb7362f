/* SPDX-License-Identifier: MIT */
/* A stored run as text. */
#include <math.h>
#include <string.h>

#include "definition/words.h"
#include "report/report.h"
#include "soak/availability.h"
#include "soak/report_tables.h"

enum { EVENTS_MOST = 40, BINS = 5 };

/* What became of the run. */
static char *state_of(const struct zg_stored *stored)
{
    if (stored->ended)
        return g_strdup(stored->ended);
    return g_strdup("still running, or cut off; what was saved last is shown");
}

static void append_head(GString *text, const struct zg_stored *stored)
{
    g_autofree char *state = state_of(stored);
    g_autofree char *parts = stored->parts > 1 ? g_strdup_printf(" in %u parts", stored->parts) : g_strdup("");

    g_string_append_printf(text, "run %" G_GINT64_FORMAT ": soak of %s (fingerprint %08x) on %s\n", stored->run,
                           stored->protocol, stored->fingerprint, stored->link);
    g_string_append_printf(text, "begun %s by %s on %s; %.0f of %.0f s%s\n", stored->begun, stored->tool, stored->host,
                           stored->ran_s, stored->planned_s, parts);
    g_string_append_printf(text, "%s\nended: %s\n", stored->settings_text ? stored->settings_text : stored->settings,
                           state);
}

static void append_events(GString *text, const GArray *events)
{
    const guint first = events->len > EVENTS_MOST ? events->len - EVENTS_MOST : 0;

    if (events->len > 0)
        g_string_append(text, "\n  events\n");
    if (first > 0)
        g_string_append_printf(text, "  ... %u before\n", first);
    for (guint i = first; i < events->len; i++) {
        const struct zg_event *event = &g_array_index(events, struct zg_event, i);
        g_autofree char *shown = zg_shown(event->text ? event->text : "", -1, false);
        g_string_append_printf(text, "  %12.3f s  %-8s  %s\n", (double)event->at_ns * 1e-9, zg_event_name(event->kind),
                               shown);
    }
}

/* The seconds in which most was lost, the worst first. */
static void append_worst(GString *text, const GArray *times)
{
    struct zg_worst_second worst[ZG_WORST_MOST];
    const guint count = zg_worst_seconds(times, worst);

    for (guint i = 0; i < count; i++)
        g_string_append_printf(text, "%s second %u (%" G_GUINT64_FORMAT " lost)%s", i == 0 ? "  worst:" : ",",
                               worst[i].at, worst[i].lost, i + 1 == count ? "\n" : "");
}

/* A mark that is a value, "NAME=NUMBER". */
static bool read_value(const struct zg_event *event, char **name, double *value)
{
    const char *equals = event->kind == ZG_EVENT_MARK ? strrchr(event->text, '=') : NULL;
    char *end = NULL;

    if (!equals || equals == event->text)
        return false;
    *value = g_ascii_strtod(equals + 1, &end);
    if (end == equals + 1 || *end != '\0' || !isfinite(*value))
        return false;
    *name = g_strndup(event->text, (gsize)(equals - event->text));
    return true;
}

/* The value in force in each second: that of the newest mark of this name; NaN before the first. Free with g_free(). */
static double *values_of(const struct zg_stored *stored, const char *wanted, double *least, double *most)
{
    double *values = g_new(double, stored->times->len + 1), value = NAN;
    guint next = 0;

    *least = INFINITY;
    *most = -INFINITY;
    for (guint at = 0; at < stored->times->len; at++) {
        for (; next < stored->events->len; next++) {
            const struct zg_event *event = &g_array_index(stored->events, struct zg_event, next);
            g_autofree char *name = NULL;
            double one;
            if (event->at_ns >= ((uint64_t)at + 1) * ZG_SECOND_NS)
                break;
            if (read_value(event, &name, &one) && strcmp(name, wanted) == 0)
                value = one;
        }
        values[at] = value;
        *least = fmin(*least, value);
        *most = fmax(*most, value);
    }
    return values;
}

static void append_bin(GString *text, const GArray *times, const double *values, double from, double to, bool is_last)
{
    uint64_t sent = 0, bad = 0, seconds = 0;
    double low, high;

    for (guint at = 0; at < times->len; at++) {
        const struct zg_time_row *row = &g_array_index(times, struct zg_time_row, at);
        if (row->held || !(values[at] >= from && (values[at] < to || is_last)))
            continue;
        seconds++;
        for (unsigned path = 0; path < ZG_PATHS; path++) {
            sent += row->sent[path];
            bad += row->bad[path];
        }
    }
    g_autofree char *name = g_strdup_printf("%.4g to %.4g", from, to);
    zgi_row_start(text, name);
    zgi_cell(text, seconds);
    zgi_cell(text, sent);
    zgi_cell(text, bad);
    zg_rate_bounds(bad, sent, 0.95, &low, &high);
    if (sent > 0)
        g_string_append_printf(text, "   %.2e to %.2e of frames sent\n", low, high);
    else
        g_string_append(text, "   no frames\n");
}

/* What was lost while a value, such as a temperature, was in each fifth of its range. */
static void append_by_value(GString *text, const struct zg_stored *stored)
{
    g_autoptr(GHashTable) seen = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    for (guint i = 0; i < stored->events->len; i++) {
        char *name;
        double value, least, most;
        if (!read_value(&g_array_index(stored->events, struct zg_event, i), &name, &value) ||
            !g_hash_table_add(seen, name)) /* which takes the name in any case */
            continue;
        g_autofree double *values = values_of(stored, name, &least, &most);
        const unsigned bins = most > least ? BINS : most == least ? 1 : 0;
        g_autofree char *shown = zg_shown(name, -1, false), *title = g_strdup_printf("by %s", shown);
        if (bins > 0)
            g_string_append_printf(text, "\n  %-*s%*s%*s%*s   %s\n", ZGI_NAME_WIDTH, title, ZGI_COLUMN, "seconds",
                                   ZGI_COLUMN, "sent", ZGI_COLUMN, "lost", "95 % bounds (exact)");
        for (unsigned bin = 0; bin < bins; bin++)
            append_bin(text, stored->times, values, least + (most - least) * bin / bins,
                       least + (most - least) * (bin + 1) / bins, bin + 1 == bins);
    }
}

/* What was done to the bytes of each damage. */
static void append_damages(GString *text, const struct zg_stored *stored)
{
    bool any = false;

    for (unsigned i = 0; i <= ZG_DAMAGE_NAMES; i++) {
        const uint64_t out = stored->damages[0][i], back = stored->damages[1][i];
        if (out + back == 0)
            continue;
        if (!any)
            g_string_append_printf(text, "\n  %-*s%*s%*s\n", ZGI_NAME_WIDTH, "damages by what was done", ZGI_COLUMN,
                                   "out", ZGI_COLUMN, "back");
        any = true;
        zgi_row_start(text, i < ZG_DAMAGE_NAMES ? zg_damage_name((enum zg_damage_name)i) : "not known");
        zgi_cell(text, out);
        zgi_cell(text, back);
        g_string_append_c(text, '\n');
    }
}

static void append_counters(GString *text, const GArray *counters)
{
    if (counters->len > 0)
        g_string_append(text, "\n  counted by the links when last read\n");
    for (guint i = 0; i < counters->len; i++) {
        const struct zg_stored_counter *counter = &g_array_index(counters, struct zg_stored_counter, i);
        g_string_append_printf(text, "  %-6s %-16s %" G_GINT64_FORMAT "\n", counter->end, counter->name,
                               counter->value);
    }
}

static void append_verdict(GString *text, const struct zg_stored *stored)
{
    g_string_append_c(text, '\n');
    for (guint i = 0; i < stored->requirements->len; i++)
        zgi_table_requirement(text, &stored->sums, &g_array_index(stored->requirements, struct zg_soak_requirement, i));
    if (stored->requirements->len == 0)
        g_string_append(text, "verdict: none, because no requirement was set\n");
    else
        g_string_append_printf(
            text, "verdict: %s%s\n",
            zg_stored_passed(stored) ? "passed, all requirements are met" : "failed, not all requirements are met",
            stored->sums.any_time ? "; judged by bounds that hold at all times, because the run had no planned end"
                                  : "");
}

char *zg_report_text(const struct zg_stored *stored, const struct zg_against *against)
{
    GString *text = g_string_new(NULL);
    g_autofree char *round_trip = g_strdup_printf("%s, from when it was due", zgi_round_trip_title(&stored->sums));

    append_head(text, stored);
    append_events(text, stored->events);
    zgi_table_sent(text, &stored->sums);
    zgi_table_arrived(text, &stored->sums);
    zgi_table_rates(text, &stored->sums);
    zgi_table_time(text, stored->times);
    append_worst(text, stored->times);
    if (stored->sums.round_trip.count > 0)
        zgi_table_spread(text, round_trip, &stored->sums.round_trip);
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        g_autofree char *what = g_strdup_printf("%s, one way from when it was due", zg_flow_name((enum zg_flow)flow));
        if (stored->one_way[flow].count > 0)
            zgi_table_spread(text, what, &stored->one_way[flow]);
    }
    append_damages(text, stored);
    zg_diagnosis_to_text(stored->diagnosis, text);
    append_by_value(text, stored);
    append_counters(text, stored->counters);
    if (against)
        zg_comparison_to_text(&against->comparison, against->other, text);
    append_verdict(text, stored);
    return g_string_free(text, FALSE);
}
