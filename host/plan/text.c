/* SPDX-License-Identifier: MIT */
#include "plan/text.h"

#include <string.h>

#include "definition/pattern.h"
#include "plan/spelling.h"

/* Characters, at least and at most. */
struct lengths {
    unsigned least, most;
};

const char *zg_text_of_bool(const struct zg_step *step, bool value, enum zg_layout_kind kind)
{
    const struct zg_form *form = &step->field->form;
    const char *own = value ? form->on : form->off;

    if (own)
        return own;
    if (kind == ZG_LAYOUT_JSON && !form->on && !form->off)
        return value ? "true" : "false";
    return value ? "1" : "0";
}

const char *zg_text_between(const struct zg_step *step)
{
    return step->field->form.between ? step->field->form.between : ",";
}

bool zg_text_is_number(const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_enum *enumeration = step->type.enumeration;

    if (step->record || zg_step_is_string(step) || step->type.kind == ZG_KIND_BOOL)
        return false;
    if (!enumeration)
        return true;
    if (enumeration->flags)
        return step->field->form.number || (kind != ZG_LAYOUT_JSON && !step->field->form.names);
    return step->field->form.number;
}

bool zg_text_is_quoted(const struct zg_step *step)
{
    const struct zg_form *form = &step->field->form;
    return form->string || form->base != 10 || form->prefix || form->width > 0 || form->sign || form->point != '.';
}

const char *zg_text_of_value(const struct zg_enum *enumeration, union zg_raw raw)
{
    const struct zg_enum_value *value = g_hash_table_lookup(enumeration->by_raw, &raw.u);
    return !value ? NULL : value->text ? value->text : value->name;
}

/* --- lengths */

static struct lengths either(const char *a, const char *b)
{
    const unsigned first = (unsigned)strlen(a), second = (unsigned)strlen(b);
    return (struct lengths){ MIN(first, second), MAX(first, second) };
}

static struct lengths number_lengths(const struct zg_step *step)
{
    struct lengths lengths;

    zg_spelling_lengths(step, &lengths.least, &lengths.most);
    return lengths;
}

/* An enum's texts, or a number where a value has none; all texts of flags at once. */
static struct lengths names_lengths(const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    struct lengths number = number_lengths(step);
    const unsigned quotes = kind == ZG_LAYOUT_JSON ? 2 : 0, of_number = zg_text_is_quoted(step) ? quotes : 0;
    unsigned all = 0, longest = 0, shortest = UINT_MAX;

    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        const unsigned size = (unsigned)strlen(value->text ? value->text : value->name) + quotes;
        all += size;
        longest = MAX(longest, size);
        shortest = MIN(shortest, size);
    }
    if (!enumeration->flags)
        return (struct lengths){ MIN(number.least + of_number, shortest), MAX(number.most + of_number, longest) };
    const unsigned others = step->type.bits - MIN(step->type.bits, enumeration->values->len);
    const unsigned between = kind == ZG_LAYOUT_JSON ? 1 : (unsigned)strlen(zg_text_between(step));
    return (struct lengths){ quotes, quotes + all + 2 * others + between * step->type.bits };
}

static struct lengths string_lengths(const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_form *form = &step->field->form;
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED && step->type.kind == ZG_KIND_BYTES;
    unsigned least = is_fixed ? step->most : 0, most = step->most;

    if (form->width > 0)
        return (struct lengths){ form->width, form->width };
    if (step->type.kind == ZG_KIND_BYTES && form->base64)
        return (struct lengths){ (least + 2) / 3 * 4, (most + 2) / 3 * 4 };
    if (step->type.kind == ZG_KIND_BYTES)
        return (struct lengths){ 2 * least, 2 * most };
    if (kind == ZG_LAYOUT_JSON)
        return (struct lengths){ 0, (step->type.is_ascii ? 2 : 6) * most }; /* all of them escaped */
    return form->quote ? (struct lengths){ 2, 2 + 2 * most } : (struct lengths){ least, most };
}

static struct lengths block_lengths(const struct zg_block *block);

