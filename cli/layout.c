/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <string.h>

#include "analysis/budget.h"
#include "analysis/places.h"
#include "analysis/text.h"
#include "codec/describe.h"
#include "device/typical.h"

enum { DECIMALS_MOST = 4 };

/* What was asked for besides. */
struct shown {
    unsigned decimals[DECIMALS_MOST], count;
};

static void print_line(unsigned name_width, const char *bytes, const char *bits, const char *name, const char *type,
                       const char *unit, const char *range)
{
    const char *const cells[] = { bytes, bits, name, type, unit ? unit : "", range };
    const unsigned widths[] = { 8, 12, name_width + 2, 18, 8, 0 };
    g_autoptr(GString) line = g_string_new("  ");

    for (size_t i = 0; i < G_N_ELEMENTS(cells); i++) {
        g_string_append_printf(line, "%-*s", (int)widths[i], cells[i]);
        if (widths[i] > 0 && strlen(cells[i]) >= widths[i])
            g_string_append(line, "  ");
    }
    cli_print("%s\n", g_strchomp(line->str));
}

/* The byte map of a block that follows so many bytes, after a blank line. */
static void print_map(const struct zg_block *block, unsigned front)
{
    g_autoptr(GString) map = g_string_new(NULL);

    zg_place_map(map, block, front);
    if (map->len > 0)
        cli_print("\n%s", map->str);
}

/* The length that a record holds of itself. */
static void print_length(const struct zg_block *block, unsigned name_width)
{
    g_autofree char *bytes = zg_place_length_bytes(block), *meaning = zg_place_length(block);
    g_autofree char *type = g_strdup_printf("u%u", block->length->bits);

    print_line(name_width, bytes, "", block->length->name, type, NULL, "");
    cli_print("  %*s%s\n", 20, "", meaning);
}

/* A block that follows a tag, or so many bytes of ticket and base. */
static void print_block(const struct zg_block *block, unsigned name_width, unsigned tickets, const struct zg_tag *tag)
{
    const unsigned front = tag ? tag->size : tickets;

    if (block->steps->len + front == 0) {
        cli_print("  nothing\n");
        return;
    }
    print_line(name_width, "bytes", "bits", "name", "type", "unit", "range");
    if (tag) {
        g_autofree char *bytes = tag->size > 1 ? g_strdup_printf("0-%u", tag->size - 1) : g_strdup("0");
        g_autofree char *shown = zg_place_tag(tag);
        print_line(name_width, bytes, "", "(tag)", "", NULL, shown);
    }
    if (tickets > 0)
        print_line(name_width, "0", "", "(ticket)", "u8", NULL, "");
    if (tickets > 1)
        print_line(name_width, "1", "", "(base)", "u8", NULL, "");
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (block->length && block->length->before == i)
            print_length(block, name_width);
        g_autofree char *bytes = zg_place_bytes(block, i, front);
        g_autofree char *bits = zg_place_bits(step);
        g_autofree char *type = zg_place_type(step);
        g_autofree char *range = zg_place_range(step);
        print_line(name_width, bytes, bits, step->name, type, step->field ? step->field->unit : NULL, range);
        g_autofree char *count = zg_place_count(step);
        if (count)
            cli_print("  %*s%s\n", 20, "", count);
    }
    if (block->length && block->length->before == block->steps->len)
        print_length(block, name_width);
    print_map(block, front);
}

/* How the fields of a text layout are written. */
static void print_written(const struct zg_plan_message *item, unsigned name_width)
{
    const struct zg_block *block = &item->payload;
    g_autofree char *drawing = zg_text_drawing(item);

    cli_print("  %s\n", drawing);
    if (block->steps->len > 0)
        print_line(name_width, "where", "characters", "name", "type", "unit", "range");
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        unsigned least, most;
        zg_text_value_lengths(step, item->message->layout.kind, &least, &most);
        g_autofree char *where = zg_text_place(item, i);
        g_autofree char *characters =
            least == most ? g_strdup_printf("%u", most) : g_strdup_printf("%u to %u", least, most);
        g_autofree char *type = zg_place_type(step);
        g_autofree char *range = zg_place_range(step);
        print_line(name_width, where, characters, step->name, type, step->field->unit, range);
    }
}

