/* SPDX-License-Identifier: MIT */
#include "codec/describe.h"

#include <string.h>

#include "codec/as_text.h"
#include "codec/frame_reader.h"
#include "codec/json.h"
#include "codec/payload.h"
#include "definition/words.h"

enum { RAW_SHOWN = 48 }; /* bytes of a skipped stretch shown in a line of text */

/* A check as its frames have it, in hex. */
static char *check_digits(const struct zg_plan *plan, zg_check_word value)
{
    return g_strdup_printf("%0*" G_GINT64_MODIFIER "x", 2 * (int)((plan->definition->check.crc.width + 7) / 8),
                           (uint64_t)value);
}

/* The same as it is written on the wire, where that is decimal. */
static char *check_shown(const struct zg_plan *plan, zg_check_word value)
{
    return plan->definition->check.as == ZG_CHECK_AS_DECIMAL ? g_strdup_printf("%" G_GUINT64_FORMAT, (uint64_t)value)
                                                             : check_digits(plan, value);
}

/* Why a payload is none of its message's. NULL: it is delivered, or that is not known. Free with g_free(). */
static char *fault_of(const struct zg_plan *plan, const struct zg_stretch *stretch)
{
    return stretch->kind == ZG_STRETCH_UNDELIVERED && stretch->message
               ? zg_payload_fault(plan, stretch->message, stretch->payload, stretch->payload_length)
               : NULL;
}

/* The value of a role that a user wants to see. False for constants and reserved bits. */
static bool role_of(const struct zg_header *header, enum zg_role role, uint32_t *value)
{
    switch (role) {
    case ZG_ROLE_VERSION: *value = header->version; return true;
    case ZG_ROLE_ID: *value = header->id; return true;
    case ZG_ROLE_SEQUENCE: *value = header->sequence; return true;
    case ZG_ROLE_MINOR: *value = header->minor; return true;
    case ZG_ROLE_LENGTH: *value = header->length; return true;
    case ZG_ROLE_NODE:
    case ZG_ROLE_DESTINATION: *value = header->destination; return true;
    case ZG_ROLE_SOURCE: *value = header->source; return true;
    default: return false;
    }
}

/* Who sent a frame: known from its address, if it has one, otherwise from the message. */
static enum zg_side sender_of(const struct zg_plan *plan, const struct zg_stretch *stretch)
{
    if (plan->source_bits > 0 && !plan->node)
        return stretch->header.source == 0 ? ZG_SIDE_HOST : ZG_SIDE_DEVICE;
    return stretch->also ? ZG_SIDE_BOTH : stretch->message->message->from;
}

static void header_to_json(const struct zg_plan *plan, const struct zg_stretch *stretch, struct zg_json *json)
{
    const struct zg_header *header = &stretch->header;
    unsigned tickets = stretch->message && stretch->kind == ZG_STRETCH_FRAME ? stretch->message->tickets : 0;

    zg_json_open(json, "header", '{');
    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        uint32_t value;
        if (role_of(header, step->role->role, &value))
            zg_json_unsigned(json, step->name, value);
    }
    if (tickets > 0)
        zg_json_unsigned(json, "ticket", header->ticket);
    if (tickets > 1)
        zg_json_unsigned(json, "base", header->base);
    zg_json_close(json, '}');
}

static void fields_to_json(const struct zg_stretch *stretch, struct zg_json *json)
{
    const struct zg_block *block = &stretch->message->payload;

    zg_json_open(json, "fields", '{');
    zg_block_to_json(block, stretch->values, json);
    zg_json_close(json, '}');
    if (zg_block_permits(block, stretch->values, NULL))
        return;
    g_autoptr(GPtrArray) paths = g_ptr_array_new_with_free_func(g_free);
    (void)zg_block_permits(block, stretch->values, paths);
    zg_json_open(json, "out_of_range", '[');
    for (unsigned i = 0; i < paths->len; i++)
        zg_json_string(json, NULL, g_ptr_array_index(paths, i));
    zg_json_close(json, ']');
}

/* Where the stream makes sense again, after bytes that were no frame. */
static void picked_up_to_json(const struct zg_stretch *stretch, struct zg_json *json)
{
    if (stretch->after == 0)
        return;
    zg_json_open(json, "picked_up", '{');
    zg_json_unsigned(json, "offset", stretch->offset);
    zg_json_unsigned(json, "after", stretch->after);
    zg_json_close(json, '}');
}

static void picked_up_to_text(const struct zg_stretch *stretch, GString *text)
{
    if (stretch->after > 0)
        g_string_append_printf(text, "  (in step again after %" G_GUINT64_FORMAT " byte%s)", stretch->after,
                               stretch->after == 1 ? "" : "s");
}

