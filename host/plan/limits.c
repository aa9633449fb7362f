/* SPDX-License-Identifier: MIT */
/* What must fit: payloads, frames, variables. And whether the check is strong enough. */
#include "plan/limits.h"

#include "plan/bares.h"
#include "plan/searched.h"
#include "zeugma/protocol.h"

enum { PC_GAP_MS = 2 };

unsigned zgi_payload_room(const struct zg_plan *plan)
{
    const struct zg_definition *definition = plan->definition;
    unsigned room = (unsigned)definition->max_payload;
    unsigned around = plan->header.size + plan->check.size;

    if (plan->filled > 0) {
        unsigned most = plan->filled > around ? plan->filled - around : 0;
        return room > 0 ? MIN(room, most) : most;
    }
    if (definition->max_frame == 0)
        return room;
    if (room == 0)
        room = (unsigned)definition->max_frame;
    while (room > 0 && zg_framing_most(&definition->framing, around + room) > definition->max_frame)
        room--;
    return room;
}

/* Room for a variable's value in the messages that read and write it, after ticket and index. */
static unsigned variable_room(const struct zg_plan *plan, unsigned room)
{
    const struct zg_plan_message *value = zg_plan_by_name(plan, "variable_value");
    unsigned before = value && value->message->service ? value->payload_least : 2;
    return room > before ? room - before : 0;
}

static void check_variable_sizes(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    unsigned limit = zgi_payload_room(plan);
    unsigned room = variable_room(plan, limit);

    for (unsigned i = 0; i < plan->variables->len && limit > 0; i++) {
        const struct zg_plan_variable *item = zg_plan_variable_at(plan, i);
        const struct zg_field *field = zg_variable_field(item->variable);
        if (item->block.most_size > room)
            zgi_error(diagnostics, field->place,
                      "the variable %s takes %u bytes; the messages that read and write it have room for %u",
                      field->name, item->block.most_size, room);
    }
}

static void check_sizes(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;
    const unsigned most = definition->max_payload > 0 ? (unsigned)definition->max_payload : ZGI_LARGEST_PAYLOAD;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (item->message->bare)
            continue;
        if (item->payload_most >= ZGI_UNREACHABLE)
            zgi_error(diagnostics, item->message->place,
                      "the payload of %s takes over %d bytes; at most %d are possible", item->message->name,
                      ZGI_UNREACHABLE - 1, ZGI_LARGEST_PAYLOAD);
        else if (item->payload_most > most)
            zgi_error(diagnostics, item->message->place, "the payload of %s takes %u bytes; max_payload is %u",
                      item->message->name, item->payload_most, most);
        if (definition->max_frame > 0 && item->frame_most > definition->max_frame)
            zgi_error(diagnostics, item->message->place,
                      "a frame of %s takes up to %u bytes on the wire; max_frame is %" G_GUINT64_FORMAT,
                      item->message->name, item->frame_most, definition->max_frame);
    }
}

static bool holds_since(const struct zg_block *block)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        if (zg_block_step(block, i)->newer)
            return true;
    return false;
}

static bool is_open_ended(const struct zg_block *block)
{
    const struct zg_step *last = block->steps->len > 0 ? zg_block_step(block, block->steps->len - 1) : NULL;
    return last && last->type.extent == ZG_EXTENT_REST;
}

/* With fixed, zero bytes fill the space between payload and check: the payload must fit, and its end must be
 * recognisable. */
static void check_fixed(const struct zg_plan *plan, const struct zg_plan_message *item,
                        struct zg_diagnostics *diagnostics)
{
    const char *name = item->message->name;
    unsigned around = plan->header.size + plan->check.size;

    if (item->payload_most < ZGI_UNREACHABLE && around + item->payload_most > plan->filled)
        zgi_error(diagnostics, item->message->place,
                  "header, payload and check of %s take %u bytes; each frame has %u; expected size: %u or more", name,
                  around + item->payload_most, plan->filled, around + item->payload_most);
    if (plan->length_bits == 0 && (is_open_ended(&item->payload) || holds_since(&item->payload)))
        zgi_error(diagnostics, item->message->place,
                  "the end of the payload of %s cannot be distinguished from the zero bytes after it; with the framing "
                  "fixed, [..] and since need the header role length",
                  name);
}

