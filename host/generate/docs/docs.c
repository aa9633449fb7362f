/* SPDX-License-Identifier: MIT */
/* PROTOCOL.md and PROTOCOL.html: the protocol as a specification from which the other end can be written. */
#include <string.h>

#include "analysis/budget.h"
#include "analysis/places.h"
#include "generate/docs/docs.h"
#include "generate/generate.h"

/* A message's anchor. */
static char *anchor(const struct zg_message *message)
{
    return g_strconcat("message-", message->name, NULL);
}

static const char *or_empty(const char *text)
{
    return text ? text : "";
}

/* A summary as a paragraph that ends with a full stop. */
static void print_sentence(struct zgi_document *document, const char *summary)
{
    bool ended = strchr(".!?", summary[strlen(summary) - 1]) != NULL;
    zgi_document_paragraph(document, "%s%s", summary, ended ? "" : ".");
}

static char *span(unsigned least, unsigned most)
{
    return least == most ? g_strdup_printf("%u", least) : g_strdup_printf("%u to %u", least, most);
}

static char *title_of(const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    return g_strdup_printf("%s %u.%u", definition->protocol, definition->major, definition->minor);
}

static bool has_layouts(const struct zg_plan *plan, bool of_text)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if ((zg_plan_message_at(plan, i)->text != NULL) == of_text)
            return true;
    return false;
}

/* Whether a section has anything to say. */
static bool has_part(const struct zg_plan *plan, const char *id)
{
    if (strcmp(id, "variables") == 0)
        return plan->variables->len > 0;
    if (strcmp(id, "types") == 0)
        return plan->records->len + plan->definition->enums->len > 0;
    if (strcmp(id, "texts") == 0)
        return has_layouts(plan, true);
    if (strcmp(id, "values") == 0)
        return has_layouts(plan, false) || plan->variables->len > 0 || plan->header.size > 0;
    return true;
}

static void print_contents(struct zgi_document *document, const struct zg_plan *plan)
{
    static const char *const parts[][2] = { { "line", "The line" },
                                            { "frame", "The frame" },
                                            { "header", "The header" },
                                            { "texts", "How values are written" },
                                            { "values", "How values lie in bytes" },
                                            { "types", "Types" },
                                            { "messages", "Messages" },
                                            { "variables", "Variables" },
                                            { "budget", "Budget of the line" },
                                            { "example", "A frame, byte by byte" } };
    g_autoptr(GPtrArray) ids = g_ptr_array_new_with_free_func(g_free), texts = g_ptr_array_new();

    for (size_t i = 0; i < G_N_ELEMENTS(parts); i++) {
        if (!has_part(plan, parts[i][0]))
            continue;
        g_ptr_array_add(ids, g_strdup(parts[i][0]));
        g_ptr_array_add(texts, (gpointer)parts[i][1]);
        for (unsigned k = 0; strcmp(parts[i][0], "messages") == 0 && k < plan->messages->len; k++) {
            const struct zg_message *message = zg_plan_message_at(plan, k)->message;
            g_ptr_array_add(ids, anchor(message));
            g_ptr_array_add(texts, message->name); /* listed under its section */
        }
    }
    g_ptr_array_add(ids, NULL);
    g_ptr_array_add(texts, NULL);
    zgi_document_links(document, (const char *const *)ids->pdata, (const char *const *)texts->pdata);
}

/* How a byte is sent. Free with g_free(). */
static char *byte_text(const struct zg_line *line)
{
    static const char *const stops[] = { "1 stop bit", "1.5 stop bits", "2 stop bits" };
    const struct zg_pair *pair = &line->pair;

    if (line->is_clocked)
        return g_strdup_printf("8 data bits with a clock, %s first, sampled at its %s edge; the clock idles %s; "
                               "%.4g us or more between bytes",
                               pair->lsb_first ? "lowest" : "highest", pair->samples_rising ? "rising" : "falling",
                               pair->idle_high ? "high" : "low", (double)pair->byte_gap_ns / 1e3);
    GString *text = g_string_new(NULL);
    g_string_append_printf(text, "%u data bits, %s first; parity %c; %s", line->data_bits,
                           line->msb_first ? "highest" : "lowest", line->parity, stops[line->half_stops - 2]);
    if (line->idle_low)
        g_string_append(text, "; idle low");
    if (line->stop_opposite)
        g_string_append_printf(text, "; stop bits %s, then a bit idle", line->idle_low ? "high" : "low");
    return g_string_free(text, FALSE);
}

