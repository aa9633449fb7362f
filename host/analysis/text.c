/* SPDX-License-Identifier: MIT */
#include "analysis/text.h"

#include <string.h>

#include "codec/as_text.h"
#include "definition/words.h"

static unsigned raw_length(const struct zg_step *step, union zg_raw raw)
{
    g_autoptr(GString) text = g_string_new(NULL);
    zg_raw_to_text(step, raw, text);
    return (unsigned)text->len;
}

/* The longest of an enum's names, or all names of a set of flags together. */
static unsigned names_length(const struct zg_enum *enumeration)
{
    unsigned longest = 0, all = 0;

    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        longest = MAX(longest, (unsigned)strlen(value->name));
        all += (unsigned)strlen(value->name) + (i > 0);
    }
    return enumeration->flags ? all : longest;
}

/* The longest text of a number: at its limits or just within them, where decimals may be longer. */
static unsigned number_length(const struct zg_step *step)
{
    const unsigned f32_digits = 14, f64_digits = 24; /* -3.4028235e+38, -1.7976931348623157e+308 */
    union zg_raw inner_low = step->low, inner_high = step->high;

    if (step->type.enumeration)
        return names_length(step->type.enumeration);
    if (step->type.kind == ZG_KIND_BOOL)
        return 1;
    if (step->type.kind == ZG_KIND_FLOAT)
        return step->type.bits == 32 ? f32_digits : f64_digits;
    inner_low.u++;
    inner_high.u--;
    return MAX(MAX(raw_length(step, step->low), raw_length(step, step->high)),
               MAX(raw_length(step, inner_low), raw_length(step, inner_high)));
}

static unsigned block_length(const struct zg_block *block, bool names)
{
    unsigned length = 0;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        length += i > 0;
        if (names)
            length += (unsigned)strlen(step->name) + 1;
        if (step->type.kind == ZG_KIND_TEXT)
            length += step->most;
        else if (step->type.kind == ZG_KIND_BYTES)
            length += 2 * step->most;
        else if (step->most > 0) /* elements, with a blank between them */
            length +=
                step->most * (step->record ? block_length(step->record, names) : number_length(step)) + step->most - 1;
    }
    return length;
}

void zg_text_lengths(const struct zg_plan_message *message, unsigned *pairs, unsigned *bare)
{
    *pairs = block_length(&message->payload, true) + 1;
    *bare = block_length(&message->payload, false) + 1;
}

char *zg_text_drawing(const struct zg_plan_message *item)
{
    const struct zg_text *text = item->text;
    const struct zg_layout *layout = text->layout;
    const bool is_json = layout->kind == ZG_LAYOUT_JSON, is_pairs = layout->kind == ZG_LAYOUT_PAIRS;
    const struct zg_tag *tag = text->skipped == 0 ? zg_plan_tag(item) : NULL;
    g_autoptr(GString) drawn = g_string_new_len(tag ? (const char *)tag->bytes : "", tag ? (gssize)tag->size : 0);

    g_string_append(drawn, is_json ? "{" : "");

    for (unsigned i = 0; i < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i);
        if (i > 0 && (is_json || is_pairs))
            g_string_append(drawn, is_json ? "," : layout->between);
        g_string_append_printf(drawn, is_json ? "\"%s\":" : "%s", part->literal);
        g_string_append(drawn, is_pairs ? layout->assign : "");
        if (part->constant)
            g_string_append_printf(drawn, is_json && !part->constant->is_number ? "\"%s\"" : "%s",
                                   part->constant->text);
        else if (part->step >= 0)
            g_string_append_printf(drawn, "<%s>", zg_block_step(&item->payload, (unsigned)part->step)->name);
    }
    g_string_append(drawn, is_json ? "}" : "");
    return zg_shown(drawn->str, -1, false);
}

char *zg_text_place(const struct zg_plan_message *item, unsigned step)
{
    unsigned at = item->front - (unsigned)item->text->skipped;

    if (item->text->layout->kind != ZG_LAYOUT_PATTERN)
        return g_strdup("");
    for (unsigned i = 0; i < item->text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(item->text, i);
        unsigned least, most;
        at += (unsigned)part->size;
        if (part->step < 0)
            break;
        zg_text_value_lengths(zg_block_step(&item->payload, (unsigned)part->step), ZG_LAYOUT_PATTERN, &least, &most);
        if ((unsigned)part->step == step)
            return least == most ? g_strdup_printf("%u-%u", at, at + MAX(most, 1) - 1) : g_strdup_printf("%u..", at);
        if (least != most)
            break;
        at += most;
    }
    return g_strdup("");
}
