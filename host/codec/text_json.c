/* SPDX-License-Identifier: MIT */
/* Payloads that are a JSON object, RFC 8259. */
#include "codec/text_json.h"

#include <string.h>

#include "codec/scan_json.h"
#include "codec/text_element.h"
#include "plan/spelling.h"

enum { FEW_PLACES = 32 };

/* --- written */

void zg_text_json_quote(const char *bytes, size_t count, GString *out)
{
    static const char from[] = "\"\\\b\f\n\r\t", to[] = "\"\\bfnrt";

    g_string_append_c(out, '"');
    for (size_t i = 0; i < count; i++) {
        const char *escape = bytes[i] ? strchr(from, bytes[i]) : NULL;
        if (escape)
            g_string_append_printf(out, "\\%c", to[escape - from]);
        else if ((uint8_t)bytes[i] < 0x20)
            g_string_append_printf(out, "\\u%04x", (uint8_t)bytes[i]);
        else
            g_string_append_c(out, bytes[i]);
    }
    g_string_append_c(out, '"');
}

static void put_flags(const struct zg_step *step, union zg_raw raw, GString *out)
{
    bool first = true;

    g_string_append_c(out, '[');
    for (uint64_t bit = 0; bit < step->type.bits; bit++) {
        if (!(raw.u >> bit & 1))
            continue;
        const char *name = zg_text_of_value(step->type.enumeration, (union zg_raw){ .u = bit });
        g_string_append(out, first ? "" : ",");
        if (name)
            zg_text_json_quote(name, strlen(name), out);
        else
            g_string_append_printf(out, "%" G_GUINT64_FORMAT, bit);
        first = false;
    }
    g_string_append_c(out, ']');
}

static bool put_object(const struct zg_text *text, const struct zg_block *block, const struct zg_value *values,
                       GString *out, struct zg_span *spans, GError **error);

static bool put_number(const struct zg_step *step, const struct zg_value *value, GString *out, GError **error)
{
    const char *quote = zg_text_is_quoted(step) ? "\"" : "";

    g_string_append(out, quote);
    if (!zgi_text_put_number(step, value->raw, out, error))
        return false;
    g_string_append(out, quote);
    return true;
}

static bool put_element(const struct zg_step *step, const struct zg_value *value, GString *out, GError **error)
{
    const struct zg_form *form = &step->field->form;
    const bool is_number = zg_text_is_number(step, ZG_LAYOUT_JSON);

    if (step->record)
        return put_object(NULL, step->record, value->items, out, NULL, error);
    if (is_number)
        return put_number(step, value, out, error);
    if (step->type.kind == ZG_KIND_BOOL && !form->on && !form->off) {
        g_string_append(out, value->raw.b ? "true" : "false");
        return true;
    }
    if (step->type.enumeration && step->type.enumeration->flags) {
        put_flags(step, value->raw, out);
        return true;
    }
    if (step->type.enumeration && !zg_text_of_value(step->type.enumeration, value->raw))
        return put_number(step, value, out, error);
    if (step->type.kind == ZG_KIND_TEXT) {
        if (!zgi_text_may_stand(step, value, error))
            return false;
        zg_text_json_quote((const char *)value->bytes, value->count, out);
        return true;
    }
    g_autoptr(GString) inside = g_string_new(NULL);
    if (!zgi_text_put_element(step, value, inside, error))
        return false;
    zg_text_json_quote(inside->str, inside->len, out);
    return true;
}

static bool put_value(const struct zg_step *step, const struct zg_value *value, GString *out, GError **error)
{
    if (!zg_step_is_array(step))
        return put_element(step, value, out, error);
    g_string_append_c(out, '[');
    for (unsigned i = 0; i < value->count; i++) {
        g_string_append(out, i > 0 ? "," : "");
        if (!put_element(step, &value->items[i], out, error))
            return false;
    }
    g_string_append_c(out, ']');
    return true;
}

static void put_key(const char *key, GString *out)
{
    g_string_append(out, out->str[out->len - 1] == '{' ? "" : ",");
    zg_text_json_quote(key, strlen(key), out);
    g_string_append_c(out, ':');
}

