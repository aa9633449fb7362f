/* SPDX-License-Identifier: MIT */
#include "analysis/explain.h"

#include "codec/as_text.h"
#include "codec/frame.h"
#include "codec/payload.h"
#include "codec/text.h"

/* A frame being explained. */
struct explaining {
    const struct zg_plan *plan;
    const struct zg_plan_message *item;
    const struct zg_header *header;
    const struct zg_value *values;
    size_t payload;      /* bytes */
    size_t length;       /* of the content, bytes */
    size_t tail;         /* of the check, bytes */
    GPtrArray *meanings; /* for each byte of the content */
    GPtrArray *bytes;    /* struct zg_explained, those so far */
    GByteArray *wire;
    unsigned content;  /* bytes of the content so far */
    const uint8_t *is; /* the content, where it is coded; otherwise NULL */
    bool half;         /* the first of two digits has come */
};

/* A role and its value, or that it continues. */
static void append_role(const struct explaining *frame, GString *text, const struct zg_step *step, bool first)
{
    const struct zg_header *header = frame->header;
    uint64_t value = step->role->value;

    switch (step->role->role) {
    case ZG_ROLE_VERSION: value = frame->plan->version; break;
    case ZG_ROLE_MINOR: value = header->minor; break;
    case ZG_ROLE_ID: value = header->id; break;
    case ZG_ROLE_SEQUENCE: value = header->sequence; break;
    case ZG_ROLE_LENGTH: value = frame->payload + frame->plan->length_more; break;
    case ZG_ROLE_DESTINATION: value = header->destination; break;
    case ZG_ROLE_SOURCE: value = header->source; break;
    case ZG_ROLE_NODE: value = header->source > 0 ? header->source : header->destination; break;
    default: break;
    }
    g_string_append_printf(text, "%s%s", text->len > 0 ? "; " : "header: ", step->name);
    if (!first)
        g_string_append(text, " ...");
    else if (step->role->role == ZG_ROLE_CONST || (step->role->role == ZG_ROLE_ID && value > 9))
        g_string_append_printf(text, " = %" G_GUINT64_FORMAT " (0x%" G_GINT64_MODIFIER "X)", value, value);
    else
        g_string_append_printf(text, " = %" G_GUINT64_FORMAT, value);
}

/* Adds the fields to the meanings of their bytes; the first one is at `at`. */
static void explain_fields(struct explaining *frame, size_t at)
{
    const struct zg_block *block = &frame->item->payload;
    g_autofree struct zg_span *spans = g_new(struct zg_span, block->steps->len + 1);

    if (frame->item->text)
        zg_text_spans(frame->item, frame->values, spans);
    else
        zg_block_spans(block, frame->values, spans);
    for (unsigned k = 0; k < block->steps->len; k++) {
        const struct zg_step *step = zg_block_step(block, k);
        const char *unit = step->field->unit;
        g_autoptr(GString) value = g_string_new(" = ");
        zg_value_to_text(step, &frame->values[k], value);
        if (unit)
            g_string_append_printf(value, " %s", unit);
        for (size_t i = spans[k].first; i < spans[k].first + spans[k].size; i++) {
            g_autofree char *before = frame->meanings->pdata[at + i];
            frame->meanings->pdata[at + i] = g_strdup_printf("%s%s%s%s", before, *before ? "; " : "", step->name,
                                                             i == spans[k].first ? value->str : " ...");
        }
    }
}

/* What each byte of the content is: header roles, tickets, fields, zero bytes, check. */
static void explain_content(struct explaining *frame)
{
    const struct zg_plan *plan = frame->plan;
    unsigned fields = plan->header.size + frame->item->front;
    size_t filled = plan->header.size + frame->payload;
    const size_t content = frame->length;
    const size_t check = content - frame->tail;

    for (size_t i = 0; i < content; i++) {
        g_autoptr(GString) text = g_string_new(NULL);
        for (unsigned k = 0; k < plan->header.steps->len; k++) {
            const struct zg_step *step = zg_block_step(&plan->header, k);
            if (i >= step->byte + step->bit / 8 && i < zg_step_end(step))
                append_role(frame, text, step, i == step->byte + step->bit / 8);
        }
        if (i >= plan->header.size && i < fields)
            g_string_append(text, zg_plan_tag(frame->item) ? "tag" : i == plan->header.size ? "ticket" : "base");
        if (i >= check && i < check + plan->definition->check.after.size)
            g_string_append(text, "before the check");
        else if (i >= check)
            g_string_append_printf(text, "check, %s %zu",
                                   plan->definition->check.as == ZG_CHECK_AS_BYTES ? "byte" : "digit",
                                   i - check - plan->definition->check.after.size);
        else if (i >= filled)
            g_string_append(text, "zero, fills the frame");
        g_ptr_array_add(frame->meanings, g_strdup(text->str));
    }
    explain_fields(frame, fields);
    for (size_t i = fields; frame->item->text && i < filled; i++)
        if (*(char *)frame->meanings->pdata[i] == '\0') {
            g_free(frame->meanings->pdata[i]);
            frame->meanings->pdata[i] = g_strdup("of the layout");
        }
}

