/* SPDX-License-Identifier: MIT */
/* What pages are told again and again. */
#include "page/parts.h"

enum { SPANS_MOST = 60 /* of one series, in one update */ };

void zgi_feed_add(struct zgi_feed *feed, char *value)
{
    g_queue_push_tail(&feed->kept, value);
    feed->fresh++;
    if (feed->kept.length > feed->most)
        g_free(g_queue_pop_head(&feed->kept));
}

/* What is new of a feed, which from then on is not; or all of it. */
static void add_feed(struct zgi_feed *feed, const char *key, bool all, struct zg_json *json)
{
    guint skip = all ? 0 : feed->kept.length - MIN(feed->fresh, feed->kept.length);

    if (skip < feed->kept.length) {
        zg_json_open(json, key, '[');
        for (const GList *at = g_queue_peek_nth_link(&feed->kept, skip); at; at = at->next)
            zg_json_literal(json, NULL, at->data);
        zg_json_close(json, ']');
    }
    if (all)
        return;
    if (feed->omitted > 0) {
        g_autofree char *omitted = g_strconcat(key, "_omitted", NULL);
        zg_json_unsigned(json, omitted, feed->omitted);
    }
    feed->fresh = 0;
    feed->omitted = 0;
}

static void add_state(const struct zgi_live_device *device, struct zg_json *json)
{
    const struct zg_watched *watched = &device->watched;
    struct zg_wire *const wire = device->wire;
    const struct zg_counters *counters = zg_session_counters(device->session, false);
    const enum zg_watched_state state = zg_watched_state(watched, zg_wire_is_up(wire), zg_wire_now_ns(wire));
    struct zg_serial_errors errors;

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "link", zg_watched_state_text(state));
    zg_json_bool(json, "up", state == ZG_WATCHED_UP);
    if (zg_wire_baud(wire) > 0)
        zg_json_unsigned(json, "baud", zg_wire_baud(wire));
    zg_json_unsigned(json, "frames", watched->frames);
    zg_json_double(json, "frames_per_s", watched->recent.frames_per_s);
    zg_json_unsigned(json, "bytes", watched->bytes);
    zg_json_double(json, "bytes_per_s", watched->recent.bytes_per_s);
    zg_json_unsigned(json, "lost", counters->lost);
    zg_json_unsigned(json, "repeated", counters->repeated);
    zg_json_unsigned(json, "late", counters->late);
    zg_json_unsigned(json, "failed", zg_counters_failed(counters));
    zg_json_unsigned(json, "noise_bytes", counters->bytes_noise);
    if (zg_wire_errors(wire, &errors)) {
        zg_json_open(json, "line", '{');
        zg_json_unsigned(json, "framing", errors.framing);
        zg_json_unsigned(json, "parity", errors.parity);
        zg_json_unsigned(json, "overrun", errors.overrun);
        zg_json_unsigned(json, "break", errors.breaks);
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
}

/* A value in the table: its place among the message's fields, its text, whether it is marked; of numbers the least and
 * the greatest. */
static void add_value(const struct zg_table_field *field, struct zg_json *json)
{
    zg_json_open(json, NULL, '[');
    zg_json_unsigned(json, NULL, field->index);
    zg_json_string(json, NULL, field->text->str);
    zg_json_bool(json, NULL, field->marked);
    if (field->is_number && field->samples > 0) {
        zg_json_double(json, NULL, field->least);
        zg_json_double(json, NULL, field->greatest);
    }
    zg_json_close(json, ']');
}