/* One element; in json with the quotes around what is no number. */
static struct lengths element_lengths(const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_form *form = &step->field->form;
    struct lengths lengths;
    bool quoted = kind == ZG_LAYOUT_JSON && !zg_text_is_number(step, kind);

    if (step->record)
        return block_lengths(step->record);
    if (zg_text_is_number(step, kind)) {
        quoted = kind == ZG_LAYOUT_JSON && zg_text_is_quoted(step);
        lengths = number_lengths(step);
    } else if (step->type.kind == ZG_KIND_BOOL) {
        quoted = quoted && (form->on || form->off);
        lengths = either(zg_text_of_bool(step, true, kind), zg_text_of_bool(step, false, kind));
    } else if (zg_step_is_string(step)) {
        lengths = string_lengths(step, kind);
    } else {
        quoted = false; /* the brackets of flags, and the quotes of names, are counted */
        lengths = names_lengths(step, kind);
    }
    if (form->width > 0 && !zg_text_is_number(step, kind) && kind != ZG_LAYOUT_JSON)
        lengths = (struct lengths){ form->width, form->width };
    return quoted ? (struct lengths){ lengths.least + 2, lengths.most + 2 } : lengths;
}

static struct lengths value_lengths(const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct lengths one = element_lengths(step, kind);
    const bool is_json = kind == ZG_LAYOUT_JSON;

    if (!zg_step_is_array(step))
        return one;
    const unsigned between = is_json ? 1 : (unsigned)strlen(zg_text_between(step)), around = is_json ? 2 : 0;
    const unsigned fewest = step->type.extent == ZG_EXTENT_FIXED ? step->most : 0;
    const struct lengths all = { around + (fewest > 0 ? fewest * one.least + (fewest - 1) * between : 0),
                                 around + (step->most > 0 ? step->most * one.most + (step->most - 1) * between : 0) };
    return all;
}

void zg_text_value_lengths(const struct zg_step *step, enum zg_layout_kind kind, unsigned *least, unsigned *most)
{
    const struct lengths lengths = value_lengths(step, kind);
    const char *absent = step->field->form.absent ? step->field->form.absent : "";
    const bool may_be = kind == ZG_LAYOUT_PATTERN && step->field->optional;

    *least = may_be ? MIN(lengths.least, (unsigned)strlen(absent)) : lengths.least;
    *most = may_be ? MAX(lengths.most, (unsigned)strlen(absent)) : lengths.most;
}

/* A record in json. */
static struct lengths block_lengths(const struct zg_block *block)
{
    struct lengths all = { 2, 2 };

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        const struct lengths value = value_lengths(step, ZG_LAYOUT_JSON);
        const unsigned key = (unsigned)strlen(zg_field_key(step->field)) + 3 + (i > 0);
        all.least += key + value.least;
        all.most += key + value.most;
    }
    return all;
}

static struct lengths constant_lengths(const struct zg_constant *constant, bool is_json)
{
    const unsigned size = (unsigned)strlen(constant->text) + (is_json && !constant->is_number ? 2 : 0);
    return (struct lengths){ size, size };
}

/* A whole pair or member, without what stands between. */
static struct lengths part_lengths(const struct zg_text *text, const struct zg_text_part *part,
                                   const struct zg_block *block, bool *optional)
{
    const enum zg_layout_kind kind = text->layout->kind;
    const struct zg_step *step = part->step >= 0 ? zg_block_step(block, (unsigned)part->step) : NULL;
    struct lengths lengths = { 0, 0 };

    *optional = step && (step->field->optional || step->field->default_text || step->field->since > 0);
    if (step)
        zg_text_value_lengths(step, kind, &lengths.least, &lengths.most);
    else if (part->constant)
        lengths = constant_lengths(part->constant, kind == ZG_LAYOUT_JSON);
    unsigned around = (unsigned)part->size;
    if (kind == ZG_LAYOUT_PAIRS)
        around += (unsigned)strlen(text->layout->assign);
    if (kind == ZG_LAYOUT_JSON)
        around += 3;
    if (kind == ZG_LAYOUT_PATTERN)
        *optional = false;
    return (struct lengths){ around + lengths.least, around + lengths.most };
}

