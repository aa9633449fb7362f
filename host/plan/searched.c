/* SPDX-License-Identifier: MIT */
#include "plan/searched.h"

#include <string.h>

#include "plan/spelling.h"
#include "zeugma/spell.h"

/* What is looked for: end marks; bytes that a receiver drops, or that the line's characters are too short for, each of
 * which is a mark of its own. */
enum sought { SOUGHT_ENDS, SOUGHT_IGNORED, SOUGHT_WIDE };

/* A part of a message being looked at. */
struct looking {
    const struct zg_plan *plan;
    const struct zg_plan_message *item;
    struct zg_diagnostics *diagnostics; /* NULL: only whether there is something to report */
    bool *found;
    enum sought sought;
};

enum { MARKS_MOST = 256 };

/* What is looked for, as marks that must not stand anywhere. Returns how many there are. */
static unsigned marks_of(const struct looking *looking, struct zg_mark *marks)
{
    const struct zg_framing_choice *framing = &looking->plan->definition->framing;
    const struct zg_mark *ends[ZG_ALSO_MOST + 2];
    const unsigned bits = looking->plan->definition->line.data_bits;
    const unsigned count = looking->sought == SOUGHT_ENDS      ? zg_framing_ends(framing, ends)
                           : looking->sought == SOUGHT_IGNORED ? framing->ignores
                                                               : 256 - (1U << bits);

    for (unsigned i = 0; i < count; i++) {
        const uint8_t byte = looking->sought == SOUGHT_IGNORED ? framing->ignored[i] : (uint8_t)((1U << bits) + i);
        marks[i] = looking->sought == SOUGHT_ENDS ? *ends[i] : (struct zg_mark){ .size = 1, .bytes = { byte } };
    }
    return count;
}

/* "[0x0D, 0x0A]", and others. */
static void append_marks(const struct looking *looking, GString *text)
{
    struct zg_mark ends[MARKS_MOST];
    const unsigned count = marks_of(looking, ends);

    for (unsigned k = 0; k < count; k++) {
        g_string_append(text, k == 0 ? "[" : ", [");
        for (unsigned i = 0; i < ends[k].size; i++)
            g_string_append_printf(text, "%s0x%02X", i > 0 ? ", " : "", ends[k].bytes[i]);
        g_string_append_c(text, ']');
    }
}

/* Reports what could be a byte beyond the line's characters; `of`: in which message, or NULL. */
static void report_wide(const struct zg_plan *plan, struct zg_diagnostics *diagnostics, struct zg_place place,
                        const char *part, const char *of)
{
    const unsigned bits = plan->definition->line.data_bits;

    zgi_error(
        diagnostics, place,
        "%s%s%s can be a byte above %02X, which a character of %u data bits does not carry; expected format: 8N1%s",
        part, of ? " of " : "", of ? of : "", (1U << bits) - 1, bits,
        bits == 7 ? ", or text of ASCII, or coding: hex" : "");
}

/* Reports a part that could hold a byte of the mark, or all of it. */
static void report(const struct looking *looking, struct zg_place place, const char *part, const char *what)
{
    g_autoptr(GString) marks = g_string_new(NULL);

    *looking->found = true;
    if (!looking->diagnostics)
        return;
    if (looking->sought == SOUGHT_WIDE) {
        report_wide(looking->plan, looking->diagnostics, place, part, looking->item->message->name);
        return;
    }
    append_marks(looking, marks);
    if (looking->sought == SOUGHT_IGNORED)
        zgi_error(looking->diagnostics, place,
                  "%s of %s can hold a byte of ignore, %s, which a receiver drops; expected other types, ranges or "
                  "characters, coding: hex, or ignore without it",
                  part, looking->item->message->name, marks->str);
    else
        zgi_error(looking->diagnostics, place,
                  "%s of %s can hold %sthe end mark %s, which would end the frame there; expected escape or double, "
                  "another mark, or a message of one size that its first bytes tell",
                  part, looking->item->message->name, what, marks->str);
}

