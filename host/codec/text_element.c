/* SPDX-License-Identifier: MIT */
/* Single values in text layouts, each written, and read from all of a text. */
#include "codec/text_element.h"

#include <errno.h>
#include <string.h>

#include "plan/spelling.h"

/* Text that ends at a zero byte, if it is shorter. */
static bool is_fixed_text(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_TEXT && step->type.extent == ZG_EXTENT_FIXED;
}

bool zgi_text_refuse(GError **error, const struct zg_step *step, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *why = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_set_error(error, ZG_CODEC_ERROR, ZG_CODEC_ERROR_VALUE, "%s: %s", step->name, why);
    return false;
}

bool zgi_text_put_number(const struct zg_step *step, union zg_raw raw, GString *text, GError **error)
{
    if (zg_spell(step, raw, text))
        return true;
    if (step->field->form.width > 0)
        return zgi_text_refuse(error, step, "the number takes more than its width of %u characters",
                               step->field->form.width);
    return zgi_text_refuse(error, step, "the number is not finite, or is 2^64 or more in units of its last decimal");
}

/* Fills a text up to its width with blanks. */
static bool fill_up(const struct zg_step *step, size_t from, GString *text, GError **error)
{
    const unsigned width = step->field->form.width;

    if (width > 0 && text->len - from > width)
        return zgi_text_refuse(error, step, "%zu characters exceed its width of %u", text->len - from, width);
    while (text->len - from < width)
        g_string_append_c(text, ' ');
    return true;
}

/* Names of flags by rising bit; bits without a name as numbers. */
static void put_flags(const struct zg_step *step, union zg_raw raw, GString *text)
{
    bool first = true;

    for (uint64_t bit = 0; bit < step->type.bits; bit++) {
        if (!(raw.u >> bit & 1))
            continue;
        const char *name = zg_text_of_value(step->type.enumeration, (union zg_raw){ .u = bit });
        g_string_append(text, first ? "" : zg_text_between(step));
        if (name)
            g_string_append(text, name);
        else
            g_string_append_printf(text, "%" G_GUINT64_FORMAT, bit);
        first = false;
    }
}

static bool put_enum(const struct zg_step *step, union zg_raw raw, GString *text, GError **error)
{
    const size_t from = text->len;
    const char *name = zg_text_of_value(step->type.enumeration, raw);

    if (step->type.enumeration->flags)
        put_flags(step, raw, text);
    else if (name)
        g_string_append(text, name);
    else
        return zgi_text_put_number(step, raw, text, error);
    return fill_up(step, from, text, error);
}

static void put_bytes(const struct zg_step *step, const struct zg_value *value, GString *text)
{
    const struct zg_form *form = &step->field->form;

    if (form->base64) {
        g_autofree char *coded = g_base64_encode(value->bytes, value->count);
        g_string_append(text, coded);
        return;
    }
    for (unsigned i = 0; i < value->count; i++)
        g_string_append_printf(text, form->lower == 0 ? "%02X" : "%02x", value->bytes[i]);
}

bool zgi_text_may_stand(const struct zg_step *step, const struct zg_value *value, GError **error)
{
    return !is_fixed_text(step) || !memchr(value->bytes, 0, value->count) ||
           zgi_text_refuse(error, step, "zero bytes fill it up, so that it cannot hold U+0000");
}

static bool put_string(const struct zg_step *step, const struct zg_value *value, GString *text, GError **error)
{
    const struct zg_form *form = &step->field->form;
    const size_t from = text->len;

    if (step->type.kind == ZG_KIND_BYTES) {
        put_bytes(step, value, text);
        return fill_up(step, from, text, error);
    }
    if (!zgi_text_may_stand(step, value, error))
        return false;
    if (form->quote)
        g_string_append_c(text, form->quote);
    for (unsigned i = 0; i < value->count; i++) {
        g_string_append_c(text, (char)value->bytes[i]);
        if (form->quote && value->bytes[i] == (uint8_t)form->quote)
            g_string_append_c(text, form->quote);
    }
    if (form->quote)
        g_string_append_c(text, form->quote);
    if (form->width > 0 && text->len > from && text->str[text->len - 1] == ' ')
        return zgi_text_refuse(error, step, "text with a width must not end with a blank, which is taken off again");
    return fill_up(step, from, text, error);
}