static void print_line(struct zgi_document *document, const struct zg_plan *plan)
{
    static const char *const headings[] = { "setting", "value", NULL };
    const struct zg_line *line = &plan->definition->line;
    g_autofree char *baud = g_strdup_printf("%" G_GUINT64_FORMAT, line->baud);
    g_autofree char *format = byte_text(line);
    g_autofree char *carrier = g_strdup_printf("%.10g Hz while the level is low", line->carrier_hz);
    const struct {
        const char *name;
        uint64_t ns;
    } times[] = { { "least idle time between frames", line->gap_ns },
                  { "silence within a frame that abandons it", line->byte_timeout_ns },
                  { "an idle node sends `hello` every", line->keepalive_ns },
                  { "silence after which the link is down", line->link_timeout_ns } };

    zgi_document_heading(document, 2, "line", "The line");
    zgi_document_table(document, headings);
    zgi_document_row(document, "baud", baud, NULL);
    zgi_document_row(document, plan->definition->framing.halves ? "character" : "byte", format, NULL);
    if (line->carrier_hz > 0)
        zgi_document_row(document, "carrier", carrier, NULL);
    zgi_document_row(document, "duplex", line->half_duplex ? "half: the two sides take turns" : "full", NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(times); i++) {
        g_autofree char *time = zg_time_text((double)times[i].ns * 1e-9);
        if (times[i].ns > 0)
            zgi_document_row(document, times[i].name, time, NULL);
    }
    zgi_document_table_end(document);
}

static void print_crc(struct zgi_document *document, const struct zg_plan *plan, const char *value)
{
    static const char *const headings[] = {
        "width", "polynomial", "initial value", "reflected in / out", "final XOR", "of \"123456789\"", NULL
    };
    const struct zg_crc_parameters *crc = &plan->definition->check.crc;
    int digits = (int)(crc->width + 3) / 4;
    g_autofree char *width = g_strdup_printf("%u", crc->width);
    g_autofree char *poly = g_strdup_printf("0x%0*" G_GINT64_MODIFIER "x", digits, crc->poly);
    g_autofree char *init = g_strdup_printf("0x%0*" G_GINT64_MODIFIER "x", digits, crc->init);
    g_autofree char *xor_out = g_strdup_printf("0x%0*" G_GINT64_MODIFIER "x", digits, crc->xor_out);
    g_autofree char *reflected =
        g_strdup_printf("%s / %s", crc->reflect_in ? "yes" : "no", crc->reflect_out ? "yes" : "no");

    zgi_document_table(document, headings);
    zgi_document_row(document, width, poly, init, reflected, xor_out, value, NULL);
    zgi_document_table_end(document);
}

static const char *covered_words(const struct zg_definition *definition)
{
    const bool behind = definition->check.after_end;

    switch (definition->check.covers) {
    case ZG_COVERS_PAYLOAD: return "the payload";
    case ZG_COVERS_ALL:
        return behind ? "start mark, header, payload and end mark" : "sync or start bytes, header and payload";
    case ZG_COVERS_AFTER_START: return "header, payload and end mark";
    default: return "header and payload";
    }
}

/* "in 2 bytes, the most significant byte first", "as 2 hexadecimal digits (`0` to `9`, `A` to `F`) behind `*`". Free
 * with g_free(). */