/* Whether a byte of the mark lies within these limits. */
static bool has_byte(const struct looking *looking, uint64_t low, uint64_t high)
{
    struct zg_mark ends[MARKS_MOST];
    const unsigned count = marks_of(looking, ends);

    for (unsigned k = 0; k < count; k++)
        for (unsigned i = 0; i < ends[k].size; i++)
            if (ends[k].bytes[i] >= low && ends[k].bytes[i] <= high)
                return true;
    return false;
}

/* Whether a byte of the mark could be one of UTF-8. */
static bool has_text_byte(const struct looking *looking)
{
    return has_byte(looking, 0, 0xBF) || has_byte(looking, 0xC2, 0xF4);
}

/* Whether any byte of whole numbers from `low` to `high` could be one of the mark. */
static bool has_number_byte(const struct looking *looking, uint64_t low, uint64_t high, unsigned bytes)
{
    if (high < 256)
        return has_byte(looking, low, high) || (bytes > 1 && has_byte(looking, 0, 0));
    return has_byte(looking, 0, 255);
}

static bool step_may_hold(const struct looking *looking, const struct zg_step *step);

static bool block_may_hold(const struct looking *looking, const struct zg_block *block)
{
    if (block->length && has_number_byte(looking, zg_block_length_of(block, block->size),
                                         zg_block_length_of(block, block->most_size), block->length->bits / 8))
        return true;
    for (unsigned i = 0; i < block->steps->len; i++)
        if (step_may_hold(looking, zg_block_step(block, i)))
            return true;
    return false;
}

static bool count_may_hold(const struct looking *looking, const struct zg_step *step)
{
    return step->count_size > 0 &&
           has_number_byte(looking, 0, (uint64_t)step->most * step->count_unit, step->count_size);
}

static bool step_may_hold(const struct looking *looking, const struct zg_step *step)
{
    if (count_may_hold(looking, step))
        return true;
    if (step->record)
        return block_may_hold(looking, step->record);
    if (step->type.kind == ZG_KIND_TEXT && looking->sought == SOUGHT_WIDE)
        return !step->type.is_ascii || has_byte(looking, 0x20, 0x7E);
    if (step->type.kind == ZG_KIND_TEXT)
        return has_text_byte(looking) && step->type.extent == ZG_EXTENT_FIXED && has_byte(looking, 0, 0);
    if (zg_step_is_string(step) || zg_step_is_bitwise(step) || zg_step_is_signed(step) ||
        !zg_type_is_integer(step->type) || zg_step_is_leb(step))
        return has_byte(looking, 0, 255);
    return has_number_byte(looking, step->low.u, step->high.u, step->bits / 8);
}

/* --- what a text layout writes */

static bool holds_mark(const struct looking *looking, const char *text)
{
    struct zg_mark ends[MARKS_MOST];
    const unsigned count = marks_of(looking, ends);

    for (unsigned k = 0; text && k < count; k++)
        if (zg_holds_mark((const uint8_t *)text, strlen(text), ends[k].bytes, ends[k].size))
            return true;
    return false;
}

/* Whether the mark could be written with these characters. */
static bool is_made_of(const struct looking *looking, const char *characters)
{
    struct zg_mark ends[MARKS_MOST];
    const unsigned count = marks_of(looking, ends);
    bool made = false;

    for (unsigned k = 0; k < count && !made; k++) {
        made = true;
        for (unsigned i = 0; i < ends[k].size; i++)
            made = made && ends[k].bytes[i] && strchr(characters, ends[k].bytes[i]);
    }
    return made;
}

static bool words_may_hold(const struct looking *looking, const struct zg_step *step)
{
    const struct zg_form *form = &step->field->form;
    const struct zg_enum *enumeration = step->type.enumeration;

    for (unsigned i = 0; enumeration && i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        if (holds_mark(looking, value->text ? value->text : value->name))
            return true;
    }
    return holds_mark(looking, form->on) || holds_mark(looking, form->off) || holds_mark(looking, form->absent) ||
           holds_mark(looking, form->prefix) || holds_mark(looking, form->between);
}

