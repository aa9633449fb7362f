/* SPDX-License-Identifier: MIT */
#include "plan/bares.h"

#include <string.h>

/* Whether one of two runs of bytes begins with the other. */
static bool begin_alike(const struct zg_tag *bytes, const struct zg_mark *mark)
{
    return mark->size > 0 && memcmp(bytes->bytes, mark->bytes, MIN(bytes->size, mark->size)) == 0;
}

/* Whether a message begins like the rest of an end mark, with which another end mark begins. */
static bool begins_like_rest(const struct zg_tag *bytes, const struct zg_mark *const *ends, unsigned count)
{
    for (unsigned i = 0; i < count && count > 1; i++)
        for (unsigned k = 1; k < ends[i]->size; k++)
            if (ends[i]->bytes[k] == bytes->bytes[0])
                return true;
    return false;
}

/* Whether every frame begins with bytes that nothing else is. */
static bool has_start(const struct zg_framing_choice *framing)
{
    const bool end_opens = framing->kind == ZG_FRAMING_MARKS && framing->start.size == 1 && framing->end.size == 1 &&
                           framing->start.bytes[0] == framing->end.bytes[0];
    return framing->start.size > 0 && !end_opens;
}

static bool is_one_of(uint8_t byte, const char *characters)
{
    return byte != 0 && strchr(characters, byte);
}

/* Whether a value in a text may begin with a byte. */
static bool value_may_begin(const struct zg_step *step, enum zg_layout_kind kind, uint8_t byte)
{
    const struct zg_form *form = &step->field->form;

    if (zg_text_is_number(step, kind) && !form->prefix)
        return is_one_of(byte, form->base == 16 ? " 0123456789abcdefABCDEF" : " +-0123456789");
    if (form->quote && !step->field->optional)
        return byte == (uint8_t)form->quote;
    return true; /* words and texts are many */
}

/* Whether a payload in a text layout may. */
static bool text_may_begin(const struct zg_plan_message *item, uint8_t byte)
{
    const struct zg_text *text = item->text;
    bool may = false;

    if (text->layout->kind == ZG_LAYOUT_JSON)
        return is_one_of(byte, "{ \t\r\n");
    if (text->layout->kind == ZG_LAYOUT_PATTERN) {
        const struct zg_text_part *first = zg_text_part(text, 0);
        if (first->size > 0 || first->step < 0)
            return first->size > 0 && (uint8_t)first->literal[0] == byte;
        return value_may_begin(zg_block_step(&item->payload, (unsigned)first->step), ZG_LAYOUT_PATTERN, byte);
    }
    for (unsigned i = 0; i < text->parts->len; i++)
        may = may || (uint8_t)zg_text_part(text, i)->literal[0] == byte;
    return may;
}

/* Whether a frame's content may. Without a start mark that is what comes first. */
static bool content_may_begin(const struct zg_plan *plan, const struct zg_plan_message *item, uint8_t byte)
{
    const struct zg_step *first = plan->header.steps->len > 0 ? zg_block_step(&plan->header, 0) : NULL;

    if (plan->definition->framing.coding)
        return g_ascii_isxdigit((char)byte);
    if (first && zg_step_is_bitwise(first))
        return true;
    if (first) {
        const bool is_const = first->role->role == ZG_ROLE_CONST;
        const uint64_t value = is_const ? first->role->value : item->message->id;
        const unsigned shift = first->big_endian ? first->bits - 8 : 0;
        return (!is_const && first->role->role != ZG_ROLE_ID) || (uint8_t)(value >> shift) == byte;
    }
    for (unsigned i = 0; i < item->message->tags->len; i++)
        if (((const struct zg_tag *)g_ptr_array_index(item->message->tags, i))->bytes[0] == byte)
            return true;
    if (item->message->tags->len > 0)
        return false;
    return item->text ? text_may_begin(item, byte) : true;
}

static void check_bare(const struct zg_plan *plan, const struct zg_message *message, struct zg_diagnostics *diagnostics)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;
    const struct zg_tag *bytes = g_ptr_array_index(message->tags, 0);
    const struct zg_mark *marks[ZG_ALSO_MOST + 3] = { &framing->start };
    const unsigned count = 1 + zg_framing_ends(framing, marks + 1);

    if (framing->kind != ZG_FRAMING_MARKS && framing->kind != ZG_FRAMING_LENGTH && framing->kind != ZG_FRAMING_FIXED &&
        framing->kind != ZG_FRAMING_GAP)
        zgi_error(diagnostics, message->bare_place,
                  "with the framing %s a frame may begin with any byte, or there is nothing outside frames; expected "
                  "marks, length, fixed or gap, or %s without bare",
                  zg_framing_names[framing->kind], message->name);
    for (unsigned i = 0; i < bytes->size; i++)
        if (memchr(framing->ignored, bytes->bytes[i], framing->ignores))
            zgi_error(diagnostics, message->bare_place, "%s holds 0x%02X, which a receiver ignores", message->name,
                      bytes->bytes[i]);
    for (unsigned i = 0; i < count; i++)
        if (begin_alike(bytes, marks[i]) || (i == 0 && begins_like_rest(bytes, marks + 1, count - 1)))
            zgi_error(diagnostics, message->bare_place,
                      "of %s and a mark of the framing one begins with the other; choose other bytes", message->name);
    for (unsigned i = 0; i < plan->messages->len && !has_start(framing); i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (item->message->bare || (item->message->from & message->from) == 0 ||
            !content_may_begin(plan, item, bytes->bytes[0]))
            continue;
        zgi_error(diagnostics, message->bare_place,
                  "a frame of %s may begin with 0x%02X as well, so that %s could not be told from it; expected a start "
                  "mark, a tag, or other bytes",
                  item->message->name, bytes->bytes[0], message->name);
        return;
    }
}

void zgi_check_bares(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    unsigned bares = 0;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        if (!message->bare)
            continue;
        if (++bares > ZG_BARES_MOST)
            zgi_error(diagnostics, message->bare_place, "there are more than %d bare messages", ZG_BARES_MOST);
        check_bare(plan, message, diagnostics);
    }
    if (bares == plan->messages->len)
        zgi_error(diagnostics, zg_plan_message_at(plan, 0)->message->place,
                  "all messages are bare; expected at least one that is sent in frames");
}
