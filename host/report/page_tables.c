/* SPDX-License-Identifier: MIT */
/* The verdict, and the tables of a page. */
#include "report/page_parts.h"
#include "soak/availability.h"
#include "soak/report_tables.h"

enum { EVENTS_MOST = 200 };

static void append_count(GString *page, uint64_t count)
{
    g_string_append_printf(page, "<td>%" G_GUINT64_FORMAT "</td>", count);
}

static void append_verdict(GString *page, const struct zg_stored *stored)
{
    const bool passed = zg_stored_passed(stored), any = stored->requirements->len > 0;

    zgi_page(page, "<p class=\"verdict %s\">%s</p>\n",
             !any     ? "none"
             : passed ? "passed"
                      : "failed",
             !any     ? "No verdict: no requirement was set"
             : passed ? "Passed: all requirements are met"
                      : "Failed: not all requirements are met");
    g_string_append(page, "<ul class=\"plain\">\n");
    for (guint i = 0; i < stored->requirements->len; i++) {
        g_autoptr(GString) line = g_string_new(NULL);
        zgi_table_requirement(line, &stored->sums, &g_array_index(stored->requirements, struct zg_soak_requirement, i));
        zgi_page(page, "<li>%s</li>\n", g_strstrip(line->str));
    }
    g_string_append(page, "</ul>\n");
    if (any && stored->sums.any_time)
        g_string_append(page,
                        "<p class=\"note\">Judged by bounds that hold at all times, because the run had no planned "
                        "end.</p>\n");
}

static void append_card(GString *page, const char *title, const char *value, const char *note)
{
    zgi_page(page, "<div class=\"card\">%s<b>%s</b><span class=\"quiet\">%s</span></div>\n", title, value, note);
}

static bool rate_of(const struct zg_stored *stored, const char *key, struct zg_soak_rate *rate)
{
    for (unsigned i = 0; zg_soak_rate_at(&stored->sums, i, rate); i++)
        if (g_str_equal(rate->key, key))
            return true;
    return false;
}

/* What one looks at first. */
static void append_cards(GString *page, const struct zg_stored *stored)
{
    const struct zg_availability all = zg_availability_of_all(stored->times);
    const struct zg_spread *trip = &stored->sums.round_trip;
    struct zg_soak_rate rate = { .trials = 0 };

    g_string_append(page, "<div class=\"cards\">\n");
    if (rate_of(stored, "lost", &rate) && rate.trials > 0) {
        g_autofree char *value =
            rate.errors > 0 ? g_strdup_printf("%.2e", (double)rate.errors / (double)rate.trials) : g_strdup("none");
        g_autofree char *note =
            g_strdup_printf("%" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " %s\n%.2e to %.2e at 95 %%", rate.errors,
                            rate.trials, rate.of, rate.wide_low, rate.wide_high);
        append_card(page, "Lost", value, note);
    }
    const uint64_t damages = stored->diagnosis->damages[0] + stored->diagnosis->damages[1],
                   counted = stored->sums.damages[0] + stored->sums.damages[1];
    g_autofree char *count = g_strdup_printf("%" G_GUINT64_FORMAT, damages > 0 ? damages : counted);
    g_autofree char *unexplained = g_strdup_printf(
        "%" G_GUINT64_FORMAT " unexplained", stored->diagnosis->unexplained[0] + stored->diagnosis->unexplained[1]);
    append_card(page, "Damages", count,
                damages > 0   ? unexplained
                : counted > 0 ? "their bytes are not known"
                              : "nothing was damaged");
    if (all.seconds > 0) {
        g_autofree char *share = g_strdup_printf("%.6g %%", 100.0 * (double)all.available / (double)all.seconds);
        g_autofree char *outages =
            g_strdup_printf("of %" G_GUINT64_FORMAT " s; %" G_GUINT64_FORMAT " outages", all.seconds, all.outages);
        append_card(page, "Available", share, outages);
    }
    if (trip->count > 0) {
        g_autofree char *most = zgi_time_text(zg_spread_at(trip, 0.99)), *half = zgi_time_text(zg_spread_at(trip, 0.5));
        g_autofree char *note = g_strdup_printf("99 %% of answers\nhalf within %s", half);
        append_card(page, "Answered within", most, note);
    }
    g_string_append(page, "</div>\n");
}