static bool characters_may_hold(const struct looking *looking, const struct zg_step *step, enum zg_layout_kind kind)
{
    if (words_may_hold(looking, step))
        return true;
    if (zg_text_is_number(step, kind))
        return is_made_of(looking, "0123456789+-.,eEabcdefABCDEF ");
    if (step->type.kind == ZG_KIND_BYTES)
        return is_made_of(looking, step->field->form.base64
                                       ? "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/="
                                       : "0123456789abcdefABCDEF");
    if (step->type.kind == ZG_KIND_TEXT && looking->sought == SOUGHT_WIDE)
        return !step->type.is_ascii || has_byte(looking, 0x20, 0x7E);
    return false; /* text that holds it is refused when it is sent */
}

static void check_text(const struct looking *looking)
{
    const struct zg_text *text = looking->item->text;
    const struct zg_layout *layout = text->layout;

    if (holds_mark(looking, layout->assign) || holds_mark(looking, layout->between))
        report(looking, layout->place, "a separator", "");
    for (unsigned i = 0; i < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i);
        const struct zg_step *step =
            part->step >= 0 ? zg_block_step(&looking->item->payload, (unsigned)part->step) : NULL;
        if (holds_mark(looking, part->literal + (i == 0 ? text->skipped : 0))) /* what the tag has is told there */
            report(looking, layout->place, layout->kind == ZG_LAYOUT_PATTERN ? "the text" : "a key", "");
        if (part->constant && holds_mark(looking, part->constant->text))
            report(looking, part->constant->place, part->constant->name, "");
        if (step && characters_may_hold(looking, step, layout->kind))
            report(looking, step->field->place, step->name, "");
    }
}

/* --- the whole content */

/* Whether a part of the header could hold a byte of the mark. */
static bool header_may_hold(const struct looking *looking, const struct zg_step *step)
{
    const uint64_t value = step->role->role == ZG_ROLE_CONST ? step->role->value : looking->item->message->id;
    const bool is_known = step->role->role == ZG_ROLE_CONST || step->role->role == ZG_ROLE_ID;
    bool may = !is_known || zg_step_is_bitwise(step);

    for (unsigned k = 0; !may && k < step->bits / 8; k++)
        may = has_byte(looking, value >> (8 * k) & 0xFF, value >> (8 * k) & 0xFF);
    return may;
}

static void check_header(const struct looking *looking)
{
    const struct zg_block *header = &looking->plan->header;

    for (unsigned i = 0; i < header->steps->len; i++) {
        const struct zg_step *step = zg_block_step(header, i);
        if (!header_may_hold(looking, step))
            continue;
        g_autofree char *part = g_strdup_printf("the header's %s in frames", step->name);
        report(looking, step->role->place, part, "a byte of ");
    }
}

static void check_tags(const struct looking *looking)
{
    for (unsigned i = 0; i < looking->item->message->tags->len; i++) {
        const struct zg_tag *tag = g_ptr_array_index(looking->item->message->tags, i);
        g_autofree char *text = g_strndup((const char *)tag->bytes, tag->size);
        if (holds_mark(looking, text))
            report(looking, tag->place, "the tag", "");
    }
}

/* Whether the check could hold the mark: bytes one of its bytes, digits all of it. */
static bool check_may_hold(const struct looking *looking)
{
    const struct zg_plan *plan = looking->plan;
    g_autofree char *after =
        g_strndup((const char *)plan->definition->check.after.bytes, plan->definition->check.after.size);

    if (plan->check.size == 0 || (plan->definition->check.after_end && looking->sought == SOUGHT_ENDS))
        return false;
    if (holds_mark(looking, after))
        return true;
    return plan->definition->check.as == ZG_CHECK_AS_BYTES ? has_byte(looking, 0, 255)
                                                           : is_made_of(looking, "0123456789abcdefABCDEF");
}

