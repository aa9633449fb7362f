/* SPDX-License-Identifier: MIT */
#include "analysis/compare_texts.h"

#include <string.h>

#include "plan/spelling.h"

/* Two messages, and who sends them. */
struct pair {
    struct zgi_comparison *comparison;
    const struct zg_plan_message *before, *after;
    enum zg_side from;
};

static const struct zg_step *step_with(const struct zg_plan_message *item, const char *key, bool by_name)
{
    for (unsigned i = 0; i < item->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&item->payload, i);
        if (strcmp(by_name ? step->name : zg_field_key(step->field), key) == 0)
            return step;
    }
    return NULL;
}

static bool may_be_missing(const struct zg_step *step)
{
    return step->field->optional || step->field->default_text || step->field->since > 0;
}

static bool same_text(const char *a, const char *b)
{
    return g_strcmp0(a, b) == 0;
}

/* What about the writing of a value changed so that the other end reads something else or nothing; NULL: nothing. */
static const char *misread(const struct zg_step *old, const struct zg_step *new, enum zg_layout_kind kind)
{
    const struct zg_form *a = &old->field->form, *b = &new->field->form;
    const bool numbers = zg_text_is_number(old, kind);

    if (numbers != zg_text_is_number(new, kind) || zg_step_is_string(old) != zg_step_is_string(new) ||
        zg_step_is_array(old) != zg_step_is_array(new) || (old->record != NULL) != (new->record != NULL) ||
        (old->type.kind == ZG_KIND_BOOL) != (new->type.kind == ZG_KIND_BOOL) ||
        (old->type.kind == ZG_KIND_TEXT) != (new->type.kind == ZG_KIND_TEXT))
        return "type";
    if (a->base != b->base)
        return "base";
    if (numbers &&
        (a->raw != b->raw || ((a->raw || a->base != 10) && (mpq_cmp(old->field->scale, new->field->scale) != 0 ||
                                                            mpq_cmp(old->field->offset, new->field->offset) != 0))))
        return "scale";
    if (!same_text(a->prefix, b->prefix))
        return "prefix";
    if (a->point != b->point)
        return "decimal point";
    if (a->quote != b->quote)
        return "quotes";
    if (a->base64 != b->base64)
        return "coding";
    if (a->string != b->string && kind == ZG_LAYOUT_JSON)
        return "quotes";
    if (!same_text(a->on, b->on) || !same_text(a->off, b->off))
        return "words for true and false";
    if (zg_step_is_array(old) && kind != ZG_LAYOUT_JSON && !same_text(zg_text_between(old), zg_text_between(new)))
        return "separator";
    if (a->width != b->width && kind != ZG_LAYOUT_JSON)
        return "width";
    return NULL;
}

/* Numbers that one type holds and the other does not. */
static void compare_limits(const struct pair *pair, const struct zg_step *old, const struct zg_step *new)
{
    const bool sent = new->scale.low < old->scale.low || new->scale.high > old->scale.high;
    const bool were = old->scale.low < new->scale.low || old->scale.high > new->scale.high;

    if (!zg_type_is_integer(old->type) || !zg_type_is_integer(new->type))
        return;
    if (sent)
        zgi_changed(pair->comparison, ZG_COMPATIBLE, zg_receivers(pair->from), old->field->place, new->field->place,
                    "%s can hold %g to %g; an old end takes %g to %g, and refuses or marks others", new->name,
                    new->scale.low, new->scale.high, old->scale.low, old->scale.high);
    if (were)
        zgi_changed(pair->comparison, ZG_COMPATIBLE, pair->from, old->field->place, new->field->place,
                    "%s could hold %g to %g; a new end takes %g to %g, and refuses or marks others", new->name,
                    old->scale.low, old->scale.high, new->scale.low, new->scale.high);
}