static size_t widest_of(const struct zg_block *block, size_t width)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        width = MAX(width, strlen(zg_block_step(block, i)->name));
    return block->length ? MAX(width, strlen(block->length->name)) : width;
}

static unsigned widest_name(const struct zg_plan *plan)
{
    size_t width = widest_of(&plan->header, 8);
    for (unsigned i = 0; i < plan->records->len; i++)
        width = widest_of(g_ptr_array_index(plan->records, i), width);
    for (unsigned i = 0; i < plan->messages->len; i++)
        width = widest_of(&zg_plan_message_at(plan, i)->payload, width);
    for (unsigned i = 0; i < plan->variables->len; i++)
        width = MAX(width, strlen(zg_variable_field(zg_plan_variable_at(plan, i)->variable)->name));
    return (unsigned)width;
}

/* What the frame takes besides the bits of its fields, and what the same values would take as text. */
static void print_gain(const struct zg_plan *plan, const struct zg_plan_message *item, const struct shown *shown)
{
    const char *unit = zg_plan_wire_unit(plan);
    unsigned pairs, bare, bits = item->payload.bits;
    double own = bits / (plan->definition->framing.halves ? 4.0 : 8.0), beside = item->frame_most - own;

    if (item->text) {
        if (item->payload.size == item->payload.most_size)
            cli_print("  in binary the fields take %u byte%s\n", item->payload.size,
                      item->payload.size == 1 ? "" : "s");
        else
            cli_print("  in binary the fields take %u to %u bytes\n", item->payload.size, item->payload.most_size);
        return;
    }

    zg_text_lengths(item, &pairs, &bare);
    if (bits > 0)
        cli_print("  the fields' own %u bits are %.4g of the frame's %u %s; the other %.4g are %.0f %% of it\n", bits,
                  own, item->frame_most, unit, beside, 100 * beside / item->frame_most);
    cli_print("  as text, without check or sequence: up to %u bytes as name=value, %u as bare values\n", pairs, bare);
    for (unsigned i = 0; i < shown->count; i++)
        cli_print("  with %u decimal%s each typically %.0f and %.0f bytes\n", shown->decimals[i],
                  shown->decimals[i] == 1 ? "" : "s", zg_typical_line(item, shown->decimals[i], true),
                  zg_typical_line(item, shown->decimals[i], false));
}

/* How a message is delivered that is not just sent. */
static void print_delivery(const struct zg_message *message)
{
    g_autofree char *timeout = zg_time_text((double)message->timeout_ns * 1e-9);

    if (message->is_reply)
        cli_print("  answers a request, whose ticket it repeats%s\n", message->kept ? "; in order" : "");
    if (!zg_message_is_request(message) && !message->acknowledged)
        return;
    g_autofree char *replies = zg_message_replies(message);
    if (zg_message_is_request(message))
        cli_print("  a request%s, answered by %s%s", message->ticketless ? " without a ticket" : "",
                  message->lines->len > 0 ? "lines and then " : "", replies);
    else
        cli_print("  acknowledged");
    if (message->ticketless) {
        if (message->retries > 0)
            cli_print("; sent again after %s, %u time%s at most; one at a time\n", timeout, message->retries,
                      message->retries == 1 ? "" : "s");
        else
            cli_print(" within %s; one at a time\n", timeout);
        return;
    }
    cli_print("; sent again after %s, %u time%s at most; up to %u at a time%s\n", timeout, message->retries,
              message->retries == 1 ? "" : "s", message->window, message->kept ? ", in order" : "");
}

