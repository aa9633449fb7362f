/* SPDX-License-Identifier: MIT */
#include "page/live.h"

#include <string.h>

#include "codec/as_text.h"
#include "codec/describe.h"
#include "node/variables.h"
#include "page/files.h"
#include "page/parts.h"

enum {
    PERIOD_US = 50000, /* of updates */
    FRESH_MOST = 60,   /* of each kind in one update */
    ASKED_MOST = 16    /* requests answered in one step */
};

static const struct zg_page_file files[] = { { "", "text/html; charset=utf-8", zgi_live_page },
                                             { "live.css", "text/css; charset=utf-8", zgi_live_style },
                                             { "viewer.js", "text/javascript; charset=utf-8", zgi_viewer_script },
                                             { "live.js", "text/javascript; charset=utf-8", zgi_live_script },
                                             { "charts.js", "text/javascript; charset=utf-8", zgi_page_charts },
                                             { 0 } };

static void free_followed(void *data)
{
    struct zgi_followed *followed = data;

    g_array_unref(followed->viewers);
    g_free(followed->name);
    g_free(followed);
}

static void free_typed(void *data)
{
    struct zgi_typed *typed = data;

    g_free(typed->text);
    g_free(typed);
}

static void begin_device(struct zg_live *live, unsigned number)
{
    struct zgi_live_device *device = &live->devices[number];

    zg_watched_init(&device->watched, &live->settings.viewed[number], true);
    device->watched.plotted = live->plotted;
    device->watched.device = number;
    device->lines = zg_lines_new(&live->settings.viewed[number], true, false);
    zg_lines_align(device->lines, zg_viewed_width(live->settings.viewed, live->settings.count));
}

void zg_live_attach(struct zg_live *live, unsigned device, struct zg_wire *wire, struct zg_session *session)
{
    live->devices[device].wire = wire;
    live->devices[device].session = session;
}

struct zg_live *zg_live_new(const struct zg_live_settings *settings, const char *where, GError **error)
{
    struct zg_page_server *server = zg_page_server_new(where, files, error);

    if (!server)
        return NULL;
    struct zg_live *live = g_new0(struct zg_live, 1);
    live->settings = *settings;
    live->server = server;
    live->plotted = zg_plotted_new(settings->viewed, settings->count);
    zg_plotted_add_all(live->plotted);
    live->devices = g_new0(struct zgi_live_device, settings->count);
    for (unsigned i = 0; i < settings->count; i++)
        begin_device(live, i);
    live->frames.most = 300;
    live->raw.most = 200;
    live->console.most = 500;
    live->events.most = 200;
    live->damages = g_array_new(FALSE, FALSE, sizeof(uint64_t));
    live->counted = g_hash_table_new(g_direct_hash, g_direct_equal);
    live->followed = g_ptr_array_new_with_free_func(free_followed);
    live->open = g_array_new(FALSE, FALSE, sizeof(struct zgi_open));
    return live;
}

void zg_live_free(struct zg_live *live)
{
    if (!live)
        return;
    zg_page_server_free(live->server);
    for (unsigned i = 0; i < live->settings.count; i++) {
        zg_watched_clear(&live->devices[i].watched);
        zg_lines_free(live->devices[i].lines);
    }
    g_free(live->devices);
    zg_plotted_free(live->plotted);
    g_queue_clear_full(&live->frames.kept, g_free);
    g_queue_clear_full(&live->raw.kept, g_free);
    g_queue_clear_full(&live->console.kept, g_free);
    g_queue_clear_full(&live->events.kept, g_free);
    g_queue_clear_full(&live->typed, free_typed);
    g_array_unref(live->damages);
    g_hash_table_unref(live->counted);
    g_ptr_array_unref(live->followed);
    g_array_unref(live->open);
    g_free(live);
}

const char *zg_live_address(const struct zg_live *live)
{
    return zg_page_server_address(live->server);
}

