/* SPDX-License-Identifier: MIT */
/* What text layouts require of messages and fields. */
#include <string.h>

#include "definition/pattern.h"
#include "definition/read.h"

/* A layout of its own for each message, because each frees its own. */
static struct zg_layout copy_of(const struct zg_layout *layout)
{
    return (struct zg_layout){ .kind = layout->kind,
                               .assign = g_strdup(layout->assign),
                               .between = g_strdup(layout->between),
                               .place = layout->place };
}

static void check_binary_field(struct zgi_reader *reader, const struct zg_field *field)
{
    const struct zg_place place = field->form.place.line > 0 ? field->form.place : field->optional_place;
    const char *what = field->form.place.line > 0 ? "as" : "optional";

    if (place.line > 0)
        zgi_error(reader->diagnostics, place,
                  "%s is for text layouts; expected layout: json, or { pattern: ... } or "
                  "{ pairs: ... }, in the message or the frame",
                  what);
    if (field->default_text && field->since == 0)
        zgi_error(reader->diagnostics, field->default_place, "a default is for a field with `since`; %s is always sent",
                  field->name);
}

static void check_text_field(struct zgi_reader *reader, const struct zg_message *message, const struct zg_field *field)
{
    const bool is_pattern = message->layout.kind == ZG_LAYOUT_PATTERN;
    const struct zg_form *form = &field->form;
    const bool is_whole = zg_type_is_integer(field->type) && !field->type.enumeration;
    const bool is_float = field->type.kind == ZG_KIND_FLOAT;

    if (field->type.kind == ZG_KIND_RECORD && message->layout.kind != ZG_LAYOUT_JSON)
        zgi_error(reader->diagnostics, field->place, "only json can hold records; %s is one", field->name);
    if (is_pattern && field->since > 0)
        zgi_error(reader->diagnostics, field->since_place, "a pattern does not grow; expected pairs or json");
    if (is_pattern && field->default_text)
        zgi_error(reader->diagnostics, field->default_place,
                  "in a pattern all fields are sent; expected optional: true, or pairs or json");
    if (field->optional && field->default_text)
        zgi_error(reader->diagnostics, field->optional_place,
                  "%s is absent, or has its default, where it is missing; expected one of optional and default",
                  field->name);
    if (is_float && form->decimals < 0 && form->exponent < 0 && message->layout.kind != ZG_LAYOUT_BINARY)
        zgi_error(reader->diagnostics, field->place,
                  "%s is a float, which has no end of digits; expected as: { decimals: 2 } or { exponent: 5 }",
                  field->name);
    if (is_whole && field->scaled && field->decimals < 0 && form->decimals < 0 && form->base == 10 && !form->raw)
        zgi_error(reader->diagnostics, field->place,
                  "the scale of %s does not say how many decimals it has; expected as: { decimals: 3 } or as: raw",
                  field->name);
    if (message->layout.kind == ZG_LAYOUT_JSON && field->type.kind == ZG_KIND_TEXT && (form->quote || form->width > 0))
        zgi_error(reader->diagnostics, form->place, "text in json is a string, without a width or quotes of its own");
    else if (message->layout.kind == ZG_LAYOUT_JSON && form->width > 0 && !is_whole && !is_float && !form->number)
        zgi_error(reader->diagnostics, form->place, "in json only a number has a width; %s is none", field->name);
    if (form->quote && form->width > 0)
        zgi_error(reader->diagnostics, form->place, "quote and width exclude each other; expected one of them");
    if (form->exponent >= 0 && !is_float)
        zgi_error(reader->diagnostics, form->place, "only a float has an exponent; %s is none", field->name);
    if (form->exponent >= 0 && form->decimals >= 0)
        zgi_error(reader->diagnostics, form->place, "decimals and exponent exclude each other");
    if (form->base != 10 && (is_float || !zg_type_is_integer(field->type)))
        zgi_error(reader->diagnostics, form->place, "only an integer has a base; %s is none", field->name);
}

/* The tag of a message with a pattern is what stands before its first field. */
static void add_tag(struct zgi_reader *reader, struct zg_message *message, const struct zg_pattern *pattern)
{
    const struct zg_pattern_part *first = zg_pattern_part(pattern, 0);
    struct zg_tag *tag = g_new0(struct zg_tag, 1);

    g_assert(message->tags->len == 0);
    tag->place = message->layout.place;
    tag->size = (unsigned)MIN(strlen(first->literal), (size_t)ZG_TAG_MAX);
    tag->whole = !first->field;
    memcpy(tag->bytes, first->literal, tag->size);
    if (strlen(first->literal) > ZG_TAG_MAX)
        zgi_error(reader->diagnostics, tag->place, "the text before the first field is longer than %d bytes",
                  ZG_TAG_MAX);
    g_ptr_array_add(message->tags, tag);
}

static void settle_pattern(struct zgi_reader *reader, const struct zg_definition *definition,
                           struct zg_message *message)
{
    struct zg_pattern *pattern = zg_pattern_parse(reader, message);

    if (!pattern)
        return;
    if (!zgi_role(definition, ZG_ROLE_ID) && message->tags->len == 0 && *zg_pattern_part(pattern, 0)->literal)
        add_tag(reader, message, pattern);
    zg_pattern_free(pattern);
}

/* Two fields, or a field and a constant, of the same name on the wire. */
static void check_keys(struct zgi_reader *reader, const struct zg_message *message)
{
    g_autoptr(GHashTable) seen = g_hash_table_new(g_str_hash, g_str_equal);

    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        if (!g_hash_table_add(seen, (gpointer)zg_field_key(field)))
            zgi_error(reader->diagnostics, field->place, "the key \"%s\" is taken twice", zg_field_key(field));
    }
    for (unsigned i = 0; i < message->constants->len; i++) {
        const struct zg_constant *constant = g_ptr_array_index(message->constants, i);
        if (!g_hash_table_add(seen, constant->name))
            zgi_error(reader->diagnostics, constant->place, "the key \"%s\" is taken twice", constant->name);
    }
}

void zgi_settle_layout(struct zgi_reader *reader, const struct zg_definition *definition, struct zg_message *message)
{
    const bool is_own = message->layout.place.line > 0;

    if (!is_own && !message->service && !message->bare)
        message->layout = copy_of(&definition->layout);
    const enum zg_layout_kind kind = message->layout.kind;
    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        if (kind == ZG_LAYOUT_BINARY)
            check_binary_field(reader, field);
        else
            check_text_field(reader, message, field);
    }
    if (message->constants->len > 0 && kind != ZG_LAYOUT_PAIRS && kind != ZG_LAYOUT_JSON)
        zgi_error(reader->diagnostics, ((struct zg_constant *)g_ptr_array_index(message->constants, 0))->place,
                  "const is for pairs and json; in a pattern write the text itself");
    if (kind != ZG_LAYOUT_BINARY && zg_message_is_ticketed(message))
        zgi_error(reader->diagnostics, message->layout.place,
                  "%s carries a ticket, which is a byte of any value; expected layout: binary", message->name);
    if (kind == ZG_LAYOUT_PATTERN)
        settle_pattern(reader, definition, message);
    if (kind == ZG_LAYOUT_PAIRS || kind == ZG_LAYOUT_JSON)
        check_keys(reader, message);
}