/* Values of enums and flags that are written otherwise. */
static void compare_words(const struct pair *pair, const struct zg_step *old, const struct zg_step *new)
{
    const enum zg_layout_kind kind = pair->after->message->layout.kind;

    if (!old->type.enumeration || !new->type.enumeration || zg_text_is_number(old, kind) ||
        zg_text_is_number(new, kind))
        return;
    for (unsigned i = 0; i < new->type.enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(new->type.enumeration->values, i);
        const char *was = zg_text_of_value(old->type.enumeration, value->raw),
                   *is = zg_text_of_value(new->type.enumeration, value->raw);
        if (was && !same_text(was, is))
            zgi_changed(pair->comparison, ZG_BREAKING, 0, old->field->place, value->place,
                        "%s is written \"%s\" instead of \"%s\"; neither end knows the other's", value->name, is, was);
        else if (!was)
            zgi_changed(pair->comparison, ZG_COMPATIBLE, zg_receivers(pair->from), old->field->place, value->place,
                        "%s is new; an old end refuses \"%s\"", value->name, is);
    }
}

static void compare_steps(const struct pair *pair, const struct zg_step *old, const struct zg_step *new)
{
    const enum zg_layout_kind kind = pair->after->message->layout.kind;
    const char *what = misread(old, new, kind);

    if (!same_text(old->name, new->name))
        zgi_changed(pair->comparison, ZG_SAME, 0, old->field->place, new->field->place, "%s.%s: was named %s",
                    pair->after->message->name, new->name, old->name);
    compare_words(pair, old, new);
    if (what) {
        zgi_changed(pair->comparison, ZG_BREAKING, 0, old->field->place, new->field->place,
                    "the %s of %s changed; each end refuses or misreads what the other writes", what, new->name);
        return;
    }
    if (zg_text_is_number(old, kind) && zg_step_decimals(old) != zg_step_decimals(new))
        zgi_changed(pair->comparison, ZG_COMPATIBLE, 0, old->field->place, new->field->place,
                    "%s is written with %u decimal%s instead of %u; the other end rounds it to its own", new->name,
                    zg_step_decimals(new), zg_step_decimals(new) == 1 ? "" : "s", zg_step_decimals(old));
    if (!may_be_missing(old) && new->field->optional)
        zgi_changed(pair->comparison, ZG_COMPATIBLE, zg_receivers(pair->from), old->field->place, new->field->place,
                    "%s may be missing; an old end refuses a message without it", new->name);
    if (old->field->optional && !may_be_missing(new))
        zgi_changed(pair->comparison, ZG_COMPATIBLE, pair->from, old->field->place, new->field->place,
                    "%s must be there; a new end refuses an old end's message without it", new->name);
    compare_limits(pair, old, new);
}

/* Whether two patterns have the same text between their values. */
static bool same_literals(const struct zg_text *a, const struct zg_text *b)
{
    if (a->parts->len != b->parts->len)
        return false;
    for (unsigned i = 0; i < a->parts->len; i++)
        if (!same_text(zg_text_part(a, i)->literal, zg_text_part(b, i)->literal))
            return false;
    return true;
}

static void compare_patterns(const struct pair *pair)
{
    const struct zg_text *before = pair->before->text, *after = pair->after->text;

    if (!same_literals(before, after)) {
        zgi_changed(pair->comparison, ZG_BREAKING, 0, before->layout->place, after->layout->place,
                    "the pattern of %s became \"%s\"; each end refuses or misreads what the other writes",
                    pair->after->message->name, after->layout->pattern);
        return;
    }
    for (unsigned i = 0; i < after->parts->len; i++) {
        const int old = zg_text_part(before, i)->step, new = zg_text_part(after, i)->step;
        if (old >= 0 && new >= 0)
            compare_steps(pair, zg_block_step(&pair->before->payload, (unsigned)old),
                          zg_block_step(&pair->after->payload, (unsigned)new));
    }
}

static const struct zg_constant *constant_with(const struct zg_message *message, const char *name)
{
    for (unsigned i = 0; i < message->constants->len; i++) {
        const struct zg_constant *constant = g_ptr_array_index(message->constants, i);
        if (same_text(constant->name, name))
            return constant;
    }
    return NULL;
}