static void note_lengths(struct zg_text *text, const struct zg_block *block)
{
    const enum zg_layout_kind kind = text->layout->kind;
    const unsigned between = kind == ZG_LAYOUT_JSON    ? 1
                             : kind == ZG_LAYOUT_PAIRS ? (unsigned)strlen(text->layout->between)
                                                       : 0;
    unsigned needed = 0;

    for (unsigned i = 0; i < text->parts->len; i++) {
        bool optional;
        const struct lengths part = part_lengths(text, zg_text_part(text, i), block, &optional);
        text->most += part.most + (i > 0 ? between : 0);
        if (!optional)
            text->least += part.least + (needed++ > 0 ? between : 0);
    }
    if (kind == ZG_LAYOUT_JSON) {
        text->least += 2;
        text->most += 2;
    }
    text->least -= MIN(text->least, (unsigned)text->skipped);
    text->most -= MIN(text->most, (unsigned)text->skipped);
}

/* --- parts */

static void add_pattern(struct zg_text *text, const struct zg_message *message)
{
    text->pattern = zg_pattern_parse(NULL, message);
    g_assert(text->pattern); /* checked when it was read */
    for (unsigned i = 0; i < text->pattern->parts->len; i++) {
        const struct zg_pattern_part *from = zg_pattern_part(text->pattern, i);
        const struct zg_text_part part = { .literal = from->literal,
                                           .size = strlen(from->literal),
                                           .step = from->field ? (int)from->index : -1 };
        g_array_append_val(text->parts, part);
    }
    const struct zg_tag *tag = message->tags->len > 0 ? g_ptr_array_index(message->tags, 0) : NULL;
    const struct zg_text_part *first = zg_text_part(text, 0);
    if (tag && tag->place.line == message->layout.place.line && tag->place.column == message->layout.place.column)
        text->skipped = MIN(first->size, (size_t)tag->size);
}

/* Pairs and members: the fields, and constants where they stand. */
static void add_members(struct zg_text *text, const struct zg_message *message)
{
    for (unsigned i = 0; i <= message->fields->len; i++) {
        for (unsigned k = 0; k < message->constants->len; k++) {
            const struct zg_constant *constant = g_ptr_array_index(message->constants, k);
            const struct zg_text_part part = { constant->name, strlen(constant->name), -1, constant };
            if (constant->before == i)
                g_array_append_val(text->parts, part);
        }
        if (i == message->fields->len)
            break;
        const char *key = zg_field_key(g_ptr_array_index(message->fields, i));
        const struct zg_text_part part = { key, strlen(key), (int)i, NULL };
        g_array_append_val(text->parts, part);
    }
}

/* --- what can be told apart */

/* Notes what every reader of the block's values needs. */
static void prepare(struct zg_block *block)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        struct zg_step *step = &g_array_index(block->steps, struct zg_step, i);
        if (step->record)
            continue;
        const struct lengths lengths = value_lengths(step, ZG_LAYOUT_PATTERN);
        step->characters = lengths.least == lengths.most && !step->field->optional ? lengths.least : 0;
    }
}

static void check_beside(const struct zg_text *text, const struct zg_block *block, struct zg_diagnostics *diagnostics)
{
    for (unsigned i = 0; i + 1 < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i), *next = zg_text_part(text, i + 1);
        const struct zg_step *step = part->step >= 0 ? zg_block_step(block, (unsigned)part->step) : NULL;
        if (!step || next->size > 0 || next->step < 0 || step->characters > 0)
            continue;
        zgi_error(diagnostics, step->field->place,
                  "nothing tells where %s ends and %s begins; expected text between them, or as: { width: ... } for %s",
                  step->name, zg_block_step(block, (unsigned)next->step)->name, step->name);
    }
}

static bool holds(const char *word, const char *text)
{
    return strstr(word, text) != NULL;
}

static bool begins_with(const char *word, const char *text)
{
    return g_str_has_prefix(word, text);
}

/* A word of a step that `has` a text in it; NULL: there is none. */
static const char *word_that(bool (*has)(const char *word, const char *text), const struct zg_step *step,
                             enum zg_layout_kind kind, const char *part)
{
    const struct zg_enum *enumeration = zg_text_is_number(step, kind) ? NULL : step->type.enumeration;