static void add(struct explaining *frame, bool carries, uint8_t content, char *what)
{
    struct zg_explained *byte = g_new(struct zg_explained, 1);

    *byte = (struct zg_explained){ frame->wire->data[frame->bytes->len], carries, content, what };
    g_ptr_array_add(frame->bytes, byte);
}

static void add_plain(struct explaining *frame, const char *what)
{
    add(frame, false, 0, g_strdup(what));
}

/* The next byte on the wire carries one of the content, as `as`; `how` says by which rule. */
static void add_content(struct explaining *frame, uint8_t as, const char *how)
{
    const char *meaning = frame->meanings->pdata[frame->content];

    if (frame->half)
        add(frame, false, 0, g_strconcat("second digit", how, NULL));
    else
        add(frame, true, frame->is ? frame->is[frame->content] : as, g_strconcat(meaning, how, NULL));
    frame->half = frame->is && !frame->half;
    frame->content += !frame->half;
}

static uint8_t next_byte(const struct explaining *frame)
{
    return frame->wire->data[frame->bytes->len];
}

static bool at_end(const struct explaining *frame)
{
    return frame->content == frame->meanings->len;
}

static void explain_cobs(struct explaining *frame)
{
    bool zero = false; /* the current block ends with one */

    while (frame->bytes->len + 1 < frame->wire->len) {
        uint8_t code = next_byte(frame);
        g_autofree char *how = g_strdup_printf("stuffing code, the next is %u further", code);
        g_autofree char *both = g_strdup_printf("; stuffing code of a zero, the next is %u further", code);
        if (zero && !at_end(frame))
            add_content(frame, 0, both);
        else
            add_plain(frame, how);
        for (unsigned i = 1; i < code; i++)
            add_content(frame, next_byte(frame), "");
        zero = code < 255;
    }
}

/* Content with escapes: an image XOR `turn` is its byte; SLIP, whose images are not made so, has 0. */
static void explain_escaped(struct explaining *frame, uint8_t escape, uint8_t turn)
{
    while (!at_end(frame)) {
        if (next_byte(frame) != escape) {
            add_content(frame, next_byte(frame), "");
            continue;
        }
        add_plain(frame, "escape");
        uint8_t byte = next_byte(frame);
        add_content(frame, turn ? byte ^ turn : byte == 0xDC ? 0xC0 : 0xDB, "");
    }
}

static void explain_doubled(struct explaining *frame, uint8_t doubled)
{
    while (!at_end(frame)) {
        uint8_t byte = next_byte(frame);
        add_content(frame, byte, "");
        if (byte == doubled)
            add_plain(frame, "the same again");
    }
}

static void explain_body(struct explaining *frame)
{
    const struct zg_framing_choice *framing = &frame->plan->definition->framing;

    if (framing->kind == ZG_FRAMING_COBS)
        explain_cobs(frame);
    else if (framing->kind == ZG_FRAMING_SLIP)
        explain_escaped(frame, 0xDB, 0);
    else if (framing->kind == ZG_FRAMING_HDLC)
        explain_escaped(frame, 0x7D, 0x20);
    else if (framing->marking == ZG_MARKING_ESCAPED)
        explain_escaped(frame, framing->escape, framing->escape_xor);
    else if (framing->marking == ZG_MARKING_DOUBLED)
        explain_doubled(frame, framing->escape);
    while (frame->content + zg_plan_trailing(frame->plan) < frame->meanings->len)
        add_content(frame, next_byte(frame), "");
}

static void explained_free(gpointer data)
{
    struct zg_explained *byte = data;
    g_free(byte->what);
    g_free(byte);
}

