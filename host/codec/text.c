/* SPDX-License-Identifier: MIT */
#include "codec/text.h"

#include <string.h>

#include "codec/text_element.h"
#include "codec/text_json.h"
#include "definition/words.h"
#include "plan/spelling.h"

enum { FEW_PARTS = 64, SHOWN_MOST = 40 /* bytes of a text that does not fit */ };

static bool begins(const char *text, size_t length, const char *with)
{
    const size_t size = strlen(with);
    return size <= length && memcmp(text, with, size) == 0;
}

/* --- values, up to what follows them */

/* Where an element ends that begins at `from`. */
static size_t end_of(const struct zg_step *step, const char *text, size_t length, size_t from, struct zgi_stop stop)
{
    const unsigned size = zg_step_is_array(step) ? step->field->form.width : step->characters;
    const char quote = step->field->form.quote;

    if (size > 0 && !(quote && step->type.kind == ZG_KIND_TEXT))
        return MIN(length, from + size);
    if (quote && step->type.kind == ZG_KIND_TEXT && from < length && text[from] == quote) {
        size_t at = from + 1;
        while (at < length && (text[at] != quote || (at + 1 < length && text[at + 1] == quote)))
            at += text[at] == quote ? 2 : 1;
        return zgi_text_find(text, length, MIN(at + 1, length), stop);
    }
    if (zg_text_is_number(step, ZG_LAYOUT_PAIRS))
        from += zg_before_digits(step, text + from, length - from);
    return zgi_text_find(text, length, from, stop);
}

static bool take_array(const struct zg_step *step, const char *text, size_t length, size_t *at, struct zgi_stop stop,
                       struct zg_value *value)
{
    const struct zgi_stop between = { zg_text_between(step), strlen(zg_text_between(step)) };
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED;
    const size_t whole = is_fixed ? length : zgi_text_find(text, length, *at, stop);
    unsigned count = 0;

    zg_value_resize(step, value, is_fixed ? step->most : 0);
    if (!is_fixed && *at == whole)
        return true;
    for (;; count++) {
        const bool is_last = is_fixed ? count + 1 == step->most : zgi_text_find(text, whole, *at, between) == whole;
        const size_t end =
            end_of(step, text, whole, *at, is_last ? is_fixed ? stop : (struct zgi_stop){ "", 0 } : between);
        if (count == step->most)
            return false;
        if (!is_fixed)
            zg_value_resize(step, value, count + 1);
        if (!zgi_text_take_element(step, text + *at, end - *at, &value->items[count]))
            return false;
        *at = end;
        if (is_last)
            return true;
        if (!begins(text + *at, whole - *at, between.text))
            return false;
        *at += between.size;
    }
}

/* Takes a value that begins at `*at`, and moves it to where the value ends. */
static bool take_value(const struct zg_step *step, const char *text, size_t length, size_t *at, struct zgi_stop stop,
                       struct zg_value *value)
{
    value->absent = false;
    if (zg_step_is_array(step))
        return take_array(step, text, length, at, stop, value);
    const size_t end = end_of(step, text, length, *at, stop);
    const bool good = zgi_text_take_element(step, text + *at, end - *at, value);
    *at = end;
    return good;
}

static bool read_pattern(const struct zg_plan_message *message, const char *text, size_t length,
                         struct zg_value *values, struct zgi_progress *progress)
{
    const struct zg_text *layout = message->text;
    size_t at = 0;

    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        const char *literal = part->literal + (i == 0 ? layout->skipped : 0);
        *progress = (struct zgi_progress){ ZGI_READING_LITERAL, literal, at, at };
        if (!begins(text + at, length - at, literal))
            return false;
        at += strlen(literal);
        if (part->step < 0)
            continue;
        const struct zg_text_part *next = zg_text_part(layout, i + 1);
        const struct zgi_stop stop = { next->literal, next->size };
        const struct zg_step *step = zg_block_step(&message->payload, (unsigned)part->step);
        struct zg_value *value = &values[part->step];
        const char *absent = step->field->form.absent ? step->field->form.absent : "";
        const bool may_be_absent = step->field->optional && begins(text + at, length - at, absent);
        *progress = (struct zgi_progress){ ZGI_READING_VALUE, step->name, at, at };
        if (may_be_absent && zgi_text_find(text, length, at + strlen(absent), stop) == at + strlen(absent)) {
            (void)zgi_text_take_missing(step, value);
            at += strlen(absent);
        } else if (!take_value(step, text, length, &at, stop, value)) {
            progress->end = zg_step_is_array(step) ? zgi_text_find(text, length, progress->at, stop) : at;
            return false;
        }
    }
    *progress = (struct zgi_progress){ ZGI_READING_END, NULL, at, length };
    return at == length;
}