guint zg_live_viewers(const struct zg_live *live)
{
    return zg_page_server_viewers(live->server);
}

/* --- what passes */

/* Text as it is shown in a browser: valid, and without control characters except line feeds and tabs. */
static char *shown_text(const uint8_t *bytes, size_t count)
{
    GString *text = g_string_new(NULL);

    for (size_t i = 0; i < count; i++) {
        if (bytes[i] == '\r')
            continue;
        if ((bytes[i] < 0x20 && bytes[i] != '\n' && bytes[i] != '\t') || bytes[i] == 0x7F)
            g_string_append_unichar(text, bytes[i] == 0x7F ? 0x2421 : 0x2400 + (gunichar)bytes[i]);
        else
            g_string_append_c(text, (char)bytes[i]);
    }
    char *valid = g_utf8_make_valid(text->str, (gssize)text->len);
    g_string_free(text, TRUE);
    return valid;
}

static void add_line(struct zg_live *live, unsigned device, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    static const char *const kinds[] = {
        [ZG_STRETCH_FRAME] = "frame", [ZG_STRETCH_SKIPPED] = "skipped", [ZG_STRETCH_UNDELIVERED] = "undelivered"
    };
    g_autoptr(GString) values = g_string_new(NULL), frame = g_string_new(NULL);
    struct zg_json json;

    /* what was no frame is rather told than frames are */
    if (live->frames.fresh >= (stretch->kind == ZG_STRETCH_FRAME ? FRESH_MOST : 2 * FRESH_MOST)) {
        live->frames.omitted++;
        return;
    }
    struct zg_lines *const lines = live->devices[device].lines;
    zg_lines_stretch(lines, ZG_DEPTH_VALUES, (double)at_ns / 1e9, out, stretch, values);
    zg_lines_stretch(lines, ZG_DEPTH_FRAMES, (double)at_ns / 1e9, out, stretch, frame);
    g_autofree char *values_shown = g_utf8_make_valid(values->str, (gssize)values->len),
                    *frame_shown = g_utf8_make_valid(frame->str, (gssize)frame->len);
    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "what", kinds[stretch->kind]);
    zg_json_string(&json, "values", g_strchomp(values_shown));
    zg_json_string(&json, "frame", g_strchomp(frame_shown));
    zg_json_close(&json, '}');
    zgi_feed_add(&live->frames, zg_json_end(&json));
}

static void add_console(struct zg_live *live, unsigned device, bool out, const uint8_t *bytes, size_t count)
{
    struct zg_json json;

    if (live->console.fresh >= 4 * FRESH_MOST) {
        live->console.omitted++;
        return;
    }
    g_autofree char *text = shown_text(bytes, count);
    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_unsigned(&json, "device", device);
    zg_json_bool(&json, "out", out);
    zg_json_string(&json, "text", text);
    zg_json_close(&json, '}');
    zgi_feed_add(&live->console, zg_json_end(&json));
}

void zg_live_stretch(struct zg_live *live, unsigned device, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    const uint8_t *bytes;
    size_t count;

    zg_watched_stretch(&live->devices[device].watched, at_ns, out, stretch);
    if (!zg_selection_shows(live->settings.viewed[device].selection, stretch))
        return;
    if (stretch->kind == ZG_STRETCH_SKIPPED && !out && live->damages->len < FRESH_MOST)
        g_array_append_val(live->damages, at_ns);
    if (zg_stretch_console(stretch, &bytes, &count))
        add_console(live, device, out, bytes, count);
    add_line(live, device, at_ns, out, stretch);
}