void zg_stretch_append_json(const struct zg_plan *plan, const struct zg_stretch *stretch, double at, const char *device,
                            const char *signal, GString *text)
{
    struct zg_json json;

    zg_json_begin_in(&json, text, false);
    zg_json_open(&json, NULL, '{');
    if (at >= 0) {
        char digits[32];
        (void)g_snprintf(digits, sizeof digits, "%.*f", signal ? 9 : 6, at);
        zg_json_literal(&json, "at", digits);
    }
    if (device)
        zg_json_string(&json, "device", device);
    if (signal)
        zg_json_string(&json, "signal", signal);
    if (stretch->kind == ZG_STRETCH_CONSOLE) {
        zg_json_text(&json, "console", (const char *)stretch->raw, stretch->raw_length);
        zg_json_close(&json, '}');
        return;
    }
    if (stretch->kind == ZG_STRETCH_FRAME) {
        zg_json_string(&json, "message", stretch->message->message->name);
        zg_json_string(&json, "from", zg_side_name(sender_of(plan, stretch)));
        if (stretch->also) {
            zg_json_open(&json, "also", '[');
            zg_json_string(&json, NULL, stretch->also->message->name);
            zg_json_close(&json, ']');
        }
        header_to_json(plan, stretch, &json);
        fields_to_json(stretch, &json);
        if (stretch->ignored > 0)
            zg_json_unsigned(&json, "ignored", stretch->ignored);
    } else if (stretch->kind == ZG_STRETCH_UNDELIVERED) {
        g_autofree char *fault = fault_of(plan, stretch);
        zg_json_string(&json, "undelivered", stretch->why);
        if (fault)
            zg_json_string(&json, "detail", fault);
        header_to_json(plan, stretch, &json);
    } else {
        zg_json_unsigned(&json, "skipped", stretch->raw_length);
        zg_json_string(&json, "reason", stretch->why);
        if (stretch->checked) {
            g_autofree char *expected = check_digits(plan, stretch->expected);
            g_autofree char *found = check_digits(plan, stretch->found);
            zg_json_string(&json, "expected", expected);
            zg_json_string(&json, "found", found);
        }
    }
    zg_json_hex(&json, "raw", stretch->raw, stretch->raw_length);
    if (stretch->kind == ZG_STRETCH_SKIPPED)
        zg_json_unsigned(&json, "offset", stretch->offset);
    else
        picked_up_to_json(stretch, &json);
    zg_json_close(&json, '}');
}

char *zg_stretch_to_json(const struct zg_plan *plan, const struct zg_stretch *stretch)
{
    GString *text = g_string_new(NULL);

    zg_stretch_append_json(plan, stretch, -1, NULL, NULL, text);
    return g_string_free(text, FALSE);
}

static void fields_to_text(const struct zg_stretch *stretch, GString *text)
{
    const struct zg_block *block = &stretch->message->payload;
    g_autoptr(GPtrArray) paths = g_ptr_array_new_with_free_func(g_free);
    const gsize before = text->len;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        const char *unit = step->field->unit;
        if (stretch->values[i].absent)
            continue;
        g_string_append_printf(text, "%s%s=", text->len > before ? "  " : "", step->name);
        zg_value_to_text(step, &stretch->values[i], text);
        if (unit)
            g_string_append_printf(text, " %s", unit);
    }
    if (zg_block_permits(block, stretch->values, paths))
        return;
    g_string_append(text, "  (out of range:");
    for (unsigned i = 0; i < paths->len; i++)
        g_string_append_printf(text, " %s", (char *)g_ptr_array_index(paths, i));
    g_string_append_c(text, ')');
}

/* Whether bytes are text, for the most part, and some messages are. */
static bool is_text(const struct zg_plan *plan, const struct zg_stretch *stretch)
{
    size_t printable = 0;
    unsigned i = 0;

    while (i < plan->messages->len && !zg_plan_message_at(plan, i)->text)
        i++;
    if (i == plan->messages->len)
        return false;

    for (size_t k = 0; k < stretch->raw_length; k++)
        printable += g_ascii_isprint(stretch->raw[k]) || memchr("\t\r\n", stretch->raw[k], 3);
    return 4 * printable >= 3 * stretch->raw_length;
}

