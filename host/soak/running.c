/* SPDX-License-Identifier: MIT */
#include "soak/running.h"

#include "soak/report_tables.h"

enum { TRACE = 60 /* seconds */, EVENTS_SHOWN = 4 };

uint64_t zg_soak_came(const struct zg_soak_result *result, enum zg_flow flow)
{
    const uint64_t *entries = result->sums.entries[flow];
    return entries[ZG_CLASS_DELIVERED] + entries[ZG_CLASS_LATE] + entries[ZG_CLASS_OUT_OF_ORDER];
}

static char *clock_text(double seconds)
{
    const uint64_t s = (uint64_t)MAX(seconds, 0);

    if (s < 3600)
        return g_strdup_printf("%" G_GUINT64_FORMAT ":%02u", s / 60, (unsigned)(s % 60));
    return g_strdup_printf("%" G_GUINT64_FORMAT ":%02u:%02u", s / 3600, (unsigned)(s / 60 % 60), (unsigned)(s % 60));
}

static const char *link_of(const struct zg_soak_running *running)
{
    return running->settings->link ? running->settings->link->text : "sim:";
}

char *zg_soak_running_line(const struct zg_soak_running *running)
{
    const struct zg_soak_result *so_far = running->so_far;
    const GArray *events = zg_journal_events(running->settings->journal);
    GString *text = g_string_new(NULL);
    g_autofree char *left = running->left_s >= 0 ? clock_text(running->left_s) : g_strdup("?");
    uint64_t sent = 0, missing = 0;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        sent += so_far->sums.sent[flow];
        missing += zg_ledger_lost(&so_far->sums, (enum zg_flow)flow);
    }
    g_string_append_printf(text,
                           "%3.0f %%, %s left: %" G_GUINT64_FORMAT " frames sent, %" G_GUINT64_FORMAT
                           " lost, %" G_GUINT64_FORMAT " times damage",
                           100 * running->done, left, sent, missing, so_far->damages[0] + so_far->damages[1]);
    if (so_far->round_trip.count > 0) {
        g_autofree char *most = zgi_time_text(so_far->from_due.most_ns);
        g_string_append_printf(text, ", answers within %s", most);
    }
    if (events->len > 0) {
        const struct zg_event *event = &g_array_index(events, struct zg_event, events->len - 1);
        g_string_append_printf(text, "; %s at %.0f s", zg_event_name(event->kind), (double)event->at_ns * 1e-9);
    }
    return g_string_free(text, FALSE);
}

static void append_flows(GString *text, const struct zg_soak_result *so_far)
{
    g_string_append_printf(text, "  %-12s%*s%*s%*s%*s\n", "", ZGI_COLUMN, "sent", ZGI_COLUMN, "came", ZGI_COLUMN,
                           "lost", ZGI_COLUMN, "under way");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        const uint64_t sent = so_far->sums.sent[flow], done = zg_soak_came(so_far, (enum zg_flow)flow) +
                                                              zg_ledger_lost(&so_far->sums, (enum zg_flow)flow);
        if (sent == 0)
            continue;
        g_string_append_printf(text, "  %-12s", zgi_flow_title(so_far, flow));
        zgi_cell(text, sent);
        zgi_cell(text, zg_soak_came(so_far, (enum zg_flow)flow));
        zgi_cell(text, zg_ledger_lost(&so_far->sums, (enum zg_flow)flow));
        zgi_cell(text, sent - MIN(sent, done));
        g_string_append_c(text, '\n');
    }
}

static void append_rate(GString *text, const struct zg_soak_result *so_far, const char *key)
{
    struct zg_soak_rate rate = { .key = NULL };

    for (unsigned i = 0; zg_soak_rate_at(so_far, i, &rate) && g_strcmp0(rate.key, key) != 0; i++)
        ;
    if (rate.trials == 0)
        return;
    g_string_append_printf(text, "  %-18s", key);
    if (rate.errors > 0)
        g_string_append_printf(text, "%10.2e   %.2e to %.2e of %" G_GUINT64_FORMAT " %s\n",
                               (double)rate.errors / (double)rate.trials, rate.low, rate.high, rate.trials, rate.of);
    else
        g_string_append_printf(text, "%10s   at most %.2e of %" G_GUINT64_FORMAT " %s\n", "none seen", rate.high,
                               rate.trials, rate.of);
}