static char *sent_words(const struct zg_plan *plan)
{
    const struct zg_check_choice *check = &plan->definition->check;
    const unsigned size = plan->check.size - check->after.size;
    GString *text = g_string_new(NULL);

    if (check->as == ZG_CHECK_AS_HEX)
        g_string_append_printf(text,
                               "as %u hexadecimal digits, the most significant first, in %s case (a receiver "
                               "takes either)",
                               size, check->lower ? "lower" : "upper");
    else if (check->as == ZG_CHECK_AS_DECIMAL)
        g_string_append(text, "as a decimal number without leading zeros");
    else
        g_string_append_printf(text, "in %u byte%s", size, size == 1 ? "" : "s");
    if (check->as == ZG_CHECK_AS_BYTES && size > 1)
        g_string_append_printf(text, ", the %s significant byte first", plan->check.big_endian ? "most" : "least");
    for (unsigned i = 0; i < check->after.size; i++)
        g_string_append_printf(text, "%s `%02x`",
                               i > 0                    ? ""
                               : check->after.size == 1 ? " behind the byte"
                                                        : " behind the bytes",
                               check->after.bytes[i]);
    g_string_append_printf(text, "%s%s", check->after.size > 0 ? ", which it does not cover" : "",
                           check->after_end ? ", behind the end mark, whatever its bytes are" : "");
    return g_string_free(text, FALSE);
}

static void print_check(struct zgi_document *document, const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    bool is_crc = definition->check.kind == ZG_CHECK_CRC;

    if (plan->check.size == 0) {
        zgi_document_paragraph(document,
                               "There is no check: damage that stuffing and sizes do not reveal goes unnoticed.");
        return;
    }
    struct zg_check whole = plan->check; /* over the digits, none of which is a header */
    whole.skip = 0;
    whole.form = NULL;
    g_autofree char *sent = sent_words(plan);
    g_autofree char *value = g_strdup_printf("0x%0*" G_GINT64_MODIFIER "x", (int)(definition->check.crc.width + 3) / 4,
                                             (uint64_t)zg_check_value(&whole, (const uint8_t *)"123456789", 9));
    zgi_document_paragraph(document, "The check is %s%s%s%s over %s, sent %s. A frame whose check is wrong is dropped.",
                           is_crc ? "a CRC" : definition->check.sum->meaning, definition->check.name ? ", `" : "",
                           or_empty(definition->check.name), definition->check.name ? "`," : "",
                           covered_words(definition), sent);
    if (is_crc)
        print_crc(document, plan, value);
    else
        zgi_document_paragraph(document, "Of the nine digits \"123456789\" it is %s.", value);
}

static char *sizes_text(unsigned least, unsigned most)
{
    return least == most ? g_strdup_printf("%u byte%s", most, most == 1 ? "" : "s")
                         : g_strdup_printf("%u to %u bytes", least, most);
}

static void print_frame(struct zgi_document *document, const struct zg_plan *plan)
{
    static const char *const headings[] = { "header", "payload", "check", NULL };
    g_autofree char *header = sizes_text(plan->header.size, plan->header.size),
                    *payload = sizes_text(0, plan->max_payload),
                    *check = sizes_text(zg_check_least(&plan->check), plan->check.size);

    zgi_document_heading(document, 2, "frame", "The frame");
    zgi_document_paragraph(document, "The content of a frame is");
    zgi_document_table(document, headings);
    zgi_document_row(document, header, payload, check, NULL);
    zgi_document_table_end(document);
    zgi_docs_framing(document, plan);
    print_check(document, plan);
}