static void print_message(const struct zg_plan *plan, const struct zg_plan_message *item, unsigned name_width,
                          const struct shown *shown)
{
    const struct zg_message *message = item->message;
    g_autofree char *time = zg_time_text(zg_budget_seconds(&plan->definition->line, item->frame_most));

    cli_print("\n%s", message->name);
    if (plan->id_bits > 0 && !message->bare)
        cli_print(message->id > 9 ? ", id %" G_GUINT64_FORMAT " (0x%02" G_GINT64_MODIFIER "X)"
                                  : ", id %" G_GUINT64_FORMAT,
                  message->id, message->id);
    cli_print(", from %s%s%s\n", zg_side_name(message->from), message->summary ? ": " : "",
              message->summary ? message->summary : "");
    print_delivery(message);
    if (message->bare) {
        g_autofree char *bytes = zg_place_tag(zg_plan_tag(item));
        cli_print("  outside any frame, these bytes alone: %s\n\n  %u byte%s on the wire, %s\n", bytes,
                  item->frame_most, item->frame_most == 1 ? "" : "s", time);
        return;
    }
    if (item->text)
        print_written(item, name_width);
    else
        print_block(&item->payload, name_width, item->tickets, zg_plan_tag(item));
    cli_print("\n");
    if (item->payload_least == item->payload_most)
        cli_print("  payload %u of at most %u bytes; frame ", item->payload_least, plan->max_payload);
    else
        cli_print("  payload %u to %u of at most %u bytes, typically %.3g; frame ", item->payload_least,
                  item->payload_most, plan->max_payload, zg_typical_payload(item));
    if (item->frame_least == item->frame_most)
        cli_print("%u", item->frame_most);
    else
        cli_print("%u to %u", item->frame_least, item->frame_most);
    cli_print(" %s on the wire, %s\n", zg_plan_wire_unit(plan), time);
    print_gain(plan, item, shown);
}

static void print_load(const struct zg_plan *plan)
{
    static const enum zg_side sides[] = { ZG_SIDE_DEVICE, ZG_SIDE_HOST };

    cli_print("\nload of the line at %" G_GUINT64_FORMAT " baud\n", plan->definition->line.baud);
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (item->message->every_ns == 0)
            continue;
        g_autofree char *period = zg_time_text((double)item->message->every_ns * 1e-9);
        cli_print("  %-24s%7.2f %%  every %s\n", item->message->name, 100 * zg_budget_load(plan, item), period);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(sides); i++)
        cli_print("  all of the %-13s%7.2f %%\n", zg_side_name(sides[i]), 100 * zg_budget_side_load(plan, sides[i]));
    if (plan->definition->line.half_duplex)
        cli_print("  both, half duplex     %7.2f %%\n", 100 * zg_budget_line_load(plan));
}

static void print_variables(const struct zg_plan *plan, unsigned name_width)
{
    if (plan->variables->len == 0)
        return;
    cli_print("\nvariables\n");
    print_line(name_width, "index", "access", "name", "type", "unit", "range");
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        const struct zg_step *step = zg_block_step(&item->block, 0);
        g_autofree char *index = g_strdup_printf("%u", item->variable->index);
        g_autofree char *type = zg_place_type(step);
        g_autofree char *range = zg_place_range(step);
        print_line(name_width, index, zg_access_name(item->variable->access), step->field->name, type,
                   step->field->unit, range);
    }
}

static void print_text(const struct zg_plan *plan, const struct zg_plan_message *only, const struct shown *shown)
{
    const struct zg_definition *definition = plan->definition;
    unsigned width = widest_name(plan);

    cli_print("%s %u.%u%s%s\n", definition->protocol, definition->major, definition->minor,
              definition->summary ? ": " : "", definition->summary ? definition->summary : "");
    g_autofree char *framing = zg_framing_text(&definition->framing);
    cli_print("frame: %s; header %u, payload up to %u, check %u (%s, %s-endian); up to %u %s on the wire\n", framing,
              plan->header.size, plan->max_payload, (unsigned)plan->check.size,
              definition->check.name ? definition->check.name : "CRC by parameters",
              plan->check.big_endian ? "big" : "little", plan->max_frame, zg_plan_wire_unit(plan));
    cli_print("\nheader, %u byte%s\n", plan->header.size, plan->header.size == 1 ? "" : "s");
    print_block(&plan->header, width, 0, NULL);
    for (unsigned i = 0; i < plan->records->len; i++) {
        const struct zg_block *record = g_ptr_array_index(plan->records, i);
        cli_print("\nrecord %s, ", record->name);
        if (record->size == record->most_size)
            cli_print("%u bytes\n", record->size);
        else
            cli_print("%u to %u bytes\n", record->size, record->most_size);
        print_block(record, width, 0, NULL);
    }
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (!only || only == zg_plan_message_at(plan, i))
            print_message(plan, zg_plan_message_at(plan, i), width, shown);
    if (!only)
        print_variables(plan, width);
    if (!only)
        print_load(plan);
}