bool zgi_text_put_element(const struct zg_step *step, const struct zg_value *value, GString *text, GError **error)
{
    const size_t from = text->len;

    if (zg_step_is_string(step))
        return put_string(step, value, text, error);
    if (step->type.kind == ZG_KIND_BOOL) {
        g_string_append(text, zg_text_of_bool(step, value->raw.b, ZG_LAYOUT_PAIRS));
        return fill_up(step, from, text, error);
    }
    return zg_text_is_number(step, ZG_LAYOUT_PAIRS) ? zgi_text_put_number(step, value->raw, text, error)
                                                    : put_enum(step, value->raw, text, error);
}

/* --- read */

size_t zgi_text_find(const char *text, size_t length, size_t from, struct zgi_stop stop)
{
    for (size_t at = from; stop.size > 0 && at + stop.size <= length; at++) {
        const char *const found = memchr(text + at, stop.text[0], length - at - (stop.size - 1));
        if (!found)
            break;
        at = (size_t)(found - text);
        if (stop.size == 1 || memcmp(found, stop.text, stop.size) == 0)
            return at;
    }
    return length;
}

static bool is(const char *text, size_t length, const char *whole)
{
    return length == strlen(whole) && memcmp(text, whole, length) == 0;
}

/* --- single elements, each all of a text */

/* Whether text has its width, if it has one. */
static bool has_width(const struct zg_step *step, size_t length)
{
    return step->field->form.width == 0 || length == step->field->form.width;
}

/* Text that was filled up to its width, without the blanks behind. */
static size_t without_fill(const struct zg_step *step, const char *text, size_t length)
{
    while (step->field->form.width > 0 && length > 0 && text[length - 1] == ' ')
        length--;
    return length;
}

static bool keep_bytes(const struct zg_step *step, const uint8_t *bytes, size_t count, struct zg_value *value)
{
    const bool is_bytes = step->type.kind == ZG_KIND_BYTES;

    if (count > step->most || (is_bytes && step->type.extent == ZG_EXTENT_FIXED && count != step->most) ||
        (!is_bytes && !zg_is_text_of(step, bytes, count)) || (is_fixed_text(step) && memchr(bytes, 0, count)))
        return false;
    zg_value_set_bytes(value, bytes, (unsigned)count);
    return true;
}

/* Base 64 as RFC 4648 has it: with its padding, and nothing else. */
static bool take_base64(const struct zg_step *step, const char *text, size_t length, struct zg_value *value)
{
    g_autofree char *coded = g_strndup(text, length);
    gsize count = 0;
    g_autofree guchar *bytes = g_base64_decode(coded, &count);
    g_autofree char *again = g_base64_encode(bytes, count);

    return strcmp(again, coded) == 0 && strlen(coded) == length && keep_bytes(step, bytes, count, value);
}

static bool take_hex(const struct zg_step *step, const char *text, size_t length, struct zg_value *value)
{
    g_autoptr(GByteArray) bytes = g_byte_array_new();

    for (size_t i = 0; i + 1 < length; i += 2) {
        const int high = g_ascii_xdigit_value(text[i]), low = g_ascii_xdigit_value(text[i + 1]);
        const guint8 byte = (guint8)(16 * high + low);
        if (high < 0 || low < 0)
            return false;
        g_byte_array_append(bytes, &byte, 1);
    }
    return length % 2 == 0 && keep_bytes(step, bytes->data, bytes->len, value);
}

/* Text within quotes, which are doubled inside. */
static bool take_quoted(const struct zg_step *step, const char *text, size_t length, struct zg_value *value)
{
    const char quote = step->field->form.quote;
    g_autoptr(GString) inside = g_string_new(NULL);

    if (length < 2 || text[0] != quote || text[length - 1] != quote)
        return false;
    for (size_t i = 1; i + 1 < length; i++) {
        g_string_append_c(inside, text[i]);
        if (text[i] == quote && (text[++i] != quote || i + 1 == length))
            return false;
    }
    return keep_bytes(step, (const uint8_t *)inside->str, inside->len, value);
}