/* --- pairs */

/* The part whose key a pair has; its size goes to `*key`. Without an assignment the longest that fits. NULL: none. */
static const struct zg_text_part *part_of(const struct zg_text *layout, const char *text, size_t length, size_t *key)
{
    const struct zgi_stop assign = { layout->layout->assign, strlen(layout->layout->assign) };
    const struct zg_text_part *best = NULL;

    *key = assign.size > 0 ? zgi_text_find(text, length, 0, assign) : 0;
    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        const bool fits = assign.size > 0 ? *key == part->size && text[0] == part->literal[0] &&
                                                memcmp(text, part->literal, *key) == 0
                                          : begins(text, length, part->literal) && (!best || part->size > best->size);
        if (fits)
            best = part;
    }
    if (best && assign.size == 0)
        *key = best->size;
    return best;
}

static const char *name_of(const struct zg_plan_message *message, const struct zg_text_part *part)
{
    return part->constant ? part->constant->name : zg_block_step(&message->payload, (unsigned)part->step)->name;
}

static bool read_pairs(const struct zg_plan_message *message, const char *text, size_t length, struct zg_value *values,
                       size_t *ignored, struct zgi_progress *progress)
{
    const struct zg_text *layout = message->text;
    const struct zgi_stop between = { layout->layout->between, strlen(layout->layout->between) };
    const size_t assign = strlen(layout->layout->assign);
    bool few[FEW_PARTS] = { false };
    g_autofree bool *many = layout->parts->len > FEW_PARTS ? g_new0(bool, layout->parts->len) : NULL;
    bool *const seen = many ? many : few;

    for (size_t at = 0; length > 0;) {
        const size_t whole = zgi_text_find(text, length, at, between); /* of a pair without quotes */
        size_t key, end = whole;
        const struct zg_text_part *part = part_of(layout, text + at, whole - at, &key);
        *progress = (struct zgi_progress){ ZGI_READING_PAIR, layout->layout->assign, at, whole };
        if (at + key + assign > whole || at == whole)
            return false; /* no pair */
        size_t value = at + key + assign;
        if (!part) {
            *ignored += whole - at;
        } else {
            bool *once = &seen[part - zg_text_part(layout, 0)];
            progress->name = name_of(message, part);
            progress->what = ZGI_READING_SECOND;
            if (*once)
                return false;
            *once = true;
            *progress = (struct zgi_progress){ ZGI_READING_VALUE, progress->name, value, whole };
            end = value;
            if (part->constant && !zgi_text_is_constant(part->constant, text + value, whole - value))
                return false;
            if (part->constant)
                end = whole;
            else if (!take_value(zg_block_step(&message->payload, (unsigned)part->step), text, length, &end, between,
                                 &values[part->step]))
                return false;
        }
        if (end == length)
            break;
        *progress = (struct zgi_progress){ ZGI_READING_LITERAL, between.text, end, end };
        if (!begins(text + end, length - end, between.text))
            return false;
        at = end + between.size;
    }
    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        *progress = (struct zgi_progress){ ZGI_READING_MISSING, name_of(message, part), length, length };
        if (!seen[i] &&
            (part->constant ||
             !zgi_text_take_missing(zg_block_step(&message->payload, (unsigned)part->step), &values[part->step])))
            return false;
    }
    return true;
}

static bool read_text(const struct zg_plan_message *message, const char *text, size_t length, struct zg_value *values,
                      size_t *ignored, struct zgi_progress *progress)
{
    const char *from = length > 0 ? text : ""; /* an empty payload may have no address */

    *ignored = 0;
    switch (message->text->layout->kind) {
    case ZG_LAYOUT_PATTERN: return read_pattern(message, from, length, values, progress);
    case ZG_LAYOUT_PAIRS: return read_pairs(message, from, length, values, ignored, progress);
    default: return zgi_json_read(message->text, &message->payload, from, length, values, ignored, &progress->at);
    }
}