/* Where a byte is two characters: joins those of the frame to what is explained. */
static void join_halves(struct explaining *frame, enum zg_halves_choice halves)
{
    uint8_t *wire = frame->wire->data;

    for (guint i = 0; i + 1 < frame->wire->len; i += 2)
        wire[i / 2] =
            (uint8_t)(halves == ZG_HALVES_HIGH_FIRST ? wire[i] << 4 | wire[i + 1] : wire[i + 1] << 4 | wire[i]);
    g_byte_array_set_size(frame->wire, frame->wire->len / 2);
}

/* The same bytes as two characters each. */
static GPtrArray *split_halves(GPtrArray *bytes, enum zg_halves_choice halves)
{
    GPtrArray *both = g_ptr_array_new_with_free_func(explained_free);
    const unsigned shift = halves == ZG_HALVES_HIGH_FIRST ? 4 : 0;

    for (guint i = 0; i < bytes->len; i++) {
        const struct zg_explained *whole = g_ptr_array_index(bytes, i);
        struct zg_explained *half[2];
        for (unsigned k = 0; k < 2; k++) {
            half[k] = g_new0(struct zg_explained, 1);
            half[k]->wire = whole->wire >> (k == 0 ? shift : 4 - shift) & 15;
            g_ptr_array_add(both, half[k]);
        }
        half[0]->carries = whole->carries;
        half[0]->content = whole->content;
        half[0]->what = g_strdup_printf("%s; %s half", whole->what, shift > 0 ? "high" : "low");
        half[1]->what = g_strdup_printf("its %s half", shift > 0 ? "low" : "high");
    }
    g_ptr_array_unref(bytes);
    return both;
}

GPtrArray *zg_explain_frame(const struct zg_plan *plan, const struct zg_plan_message *item,
                            const struct zg_header *header, const struct zg_value *values)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    struct explaining frame = { .plan = plan,
                                .item = item,
                                .header = header,
                                .values = values,
                                .payload = zg_payload_size(item, values),
                                .meanings = g_ptr_array_new_with_free_func(g_free),
                                .bytes = g_ptr_array_new_with_free_func(explained_free) };
    g_autofree uint8_t *payload = g_malloc(frame.payload + 1);
    unsigned opening = plan->framer.framing.lead ? 1 : framing->start.size;
    const char *name = framing->kind == ZG_FRAMING_MARKS ? "start" : "sync";

    zg_payload_pack(item, header, values, payload);
    frame.wire = zg_frame_of(plan, item, header, payload, frame.payload);
    if (framing->halves)
        join_halves(&frame, framing->halves);
    if (item->message->bare) {
        for (guint i = 0; i < frame.wire->len; i++)
            add_plain(&frame, "all of the message, outside any frame");
        g_byte_array_unref(frame.wire);
        g_ptr_array_unref(frame.meanings);
        return frame.bytes;
    }
    g_autofree uint8_t *content = g_malloc(plan->max_content);
    frame.length = zg_content_make(plan, header, payload, frame.payload, content);
    frame.tail = plan->filled > 0 ? plan->check.size : frame.length - plan->header.size - frame.payload;
    frame.is = plan->definition->framing.coding ? content : NULL;
    explain_content(&frame);
    for (unsigned i = 0; i < opening; i++)
        add_plain(&frame, plan->framer.framing.lead ? "start of the frame" : name);
    explain_body(&frame);
    while (frame.bytes->len + zg_plan_trailing(plan) < frame.wire->len)
        add_plain(&frame, "end of the frame");
    while (!at_end(&frame))
        add_content(&frame, next_byte(&frame), "");
    g_byte_array_unref(frame.wire);
    g_ptr_array_unref(frame.meanings);
    return framing->halves ? split_halves(frame.bytes, framing->halves) : frame.bytes;
}

char *zg_explain_text(const struct zg_plan *plan, const struct zg_plan_message *item, const struct zg_header *header,
                      const struct zg_value *values)
{
    g_autoptr(GPtrArray) bytes = zg_explain_frame(plan, item, header, values);
    GString *text = g_string_new("byte  wire  content  what it is\n");

    for (unsigned i = 0; i < bytes->len; i++) {
        const struct zg_explained *byte = g_ptr_array_index(bytes, i);
        const bool is_character = byte->carries && item->text && g_ascii_isprint((char)byte->content);
        g_autofree char *content = is_character    ? g_strdup_printf("%02x '%c'", byte->content, byte->content)
                                   : byte->carries ? g_strdup_printf("%02x", byte->content)
                                                   : g_strdup("");
        g_string_append_printf(text, "%4u  %02x    %-7s  %s\n", i, byte->wire, content, byte->what);
    }
    return g_string_free(text, FALSE);
}