static void put_constant(const struct zg_constant *constant, GString *out)
{
    put_key(constant->name, out);
    if (constant->is_number)
        g_string_append(out, constant->text);
    else
        zg_text_json_quote(constant->text, strlen(constant->text), out);
}

/* The members of a message, with its constants, or of a record. */
static bool put_object(const struct zg_text *text, const struct zg_block *block, const struct zg_value *values,
                       GString *out, struct zg_span *spans, GError **error)
{
    const unsigned count = text ? text->parts->len : block->steps->len;

    g_string_append_c(out, '{');
    for (unsigned i = 0; i < count; i++) {
        const struct zg_text_part *part = text ? zg_text_part(text, i) : NULL;
        if (part && part->constant) {
            put_constant(part->constant, out);
            continue;
        }
        const unsigned index = part ? (unsigned)part->step : i;
        const struct zg_step *step = zg_block_step(block, index);
        if (values[index].absent)
            continue;
        put_key(zg_field_key(step->field), out);
        const size_t from = out->len;
        if (!put_value(step, &values[index], out, error))
            return false;
        if (spans)
            spans[index] = (struct zg_span){ from, out->len - from };
    }
    g_string_append_c(out, '}');
    return true;
}

bool zgi_json_write(const struct zg_text *text, const struct zg_block *block, const struct zg_value *values,
                    GString *out, struct zg_span *spans, GError **error)
{
    return put_object(text, block, values, out, spans, error);
}

/* --- read */

static bool take_object(struct zgi_json_cursor *cursor, const struct zg_text *text, const struct zg_block *block,
                        struct zg_value *values, size_t *ignored);

static bool take_plain_number(const struct zg_step *step, struct zgi_json_cursor *cursor, union zg_raw *raw)
{
    const char *number;
    size_t size;
    return zgi_json_take_number(cursor, &number, &size) && zg_unspell(step, number, size, raw);
}

/* Names and bit numbers. */
static bool take_flags(const struct zg_step *step, struct zgi_json_cursor *cursor, union zg_raw *raw)
{
    g_auto(zgi_json_characters_auto) text = { NULL, 0, NULL };
    const char *number;
    size_t size;

    raw->u = 0;
    if (!zgi_json_take(cursor, '['))
        return false;
    if (zgi_json_peek(cursor) == ']')
        return zgi_json_take(cursor, ']');
    do {
        struct zg_value one = { .absent = false };
        union zg_raw bit;
        const bool is_name = zgi_json_peek(cursor) == '"';
        if (is_name ? !zgi_json_take_string(cursor, &text) : !zgi_json_take_number(cursor, &number, &size))
            return false;
        const bool good = !is_name ? zgi_text_take_flag(step, number, size, &one.raw)
                                   : zgi_text_take_flag(step, text.at, text.size, &one.raw) &&
                                         (!cursor->escaped || zgi_text_take_word(step, text.at, text.size, &bit));
        if (!good || (raw->u & one.raw.u) != 0)
            return false;
        raw->u |= one.raw.u;
    } while (zgi_json_take(cursor, ','));
    return zgi_json_take(cursor, ']');
}

/* Whether a string holds digits for a value: of bytes, or of an enum's value without a name. */
static bool has_digits(const struct zg_step *step, const struct zgi_json_characters *text)
{
    size_t length = text->size;
    union zg_raw raw;

    while (step->field->form.width > 0 && length > 0 && text->at[length - 1] == ' ')
        length--;
    return step->type.enumeration ? !zgi_text_take_word(step, text->at, length, &raw)
                                  : step->type.kind == ZG_KIND_BYTES && !step->field->form.base64;
}