static void add_row(const struct zg_table_row *row, unsigned device, uint64_t now_ns, struct zg_json *json)
{
    zg_json_open(json, NULL, '{');
    zg_json_unsigned(json, "device", device);
    zg_json_string(json, "message", row->message->message->name);
    zg_json_bool(json, "out", row->out);
    zg_json_unsigned(json, "source", row->source);
    zg_json_unsigned(json, "count", row->count);
    zg_json_seconds(json, "at", row->at_ns);
    zg_json_double(json, "per_s", zg_table_rate(row, now_ns));
    zg_json_open(json, "values", '[');
    for (guint i = 0; i < row->fields->len; i++)
        add_value(&g_array_index(row->fields, struct zg_table_field, i), json);
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

static void add_rows(struct zg_live *live, unsigned device, bool all, uint64_t now_ns, struct zg_json *json)
{
    const GPtrArray *rows = live->devices[device].watched.table->rows;

    for (guint i = 0; i < rows->len; i++) {
        const struct zg_table_row *row = rows->pdata[i];
        const gsize told = GPOINTER_TO_SIZE(g_hash_table_lookup(live->counted, row));
        if (!all && told == row->count)
            continue;
        if (!all)
            (void)g_hash_table_insert(live->counted, (gpointer)row, GSIZE_TO_POINTER(row->count));
        add_row(row, device, now_ns, json);
    }
}

/* Spans as lists of from, to, least, greatest, whether a gap is before them; what began before a time, from then. */
static void add_spans(const GArray *spans, uint64_t from_ns, struct zg_json *json)
{
    zg_json_open(json, "spans", '[');
    for (guint i = 0; i < spans->len; i++) {
        const struct zg_series_span *span = &g_array_index(spans, struct zg_series_span, i);
        zg_json_open(json, NULL, '[');
        zg_json_seconds(json, NULL, MAX(span->from_ns, from_ns));
        zg_json_seconds(json, NULL, span->to_ns);
        zg_json_double(json, NULL, span->least);
        zg_json_double(json, NULL, span->greatest);
        zg_json_unsigned(json, NULL, span->after_gap);
        zg_json_close(json, ']');
    }
    zg_json_close(json, ']');
}

static void add_followed(const struct zg_live *live, struct zg_json *json)
{
    zg_json_open(json, "series", '[');
    for (guint i = 0; i < live->followed->len; i++) {
        struct zgi_followed *followed = live->followed->pdata[i];
        const struct zg_series *series = zg_plotted_series(live->plotted, followed->name);
        if (!series)
            continue;
        g_autoptr(GArray) spans = zg_series_read(series, followed->told_ns + 1, UINT64_MAX - 1, SPANS_MOST);
        if (spans->len == 0)
            continue;
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "name", followed->name);
        add_spans(spans, followed->told_ns + 1, json);
        zg_json_close(json, '}');
        followed->told_ns = g_array_index(spans, struct zg_series_span, spans->len - 1).to_ns;
    }
    zg_json_close(json, ']');
}

char *zgi_live_update(struct zg_live *live, bool all)
{
    struct zg_json json;
    uint64_t now_ns = 0;

    for (unsigned i = 0; i < live->settings.count; i++)
        now_ns = MAX(now_ns, zg_wire_now_ns(live->devices[i].wire));
    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "kind", "update");
    zg_json_unsigned(&json, "number", all ? live->number : ++live->number);
    zg_json_bool(&json, "all", all);
    zg_json_seconds(&json, "at", now_ns);
    zg_json_unsigned(&json, "viewers", zg_page_server_viewers(live->server));
    zg_json_open(&json, "states", '[');
    for (unsigned i = 0; i < live->settings.count; i++)
        add_state(&live->devices[i], &json);
    zg_json_close(&json, ']');
    zg_json_open(&json, "rows", '[');
    for (unsigned i = 0; i < live->settings.count; i++)
        add_rows(live, i, all, now_ns, &json);
    zg_json_close(&json, ']');
    add_feed(&live->frames, "frames", all, &json);
    add_feed(&live->raw, "raw", all, &json);
    add_feed(&live->console, "console", all, &json);
    add_feed(&live->events, "events", all, &json);
    if (!all) {
        add_followed(live, &json);
        zg_json_open(&json, "damages", '[');
        for (guint i = 0; i < live->damages->len; i++)
            zg_json_seconds(&json, NULL, g_array_index(live->damages, uint64_t, i));
        zg_json_close(&json, ']');
        g_array_set_size(live->damages, 0);
    }
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}

char *zgi_live_series(const struct zg_live *live, const char *name, gint64 number, double from_s, double to_s,
                      guint most)
{
    const struct zg_series *series = zg_plotted_series(live->plotted, name);
    const uint64_t from_ns = (uint64_t)(CLAMP(from_s, 0, 1e9) * 1e9), to_ns = (uint64_t)(CLAMP(to_s, 0, 1e9) * 1e9);
    g_autoptr(GArray) spans = series ? zg_series_read(series, from_ns, to_ns, most)
                                     : g_array_new(FALSE, FALSE, sizeof(struct zg_series_span));
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "kind", "series");
    zg_json_string(&json, "name", name);
    zg_json_signed(&json, "asked", number);
    zg_json_unsigned(&json, "count", series ? zg_series_count(series) : 0);
    add_spans(spans, 0, &json);
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}