static void compare_constants(const struct pair *pair)
{
    const struct zg_message *before = pair->before->message, *after = pair->after->message;

    for (unsigned i = 0; i < after->constants->len; i++) {
        const struct zg_constant *new = g_ptr_array_index(after->constants, i), *old = constant_with(before, new->name);
        if (!old)
            zgi_changed(pair->comparison, ZG_COMPATIBLE, pair->from, before->place, new->place,
                        "%s now always holds \"%s\"; a new end refuses messages without it", after->name, new->name);
        else if (!same_text(old->text, new->text) || old->is_number != new->is_number)
            zgi_changed(pair->comparison, ZG_BREAKING, 0, old->place, new->place,
                        "\"%s\" was always %s and is always %s; each end refuses what the other sends", new->name,
                        old->text, new->text);
    }
    for (unsigned i = 0; i < before->constants->len; i++) {
        const struct zg_constant *old = g_ptr_array_index(before->constants, i);
        if (!constant_with(after, old->name))
            zgi_changed(pair->comparison, ZG_COMPATIBLE, zg_receivers(pair->from), old->place, after->place,
                        "%s no longer holds \"%s\"; an old end refuses messages without it", after->name, old->name);
    }
}

static void compare_members(const struct pair *pair)
{
    for (unsigned i = 0; i < pair->after->payload.steps->len; i++) {
        const struct zg_step *new = zg_block_step(&pair->after->payload, i);
        const struct zg_step *old = step_with(pair->before, zg_field_key(new->field), false);
        const struct zg_step *named = step_with(pair->before, new->name, true);
        if (old)
            compare_steps(pair, old, new);
        else if (named)
            zgi_changed(pair->comparison, ZG_BREAKING, 0, named->field->place, new->field->place,
                        "the key of %s, \"%s\", became \"%s\"; each end misses the other's", new->name,
                        zg_field_key(named->field), zg_field_key(new->field));
        else
            zgi_changed(pair->comparison, ZG_COMPATIBLE, may_be_missing(new) ? 0 : pair->from,
                        pair->before->message->place, new->field->place,
                        may_be_missing(new) ? "%s is new; an old end skips it"
                                            : "%s is new; an old end skips it, a new one refuses messages without it",
                        new->name);
    }
    for (unsigned i = 0; i < pair->before->payload.steps->len; i++) {
        const struct zg_step *old = zg_block_step(&pair->before->payload, i);
        if (step_with(pair->after, zg_field_key(old->field), false) || step_with(pair->after, old->name, true))
            continue;
        zgi_changed(pair->comparison, ZG_COMPATIBLE, may_be_missing(old) ? 0 : zg_receivers(pair->from),
                    old->field->place, pair->after->message->place,
                    may_be_missing(old) ? "%s is gone; a new end skips it"
                                        : "%s is gone; an old end refuses messages without it",
                    old->name);
    }
    compare_constants(pair);
}

void zgi_compare_texts(struct zgi_comparison *comparison, const struct zg_plan_message *before,
                       const struct zg_plan_message *after)
{
    const struct zg_layout *old = &before->message->layout, *new = &after->message->layout;
    const struct pair pair = { comparison, before, after,
                               (enum zg_side)(before->message->from | after->message->from) };

    if (old->kind != new->kind || !same_text(old->assign, new->assign) || !same_text(old->between, new->between))
        zgi_changed(comparison, ZG_BREAKING, 0, before->message->place, after->message->place,
                    old->kind != new->kind ? "%s became %s, was %s; neither end reads the other's"
                                           : "the separators of %s changed; neither end reads the other's",
                    after->message->name, zg_layout_name(new->kind), zg_layout_name(old->kind));
    else if (new->kind == ZG_LAYOUT_PATTERN)
        compare_patterns(&pair);
    else
        compare_members(&pair);
}