void zgi_page_head(GString *page, const struct zg_stored *stored)
{
    g_autofree char *ran = g_strdup_printf("%.0f of %.0f s", stored->ran_s, stored->planned_s);

    zgi_page(page, "<h1>Soak of %s</h1>\n", stored->protocol);
    append_verdict(page, stored);
    zgi_page(page, "<p class=\"quiet\">on %s, begun %s, %s, ended: %s<br>%s</p>\n", stored->link, stored->begun, ran,
             stored->ended ? stored->ended : "still running, or cut off; what was saved last is shown",
             stored->settings_text ? stored->settings_text : "");
    append_cards(page, stored);
}

/* --- tables */

static void append_rates(GString *page, const struct zg_stored *stored)
{
    struct zg_soak_rate rate;

    g_string_append(page, "<h2>Rates</h2>\n<div class=\"wide\"><table><tr><th>rate</th><th>count</th><th>of</th>"
                          "<th>measured</th><th>95 % bounds</th><th class=\"words\">of what, and how</th></tr>\n");
    for (unsigned i = 0; zg_soak_rate_at(&stored->sums, i, &rate); i++) {
        if (rate.trials == 0)
            continue;
        zgi_page(page, "<tr><td>%s</td>", rate.key);
        append_count(page, rate.errors);
        append_count(page, rate.trials);
        if (rate.errors > 0)
            g_string_append_printf(page, "<td>%.2e</td><td>%.2e to %.2e</td>",
                                   (double)rate.errors / (double)rate.trials, rate.wide_low, rate.wide_high);
        else
            g_string_append_printf(page, "<td>none seen</td><td>at most %.2e</td>", rate.wide_high);
        zgi_page(page, "<td class=\"words\">%s; %s</td></tr>\n", rate.of,
                 rate.cluster.clustered ? "clustered: the wider of both bounds" : "exact, as if independent");
    }
    g_string_append(page, "</table></div>\n");
}

static void append_ledger(GString *page, const struct zg_stored *stored)
{
    const struct zg_ledger_sums *sums = &stored->sums.sums;

    g_string_append(page, "<h2>The ledger</h2>\n<div class=\"wide\"><table><tr><th>frames sent</th>");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        zgi_page(page, "<th>%s</th>", zgi_flow_title(&stored->sums, flow));
    g_string_append(page, "</tr>\n");
    for (unsigned i = 0; i < ZG_ENTRY_CLASSES; i++) {
        uint64_t all = 0;
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
            all += sums->entries[flow][i];
        if (all == 0)
            continue;
        zgi_page(page, "<tr><td>%s</td>", zg_class_name((enum zg_class)i));
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
            append_count(page, sums->entries[flow][i]);
        g_string_append(page, "</tr>\n");
    }
    g_string_append(page, "<tr><th>sent</th>");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        append_count(page, sums->sent[flow]);
    g_string_append(page, "</tr>\n</table></div>\n<div class=\"wide\"><table><tr><th>arrived</th><th>at device</th>"
                          "<th>at host</th></tr>\n");
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        if (!zg_class_is_of_arrivals((enum zg_class)i) || sums->arrivals[0][i] + sums->arrivals[1][i] == 0)
            continue;
        zgi_page(page, "<tr><td>%s</td>", zg_class_name((enum zg_class)i));
        for (unsigned end = 0; end < 2; end++)
            append_count(page, sums->arrivals[end][i]);
        g_string_append(page, "</tr>\n");
    }
    g_string_append(page, "</table></div>\n");
}