/* The check is all messages' and reported once. */
static bool is_first_reported(const struct looking *looking)
{
    unsigned i = 0;

    while (looking->diagnostics &&
           (zg_plan_message_at(looking->plan, i)->message->bare ||
            (looking->sought == SOUGHT_ENDS && zg_plan_message_at(looking->plan, i)->fixed_end)))
        i++;
    return !looking->diagnostics || looking->item == zg_plan_message_at(looking->plan, i);
}

static void check_message(const struct looking *looking)
{
    const struct zg_block *block = &looking->item->payload;

    check_header(looking);
    check_tags(looking);
    if (looking->item->text)
        check_text(looking);
    for (unsigned i = 0; !looking->item->text && i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (!step_may_hold(looking, step))
            continue;
        g_autofree char *count = g_strdup_printf("the count in front of %s", step->name);
        report(looking, step->field->place, count_may_hold(looking, step) ? count : step->name, "a byte of ");
    }
    if (is_first_reported(looking) && check_may_hold(looking))
        report(looking, looking->plan->definition->check.place, "the check in frames",
               looking->plan->definition->check.as == ZG_CHECK_AS_BYTES ? "a byte of " : "");
}

/* --- messages of one size */

static bool has_one_size(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    const struct zg_text *text = item->text;

    if (item->payload_least != item->payload_most || zg_check_least(&plan->check) != plan->check.size ||
        (text && text->layout->kind != ZG_LAYOUT_PATTERN))
        return false;
    for (unsigned i = 0; text && i < text->parts->len; i++) {
        const int step = zg_text_part(text, i)->step;
        if (step >= 0 && zg_block_step(&item->payload, (unsigned)step)->characters == 0)
            return false;
    }
    return true;
}

/* Whether a message's sender has no other. */
static bool is_alone(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *other = zg_plan_message_at(plan, i);
        if (other != item && !other->message->bare && (other->message->from & item->message->from) != 0)
            return false;
    }
    return true;
}

/* Whether a message's first bytes, up to the id or the tag's end, tell which one it is, and hold no byte of the mark.
 */
static bool is_told(const struct looking *looking)
{
    const struct zg_plan *plan = looking->plan;
    const struct zg_message *message = looking->item->message;
    const struct zg_step *id = zg_plan_role(plan, ZG_ROLE_ID);
    const unsigned known = id ? zg_step_end(id) : plan->header.size;

    for (unsigned i = 0; i < plan->header.steps->len; i++)
        if (zg_block_step(&plan->header, i)->byte < known && header_may_hold(looking, zg_block_step(&plan->header, i)))
            return false;
    for (unsigned i = 0; i < message->tags->len; i++) {
        const struct zg_tag *tag = g_ptr_array_index(message->tags, i);
        for (unsigned k = 0; k < tag->size; k++)
            if (has_byte(looking, tag->bytes[k], tag->bytes[k]))
                return false;
    }
    return plan->id_bits > 0 || message->tags->len > 0 || is_alone(plan, looking->item);
}

void zgi_find_fixed_ends(struct zg_plan *plan)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        struct zg_plan_message *item = &g_array_index(plan->messages, struct zg_plan_message, i);
        bool found = false;
        if (item->message->bare)
            continue;
        const struct looking looking = { plan, item, NULL, &found, SOUGHT_ENDS };
        check_message(&looking);
        item->fixed_end = found && has_one_size(plan, item) && is_told(&looking);
    }
}

void zgi_check_searched(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        bool found = false;
        const struct looking looking = { plan, zg_plan_message_at(plan, i), diagnostics, &found, SOUGHT_ENDS };
        if (!looking.item->fixed_end && !looking.item->message->bare)
            check_message(&looking);
    }
}

