/* SPDX-License-Identifier: MIT */
#include "soak/running_page.h"

#include <string.h>

#include "codec/json.h"
#include "codec/read_json.h"
#include "page/files.h"
#include "soak/report_tables.h"

enum {
    PERIOD_US = 250000, /* of updates */
    COLUMNS_MOST = 240, /* of the time that is shown */
    EVENTS_MOST = 200,
    MARK_MOST = 200, /* bytes */
    LAST_WAIT_US = 300000
};

struct zg_running_page {
    struct zg_page_server *server;
    const char *const *rules;
    gint64 due_us;
};

static const struct zg_page_file files[] = { { "", "text/html; charset=utf-8", zgi_running_page },
                                             { "live.css", "text/css; charset=utf-8", zgi_live_style },
                                             { "viewer.js", "text/javascript; charset=utf-8", zgi_viewer_script },
                                             { "running.js", "text/javascript; charset=utf-8", zgi_running_script },
                                             { "charts.js", "text/javascript; charset=utf-8", zgi_page_charts },
                                             { 0 } };

struct zg_running_page *zg_running_page_new(const char *where, const char *const *rules, GError **error)
{
    struct zg_page_server *server = zg_page_server_new(where, files, error);

    if (!server)
        return NULL;
    struct zg_running_page *page = g_new0(struct zg_running_page, 1);
    page->server = server;
    page->rules = rules;
    return page;
}

void zg_running_page_free(struct zg_running_page *page)
{
    if (!page)
        return;
    zg_page_server_free(page->server);
    g_free(page);
}

const char *zg_running_page_address(const struct zg_running_page *page)
{
    return zg_page_server_address(page->server);
}

/* --- what is told */

static void add_flows(const struct zg_soak_result *so_far, struct zg_json *json)
{
    zg_json_open(json, "flows", '[');
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        const uint64_t sent = so_far->sums.sent[flow], came = zg_soak_came(so_far, (enum zg_flow)flow),
                       lost = zg_ledger_lost(&so_far->sums, (enum zg_flow)flow);
        if (sent == 0)
            continue;
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "name", zgi_flow_title(so_far, flow));
        zg_json_unsigned(json, "sent", sent);
        zg_json_unsigned(json, "came", came);
        zg_json_unsigned(json, "lost", lost);
        zg_json_unsigned(json, "open", sent - MIN(sent, came + lost));
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}

static void add_rates(const struct zg_soak_result *so_far, struct zg_json *json)
{
    /* where an echo was lost on a real link is known at the end */
    static const char *const keys[] = { "lost", "damages", "damaged_accepted", "lost_out", "lost_back" };
    const size_t known = G_N_ELEMENTS(keys) - (so_far->real ? 2 : 0);
    struct zg_soak_rate rate;

    zg_json_open(json, "rates", '[');
    for (unsigned i = 0; zg_soak_rate_at(so_far, i, &rate); i++) {
        bool is_shown = false;
        for (size_t k = 0; k < known; k++)
            is_shown = is_shown || strcmp(keys[k], rate.key) == 0;
        if (!is_shown || rate.trials == 0)
            continue;
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "key", rate.key);
        zg_json_string(json, "of", rate.of);
        zg_json_unsigned(json, "errors", rate.errors);
        zg_json_unsigned(json, "trials", rate.trials);
        zg_json_double(json, "low", rate.wide_low);
        zg_json_double(json, "high", rate.wide_high);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}

static void add_answers(const struct zg_spread *spread, struct zg_json *json)
{
    zg_json_open(json, "answers", '{');
    zg_json_unsigned(json, "count", spread->count);
    zg_json_seconds(json, "median", zg_spread_at(spread, 0.5));
    zg_json_seconds(json, "p99", zg_spread_at(spread, 0.99));
    zg_json_seconds(json, "most", spread->most_ns);
    zg_json_close(json, '}');
}

/* Seconds, put together so that there are not too many. */
static void add_columns(const struct zg_soak_running *running, struct zg_json *json)
{
    const uint32_t seconds = zg_soak_settled_seconds(running), each = seconds / COLUMNS_MOST + 1;

    zg_json_unsigned(json, "each", each);
    zg_json_open(json, "columns", '[');
    for (uint32_t from = 0; from + each <= seconds; from += each) {
        uint64_t sent[ZG_PATHS] = { 0 }, bad[ZG_PATHS] = { 0 };
        bool held = false;
        for (uint32_t at = from; at < from + each; at++) {
            const struct zg_time_row row = zg_soak_second(running, at);
            held = held || row.held;
            for (unsigned path = 0; path < ZG_PATHS; path++) {
                sent[path] += row.sent[path];
                bad[path] += row.bad[path];
            }
        }
        zg_json_open(json, NULL, '[');
        zg_json_unsigned(json, NULL, running->settings->first_second + from);
        zg_json_unsigned(json, NULL, held);
        for (unsigned path = 0; path < ZG_PATHS; path++) {
            zg_json_unsigned(json, NULL, sent[path]);
            zg_json_unsigned(json, NULL, bad[path]);
        }
        zg_json_close(json, ']');
    }
    zg_json_close(json, ']');
}