static const char *role_meaning(const struct zg_plan *plan, const struct zg_step *step, char **text)
{
    const struct zg_header_role *role = step->role;
    static const char *const counted[] = { "Bytes of the payload", "Bytes after this role, check included",
                                           "Bytes of header, payload and check", NULL };
    g_autofree char *from =
        role->counts != ZG_COUNTS_FROM ? NULL
        : role->plus > 0
            ? g_strdup_printf("Bytes from the first one of %s to the payload's end, and %u more",
                              zg_role_name(role->from), role->plus)
            : g_strdup_printf("Bytes from the first one of %s to the payload's end", zg_role_name(role->from));

    switch (role->role) {
    case ZG_ROLE_VERSION:
        *text = g_strdup_printf("The protocol's major version, here %u. A frame of another version is not delivered.",
                                plan->version);
        return *text;
    case ZG_ROLE_MINOR: *text = g_strdup_printf("The protocol's minor version, here %u.", plan->minor); return *text;
    case ZG_ROLE_ID: return "Which message the payload is.";
    case ZG_ROLE_SEQUENCE:
        return "Counts the frames that a node sends, from 0 at its start, and wraps. It shows the receiver what was "
               "lost.";
    case ZG_ROLE_LENGTH:
        *text = g_strdup_printf("%s%s. A frame with a wrong length is dropped.", from ? from : counted[role->counts],
                                plan->filled > 0 ? ", before the zero bytes" : "");
        return *text;
    case ZG_ROLE_DESTINATION: return "Address of the node that the frame is for; all ones: every node.";
    case ZG_ROLE_SOURCE: return "Address of the sender; the PC is 0.";
    case ZG_ROLE_NODE: return "Address of the device, in both directions.";
    case ZG_ROLE_CONST:
        *text =
            g_strdup_printf("Always 0x%" G_GINT64_MODIFIER "X. A frame with another value is dropped.", role->value);
        return *text;
    default: return "Sent as 0, ignored when received.";
    }
}

static void print_header(struct zgi_document *document, const struct zg_plan *plan)
{
    static const char *const headings[] = { "byte", "bits", "role", "type", "order", "meaning", NULL };

    zgi_document_heading(document, 2, "header", "The header");
    if (plan->header.size == 0) {
        zgi_document_paragraph(document, plan->messages->len > 1
                                             ? "There is none: a payload tells which message it is by how it begins, "
                                               "or by what fits."
                                             : "There is none: every frame is the same message.");
        return;
    }
    zgi_document_map(document, &plan->header, 0);
    zgi_document_table(document, headings);
    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        g_autofree char *bytes = zg_place_bytes(&plan->header, i, 0);
        g_autofree char *bits = zg_place_bits(step);
        g_autofree char *type = zg_type_name(step->type);
        g_autofree char *text = NULL;
        const char *meaning = role_meaning(plan, step, &text);
        zgi_document_row(document, bytes, bits, step->name, type,
                         step->bits > 8 || zg_step_is_bitwise(step) ? step->big_endian ? "big" : "little" : "", meaning,
                         NULL);
    }
    zgi_document_table_end(document);
}

static void print_text_values(struct zgi_document *document)
{
    zgi_document_heading(document, 2, "texts", "How values are written");
    zgi_document_paragraph(document,
                           "In a text, numbers are in the unit listed, rounded to the digits listed, ties away from "
                           "zero. What arrives may have more digits or fewer, blanks in front, a plus, or an exponent; "
                           "it is rounded to the nearest value of the type, and a number outside the type makes a bad "
                           "payload. A value ends where the text behind it begins, or where its width does.");
}

static void print_values(struct zgi_document *document, const struct zg_plan *plan)
{
    const char *order = plan->definition->big_endian ? "big" : "little";

    if (has_part(plan, "texts"))
        print_text_values(document);
    if (!has_part(plan, "values"))
        return;
    zgi_document_heading(document, 2, "values", "How values lie in bytes");
    zgi_document_paragraph(
        document,
        "Numbers of whole bytes begin on a byte boundary, %s first unless stated otherwise. Values that do not fill "
        "bytes share them with their neighbours: in %s-endian order from the %s bit on. Bit 0 of a byte is its least "
        "significant one. Unused bits are 0 when sent and ignored when received. Signed numbers are two's complement, "
        "`f32` and `f64` IEEE 754, `uleb` and `sleb` LEB128 in its shortest form.",
        plan->definition->big_endian ? "the most significant byte" : "the least significant byte", order,
        plan->definition->big_endian ? "most significant" : "least significant");
    zgi_document_paragraph(document,
                           "`text[N]` and `bytes[N]` take N bytes, text padded with zeros; `[..N]` means up to N "
                           "elements after a count of one byte, or of two in %s-endian order if N is over 255, unless "
                           "another count is given; `[..]` "
                           "fills the rest of the payload. Offsets written `+4` count from the end of the last value "
                           "whose size varies. The physical value is computed from the raw number as shown.",
                           order);
    zgi_document_paragraph(document,
                           "Within a major version messages only grow. A payload that ends just before the fields of a "
                           "later version is valid; these fields then have the defaults listed, or are 0 or empty. "
                           "Bytes after the last known field are ignored. A payload of any other length is dropped.");
}