/* Where the bits of a number are; for an array, of its first element. */
static void places_to_json(struct zg_json *json, const struct zg_step *step)
{
    struct zg_piece pieces[ZG_PIECES];
    unsigned count = zg_step_pieces(step, 0, pieces);

    zg_json_open(json, "places", '[');
    for (unsigned i = 0; i < count; i++) {
        zg_json_open(json, NULL, '{');
        zg_json_unsigned(json, "byte", pieces[i].byte);
        zg_json_unsigned(json, "low_bit", pieces[i].low);
        zg_json_unsigned(json, "bits", pieces[i].bits);
        zg_json_unsigned(json, "shift", pieces[i].shift);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}

static void step_to_json(struct zg_json *json, const struct zg_step *step)
{
    g_autofree char *type = zg_type_name(step->type);

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "name", step->name);
    zg_json_string(json, "type", type);
    zg_json_unsigned(json, "bits", step->type.bits);
    zg_json_string(json, "order", step->big_endian ? "big" : "little");
    zg_json_unsigned(json, "byte", step->byte + step->bit / 8);
    zg_json_unsigned(json, "least_bytes", step->least_size);
    zg_json_unsigned(json, "most_bytes", step->most_size);
    zg_json_bool(json, "varies", step->varies);
    if (step->bits > 0 && !step->record && !zg_step_is_string(step))
        places_to_json(json, step);
    if (step->field && step->field->unit)
        zg_json_string(json, "unit", step->field->unit);
    if (step->field && step->field->summary)
        zg_json_string(json, "summary", step->field->summary);
    if (step->field && (step->type.kind == ZG_KIND_FLOAT ? step->field->ranged : zg_type_is_integer(step->type))) {
        zg_json_double(json, "least", step->scale.low);
        zg_json_double(json, "most", step->scale.high);
    }
    zg_json_close(json, '}');
}

static void block_to_json(struct zg_json *json, const char *key, const struct zg_block *block)
{
    zg_json_open(json, key, '[');
    for (unsigned i = 0; i < block->steps->len; i++)
        step_to_json(json, zg_block_step(block, i));
    zg_json_close(json, ']');
}

static void names_to_json(struct zg_json *json, const char *key, const GPtrArray *names)
{
    zg_json_open(json, key, '[');
    for (unsigned i = 0; i < names->len; i++)
        zg_json_string(json, NULL, g_ptr_array_index(names, i));
    zg_json_close(json, ']');
}

static void delivery_to_json(struct zg_json *json, const struct zg_plan_message *item)
{
    const struct zg_message *message = item->message;

    if (item->tickets > 0)
        zg_json_unsigned(json, "ticket_bytes", item->tickets);
    if (message->kept)
        zg_json_string(json, "order", "kept");
    if (message->replies->len == 1)
        zg_json_string(json, "reply", g_ptr_array_index(message->replies, 0));
    else if (message->replies->len > 1)
        names_to_json(json, "reply", message->replies);
    if (message->lines->len > 0)
        names_to_json(json, "reply_lines", message->lines);
    if (message->ticketless)
        zg_json_string(json, "ticket", "none");
    if (message->acknowledged)
        zg_json_string(json, "delivery", "acknowledged");
    if (!zg_message_is_request(message) && !message->acknowledged)
        return;
    zg_json_double(json, "timeout_seconds", (double)message->timeout_ns * 1e-9);
    zg_json_unsigned(json, "retries", message->retries);
    zg_json_unsigned(json, "window", message->ticketless ? 1 : message->window);
}