static bool take_element(const struct zg_step *step, struct zgi_json_cursor *cursor, struct zg_value *value,
                         size_t *ignored)
{
    const struct zg_form *form = &step->field->form;
    const char first = zgi_json_peek(cursor);

    if (step->record)
        return take_object(cursor, NULL, step->record, value->items, ignored);
    if (zg_text_is_number(step, ZG_LAYOUT_JSON) && !zg_text_is_quoted(step))
        return take_plain_number(step, cursor, &value->raw);
    if (step->type.kind == ZG_KIND_BOOL && !form->on && !form->off) {
        value->raw = (union zg_raw){ .u = 0 };
        value->raw.b = first == 't';
        return zgi_json_take_word(cursor, "true") || zgi_json_take_word(cursor, "false");
    }
    if (step->type.enumeration && step->type.enumeration->flags && !form->number)
        return take_flags(step, cursor, &value->raw);
    if (step->type.enumeration && !form->number && first != '"')
        return !zg_text_is_quoted(step) && take_plain_number(step, cursor, &value->raw);
    g_auto(zgi_json_characters_auto) text = { NULL, 0, NULL };
    if (!zgi_json_take_string(cursor, &text))
        return false;
    if (zg_text_is_number(step, ZG_LAYOUT_JSON))
        return !cursor->escaped && zg_unspell(step, text.at, text.size, &value->raw);
    if (cursor->escaped && has_digits(step, &text))
        return false;
    return zgi_text_take_element(step, text.at, text.size, value);
}

static bool take_array(const struct zg_step *step, struct zgi_json_cursor *cursor, struct zg_value *value,
                       size_t *ignored)
{
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED;
    unsigned count = 0;

    zg_value_resize(step, value, is_fixed ? step->most : 0);
    if (!zgi_json_take(cursor, '['))
        return false;
    if (zgi_json_peek(cursor) == ']')
        return zgi_json_take(cursor, ']') && !is_fixed;
    do {
        if (count == step->most)
            return false;
        if (!is_fixed)
            zg_value_resize(step, value, count + 1);
        if (!take_element(step, cursor, &value->items[count++], ignored))
            return false;
    } while (zgi_json_take(cursor, ','));
    return zgi_json_take(cursor, ']') && (!is_fixed || count == step->most);
}

/* The member with a key: the index of a step, or a constant. False: it is unknown. */
static bool member_of(const struct zg_text *text, const struct zg_block *block, const struct zgi_json_characters *key,
                      unsigned *index, const struct zg_constant **constant)
{
    *constant = NULL;
    for (unsigned i = 0; text && i < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i);
        if (part->size != key->size || memcmp(part->literal, key->at, key->size) != 0)
            continue;
        *index = part->constant ? block->steps->len + i : (unsigned)part->step;
        *constant = part->constant;
        return true;
    }
    for (unsigned i = 0; !text && i < block->steps->len; i++) {
        const char *name = zg_field_key(zg_block_step(block, i)->field);
        *index = i;
        if (strlen(name) == key->size && memcmp(name, key->at, key->size) == 0)
            return true;
    }
    return false;
}

static bool take_constant(struct zgi_json_cursor *cursor, const struct zg_constant *constant)
{
    g_auto(zgi_json_characters_auto) text = { NULL, 0, NULL };
    const char *number;
    size_t size;

    if (!constant->is_number)
        return zgi_json_take_string(cursor, &text) && text.size == strlen(constant->text) &&
               memcmp(text.at, constant->text, text.size) == 0;
    return zgi_json_take_number(cursor, &number, &size) && zgi_text_is_constant(constant, number, size);
}

/* A member's value, or null. `*there`: it is not null. */
static bool take_member(struct zgi_json_cursor *cursor, const struct zg_block *block, unsigned index,
                        const struct zg_constant *constant, struct zg_value *values, bool *there, size_t *ignored)
{
    *there = true;
    if (constant)
        return take_constant(cursor, constant);
    const struct zg_step *step = zg_block_step(block, index);
    values[index].absent = false;
    if (zgi_json_peek(cursor) == 'n') {
        *there = false;
        return zgi_json_take_word(cursor, "null");
    }
    return zg_step_is_array(step) ? take_array(step, cursor, &values[index], ignored)
                                  : take_element(step, cursor, &values[index], ignored);
}

/* What was not there takes its default, or is absent. Returns the name of what must be there and is not; NULL: nothing.
 */
static const char *take_missing(const struct zg_text *text, const struct zg_block *block, const bool *there,
                                struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        if (!there[i] && !zgi_text_take_missing(zg_block_step(block, i), &values[i]))
            return zg_block_step(block, i)->name;
    for (unsigned i = 0; text && i < text->parts->len; i++)
        if (zg_text_part(text, i)->constant && !there[block->steps->len + i])
            return zg_text_part(text, i)->constant->name;
    return NULL;
}