/* Bytes in hex, or as the text that they are. */
static void raw_to_text(const struct zg_plan *plan, const struct zg_stretch *stretch, GString *text)
{
    const bool is_line = is_text(plan, stretch);
    const size_t shown = MIN(stretch->raw_length, is_line ? 2 * RAW_SHOWN : RAW_SHOWN);
    g_autofree char *characters = zg_shown((const char *)stretch->raw, (gssize)shown, false);

    if (is_line)
        g_string_append_printf(text, " %s", characters);
    for (size_t i = 0; i < shown && !is_line; i++)
        g_string_append_printf(text, " %02x", stretch->raw[i]);
    if (shown < stretch->raw_length)
        g_string_append_printf(text, " ... and %zu more", stretch->raw_length - shown);
}

bool zg_stretch_console(const struct zg_stretch *stretch, const uint8_t **bytes, size_t *count)
{
    if (stretch->kind == ZG_STRETCH_CONSOLE) {
        *bytes = stretch->raw;
        *count = stretch->raw_length;
        return true;
    }
    if (stretch->kind != ZG_STRETCH_FRAME || !stretch->message->message->service ||
        strcmp(stretch->message->message->name, "console") != 0)
        return false;
    *bytes = stretch->values[0].bytes;
    *count = stretch->values[0].count;
    return true;
}

char *zg_console_quoted(const uint8_t *bytes, size_t count)
{
    g_autofree char *shown = zg_shown((const char *)bytes, (gssize)count, true);
    return g_strdup_printf("\"%s\"", shown);
}

char *zg_stretch_to_text(const struct zg_plan *plan, const struct zg_stretch *stretch)
{
    g_autofree char *line = zg_stretch_to_line(plan, stretch);

    return g_strdup_printf("%6" G_GUINT64_FORMAT "  %s", stretch->offset, line);
}

char *zg_stretch_to_line(const struct zg_plan *plan, const struct zg_stretch *stretch)
{
    g_autoptr(GString) text = g_string_new(NULL);

    if (stretch->kind == ZG_STRETCH_CONSOLE) {
        g_autofree char *console = zg_console_quoted(stretch->raw, stretch->raw_length);
        g_string_append_printf(text, "console      %s", console);
        return g_strdup(text->str);
    }
    if (stretch->kind == ZG_STRETCH_FRAME) {
        g_string_append_printf(text, "%-12s", stretch->message->message->name);
        if (plan->sequence_bits > 0)
            g_string_append_printf(text, " seq %-4u", stretch->header.sequence);
        if (plan->node)
            g_string_append_printf(text, " node %u", stretch->header.source);
        if (plan->source_bits > 0 && !plan->node)
            g_string_append_printf(text, " from %u", stretch->header.source);
        if (plan->destination_bits > 0 && !plan->node)
            g_string_append_printf(text, " to %u", stretch->header.destination);
        if (stretch->message->tickets > 0)
            g_string_append_printf(text, " ticket %-3u", stretch->header.ticket);
        if (stretch->also)
            g_string_append_printf(text, " (or %s)", stretch->also->message->name);
        g_string_append_c(text, ' ');
        fields_to_text(stretch, text);
        if (stretch->ignored > 0)
            g_string_append_printf(text, "  (%zu more bytes than known, ignored)", stretch->ignored);
        picked_up_to_text(stretch, text);
        return g_strdup(text->str);
    }
    if (stretch->kind == ZG_STRETCH_UNDELIVERED) {
        g_autofree char *fault = fault_of(plan, stretch);
        g_string_append_printf(text, "not delivered: %s", stretch->why);
        if (fault)
            g_string_append_printf(text, ", %s", fault);
        for (unsigned i = 0; i < plan->header.steps->len; i++) {
            const struct zg_step *step = zg_block_step(&plan->header, i);
            uint32_t value;
            if (role_of(&stretch->header, step->role->role, &value))
                g_string_append_printf(text, ", %s %u", step->name, value);
        }
        g_string_append_c(text, ':');
    } else {
        g_string_append_printf(text, "skipped %zu byte%s: %s", stretch->raw_length, stretch->raw_length == 1 ? "" : "s",
                               stretch->why);
        if (stretch->checked) {
            g_autofree char *expected = check_shown(plan, stretch->expected);
            g_autofree char *found = check_shown(plan, stretch->found);
            g_string_append_printf(text, ", expected %s, found %s", expected, found);
        }
        g_string_append_c(text, ':');
    }
    raw_to_text(plan, stretch, text);
    if (stretch->kind == ZG_STRETCH_UNDELIVERED)
        picked_up_to_text(stretch, text);
    return g_strdup(text->str);
}

void zg_protocol_to_json(const struct zg_definition *definition, struct zg_json *json)
{
    g_autofree char *version = g_strdup_printf("%u.%u", definition->major, definition->minor);

    zg_json_string(json, "protocol", definition->protocol);
    zg_json_string(json, "version", version);
}