/* Whether the check's form and place suit framing and header. */
static void check_form(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_check_choice *check = &plan->definition->check;
    const struct zg_framing_choice *framing = &plan->definition->framing;

    if (check->after_end && !zg_framing_is_plain(framing))
        zgi_error(diagnostics, check->place,
                  "place: after_end needs an end mark that is not escaped; expected framing: { kind: marks, end: ... } "
                  "without escape and double, or place: before_end");
    if (plan->check.form && plan->check.form->closing_size > 0 &&
        (zg_framing_is_sided(framing) || framing->also_ends > 0))
        zgi_error(diagnostics, check->place,
                  "the check covers the end mark, of which there are several here; expected one end mark, or covers: "
                  "content");
    if (check->as == ZG_CHECK_AS_DECIMAL && (plan->length_bits > 0 || plan->filled > 0))
        zgi_error(diagnostics, check->place,
                  "a decimal check has no fixed size, which the length and the framing fixed would have to count; "
                  "expected as: hex, or another framing and no role length");
}

/* Whether digits could be an end mark. */
static void check_coded_marks(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_mark *ends[ZG_ALSO_MOST + 2];
    const unsigned count = zg_framing_ends(&plan->definition->framing, ends);

    for (unsigned k = 0; k < count; k++) {
        bool digits = true;
        for (unsigned i = 0; i < ends[k]->size; i++)
            digits = digits && g_ascii_isxdigit((char)ends[k]->bytes[i]);
        if (digits)
            zgi_error(diagnostics, plan->definition->framing.place,
                      "the end mark consists of hex digits, which the coded content holds, too; expected another mark");
    }
}

/* Whether the framing can carry every message. */
static void check_framing(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (plan->filled > 0 && !item->message->bare)
            check_fixed(plan, item, diagnostics);
    }
    check_form(plan, diagnostics);
    if (plan->definition->framing.coding && zg_framing_is_plain(&plan->definition->framing))
        check_coded_marks(plan, diagnostics);
    zgi_check_start_inside(plan, diagnostics);
    if (plan->searched)
        zgi_check_searched(plan, diagnostics);
    zgi_check_ignored(plan, diagnostics);
    zgi_check_characters(plan, diagnostics);
    zgi_check_bares(plan, diagnostics);
}

/* Warns if two flipped bits can leave the check unchanged. It detects all such errors only up to a length, the order of
 * x modulo its polynomial (W. W. Peterson, D. T. Brown, "Cyclic Codes for Error Detection", 1961). */
static void check_strength(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;
    unsigned largest = plan->header.size + plan->check.size;

    for (unsigned i = 0; i < plan->messages->len; i++)
        largest = MAX(largest, MIN(zg_plan_message_at(plan, i)->content, (unsigned)ZGI_LARGEST_PAYLOAD));
    uint64_t bits = 8 * (uint64_t)largest;
    const struct zg_check_choice *check = &definition->check;
    uint64_t seen = check->kind == ZG_CHECK_CRC ? zg_crc_order(&check->crc, bits) : check->sum ? check->sum->order : 0;
    if (check->kind == ZG_CHECK_SUM && seen == 0)
        zgi_warning(diagnostics, definition->check.place,
                    "the check %s misses some pairs of flipped bits at any length; a CRC of its size detects them all "
                    "in short frames",
                    definition->check.name);
    else if (check->kind != ZG_CHECK_NONE && seen < bits)
        zgi_warning(diagnostics, definition->check.place,
                    "this %u-bit check detects any two flipped bits only in up to %" G_GUINT64_FORMAT
                    " bits; the largest frame's content has %u; a wider check detects them all",
                    definition->check.crc.width, seen, 8 * largest);
}

/* Whether every message with its check still passes with a zero byte appended: then the check's residue is zero, in the
 * order in which it is sent. Tried on a few messages, all of which would pass by chance once in 2^24 or less. */
static bool passes_with_zero(const struct zg_check *of_plan)
{
    struct zg_check whole = *of_plan, *check = &whole;
    uint8_t content[32];

    if (of_plan->form)
        return false;
    check->skip = 0;
    for (unsigned sample = 0; sample < 3; sample++) {
        const size_t covered = 9 + sample;
        for (size_t i = 0; i < covered; i++)
            content[i] = (uint8_t)(0x35 + 0x5B * i + 0x11 * sample);
        zg_check_store(check, zg_check_value(check, content, covered), content + covered);
        content[covered + check->size] = 0;
        if (zg_check_load(check, content + covered + 1) != zg_check_value(check, content, covered + 1))
            return false;
    }
    return check->size > 0;
}