    for (unsigned i = 0; enumeration && i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        const char *word = value->text ? value->text : value->name;
        if (has(word, part))
            return word;
    }
    for (unsigned i = 0; i < 2 && step->type.kind == ZG_KIND_BOOL; i++)
        if (has(zg_text_of_bool(step, i == 0, kind), part))
            return zg_text_of_bool(step, i == 0, kind);
    return NULL;
}

/* The characters of which a step's numbers, or bytes, are made behind sign and prefix; "": it has none. */
static const char *digits_of(const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_form *form = &step->field->form;

    if (step->type.kind == ZG_KIND_BYTES)
        return form->base64 ? "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/="
                            : "0123456789abcdefABCDEF";
    if (!zg_text_is_number(step, kind) && !step->type.enumeration)
        return "";
    if (form->base != 10)
        return form->base == 16 ? "0123456789abcdefABCDEF" : "01";
    if (form->exponent >= 0)
        return form->point == ',' ? "0123456789,E+-" : "0123456789.E+-";
    if (zg_step_decimals(step) > 0)
        return form->point == ',' ? "0123456789," : "0123456789.";
    return "0123456789";
}

/* Reports values that can hold what ends them, where that is searched. */
static void check_stop(const struct zg_step *step, enum zg_layout_kind kind, const char *stop,
                       struct zg_diagnostics *diagnostics)
{
    const char *const word = word_that(holds, step, kind, stop), *const digits = digits_of(step, kind);

    if (word)
        zgi_error(
            diagnostics, step->field->place,
            "the word \"%s\" of %s holds \"%s\", which ends its values; expected another word, another text behind "
            "it, or as: { width: ... }",
            word, step->name, stop);
    else if (*digits && strspn(stop, digits) == strlen(stop))
        zgi_error(
            diagnostics, step->field->place,
            "values of %s can hold \"%s\", which ends them; expected another text behind them, or as: { width: ... }",
            step->name, stop);
}

/* Reports keys and separators of pairs that hold others. */
static void check_pair_marks(const struct zg_text *text, struct zg_diagnostics *diagnostics)
{
    const struct zg_layout *layout = text->layout;

    if (strstr(layout->assign, layout->between))
        zgi_error(diagnostics, layout->place,
                  "the assignment \"%s\" holds \"%s\", which stands between pairs, so that every pair would end there; "
                  "expected others",
                  layout->assign, layout->between);
    for (unsigned i = 0; i < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i);
        const bool has_assign = *layout->assign && strstr(part->literal, layout->assign);
        if (has_assign || strstr(part->literal, layout->between))
            zgi_error(diagnostics, layout->place, "the key \"%s\" holds \"%s\", which ends it; expected another key",
                      part->literal, has_assign ? layout->assign : layout->between);
        if (part->constant && strstr(part->constant->text, layout->between))
            zgi_error(diagnostics, part->constant->place,
                      "the constant \"%s\" holds \"%s\", which ends it; expected another", part->constant->text,
                      layout->between);
    }
}

/* Whether a value, as it is written, can begin with a text, so that with it the pair is taken for another's. Text that
 * does is refused when it is sent. */
static bool may_begin_with(const struct zg_text_part *part, const struct zg_block *block, const char *begin)
{
    if (part->constant)
        return g_str_has_prefix(part->constant->text, begin);
    const struct zg_step *step = zg_block_step(block, (unsigned)part->step);
    const char *const digits = digits_of(step, ZG_LAYOUT_PAIRS), *const prefix = step->field->form.prefix;
    const char *behind = begin + strspn(begin, *digits && step->type.kind != ZG_KIND_BYTES ? "+- " : "");

    if (word_that(begins_with, step, ZG_LAYOUT_PAIRS, begin))
        return true;
    if (prefix && g_str_has_prefix(prefix, behind))
        return true;
    behind += prefix && g_str_has_prefix(behind, prefix) ? strlen(prefix) : 0;
    return *digits && behind[strspn(behind, digits)] == '\0';
}

