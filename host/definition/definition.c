/* SPDX-License-Identifier: MIT */
#include "definition/definition.h"

#include <limits.h>
#include <string.h>

void zg_definition_free(struct zg_definition *definition)
{
    if (!definition)
        return;
    g_free(definition->file);
    g_free(definition->protocol);
    g_free(definition->summary);
    g_free(definition->check.name);
    g_free(definition->layout.pattern);
    g_free(definition->layout.assign);
    g_free(definition->layout.between);
    g_ptr_array_unref(definition->header);
    g_ptr_array_unref(definition->messages);
    g_ptr_array_unref(definition->variables);
    g_ptr_array_unref(definition->records);
    g_ptr_array_unref(definition->enums);
    g_free(definition);
}

const struct zg_message *zg_definition_message(const struct zg_definition *definition, const char *name)
{
    for (unsigned i = 0; i < definition->messages->len; i++) {
        const struct zg_message *message = g_ptr_array_index(definition->messages, i);
        if (strcmp(message->name, name) == 0)
            return message;
    }
    return NULL;
}

const struct zg_enum_value *zg_enum_find(const struct zg_enum *enumeration, union zg_raw raw)
{
    return g_hash_table_lookup(enumeration->by_raw, &raw.u);
}

const char *zg_enum_name(const struct zg_enum *enumeration, union zg_raw raw)
{
    const struct zg_enum_value *value = zg_enum_find(enumeration, raw);
    return value ? value->name : NULL;
}

enum zg_side zg_receivers(enum zg_side from)
{
    return (enum zg_side)((from & ZG_SIDE_DEVICE ? ZG_SIDE_HOST : 0) | (from & ZG_SIDE_HOST ? ZG_SIDE_DEVICE : 0));
}

const char *zg_side_name(enum zg_side side)
{
    return side == ZG_SIDE_DEVICE ? "device" : side == ZG_SIDE_HOST ? "host" : "both";
}

const char *zg_role_name(enum zg_role role)
{
    static const char *const names[ZG_ROLES] = { "version",     "id",     "sequence", "minor", "length",
                                                 "destination", "source", "node",     "const", "reserved" };
    return names[role];
}

const char *const zg_service_names[] = { "hello",   "echo",     "counters", "variables",
                                         "console", "delivery", "traffic",  NULL };

bool zg_message_is_request(const struct zg_message *message)
{
    return message->replies->len > 0;
}

bool zg_message_is_ticketed(const struct zg_message *message)
{
    return message->acknowledged || (zg_message_is_request(message) && !message->ticketless) || message->is_reply;
}

unsigned zg_message_answer_index(const struct zg_message *request, const char *name)
{
    for (unsigned i = 0; i < request->replies->len; i++)
        if (strcmp(g_ptr_array_index(request->replies, i), name) == 0)
            return i;
    for (unsigned i = 0; i < request->lines->len; i++)
        if (strcmp(g_ptr_array_index(request->lines, i), name) == 0)
            return request->replies->len + i;
    return UINT_MAX;
}

enum zg_answers zg_message_answers(const struct zg_message *request, const char *name)
{
    const unsigned at = zg_message_answer_index(request, name);

    return at == UINT_MAX ? ZG_ANSWERS_NOT : at < request->replies->len ? ZG_ANSWERS : ZG_ANSWERS_LINE;
}

char *zg_message_replies(const struct zg_message *request)
{
    const GPtrArray *names = request->replies;
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; i < names->len; i++)
        g_string_append_printf(text, "%s%s",
                               i == 0               ? ""
                               : i + 1 < names->len ? ", "
                                                    : " or ",
                               (const char *)g_ptr_array_index(names, i));
    return g_string_free(text, FALSE);
}

const struct zg_tag *zg_message_tag(const struct zg_message *message, const uint8_t *payload, size_t length)
{
    const struct zg_tag *best = NULL;

    for (unsigned i = 0; i < message->tags->len; i++) {
        const struct zg_tag *tag = g_ptr_array_index(message->tags, i);
        if ((tag->whole ? tag->size == length : tag->size <= length) && memcmp(tag->bytes, payload, tag->size) == 0 &&
            (!best || tag->size > best->size))
            best = tag;
    }
    return best;
}

bool zg_message_asks_service(const struct zg_message *message)
{
    return message->service &&
           (strcmp(message->name, "echo_request") == 0 || strcmp(message->name, "counters_request") == 0 ||
            strcmp(message->name, "traffic_request") == 0);
}

const char *zg_access_name(enum zg_access access)
{
    static const char *const names[] = { "", "read", "write", "read_write" };
    return names[access];
}

const struct zg_field *zg_variable_field(const struct zg_variable *variable)
{
    return g_ptr_array_index(variable->fields, 0);
}

struct zg_uart_format zg_line_format(const struct zg_line *line)
{
    return (struct zg_uart_format){ .data_bits = (uint8_t)line->data_bits,
                                    .parity = line->parity,
                                    .half_stops = (uint8_t)line->half_stops,
                                    .msb_first = line->msb_first,
                                    .idle_low = line->idle_low,
                                    .stop_opposite = line->stop_opposite };
}

unsigned zg_line_data_bits(const struct zg_line *line)
{
    return line->is_clocked ? 8 : line->data_bits;
}

unsigned zg_line_half_bits(const struct zg_line *line)
{
    const struct zg_uart_format format = zg_line_format(line);
    return line->is_clocked ? 2 * 8 : zg_uart_half_bits(&format);
}

uint64_t zg_line_byte_ns(const struct zg_line *line)
{
    return zg_line_bytes_ns(line, 1);
}

uint64_t zg_line_bytes_ns(const struct zg_line *line, uint64_t bytes)
{
    return bytes * (zg_line_half_bits(line) * UINT64_C(500000000)) / line->baud +
           (line->is_clocked ? bytes * line->pair.byte_gap_ns : 0);
}

char *zg_line_text(const struct zg_line *line)
{
    static const char *const stops[] = { "1", "1.5", "2" };

    if (line->is_clocked)
        return g_strdup_printf("clocked %s %s idle %s", line->pair.samples_rising ? "rising" : "falling",
                               line->pair.lsb_first ? "lsb" : "msb", line->pair.idle_high ? "high" : "low");
    GString *text = g_string_new(NULL);
    g_string_append_printf(text, "%u%c%s", line->data_bits, line->parity, stops[line->half_stops - 2]);
    if (line->msb_first)
        g_string_append(text, " msb");
    if (line->idle_low)
        g_string_append(text, " idle low");
    if (line->stop_opposite)
        g_string_append_printf(text, " stop_level %s", line->idle_low ? "high" : "low");
    if (line->carrier_hz > 0)
        g_string_append_printf(text, " carrier %.10g Hz", line->carrier_hz);
    return g_string_free(text, FALSE);
}