/* Names a few CRCs of the same size that detect an appended zero byte in this order. Free with g_free(). */
static char *checks_that_see_zero(const struct zg_plan *plan)
{
    GString *names = g_string_new(NULL);
    unsigned found = 0;

    for (unsigned i = 0; i < zg_crc_table_length && found < 3; i++) {
        const struct zg_check_choice choice = { .kind = ZG_CHECK_CRC,
                                                .crc = zg_crc_table[i],
                                                .big_endian = plan->check.big_endian };
        struct zg_checker checker;
        zg_checker_init(&checker, &choice, 0);
        if (checker.check.size == plan->check.size && choice.crc.width % 8 == 0 && choice.crc.xor_out != 0 &&
            !passes_with_zero(&checker.check))
            g_string_append_printf(names, "%s%s", found++ > 0 ? ", " : "", choice.crc.name);
        zg_checker_clear(&checker);
    }
    return g_string_free(names, FALSE);
}

/* Whether a payload may be one byte longer and still be valid. */
static bool may_be_longer(const struct zg_plan_message *item)
{
    const unsigned count = item->payload.steps->len;
    const struct zg_step *last = count > 0 ? zg_block_step(&item->payload, count - 1) : NULL;

    return last && (last->type.extent == ZG_EXTENT_REST || last->type.extent == ZG_EXTENT_COUNTED ||
                    holds_since(&item->payload));
}

/* Where one delimiter closes a frame and another opens the next, a damaged closing one leaves the frame a byte longer.
 * With cobs one flipped bit, 00 to 01, appends a zero byte; with slip two do, C0 to 00. */
static void check_closing(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    const bool is_cobs = framing->kind == ZG_FRAMING_COBS;

    if (!framing->lead || (!is_cobs && framing->kind != ZG_FRAMING_SLIP) || plan->length_bits > 0 ||
        !passes_with_zero(&plan->check))
        return;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (!may_be_longer(item))
            continue;
        g_autofree char *others = checks_that_see_zero(plan);
        zgi_warning(
            diagnostics, plan->definition->check.place,
            "this check does not detect a zero byte appended to the frame, which %s of a closing delimiter make%s; %s "
            "may be a byte longer and would be taken as valid; expected the header role length, or another check: %s",
            is_cobs ? "one flipped bit" : "two flipped bits", is_cobs ? "s" : "", item->message->name,
            others[0] ? others : "crc16/usb, crc16/ibm-sdlc, crc16/genibus");
        return;
    }
}

/* Silence within a frame, as between two bytes of a slow sender, must not end it. Nor must silence that only appears
 * so: a PC asks for bytes a thousand times a second (USB 2.0, full speed, frames of 1 ms). */
void zgi_plan_check_gap(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_place place = plan->definition->framing.place;
    const double characters = (double)plan->gap_ns / (double)zg_line_byte_ns(&plan->definition->line);
    const double ms = (double)plan->gap_ns / 1e6;

    if (plan->gap_ns == 0)
        return;
    if (characters < 1.5)
        zgi_warning(diagnostics, place,
                    "a gap of %.3g ms is %.2g characters at %" G_GUINT64_FORMAT
                    " baud, and senders leave that much within a frame; expected 1.5 characters or more; 3.5 are usual",
                    ms, characters, plan->definition->line.baud);
    if (ms < PC_GAP_MS)
        zgi_warning(diagnostics, place,
                    "a PC cannot keep a gap of %.3g ms: bytes reach it through USB in steps of 1 ms, and appear that "
                    "far apart within a frame; expected %d ms or more, or a framing with marks",
                    ms, PC_GAP_MS);
}

void zgi_plan_limits(struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    check_sizes(plan, diagnostics);
    check_framing(plan, diagnostics);
    check_variable_sizes(plan, diagnostics);
    check_strength(plan, diagnostics);
    check_closing(plan, diagnostics);
    if (plan->header.size > ZG_HEADER_MAX)
        zgi_error(diagnostics, plan->definition->frame_place, "the header takes %u bytes; at most %d are supported",
                  plan->header.size, ZG_HEADER_MAX);
}