bool zg_text_read(const struct zg_plan_message *message, const char *text, size_t length, struct zg_value *values,
                  size_t *ignored)
{
    struct zgi_progress progress;
    return read_text(message, text, length, values, ignored, &progress);
}

/* Between quotes, the beginning of what is long. */
static char *shown(const char *text, size_t size, const char *quote)
{
    g_autofree char *characters = zg_shown(text, (gssize)MIN(size, SHOWN_MOST), *quote != '\0');
    return g_strdup_printf("%s%s%s%s", quote, characters, quote, size > SHOWN_MOST ? "..." : "");
}

/* ", expected 8 characters", of a value that has a width and not this size. Free with g_free(). */
static char *expected_width(const struct zg_plan_message *message, const struct zgi_progress *progress)
{
    const struct zg_block *block = &message->payload;
    unsigned width = 0;

    for (unsigned i = 0; i < block->steps->len; i++)
        if (strcmp(zg_block_step(block, i)->name, progress->name) == 0)
            width = zg_block_step(block, i)->field->form.width;
    return width > 0 && width != progress->end - progress->at ? g_strdup_printf(", expected %u characters", width)
                                                              : g_strdup("");
}

static char *fault_of(const struct zgi_progress *progress, const char *text, bool is_json, size_t front)
{
    const size_t at = progress->at, place = front + at + 1;
    g_autofree char *found = shown(text + at, MAX(progress->end, at) - at, is_json ? "" : "\"");
    g_autofree char *name = progress->name ? shown(progress->name, strlen(progress->name), "\"") : NULL;

    switch (progress->what) {
    case ZGI_READING_VALUE:
        return progress->end > at ? g_strdup_printf(".%s cannot be %s", progress->name, found)
                                  : g_strdup_printf(".%s is empty", progress->name);
    case ZGI_READING_LITERAL: return g_strdup_printf(" has no %s at byte %zu of its payload", name, place);
    case ZGI_READING_PAIR:
        return progress->end <= at ? g_strdup_printf(" has an empty pair at byte %zu of its payload", place)
               : *progress->name   ? g_strdup_printf(": %s is no pair with %s", found, name)
                                   : g_strdup_printf(": %s is no pair", found);
    case ZGI_READING_SECOND: return g_strdup_printf(".%s comes twice", progress->name);
    case ZGI_READING_MISSING: return g_strdup_printf(".%s is missing", progress->name);
    case ZGI_READING_END: return g_strdup_printf(" goes on behind its end with %s", found);
    default: return g_strdup_printf(" cannot be read as JSON from byte %zu of its payload on", place);
    }
}

char *zg_text_fault(const struct zg_plan_message *message, const char *payload, size_t length, size_t front, size_t *at)
{
    const char *const text = length > 0 ? payload + front : ""; /* an empty payload may have no address */
    const bool is_json = message->text->layout->kind == ZG_LAYOUT_JSON;
    struct zg_value *values = zg_values_new(&message->payload);
    struct zgi_progress progress = { ZGI_READING_END, NULL, 0, 0 };
    size_t ignored;
    const bool good = read_text(message, text, length - front, values, &ignored, &progress);

    if (!good && is_json)
        zgi_json_fault(message->text, &message->payload, text, length - front, values, &progress);
    zg_values_free(&message->payload, values);
    *at = front + progress.at;
    if (good)
        return NULL;
    char *fault = fault_of(&progress, text, is_json, front);
    if (progress.what != ZGI_READING_VALUE || is_json)
        return fault;
    g_autofree char *cannot_be = fault, *expected = expected_width(message, &progress);
    return g_strconcat(cannot_be, expected, NULL);
}

/* --- written */

static bool put_value(const struct zg_step *step, const struct zg_value *value, GString *text, GError **error)
{
    if (!zg_step_is_array(step))
        return zgi_text_put_element(step, value, text, error);
    for (unsigned i = 0; i < value->count; i++) {
        g_string_append(text, i > 0 ? zg_text_between(step) : "");
        if (!zgi_text_put_element(step, &value->items[i], text, error))
            return false;
    }
    return true;
}

static void note_span(struct zg_span *spans, const struct zg_text_part *part, size_t from, const GString *out)
{
    if (spans && part->step >= 0)
        spans[part->step] = (struct zg_span){ from, out->len - from };
}

