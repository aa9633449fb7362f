/* SPDX-License-Identifier: MIT */
#include "watch_print.h"

#include <stdio.h>

#include "codec/describe.h"
#include "view/csv.h"

static double seconds(uint64_t ns)
{
    return (double)ns / 1e9;
}

uint64_t watch_frames(const struct watching *watching)
{
    uint64_t frames = 0;

    for (unsigned i = 0; i < watching->count; i++)
        frames += watching->devices[i].frames;
    return frames;
}

/* --- lines in the order of their times */

static void print_until(struct watching *watching, uint64_t until_ns)
{
    g_autoptr(GString) due = g_string_new(NULL);

    zg_in_order_take(watching->lines_made, until_ns, due);
    (void)fwrite(due->str, 1, due->len, stdout);
}

void watch_print_all(struct watching *watching)
{
    print_until(watching, UINT64_MAX);
}

/* Up to this time everything of a device was reported. Of a capture, which is read faster than it was written, only
 * what was read. */
static uint64_t reported_of(const struct watched_device *device)
{
    if (!device->session || !zg_session_goes_on(device->session))
        return UINT64_MAX;
    const uint64_t reported_ns = zg_session_reported_ns(device->session);
    return device->watching->count > 1 && zg_wire_is_replay(device->wire)
               ? MIN(reported_ns, zg_wire_now_ns(device->wire))
               : reported_ns;
}

static uint64_t reported_ns(const struct watching *watching)
{
    uint64_t least = UINT64_MAX;

    for (unsigned i = 0; i < watching->count; i++)
        least = MIN(least, reported_of(&watching->devices[i]));
    return least;
}

void watch_print_due(struct watching *watching)
{
    if (!zg_in_order_is_empty(watching->lines_made))
        print_until(watching, reported_ns(watching));
}

static void print_at(struct watching *watching, uint64_t at_ns, const GString *text)
{
    if (zg_in_order_is_empty(watching->lines_made) && at_ns <= reported_ns(watching)) {
        (void)fwrite(text->str, 1, text->len, stdout); /* the usual case */
        return;
    }
    zg_in_order_add(watching->lines_made, at_ns, text->str, text->len);
    watch_print_due(watching);
}

/* --- notes */

void watch_say(struct watching *watching, struct watched_device *device, const char *text)
{
    const char *name = device ? device->viewed->name : NULL;
    struct watched_device *keeper = device ? device : watching->devices;
    const uint64_t at_ns = keeper->wire ? zg_wire_event_ns(keeper->wire) : 0; /* 0: the link is just being opened */
    g_autofree char *told = name ? g_strdup_printf("%s: %s", name, text) : g_strdup(text);
    g_autoptr(GString) line = g_string_new(NULL);

    if (watching->form == FORM_JSON) {
        struct zg_json json;
        zg_json_begin(&json, false);
        zg_json_open(&json, NULL, '{');
        zg_json_seconds(&json, "at", at_ns);
        if (name)
            zg_json_string(&json, "device", name);
        zg_json_string(&json, "note", text);
        zg_json_close(&json, '}');
        g_autofree char *object = zg_json_end(&json);
        g_string_printf(line, "%s\n", object);
    } else if (watching->form == FORM_LINES || watching->form == FORM_PAGE) {
        g_string_printf(line, "%12.6f * %s\n", seconds(at_ns), told);
    } else if (watching->form == FORM_CSV) {
        cli_error(watching->verb, "%s", told);
    }
    print_at(watching, at_ns, line);
    zg_watched_event(&keeper->watched, at_ns, told);
}

/* --- what passes */

static void print_csv(struct watched_device *device, double at, const struct zg_stretch *stretch)
{
    struct watching *watching = device->watching;

    if (!watching->csv_begun) {
        zg_csv_head(watching->viewed, watching->count, watching->text);
        print_at(watching, 0, watching->text); /* first, even where an earlier row is known later */
        g_string_truncate(watching->text, 0);
    }
    watching->csv_begun = true;
    zg_csv_rows(watching->viewed, watching->count, device->number, at, stretch, watching->text);
}

/* In the table, lines of all devices are one list, that of the first. */
static void keep_lines(struct watching *watching)
{
    if (!watching->devices->watched.held)
        zg_recent_lines(&watching->devices->watched.recent, watching->text->str);
}