static void print_enum(struct zgi_document *document, const struct zg_enum *enumeration)
{
    static const char *const enum_headings[] = { "value", "name", "meaning", NULL };
    static const char *const flag_headings[] = { "bit", "name", "meaning", NULL };
    const struct zg_type plain = { .kind = enumeration->type.kind, .bits = enumeration->type.bits };
    g_autofree char *type = zg_type_name(plain);
    g_autofree char *id = g_strconcat("type-", enumeration->name, NULL);
    g_autofree char *heading =
        g_strdup_printf("%s, %s%s", enumeration->name, enumeration->flags ? "flags, " : "", type);

    zgi_document_heading(document, 3, id, heading);
    if (enumeration->summary)
        zgi_document_paragraph(document, "%s", enumeration->summary);
    zgi_document_table(document, enumeration->flags ? flag_headings : enum_headings);
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_autofree char *number = enumeration->type.kind == ZG_KIND_SIGNED && !enumeration->flags
                                      ? g_strdup_printf("%" G_GINT64_FORMAT, value->raw.i)
                                      : g_strdup_printf("%" G_GUINT64_FORMAT, value->raw.u);
        zgi_document_row(document, number, value->name, or_empty(value->summary), NULL);
    }
    zgi_document_table_end(document);
}

static void print_types(struct zgi_document *document, const struct zg_plan *plan)
{
    const GPtrArray *enums = plan->definition->enums;

    if (!has_part(plan, "types"))
        return;
    zgi_document_heading(document, 2, "types", "Types");
    for (unsigned i = 0; i < enums->len; i++)
        print_enum(document, g_ptr_array_index(enums, i));
    for (unsigned i = 0; i < plan->records->len; i++) {
        const struct zg_block *record = g_ptr_array_index(plan->records, i);
        g_autofree char *id = g_strconcat("type-", record->name, NULL);
        g_autofree char *size = span(record->size, record->most_size);
        g_autofree char *heading = g_strdup_printf("%s, record, %s bytes", record->name, size);
        zgi_document_heading(document, 3, id, heading);
        zgi_docs_fields(document, plan, record, 0, NULL);
    }
}

/* "`value`, `failed`". Free with g_free(). */
static char *listed(const GPtrArray *names)
{
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; i < names->len; i++)
        g_string_append_printf(text, "%s`%s`", i > 0 ? ", " : "", (const char *)g_ptr_array_index(names, i));
    return g_string_free(text, FALSE);
}

static void print_replies(struct zgi_document *document, const struct zg_message *message)
{
    g_autofree char *replies = listed(message->replies), *lines = listed(message->lines);

    if (message->lines->len > 0)
        zgi_document_paragraph(document,
                               "It is a request. Its answer is any number of %s, each within the time for the answer, "
                               "and then %s%s.",
                               lines, message->replies->len > 1 ? "one of " : "", replies);
    else
        zgi_document_paragraph(document, "It is a request, answered by %s%s.",
                               message->replies->len > 1 ? "one of " : "", replies);
}