static bool take_object(struct zgi_json_cursor *cursor, const struct zg_text *text, const struct zg_block *block,
                        struct zg_value *values, size_t *ignored)
{
    const unsigned places = block->steps->len + (text ? text->parts->len : 0);
    bool few[2 * FEW_PLACES] = { false };
    g_autofree bool *many = places > FEW_PLACES ? g_new0(bool, 2 * places) : NULL;
    bool *const seen = many ? many : few, *const there = seen + (many ? places : FEW_PLACES);
    g_auto(zgi_json_characters_auto) key = { NULL, 0, NULL };

    if (!zgi_json_take(cursor, '{'))
        return false;
    if (zgi_json_peek(cursor) == '}') {
        (void)zgi_json_take(cursor, '}');
        return !take_missing(text, block, there, values);
    }
    do {
        const struct zg_constant *constant;
        unsigned index;
        (void)zgi_json_peek(cursor);
        const char *from = cursor->at;
        if (!zgi_json_take_string(cursor, &key) || !zgi_json_take(cursor, ':'))
            return false;
        if (!member_of(text, block, &key, &index, &constant)) {
            if (!zgi_json_skip(cursor))
                return false;
            *ignored += (size_t)(cursor->at - from);
            continue;
        }
        if (seen[index] || !take_member(cursor, block, index, constant, values, &there[index], ignored))
            return false;
        seen[index] = true;
    } while (zgi_json_take(cursor, ','));
    return zgi_json_take(cursor, '}') && !take_missing(text, block, there, values);
}

bool zgi_json_read(const struct zg_text *text, const struct zg_block *block, const char *from, size_t length,
                   struct zg_value *values, size_t *ignored, size_t *stopped)
{
    struct zgi_json_cursor cursor = { from, from + length, false, NULL };
    const bool good =
        take_object(&cursor, text, block, values, ignored) && zgi_json_peek(&cursor) == '\0' && cursor.at == cursor.end;

    *stopped = (size_t)(cursor.at - from);
    return good;
}

/* Goes through the object again, as far as it is one, for the member in which reading stopped. */
void zgi_json_fault(const struct zg_text *text, const struct zg_block *block, const char *from, size_t length,
                    struct zg_value *values, struct zgi_progress *progress)
{
    struct zgi_json_cursor cursor = { from, from + length, false, NULL };
    const char *const stopped = from + progress->at;
    const unsigned places = block->steps->len + text->parts->len;
    g_autofree bool *seen = g_new0(bool, 2 * places);
    bool *const there = seen + places;
    g_auto(zgi_json_characters_auto) key = { NULL, 0, NULL };
    struct zgi_progress fault = { ZGI_READING_JSON, NULL, 0, 0 };
    bool good = zgi_json_take(&cursor, '{'), goes_on = good && zgi_json_peek(&cursor) != '}';

    while (good && goes_on) {
        const struct zg_constant *constant = NULL;
        unsigned index = 0;
        good = zgi_json_take_string(&cursor, &key) && zgi_json_take(&cursor, ':');
        const bool is_null = good && zgi_json_peek(&cursor) == 'n';
        const char *const value = cursor.at;
        good = good && zgi_json_skip(&cursor);
        if (!good || !member_of(text, block, &key, &index, &constant)) {
            goes_on = good && zgi_json_take(&cursor, ',');
            continue;
        }
        const char *const name = constant ? constant->name : zg_block_step(block, index)->name;
        if (fault.what == ZGI_READING_JSON && (seen[index] || (stopped >= value && stopped <= cursor.at)))
            fault = (struct zgi_progress){ seen[index] ? ZGI_READING_SECOND : ZGI_READING_VALUE, name,
                                           (size_t)(value - from), (size_t)(cursor.at - from) };
        seen[index] = true;
        there[index] = !is_null;
        goes_on = zgi_json_take(&cursor, ',');
    }
    good = good && zgi_json_take(&cursor, '}') && zgi_json_peek(&cursor) == '\0' && cursor.at == cursor.end;
    *progress = (struct zgi_progress){ ZGI_READING_JSON, NULL, (size_t)(cursor.at - from), 0 };
    if (good && fault.what != ZGI_READING_JSON) {
        *progress = fault;
    } else if (good) {
        progress->what = ZGI_READING_MISSING;
        progress->name = take_missing(text, block, there, values);
    }
}