static bool take_string(const struct zg_step *step, const char *text, size_t length, struct zg_value *value)
{
    if (!has_width(step, length))
        return false;
    length = without_fill(step, text, length);
    if (step->type.kind == ZG_KIND_TEXT)
        return step->field->form.quote ? take_quoted(step, text, length, value)
                                       : keep_bytes(step, (const uint8_t *)text, length, value);
    return step->field->form.base64 ? take_base64(step, text, length, value) : take_hex(step, text, length, value);
}

bool zgi_text_take_word(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw)
{
    const struct zg_enum *enumeration = step->type.enumeration;

    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        if (is(text, length, value->text ? value->text : value->name)) {
            *raw = value->raw;
            return true;
        }
    }
    return false;
}

/* A bit of flags without a name, as its number. */
static bool bit_of(const struct zg_step *step, const char *text, size_t length, union zg_raw *bit)
{
    bit->u = 0;
    for (size_t i = 0; i < length; i++) {
        if (!g_ascii_isdigit(text[i]) || length > 2)
            return false;
        bit->u = 10 * bit->u + (uint64_t)(text[i] - '0');
    }
    return length > 0 && bit->u < step->type.bits;
}

bool zgi_text_take_flag(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw)
{
    union zg_raw bit;

    if (!zgi_text_take_word(step, text, length, &bit) && !bit_of(step, text, length, &bit))
        return false;
    raw->u = UINT64_C(1) << bit.u;
    return true;
}

static bool take_flags(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw)
{
    const struct zgi_stop between = { zg_text_between(step), strlen(zg_text_between(step)) };

    raw->u = 0;
    for (size_t at = 0; length > 0 && at <= length;) {
        const size_t end = zgi_text_find(text, length, at, between);
        union zg_raw one;
        if (!zgi_text_take_flag(step, text + at, end - at, &one) || (raw->u & one.u) != 0)
            return false;
        raw->u |= one.u;
        at = end + between.size + (end == length); /* a trailing separator leaves an empty name */
    }
    return true;
}

static bool take_bool(const struct zg_step *step, const char *text, size_t length, union zg_raw *raw)
{
    raw->u = 0;
    raw->b = is(text, length, zg_text_of_bool(step, true, ZG_LAYOUT_PAIRS));
    return raw->b || is(text, length, zg_text_of_bool(step, false, ZG_LAYOUT_PAIRS));
}

bool zgi_text_take_element(const struct zg_step *step, const char *text, size_t length, struct zg_value *value)
{
    if (zg_step_is_string(step))
        return take_string(step, text, length, value);
    if (zg_text_is_number(step, ZG_LAYOUT_PAIRS))
        return zg_unspell(step, text, length, &value->raw);
    const size_t whole = length;
    length = without_fill(step, text, length);
    if (!has_width(step, whole))
        return false;
    if (step->type.kind == ZG_KIND_BOOL)
        return take_bool(step, text, length, &value->raw);
    if (step->type.enumeration->flags)
        return take_flags(step, text, length, &value->raw);
    return zgi_text_take_word(step, text, length, &value->raw) || zg_unspell(step, text, whole, &value->raw);
}

bool zgi_text_is_constant(const struct zg_constant *constant, const char *text, size_t length)
{
    if (!constant->is_number)
        return is(text, length, constant->text);
    const size_t sign = length > 0 && (text[0] == '-' || text[0] == '+') ? 1 : 0;
    for (size_t i = sign; i < length; i++)
        if (!g_ascii_isdigit(text[i]))
            return false;
    g_autofree char *digits = g_strndup(text, length);
    errno = 0;
    return length > sign && g_ascii_strtoll(digits, NULL, 10) == g_ascii_strtoll(constant->text, NULL, 0) && errno == 0;
}

bool zgi_text_take_missing(const struct zg_step *step, struct zg_value *value)
{
    const struct zg_field *field = step->field;

    value->absent = field->optional;
    zg_value_set_default(step, value);
    return field->optional || field->default_text || field->since > 0;
}