static void print_delivery(struct zgi_document *document, const struct zg_message *message)
{
    g_autofree char *timeout = zg_time_text((double)message->timeout_ns * 1e-9);

    g_autofree char *again = message->retries == 0
                                 ? g_strdup("is given up")
                                 : g_strdup_printf("is sent again, at most %u time%s, and then given up",
                                                   message->retries, message->retries == 1 ? "" : "s");

    if (message->is_reply)
        zgi_document_paragraph(document, "It answers a request, repeats its ticket and acknowledges it.");
    if (zg_message_is_request(message))
        print_replies(document, message);
    if (message->acknowledged)
        zgi_document_paragraph(document, "Its receiver acknowledges it.");
    if (message->ticketless)
        zgi_document_paragraph(document,
                               "It has no ticket: one such request is open at a time. Without an answer within %s it "
                               "%s; then the next one waits %s more, and what comes by then is late.",
                               timeout, again, timeout);
    else if (zg_message_is_request(message) || message->acknowledged)
        zgi_document_paragraph(document,
                               "Without an answer it is sent again after %s, at most %u times; up to %u may be "
                               "unanswered at a time%s. A receiver takes each ticket once.",
                               timeout, message->retries, message->window,
                               message->kept ? ", and they are taken in order" : "");
}

/* The tags besides that with which a message is sent. */
static void print_tags(struct zgi_document *document, const struct zg_message *message)
{
    g_autoptr(GString) text = g_string_new(NULL);

    for (unsigned i = 1; i < message->tags->len; i++) {
        g_autofree char *tag = zg_place_tag(g_ptr_array_index(message->tags, i));
        g_string_append_printf(text, "%s`%s`", i > 1 ? ", " : "", tag);
    }
    if (text->len > 0)
        zgi_document_paragraph(document, "A receiver also takes it with the tag %s.", text->str);
}

static const char *senders_of(const struct zg_message *message)
{
    return message->from == ZG_SIDE_BOTH ? "both sides" : message->from == ZG_SIDE_DEVICE ? "the device" : "the host";
}

static void print_message(struct zgi_document *document, const struct zg_plan *plan, const struct zg_plan_message *item)
{
    const struct zg_message *message = item->message;
    g_autofree char *id = anchor(message);
    g_autofree char *number =
        plan->id_bits == 0 || message->bare ? g_strdup("")
        : message->id > 9
            ? g_strdup_printf(", id %" G_GUINT64_FORMAT " (0x%02" G_GINT64_MODIFIER "X)", message->id, message->id)
            : g_strdup_printf(", id %" G_GUINT64_FORMAT, message->id);
    g_autofree char *heading = g_strconcat(message->name, number, NULL);
    g_autofree char *payload = span(item->payload_least, item->payload_most);
    g_autofree char *frame = span(item->frame_least, item->frame_most);
    g_autofree char *period = zg_time_text((double)message->every_ns * 1e-9);

    zgi_document_heading(document, 3, id, heading);
    if (message->summary)
        print_sentence(document, message->summary);
    if (message->bare) {
        g_autofree char *bytes = zg_place_tag(zg_plan_tag(item));
        zgi_document_paragraph(document, "Sent by %s outside any frame, as these bytes alone: `%s`.",
                               senders_of(message), bytes);
        print_delivery(document, message);
        return;
    }
    zgi_document_paragraph(document, "Sent by %s%s%s. Payload %s bytes, frame %s %s on the wire.", senders_of(message),
                           message->every_ns > 0 ? " every " : "", message->every_ns > 0 ? period : "", payload, frame,
                           zg_plan_wire_unit(plan));
    print_delivery(document, message);
    print_tags(document, message);
    if (item->text)
        zgi_docs_text(document, plan, item);
    else
        zgi_docs_fields(document, plan, &item->payload, item->tickets, zg_plan_tag(item));
    zgi_docs_example(document, plan, item);
}