/* One character for a second: how much of what was due in it is lost. */
static char sign_of(const struct zg_time_row *row, enum zg_path path)
{
    const uint32_t sent = row->sent[path], bad = row->bad[path];

    if (bad == 0)
        return row->held ? '?' : sent == 0 ? ' ' : '.';
    if (bad >= 2 && 10 * (uint64_t)bad >= 3 * (uint64_t)sent)
        return '#';
    return bad < 10 ? (char)('0' + bad) : '+';
}

/* What is due in the newest seconds may still arrive. */
uint32_t zg_soak_settled_seconds(const struct zg_soak_running *running)
{
    const struct zg_soak_settings *settings = running->settings;
    const uint64_t open_ns = 2 * MAX(settings->late_ns, settings->slow_ns) + ZG_SECOND_NS;

    return (uint32_t)((running->so_far->ran_ns - MIN(running->so_far->ran_ns, open_ns)) / ZG_SECOND_NS);
}

struct zg_time_row zg_soak_second(const struct zg_soak_running *running, uint32_t at)
{
    const struct zg_soak_settings *settings = running->settings;
    const GArray *times = zg_journal_times(settings->journal);
    const struct zg_second *second = zg_journal_at(settings->journal, settings->first_second + at);

    if (second)
        return zg_time_row_of(second, running->so_far->real);
    return at < times->len ? g_array_index(times, struct zg_time_row, at) : (struct zg_time_row){ .held = false };
}

/* The trace ends with the seconds that are settled. */
static void append_trace(GString *text, const struct zg_soak_running *running)
{
    static const char *const names[ZG_PATHS] = { "out", "back", "there+back" };
    const int64_t until = zg_soak_settled_seconds(running);

    for (unsigned path = 0; path < ZG_PATHS; path++) {
        char signs[TRACE + 1] = "";
        bool any = false;
        for (int i = 0; i < TRACE; i++) {
            const int64_t at = until - TRACE + i;
            const struct zg_time_row row =
                at >= 0 ? zg_soak_second(running, (uint32_t)at) : (struct zg_time_row){ .held = false };
            signs[i] = sign_of(&row, (enum zg_path)path);
            any = any || row.sent[path] > 0;
        }
        if (any)
            g_string_append_printf(text, "  %-12s|%s|\n", names[path], signs);
    }
    g_string_append_printf(text, "  %-12s %d s; . none lost, 1 to 9 and + lost, # 30 %% or more, ? not measured\n", "",
                           TRACE);
}

static void append_events(GString *text, const GArray *events)
{
    for (guint i = events->len > EVENTS_SHOWN ? events->len - EVENTS_SHOWN : 0; i < events->len; i++) {
        const struct zg_event *event = &g_array_index(events, struct zg_event, i);
        g_string_append_printf(text, "  %10.3f s  %-8s %.70s\n", (double)event->at_ns * 1e-9,
                               zg_event_name(event->kind), event->text);
    }
}

char *zg_soak_running_view(const struct zg_soak_running *running)
{
    const struct zg_soak_result *so_far = running->so_far;
    GString *text = g_string_new(NULL);
    g_autofree char *ran = clock_text((double)so_far->ran_ns * 1e-9);
    g_autofree char *length = clock_text((double)running->settings->duration_ns * 1e-9);
    g_autofree char *left = running->left_s >= 0 ? clock_text(running->left_s) : g_strdup("?");

    g_string_append_printf(text, "soak of %s on %.40s, %s of %s, %s left\n\n", running->plan->definition->protocol,
                           link_of(running), ran, length, left);
    append_flows(text, so_far);
    g_string_append_c(text, '\n');
    append_rate(text, so_far, "lost");
    append_rate(text, so_far, "damages");
    append_rate(text, so_far, "damaged_accepted");
    if (so_far->round_trip.count > 0)
        zgi_table_spread(text, "answers from when due", &so_far->from_due);
    g_string_append_c(text, '\n');
    append_trace(text, running);
    append_events(text, zg_journal_events(running->settings->journal));
    if (running->note)
        g_string_append_printf(text, "  %s\n", running->note);
    return g_string_free(text, FALSE);
}