void zg_live_bytes(struct zg_live *live, unsigned device, const struct zg_passage *passage)
{
    g_autoptr(GString) text = g_string_new(NULL);
    struct zg_json json;

    zg_watched_bytes(&live->devices[device].watched, passage);
    if (live->raw.fresh >= FRESH_MOST / 2) {
        live->raw.omitted += passage->count;
        return;
    }
    zg_lines_raw(live->devices[device].lines, (double)passage->at_ns / 1e9, passage->out, passage->bytes,
                 MIN(passage->count, 1024), text);
    live->raw.omitted += passage->count - MIN(passage->count, 1024);
    zg_json_begin(&json, false);
    zg_json_string(&json, NULL, g_strchomp(text->str));
    zgi_feed_add(&live->raw, zg_json_end(&json));
}

void zg_live_event(struct zg_live *live, uint64_t at_ns, const char *text)
{
    g_autofree char *valid = g_utf8_make_valid(text, -1);
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_seconds(&json, "at", at_ns);
    zg_json_string(&json, "text", valid);
    zg_json_close(&json, '}');
    zgi_feed_add(&live->events, zg_json_end(&json));
}

/* --- what was asked for */

static struct zgi_open *open_at(const struct zg_live *live, guint index)
{
    return &g_array_index(live->open, struct zgi_open, index);
}

void zg_live_told(struct zg_live *live, unsigned device, const struct zg_plan_message *message,
                  const struct zg_value *values)
{
    for (guint i = live->open->len; i > 0; i--) {
        const struct zgi_open open = *open_at(live, i - 1);
        if (!open.variable || open.device != device)
            continue;
        struct zg_value *value = zg_values_new(&open.variable->block);
        if (zg_variable_told(open.variable, message, values, value)) {
            g_autoptr(GString) text = g_string_new(NULL);
            zg_value_to_text(zg_block_step(&open.variable->block, 0), value, text);
            g_array_remove_index(live->open, i - 1);
            zgi_live_answer(live, open.viewer, open.number, true, text->str);
        }
        zg_values_free(&open.variable->block, value);
    }
}

void zg_live_settled(struct zg_live *live, unsigned device, zg_header_number peer,
                     const struct zg_plan_message *message, uint8_t ticket, enum zg_settled how)
{
    for (guint i = 0; i < live->open->len; i++) {
        const struct zgi_open open = *open_at(live, i);
        if (open.device != device || open.to != peer || open.ticket != ticket ||
            (open.message ? open.message != message : !message->message->service))
            continue;
        if (open.variable && how == ZG_DELIVERED)
            return; /* its value follows */
        g_array_remove_index(live->open, i);
        zgi_live_answer(live, open.viewer, open.number, how == ZG_DELIVERED, zg_settled_text(how));
        return;
    }
}

static void take_asked(struct zg_live *live)
{
    struct zg_page_asked *asked;

    for (unsigned i = 0; i < ASKED_MOST && (asked = zg_page_server_take(live->server)) != NULL; i++) {
        if (asked->text)
            zgi_live_ask(live, asked->viewer, asked->text);
        else
            zgi_live_forget(live, asked->viewer);
        if (!asked->text && !asked->left) { /* what is new belongs to those who have the rest */
            g_autofree char *about = zgi_live_about(live), *update = zgi_live_update(live, false),
                            *all = zgi_live_update(live, true);
            zg_page_server_tell_all(live->server, update);
            zg_page_server_tell(live->server, asked->viewer, about);
            zg_page_server_tell(live->server, asked->viewer, all);
        }
        zg_page_asked_free(asked);
    }
}

void zg_live_step(struct zg_live *live)
{
    const gint64 now_us = g_get_monotonic_time();

    for (unsigned i = 0; i < live->settings.count; i++) {
        struct zg_watched *watched = &live->devices[i].watched;
        zg_recent_rate(&watched->recent, zg_wire_now_ns(live->devices[i].wire), watched->bytes, watched->frames);
    }
    take_asked(live);
    if (live->settings.answers)
        zgi_live_type(live);
    if (now_us < live->due_us)
        return;
    live->due_us = now_us + PERIOD_US;
    g_autofree char *update = zgi_live_update(live, false);
    if (zg_page_server_viewers(live->server) > 0)
        zg_page_server_tell_all(live->server, update);
}