static void print_variables(struct zgi_document *document, const struct zg_plan *plan)
{
    static const char *const headings[] = { "index", "name",  "a host may", "type", "physical value",
                                            "unit",  "range", "meaning",    NULL };
    static const char *const access[] = { "", "read it", "write it", "read and write it" };

    if (!has_part(plan, "variables"))
        return;
    zgi_document_heading(document, 2, "variables", "Variables");
    zgi_document_paragraph(document, "They are read and written by `variable_read`, `variable_write` and "
                                     "`variable_stream`; `variable_value` carries a value, in its own layout.");
    zgi_document_table(document, headings);
    for (unsigned i = 0; i < plan->variables->len; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        const struct zg_step *step = zg_block_step(&item->block, 0);
        g_autofree char *index = g_strdup_printf("%u", item->variable->index);
        g_autofree char *type = zg_place_type(step);
        g_autofree char *scale = zg_place_scale(step->field);
        g_autofree char *physical = *scale ? g_strconcat("raw", scale, NULL) : g_strdup("");
        g_autofree char *range = zg_place_range(step);
        g_autofree char *meaning = zgi_docs_meaning(plan, step);
        zgi_document_row(document, index, step->field->name, access[item->variable->access], type, physical,
                         or_empty(step->field->unit), range, meaning, NULL);
    }
    zgi_document_table_end(document);
}

static void print_budget(struct zgi_document *document, const struct zg_plan *plan)
{
    g_autofree char *unit = g_strconcat(zg_plan_wire_unit(plan), " on the wire", NULL);
    const char *const headings[] = { "message", "from", unit, "time on the line", "every", "load", NULL };

    zgi_document_heading(document, 2, "budget", "Budget of the line");
    zgi_document_table(document, headings);
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        const struct zg_message *message = item->message;
        g_autofree char *bytes = span(item->frame_least, item->frame_most);
        g_autofree char *time = zg_time_text(zg_budget_seconds(&plan->definition->line, item->frame_most));
        g_autofree char *every = message->every_ns ? zg_time_text((double)message->every_ns * 1e-9) : g_strdup("");
        g_autofree char *load =
            message->every_ns ? g_strdup_printf("%.2f %%", 100 * zg_budget_load(plan, item)) : g_strdup("");
        zgi_document_row(document, message->name, zg_side_name(message->from), bytes, time, every, load, NULL);
    }
    zgi_document_table_end(document);
    zgi_document_paragraph(
        document,
        "At their largest and at these periods the device's messages take %.2f %% of the line, the host's %.2f %%%s.",
        100 * zg_budget_side_load(plan, ZG_SIDE_DEVICE), 100 * zg_budget_side_load(plan, ZG_SIDE_HOST),
        plan->definition->line.half_duplex ? ", which they share" : "");
}

static GString *print(const struct zg_plan *plan, bool html)
{
    const struct zg_definition *definition = plan->definition;
    struct zgi_document document;
    g_autofree char *title = title_of(plan);
    g_autofree char *file = g_path_get_basename(definition->file);
    g_autofree char *comment = g_strdup_printf(ZGI_MARK " %s, %s. Change that, not this.", file, title);

    zgi_document_begin(&document, html, comment, title);
    zgi_document_heading(&document, 1, "top", title);
    if (definition->summary)
        print_sentence(&document, definition->summary);
    print_contents(&document, plan);
    print_line(&document, plan);
    print_frame(&document, plan);
    print_header(&document, plan);
    print_values(&document, plan);
    print_types(&document, plan);
    zgi_document_heading(&document, 2, "messages", "Messages");
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_message(&document, plan, zg_plan_message_at(plan, i));
    print_variables(&document, plan);
    print_budget(&document, plan);
    zgi_docs_worked_example(&document, plan);
    return zgi_document_end(&document);
}

GPtrArray *zg_generate_docs(const struct zg_plan *plan)
{
    GPtrArray *files = zgi_generated_new();
    const char *protocol = plan->definition->protocol;

    zgi_generated_add(files, g_strconcat(protocol, ".md", NULL), print(plan, false));
    zgi_generated_add(files, g_strconcat(protocol, ".html", NULL), print(plan, true));
    return files;
}