static void add_events(const GArray *events, struct zg_json *json)
{
    zg_json_open(json, "events", '[');
    for (guint i = events->len > EVENTS_MOST ? events->len - EVENTS_MOST : 0; i < events->len; i++) {
        const struct zg_event *event = &g_array_index(events, struct zg_event, i);
        g_autofree char *text = g_utf8_make_valid(event->text, -1);
        zg_json_open(json, NULL, '{');
        zg_json_seconds(json, "at", event->at_ns);
        zg_json_string(json, "kind", zg_event_name(event->kind));
        zg_json_string(json, "text", text);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}

static char *update_of(const struct zg_running_page *page, const struct zg_soak_running *running, const char *ended)
{
    static const char *const paths[ZG_PATHS] = { "out", "back", "there and back" };
    const struct zg_definition *definition = running->plan->definition;
    const struct zg_soak_result *so_far = running->so_far;
    const struct zg_soak_settings *settings = running->settings;
    g_autofree char *version = g_strdup_printf("%u.%u", definition->major, definition->minor);
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "kind", "soak");
    zg_json_string(&json, "protocol", definition->protocol);
    zg_json_string(&json, "version", version);
    zg_json_string(&json, "link", settings->link ? settings->link->text : "sim:");
    zg_json_seconds(&json, "ran", so_far->ran_ns);
    zg_json_seconds(&json, "planned", settings->duration_ns);
    zg_json_double(&json, "done", running->done);
    zg_json_double(&json, "left", running->left_s);
    if (ended)
        zg_json_string(&json, "ended", ended);
    add_flows(so_far, &json);
    add_rates(so_far, &json);
    add_answers(&so_far->from_due, &json);
    zg_json_open(&json, "damages", '[');
    zg_json_unsigned(&json, NULL, so_far->damages[0]);
    zg_json_unsigned(&json, NULL, so_far->damages[1]);
    zg_json_close(&json, ']');
    zg_json_open(&json, "paths", '[');
    for (unsigned path = 0; path < ZG_PATHS; path++)
        zg_json_string(&json, NULL, paths[path]);
    zg_json_close(&json, ']');
    add_columns(running, &json);
    add_events(zg_journal_events(settings->journal), &json);
    zg_json_open(&json, "rules", '[');
    for (const char *const *rule = page->rules; rule && *rule; rule++)
        zg_json_string(&json, NULL, *rule);
    zg_json_close(&json, ']');
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}

/* --- what is asked for */

static const char *set_mark(const char *text, const struct zg_soak_running *running)
{
    g_autoptr(zg_json_node) object = zg_json_read_object(text, NULL);

    if (!object)
        return "not a JSON object";
    const char *mark = zg_json_string_or(zg_json_member(object, "text"), "");
    if (strcmp(zg_json_string_or(zg_json_member(object, "ask"), ""), "mark") != 0)
        return "nothing of that kind can be asked for";
    if (*mark == '\0' || strlen(mark) > MARK_MOST)
        return "expected a text of 1 to 200 bytes";
    zg_journal_mark(running->settings->journal, running->so_far->ran_ns, mark);
    return "set";
}

static void answer(const struct zg_running_page *page, unsigned viewer, const char *text)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "kind", "answer");
    zg_json_string(&json, "text", text);
    zg_json_close(&json, '}');
    g_autofree char *told = zg_json_end(&json);
    zg_page_server_tell(page->server, viewer, told);
}

void zg_running_page_step(struct zg_running_page *page, const struct zg_soak_running *running)
{
    const gint64 now_us = g_get_monotonic_time();
    struct zg_page_asked *asked;

    while ((asked = zg_page_server_take(page->server)) != NULL) {
        if (asked->text) {
            answer(page, asked->viewer, set_mark(asked->text, running));
        } else if (!asked->left) {
            g_autofree char *update = update_of(page, running, NULL);
            zg_page_server_tell(page->server, asked->viewer, update);
        }
        zg_page_asked_free(asked);
    }
    if (now_us < page->due_us || zg_page_server_viewers(page->server) == 0)
        return;
    page->due_us = now_us + PERIOD_US;
    g_autofree char *update = update_of(page, running, NULL);
    zg_page_server_tell_all(page->server, update);
}

void zg_running_page_end(struct zg_running_page *page, const struct zg_soak_running *running, const char *how)
{
    g_autofree char *update = update_of(page, running, how);

    if (zg_page_server_viewers(page->server) == 0)
        return;
    zg_page_server_tell_all(page->server, update);
    g_usleep(LAST_WAIT_US);
}