void watch_show_stretch(struct watched_device *device, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    struct watching *watching = device->watching;
    const double at = seconds(at_ns);
    GString *text = watching->text;

    g_string_truncate(text, 0);
    switch (watching->form) {
    case FORM_JSON:
        zg_stretch_append_json(device->viewed->plan, stretch, at, device->viewed->name, NULL, text);
        g_string_append_c(text, '\n');
        break;
    case FORM_CSV:
        if (stretch->kind == ZG_STRETCH_FRAME)
            print_csv(device, at, stretch);
        break;
    case FORM_TABLE:
        if (watching->depth != ZG_DEPTH_RAW)
            zg_lines_stretch(device->lines, watching->depth, at, out, stretch, text);
        keep_lines(watching);
        return;
    case FORM_PAGE: break;
    default:
        if (watching->depth != ZG_DEPTH_RAW)
            zg_lines_stretch(device->lines, watching->depth, at, out, stretch, text);
        break;
    }
    print_at(watching, at_ns, text);
}

void watch_show_bytes(struct watched_device *device, const struct zg_passage *passage)
{
    struct watching *watching = device->watching;

    if (watching->depth != ZG_DEPTH_RAW || watching->form > FORM_TABLE)
        return;
    g_string_truncate(watching->text, 0);
    zg_lines_raw(device->lines, seconds(passage->at_ns), passage->out, passage->bytes, passage->count, watching->text);
    if (watching->form == FORM_TABLE)
        keep_lines(watching);
    else
        print_at(watching, passage->at_ns, watching->text);
}

/* --- the summary */

static void summarise_json(const struct watched_device *device, const struct zg_counters *c, double ran)
{
    struct zg_serial_errors e;
    struct zg_json json;
    char digits[32];

    (void)g_snprintf(digits, sizeof digits, "%.3f", ran);
    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_open(&json, "summary", '{');
    if (device->viewed->name)
        zg_json_string(&json, "device", device->viewed->name);
    zg_json_literal(&json, "seconds", digits);
    zg_json_unsigned(&json, "shown", device->frames);
    zg_json_unsigned(&json, "frames", device->watched.frames);
    zg_json_unsigned(&json, "skipped", device->skipped);
    zg_json_unsigned(&json, "undelivered", device->undelivered);
    zg_json_unsigned(&json, "lost", c->lost);
    zg_json_unsigned(&json, "bytes", device->watched.bytes);
    zg_json_unsigned(&json, "bytes_noise", c->bytes_noise);
    zg_json_unsigned(&json, "bytes_failed", c->bytes_failed);
    if (zg_wire_errors(device->wire, &e)) {
        zg_json_open(&json, "line_errors", '{');
        zg_json_unsigned(&json, "framing", e.framing);
        zg_json_unsigned(&json, "parity", e.parity);
        zg_json_unsigned(&json, "overrun", e.overrun);
        zg_json_unsigned(&json, "breaks", e.breaks);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, '}');
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

/* Line errors seen by this side's UART; "" if they are not counted. */
static char *line_errors(const struct watched_device *device)
{
    struct zg_serial_errors e;

    if (!zg_wire_errors(device->wire, &e))
        return g_strdup("");
    return g_strdup_printf("; line errors: framing %u, parity %u, overrun %u, break %u", e.framing, e.parity, e.overrun,
                           e.breaks);
}

void watch_print_summary(const struct watched_device *device)
{
    const struct zg_counters *c = zg_session_counters(device->session, false);
    const double ran = seconds(zg_wire_now_ns(device->wire));
    const char *name = device->viewed->name;

    if (device->watching->form == FORM_JSON) {
        summarise_json(device, c, ran);
    } else if (device->watching->form != FORM_CSV) {
        g_autofree char *line = line_errors(device);
        cli_print("%s%s%.1f s: %" G_GUINT64_FORMAT " frames and %" G_GUINT64_FORMAT
                  " bytes from the device, %u lost, %" G_GUINT64_FORMAT " not delivered, %" G_GUINT64_FORMAT
                  " %s skipped; %u bytes of noise, %u of frames that failed%s\n",
                  name ? name : "", name ? ": " : "", ran, device->watched.frames, device->watched.bytes, c->lost,
                  device->undelivered, device->skipped, device->skipped == 1 ? "stretch" : "stretches", c->bytes_noise,
                  c->bytes_failed, line);
    }
}