static bool write_pattern(const struct zg_plan_message *message, const struct zg_value *values, GString *out,
                          struct zg_span *spans, GError **error)
{
    for (unsigned i = 0; i < message->text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(message->text, i);
        g_string_append(out, part->literal + (i == 0 ? message->text->skipped : 0));
        if (part->step < 0)
            continue;
        const struct zg_step *step = zg_block_step(&message->payload, (unsigned)part->step);
        const struct zg_value *value = &values[part->step];
        const size_t from = out->len;
        if (value->absent)
            g_string_append(out, step->field->form.absent ? step->field->form.absent : "");
        else if (!put_value(step, value, out, error))
            return false;
        note_span(spans, part, from, out);
    }
    return true;
}

static bool write_pairs(const struct zg_plan_message *message, const struct zg_value *values, GString *out,
                        struct zg_span *spans, GError **error)
{
    const struct zg_layout *layout = message->text->layout;
    bool first = true;

    for (unsigned i = 0; i < message->text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(message->text, i);
        if (part->step >= 0 && values[part->step].absent)
            continue;
        g_string_append(out, first ? "" : layout->between);
        g_string_append(out, part->literal);
        g_string_append(out, layout->assign);
        first = false;
        const size_t from = out->len;
        if (part->constant)
            g_string_append(out, part->constant->text);
        else if (!put_value(zg_block_step(&message->payload, (unsigned)part->step), &values[part->step], out, error))
            return false;
        note_span(spans, part, from, out);
    }
    return true;
}

/* Whether the same values are absent, and the texts among the others are the same. */
static bool same_texts(const struct zg_block *block, const struct zg_value *a, const struct zg_value *b)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        if (a[i].absent != b[i].absent ||
            (zg_block_step(block, i)->type.kind == ZG_KIND_TEXT && !a[i].absent &&
             (a[i].count != b[i].count || memcmp(a[i].bytes, b[i].bytes, a[i].count) != 0)))
            return false;
    return true;
}

/* Whether all values are read again from what was written: text may hold what separates it from its neighbours. */
static bool reads_back(const struct zg_plan_message *message, const struct zg_value *values, const GString *out,
                       size_t from, GError **error)
{
    struct zg_value *again = zg_values_new(&message->payload);
    g_autoptr(GString) text = g_string_new(NULL);
    size_t ignored;
    bool good = zg_text_read(message, out->str + from, out->len - from, again, &ignored) && ignored == 0;

    if (good) {
        (void)(message->text->layout->kind == ZG_LAYOUT_PATTERN ? write_pattern(message, again, text, NULL, NULL)
                                                                : write_pairs(message, again, text, NULL, NULL));
        good = text->len == out->len - from && memcmp(text->str, out->str + from, text->len) == 0 &&
               same_texts(&message->payload, values, again);
    }
    zg_values_free(&message->payload, again);
    if (!good)
        g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_VALUE,
                    "%s: a receiver would not read these values again: one looks absent, or a text holds what "
                    "separates it from what follows",
                    message->message->name);
    return good;
}

bool zg_text_write(const struct zg_plan_message *message, const struct zg_value *values, GString *text, GError **error)
{
    const enum zg_layout_kind kind = message->text->layout->kind;
    const size_t from = text->len;
    const bool good =
        kind == ZG_LAYOUT_JSON
            ? zgi_json_write(message->text, &message->payload, values, text, NULL, error)
            : (kind == ZG_LAYOUT_PATTERN ? write_pattern : write_pairs)(message, values, text, NULL, error);

    if (!good) {
        g_prefix_error(error, "%s.", message->message->name);
        return false;
    }
    return kind == ZG_LAYOUT_JSON || !message->text->misleads || reads_back(message, values, text, from, error);
}

void zg_text_spans(const struct zg_plan_message *message, const struct zg_value *values, struct zg_span *spans)
{
    g_autoptr(GString) text = g_string_new(NULL);

    memset(spans, 0, message->payload.steps->len * sizeof *spans);
    switch (message->text->layout->kind) {
    case ZG_LAYOUT_PATTERN: (void)write_pattern(message, values, text, spans, NULL); break;
    case ZG_LAYOUT_PAIRS: (void)write_pairs(message, values, text, spans, NULL); break;
    default: (void)zgi_json_write(message->text, &message->payload, values, text, spans, NULL); break;
    }
}