void zgi_check_ignored(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;

    for (unsigned i = 0; i < framing->ignores && framing->coding; i++)
        if (g_ascii_isxdigit((char)framing->ignored[i]))
            zgi_error(diagnostics, framing->place,
                      "0x%02X is a hex digit, which the coded content holds; expected ignore without it",
                      framing->ignored[i]);
    for (unsigned i = 0; i < plan->messages->len && framing->ignores > 0 && !framing->coding; i++) {
        bool found = false;
        const struct looking looking = { plan, zg_plan_message_at(plan, i), diagnostics, &found, SOUGHT_IGNORED };
        if (!looking.item->message->bare)
            check_message(&looking);
    }
}

/* Whether any of these bytes is one. */
static bool is_wide(const struct zg_plan *plan, const uint8_t *bytes, unsigned count)
{
    bool wide = false;

    for (unsigned i = 0; i < count; i++)
        wide = wide || bytes[i] >> plan->definition->line.data_bits != 0;
    return wide;
}

/* What of a framing, besides the content, does not fit; NULL: nothing. */
static const char *wide_framing(const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    const uint8_t image = framing->escape ^ framing->escape_xor;
    const struct zg_mark *ends[ZG_ALSO_MOST + 2];
    const unsigned limit = 1U << plan->definition->line.data_bits;

    if (framing->kind == ZG_FRAMING_COBS && plan->max_content >= limit - 1)
        return "a code of cobs";
    if (framing->kind == ZG_FRAMING_SLIP || (framing->kind == ZG_FRAMING_HDLC && limit < 0x80))
        return "the framing's delimiter";
    if (is_wide(plan, framing->start.bytes, framing->start.size))
        return framing->kind == ZG_FRAMING_MARKS ? "the start mark" : "the sync";
    if (framing->kind != ZG_FRAMING_MARKS)
        return NULL;
    for (unsigned i = zg_framing_ends(framing, ends); i > 0; i--)
        if (is_wide(plan, ends[i - 1]->bytes, ends[i - 1]->size))
            return "an end mark";
    if (framing->marking != ZG_MARKING_PLAIN && is_wide(plan, &framing->escape, 1))
        return framing->marking == ZG_MARKING_DOUBLED ? "the doubled byte" : "the escape";
    return framing->marking == ZG_MARKING_ESCAPED && is_wide(plan, &image, 1) ? "an escaped byte" : NULL;
}

void zgi_check_characters(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_definition *definition = plan->definition;
    const char *framing;

    if (definition->line.data_bits == 8 || definition->framing.halves || definition->line.is_clocked)
        return;
    framing = wide_framing(plan);
    if (framing)
        report_wide(plan, diagnostics, definition->framing.place, framing, NULL);
    if (definition->framing.coding && definition->line.data_bits < 7)
        report_wide(plan, diagnostics, definition->framing.place, "a hex digit", NULL);
    for (unsigned i = 0; i < plan->messages->len; i++) {
        bool found = false;
        const struct looking looking = { plan, zg_plan_message_at(plan, i), diagnostics, &found, SOUGHT_WIDE };
        if (looking.item->message->bare)
            check_tags(&looking);
        else if (!definition->framing.coding)
            check_message(&looking);
    }
}

/* How many fields of a message need not be there. */
static unsigned omissible(const struct zg_message *message)
{
    unsigned count = 0;

    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        count += field->optional || field->default_text;
    }
    return count;
}

void zgi_check_start_inside(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    const struct zg_mark *start = &plan->definition->framing.start;
    const unsigned width = plan->definition->check.crc.width;
    g_autofree char *opening = g_strndup((const char *)start->bytes, start->size);

    if (start->size == 0 || width == 0 || width >= 16)
        return;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        const char *between = message->layout.between;
        if (between && strstr(between, opening) && omissible(message) > 1)
            zgi_warning(diagnostics, message->layout.place,
                        "the start mark also stands between the pairs of %s, so a damaged block may be taken from its "
                        "second pair on, which a check of %u bits often does not notice; expected all fields but one "
                        "without optional and default, a wider check, or another start mark",
                        message->name, width);
    }
}
