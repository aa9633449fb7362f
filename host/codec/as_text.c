/* SPDX-License-Identifier: MIT */
#include "codec/as_text.h"

#include <math.h>
#include <string.h>

#include "codec/hex.h"
#include "definition/words.h"

static void raw_to_json(const struct zg_step *step, union zg_raw raw, struct zg_json *json, const char *key)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    const char *name = enumeration && !enumeration->flags ? zg_enum_name(enumeration, raw) : NULL;

    if (enumeration && enumeration->flags) {
        zg_json_open(json, key, '[');
        for (uint64_t bit = 0; bit < step->type.bits; bit++) {
            const char *flag = zg_enum_name(enumeration, (union zg_raw){ .u = bit });
            if (!(raw.u >> bit & 1))
                continue;
            if (flag)
                zg_json_string(json, NULL, flag);
            else
                zg_json_unsigned(json, NULL, bit);
        }
        zg_json_close(json, ']');
    } else if (name)
        zg_json_string(json, key, name);
    else if (step->type.kind == ZG_KIND_BOOL)
        zg_json_bool(json, key, raw.b);
    else if (step->type.kind == ZG_KIND_FLOAT && step->type.bits == 32)
        zg_json_float(json, key, (float)raw.f);
    else if (step->type.kind == ZG_KIND_FLOAT)
        zg_json_double(json, key, raw.f);
    else if (step->field && step->field->scaled)
        zg_json_double(json, key, zg_step_physical(step, raw));
    else if (step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED)
        zg_json_signed(json, key, raw.i);
    else
        zg_json_unsigned(json, key, raw.u);
}

static void item_to_json(const struct zg_step *step, const struct zg_value *value, struct zg_json *json,
                         const char *key)
{
    if (!step->record) {
        raw_to_json(step, value->raw, json, key);
        return;
    }
    zg_json_open(json, key, '{');
    zg_block_to_json(step->record, value->items, json);
    zg_json_close(json, '}');
}

static void value_to_json(const struct zg_step *step, const struct zg_value *value, struct zg_json *json)
{
    if (step->type.kind == ZG_KIND_TEXT)
        zg_json_text(json, step->name, (const char *)value->bytes, value->count);
    else if (step->type.kind == ZG_KIND_BYTES)
        zg_json_hex(json, step->name, value->bytes, value->count);
    else if (step->type.extent == ZG_EXTENT_ONE)
        item_to_json(step, value, json, step->name);
    else {
        zg_json_open(json, step->name, '[');
        for (unsigned i = 0; i < value->count; i++)
            item_to_json(step, &value->items[i], json, NULL);
        zg_json_close(json, ']');
    }
}

void zg_block_to_json(const struct zg_block *block, const struct zg_value *values, struct zg_json *json)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        if (!values[i].absent)
            value_to_json(zg_block_step(block, i), &values[i], json);
}

static void flags_to_text(const struct zg_step *step, uint64_t bits, GString *text)
{
    bool any = false;

    for (uint64_t bit = 0; bit < step->type.bits; bit++) {
        const char *flag = zg_enum_name(step->type.enumeration, (union zg_raw){ .u = bit });
        if (!(bits >> bit & 1))
            continue;
        g_string_append(text, any ? "|" : "");
        if (flag)
            g_string_append(text, flag);
        else
            g_string_append_printf(text, "%u", (unsigned)bit);
        any = true;
    }
    g_string_append(text, any ? "" : "none");
}

void zg_raw_to_text(const struct zg_step *step, union zg_raw raw, GString *text)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    const char *name = enumeration && !enumeration->flags ? zg_enum_name(enumeration, raw) : NULL;

    if (enumeration && enumeration->flags)
        flags_to_text(step, raw.u, text);
    else if (name)
        g_string_append(text, name);
    else if (step->type.kind == ZG_KIND_BOOL)
        g_string_append(text, raw.b ? "true" : "false");
    else if (step->type.kind == ZG_KIND_FLOAT && step->type.bits == 32)
        zg_append_float(text, (float)raw.f);
    else if (step->type.kind == ZG_KIND_FLOAT)
        zg_append_double(text, raw.f);
    else if (step->field && step->field->scaled)
        zg_append_double(text, zg_step_physical(step, raw));
    else if (step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED)
        g_string_append_printf(text, "%" G_GINT64_FORMAT, raw.i);
    else
        g_string_append_printf(text, "%" G_GUINT64_FORMAT, raw.u);
}

static void item_to_text(const struct zg_step *step, const struct zg_value *value, GString *text)
{
    if (!step->record) {
        zg_raw_to_text(step, value->raw, text);
        return;
    }
    g_string_append_c(text, '{');
    for (unsigned i = 0; i < step->record->steps->len; i++) {
        const struct zg_step *inner = zg_block_step(step->record, i);
        if (value->items[i].absent)
            continue;
        g_string_append_printf(text, "%s%s=", text->str[text->len - 1] == '{' ? "" : " ", inner->name);
        zg_value_to_text(inner, &value->items[i], text);
    }
    g_string_append_c(text, '}');
}

void zg_value_to_text(const struct zg_step *step, const struct zg_value *value, GString *text)
{
    if (step->type.kind == ZG_KIND_TEXT) {
        g_autofree char *quoted = zg_shown((const char *)value->bytes, (gssize)value->count, true);
        g_string_append_printf(text, "\"%s\"", quoted);
    } else if (step->type.kind == ZG_KIND_BYTES) {
        g_string_append(text, value->count == 0 ? "empty" : "");
        zg_append_hex(text, value->bytes, value->count);
    } else if (step->type.extent == ZG_EXTENT_ONE) {
        item_to_text(step, value, text);
    } else {
        g_string_append_c(text, '[');
        for (unsigned i = 0; i < value->count; i++) {
            g_string_append(text, i > 0 ? " " : "");
            item_to_text(step, &value->items[i], text);
        }
        g_string_append_c(text, ']');
    }
}

static void append_summary(const struct zg_enum *enumeration, union zg_raw raw, GString *text, bool *any)
{
    const struct zg_enum_value *value = zg_enum_find(enumeration, raw);

    if (!value || !value->summary)
        return;
    g_string_append_printf(text, "%s%s", *any ? "; " : " (", value->summary);
    *any = true;
}

void zg_append_meaning(const struct zg_step *step, const struct zg_value *value, GString *text)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    bool any = false;

    if (!enumeration || zg_step_is_array(step))
        return;
    if (!enumeration->flags)
        append_summary(enumeration, value->raw, text, &any);
    for (uint64_t bit = 0; enumeration->flags && bit < step->type.bits; bit++)
        if (value->raw.u >> bit & 1)
            append_summary(enumeration, (union zg_raw){ .u = bit }, text, &any);
    g_string_append(text, any ? ")" : "");
}