static void append_time(GString *page, const struct zg_stored *stored)
{
    static const char *const names[ZG_PATHS] = { "out", "back", "there and back" };
    struct zg_worst_second worst[ZG_WORST_MOST];
    const guint worst_count = zg_worst_seconds(stored->times, worst);

    g_string_append(page, "<h2>Time, as ITU-T G.826 counts it</h2>\n<div class=\"wide\"><table><tr><th>path</th>"
                          "<th>interval, s</th><th>intervals</th><th>errored</th><th>severely</th><th>unavailable</th>"
                          "<th>else lost</th><th>outages</th><th>longest</th></tr>\n");
    for (unsigned path = 0; path < ZG_PATHS; path++) {
        const struct zg_availability found = zg_availability_of(stored->times, (enum zg_path)path);
        if (found.interval_s == 0)
            continue;
        zgi_page(page, "<tr><td>%s</td>", names[path]);
        append_count(page, found.interval_s);
        append_count(page, found.seconds);
        append_count(page, found.errored);
        append_count(page, found.severe);
        append_count(page, found.seconds - found.available);
        g_string_append_printf(page, "<td>%.2e</td>", found.frames > 0 ? (double)found.bad / (double)found.frames : 0);
        append_count(page, found.outages);
        append_count(page, found.longest);
        g_string_append(page, "</tr>\n");
    }
    g_string_append(page, "</table></div>\n");
    for (guint i = 0; i < worst_count; i++)
        g_string_append_printf(page, "%s%u (%" G_GUINT64_FORMAT " lost)%s",
                               i == 0 ? "<p>The worst seconds, since the beginning: " : ", ", worst[i].at,
                               worst[i].lost, i + 1 == worst_count ? "</p>\n" : "");
}

static void append_spread(GString *page, const char *name, const struct zg_spread *spread)
{
    if (spread->count == 0)
        return;
    g_autofree char *least = zgi_time_text(spread->least_ns), *half = zgi_time_text(zg_spread_at(spread, 0.5)),
                    *most = zgi_time_text(spread->most_ns), *high = zgi_time_text(zg_spread_at(spread, 0.99));
    zgi_page(page, "<tr><td>%s</td>", name);
    append_count(page, spread->count);
    zgi_page(page, "<td>%s</td><td>%s</td><td>%s</td><td>%s</td></tr>\n", least, half, high, most);
}

static void append_latencies(GString *page, const struct zg_stored *stored)
{
    g_string_append(page, "<h2>Latencies, from when a frame was due</h2>\n<div class=\"wide\"><table><tr><th></th>"
                          "<th>frames</th><th>least</th><th>half within</th><th>99 % within</th><th>most</th></tr>\n");
    append_spread(page, zgi_round_trip_title(&stored->sums), &stored->sums.round_trip);
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        append_spread(page, zg_flow_name((enum zg_flow)flow), &stored->one_way[flow]);
    g_string_append(page, "</table></div>\n");
}

static void append_events(GString *page, const struct zg_stored *stored)
{
    const guint count = MIN(stored->events->len, (guint)EVENTS_MOST);

    if (count == 0)
        return;
    g_string_append_printf(page,
                           "<h2>Events and marks</h2>\n<p class=\"note\">%u of %u, the first ones</p>\n"
                           "<div class=\"wide\"><table><tr><th>at, s</th><th class=\"words\">kind</th>"
                           "<th class=\"words\">what</th></tr>\n",
                           count, stored->events->len);
    for (guint i = 0; i < count; i++) {
        const struct zg_event *event = &g_array_index(stored->events, struct zg_event, i);
        g_string_append_printf(page, "<tr><td>%.3f</td>", (double)event->at_ns * 1e-9);
        zgi_page(page, "<td class=\"words\">%s</td><td class=\"words\">%s</td></tr>\n", zg_event_name(event->kind),
                 event->text ? event->text : "");
    }
    g_string_append(page, "</table></div>\n");
}

static void append_counters(GString *page, const struct zg_stored *stored)
{
    if (stored->counters->len == 0)
        return;
    g_string_append(page, "<h2>Counted by the links</h2>\n<div class=\"wide\"><table><tr><th>counter</th><th "
                          "class=\"words\">end</th><th>count</th></tr>\n");
    for (guint i = 0; i < stored->counters->len; i++) {
        const struct zg_stored_counter *counter = &g_array_index(stored->counters, struct zg_stored_counter, i);
        zgi_page(page, "<tr><td>%s</td><td class=\"words\">%s</td>", counter->name, counter->end);
        g_string_append_printf(page, "<td>%" G_GINT64_FORMAT "</td></tr>\n", counter->value);
    }
    g_string_append(page, "</table></div>\n");
}

void zgi_page_tables(GString *page, const struct zg_stored *stored)
{
    append_rates(page, stored);
    append_time(page, stored);
    append_latencies(page, stored);
    append_ledger(page, stored);
    append_events(page, stored);
    append_counters(page, stored);
}