/* The fields of a text layout. */
static void text_to_json(struct zg_json *json, const struct zg_plan_message *item)
{
    g_autofree char *drawing = zg_text_drawing(item);

    zg_json_string(json, "layout", zg_layout_name(item->message->layout.kind));
    zg_json_string(json, "text", drawing);
    zg_json_open(json, "fields", '[');
    for (unsigned i = 0; i < item->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&item->payload, i);
        g_autofree char *type = zg_type_name(step->type);
        unsigned least, most;
        zg_text_value_lengths(step, item->message->layout.kind, &least, &most);
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "name", step->name);
        zg_json_string(json, "type", type);
        zg_json_unsigned(json, "characters_least", least);
        zg_json_unsigned(json, "characters_most", most);
        zg_json_bool(json, "optional", step->field->optional);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
    zg_json_unsigned(json, "binary_least_bytes", item->payload.size);
    zg_json_unsigned(json, "binary_most_bytes", item->payload.most_size);
}

static void message_to_json(struct zg_json *json, const struct zg_plan *plan, const struct zg_plan_message *item,
                            const struct shown *shown)
{
    unsigned pairs, bare;

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "message", item->message->name);
    zg_json_unsigned(json, "id", item->message->id);
    if (item->message->bare) {
        const struct zg_tag *bytes = zg_plan_tag(item);
        zg_json_hex(json, "bare", bytes->bytes, bytes->size);
    } else if (item->message->tags->len > 0) {
        zg_json_open(json, "tags", '[');
        for (unsigned i = 0; i < item->message->tags->len; i++) {
            const struct zg_tag *tag = g_ptr_array_index(item->message->tags, i);
            zg_json_hex(json, NULL, tag->bytes, tag->size);
        }
        zg_json_close(json, ']');
    }
    zg_json_string(json, "from", zg_side_name(item->message->from));
    if (item->message->summary)
        zg_json_string(json, "summary", item->message->summary);
    delivery_to_json(json, item);
    if (item->text)
        text_to_json(json, item);
    else
        block_to_json(json, "fields", &item->payload);
    zg_json_unsigned(json, "payload_least_bytes", item->payload_least);
    zg_json_unsigned(json, "payload_most_bytes", item->payload_most);
    zg_json_double(json, "payload_typical_bytes", zg_typical_payload(item));
    zg_json_unsigned(json, "frame_least_bytes", item->frame_least);
    zg_json_unsigned(json, "frame_most_bytes", item->frame_most);
    zg_json_unsigned(json, "field_bits", item->payload.bits);
    zg_text_lengths(item, &pairs, &bare);
    zg_json_unsigned(json, "text_pairs_bytes", pairs);
    zg_json_unsigned(json, "text_bare_bytes", bare);
    for (unsigned i = 0; i < shown->count && !item->text; i++) {
        if (i == 0)
            zg_json_open(json, "text_typical", '[');
        zg_json_open(json, NULL, '{');
        zg_json_unsigned(json, "decimals", shown->decimals[i]);
        zg_json_double(json, "pairs_bytes", zg_typical_line(item, shown->decimals[i], true));
        zg_json_double(json, "bare_bytes", zg_typical_line(item, shown->decimals[i], false));
        zg_json_close(json, '}');
        if (i + 1 == shown->count)
            zg_json_close(json, ']');
    }
    zg_json_double(json, "line_seconds", zg_budget_seconds(&plan->definition->line, item->frame_most));
    if (item->message->every_ns > 0) {
        zg_json_double(json, "every_seconds", (double)item->message->every_ns * 1e-9);
        zg_json_double(json, "load", zg_budget_load(plan, item));
    }
    zg_json_close(json, '}');
}

/* The length that a record holds of itself. */
static void length_to_json(struct zg_json *json, const struct zg_block *record)
{
    const struct zg_record_length *length = record->length;

    zg_json_open(json, "length", '{');
    zg_json_string(json, "name", length->name);
    zg_json_unsigned(json, "byte", record->length_byte);
    zg_json_unsigned(json, "bits", length->bits);
    zg_json_string(json, "order", length->big_endian ? "big" : "little");
    zg_json_string(json, "counts", length->counts_rest ? "rest" : "record");
    zg_json_unsigned(json, "plus", length->plus);
    zg_json_close(json, '}');
}