/* Without an assignment the longest key that fits is taken, so that no value may complete a longer one. */
static void check_keys(const struct zg_text *text, const struct zg_block *block, struct zg_diagnostics *diagnostics)
{
    for (unsigned i = 0; i < text->parts->len; i++)
        for (unsigned k = 0; k < text->parts->len; k++) {
            const struct zg_text_part *part = zg_text_part(text, i), *longer = zg_text_part(text, k);
            if (longer->size > part->size && g_str_has_prefix(longer->literal, part->literal) &&
                may_begin_with(part, block, longer->literal + part->size))
                zgi_error(diagnostics, text->layout->place,
                          "values behind the key \"%s\" can begin with \"%s\", which makes it the key \"%s\"; expected "
                          "other keys, or assign: \"=\"",
                          part->literal, longer->literal + part->size, longer->literal);
        }
}

/* Whether an array's separator could as well begin what follows it. */
static void check_separators(const struct zg_text *text, const struct zg_block *block,
                             struct zg_diagnostics *diagnostics)
{
    const bool is_pattern = text->layout->kind == ZG_LAYOUT_PATTERN;

    for (unsigned i = 0; i < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i);
        const struct zg_step *step = part->step >= 0 ? zg_block_step(block, (unsigned)part->step) : NULL;
        const char *after = !is_pattern                ? text->layout->between
                            : i + 1 < text->parts->len ? zg_text_part(text, i + 1)->literal
                                                       : "";
        if (step && step->characters == 0 && *after)
            check_stop(step, text->layout->kind, after, diagnostics);
        if (!step || !*after)
            continue;
        const struct zg_form *form = &step->field->form;
        const bool lists = zg_step_is_array(step) || (form->names && step->type.enumeration);
        const char *between = zg_text_between(step);
        if (lists && step->field->form.width == 0 && strcmp(between, after) != 0)
            check_stop(step, text->layout->kind, between, diagnostics);
        const bool is_open = step->type.extent != ZG_EXTENT_FIXED || !is_pattern;
        if (lists && is_open && (g_str_has_prefix(after, between) || g_str_has_prefix(between, after)))
            zgi_error(diagnostics, step->field->place,
                      "the elements of %s and what follows it are separated alike, by \"%s\"; expected as: { between: "
                      "... } with another one",
                      step->name, between);
        if (form->point == after[0] && (after[1] != '\0' || step->characters > 0) && zg_step_decimals(step) > 0 &&
            zg_text_is_number(step, text->layout->kind))
            zgi_error(diagnostics, step->field->place,
                      "the decimal point of %s and what follows it begin alike, with "
                      "\"%c\"; expected another point or another text between them",
                      step->name, after[0]);
    }
}

struct zg_text *zgi_text_new(const struct zg_message *message, struct zg_block *block,
                             struct zg_diagnostics *diagnostics)
{
    struct zg_text *text = g_new0(struct zg_text, 1);

    text->layout = &message->layout;
    text->parts = g_array_new(FALSE, FALSE, sizeof(struct zg_text_part));
    prepare(block);
    if (message->layout.kind == ZG_LAYOUT_PATTERN) {
        add_pattern(text, message);
        check_beside(text, block, diagnostics);
    } else {
        add_members(text, message);
    }
    if (message->layout.kind == ZG_LAYOUT_PAIRS)
        check_pair_marks(text, diagnostics);
    if (message->layout.kind == ZG_LAYOUT_PAIRS && *message->layout.assign == '\0')
        check_keys(text, block, diagnostics);
    if (message->layout.kind != ZG_LAYOUT_JSON)
        check_separators(text, block, diagnostics);
    note_lengths(text, block);
    for (unsigned i = 0; i < block->steps->len && message->layout.kind != ZG_LAYOUT_JSON; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        text->misleads = text->misleads || step->type.kind == ZG_KIND_TEXT ||
                         (step->field->optional && message->layout.kind == ZG_LAYOUT_PATTERN);
    }
    return text;
}

void zgi_text_free(struct zg_text *text)
{
    if (!text)
        return;
    g_array_unref(text->parts);
    zg_pattern_free(text->pattern);
    g_free(text);
}