static void records_to_json(struct zg_json *json, const struct zg_plan *plan)
{
    zg_json_open(json, "records", '[');
    for (unsigned i = 0; i < plan->records->len; i++) {
        const struct zg_block *record = g_ptr_array_index(plan->records, i);
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "record", record->name);
        if (record->length)
            length_to_json(json, record);
        block_to_json(json, "fields", record);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}

static void variables_to_json(struct zg_json *json, const struct zg_plan *plan)
{
    zg_json_open(json, "variables", '[');
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        zg_json_open(json, NULL, '{');
        zg_json_string(json, "variable", zg_variable_field(item->variable)->name);
        zg_json_unsigned(json, "index", item->variable->index);
        zg_json_string(json, "access", zg_access_name(item->variable->access));
        block_to_json(json, "fields", &item->block);
        zg_json_close(json, '}');
    }
    zg_json_close(json, ']');
}

static void print_json(const struct zg_plan *plan, const struct zg_plan_message *only, const struct shown *shown)
{
    const struct zg_definition *definition = plan->definition;
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_protocol_to_json(definition, &json);
    zg_json_unsigned(&json, "baud", definition->line.baud);
    zg_json_double(&json, "bit_times_per_byte", zg_line_half_bits(&definition->line) / 2.0);
    zg_json_string(&json, "framing", zg_framing_names[definition->framing.kind]);
    zg_json_string(&json, "check", definition->check.name ? definition->check.name : "crc by parameters");
    zg_json_unsigned(&json, "check_bytes", plan->check.size);
    zg_json_unsigned(&json, "header_bytes", plan->header.size);
    zg_json_unsigned(&json, "max_payload_bytes", plan->max_payload);
    zg_json_unsigned(&json, "max_frame_bytes", plan->max_frame);
    block_to_json(&json, "header", &plan->header);
    zg_json_open(&json, "messages", '[');
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (!only || only == zg_plan_message_at(plan, i))
            message_to_json(&json, plan, zg_plan_message_at(plan, i), shown);
    zg_json_close(&json, ']');
    records_to_json(&json, plan);
    variables_to_json(&json, plan);
    zg_json_double(&json, "device_load", zg_budget_side_load(plan, ZG_SIDE_DEVICE));
    zg_json_double(&json, "host_load", zg_budget_side_load(plan, ZG_SIDE_HOST));
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

static bool read_decimals(const struct cli_verb *verb, const char *text, struct shown *shown)
{
    g_auto(GStrv) words = g_strsplit(text, ",", -1);

    for (unsigned i = 0; words[i]; i++) {
        guint64 number;
        if (shown->count == DECIMALS_MOST || !g_ascii_string_to_unsigned(words[i], 10, 0, 9, &number, NULL)) {
            cli_error(verb, "--decimals: expected up to %d numbers from 0 to 9, such as 2,6, found \"%s\"",
                      DECIMALS_MOST, text);
            return false;
        }
        shown->decimals[shown->count++] = (unsigned)number;
    }
    return true;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    gboolean as_json = FALSE;
    g_autofree char *decimals = NULL;
    struct shown shown = { 0 };
    GOptionEntry entries[] = { { "decimals", 0, 0, G_OPTION_ARG_STRING, &decimals,
                                 "How long lines of text would be with so many decimals", "N[,N...]" },
                               { "json", 0, 0, G_OPTION_ARG_NONE, &as_json, "Print one JSON document", NULL },
                               G_OPTION_ENTRY_NULL };
    struct cli_definition loaded;
    const struct zg_plan_message *only = NULL;

    if (!cli_parse(verb, entries, &argc, &argv, 1, 2))
        return CLI_USAGE;
    if (decimals && !read_decimals(verb, decimals, &shown))
        return CLI_USAGE;
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES && argc == 3) {
        only = cli_message(verb, loaded.plan, argv[2]);
        status = only ? CLI_YES : CLI_NO;
    }
    if (status == CLI_YES)
        (as_json ? print_json : print_text)(loaded.plan, only, &shown);
    cli_definition_clear(&loaded);
    return cli_finish(verb, status);
}

const struct cli_verb cli_layout = { "layout", "DEF [MESSAGE]", "Shows where every byte and bit of a frame lies",
                                     "zeugma layout examples/loom/loom.yaml pick", run };
