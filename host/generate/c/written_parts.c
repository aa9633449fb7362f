/* SPDX-License-Identifier: MIT */
#include "generate/c/written_parts.h"

#include <string.h>

#include "generate/c/block.h"
#include "generate/c/scaling.h"

enum zg_layout_kind zgi_c_layout_of(const struct zgi_writing *writing)
{
    return writing->parts ? writing->parts->layout->kind : ZG_LAYOUT_JSON;
}

char *zgi_c_quoted(const char *text)
{
    GString *string = g_string_new("\"");

    for (; text && *text; text++) {
        if (strchr("\"\\?", *text))
            g_string_append_printf(string, "\\%c", *text);
        else if (g_ascii_isprint(*text))
            g_string_append_c(string, *text);
        else
            g_string_append_printf(string, "\\%03o", (uint8_t)*text);
    }
    g_string_append_c(string, '"');
    return g_string_free(string, FALSE);
}

char *zgi_c_own_name(const struct zgi_writing *writing, const struct zg_step *step, const char *what)
{
    return g_strdup_printf("%s_zgi_%s_%s_%s", writing->c->prefix, writing->block->name, step->code, what);
}

char *zgi_c_quote_of(const struct zg_step *step)
{
    const char quote = step->type.kind == ZG_KIND_TEXT ? step->field->form.quote : '\0';
    return quote ? g_strdup_printf("'%s%c'", quote == '\'' ? "\\" : "", quote) : g_strdup("'\\0'");
}

bool zgi_c_has_words(const struct zg_step *step, enum zg_layout_kind kind)
{
    return step->type.enumeration && !zg_text_is_number(step, kind);
}

char *zgi_c_size_of(const struct zg_step *step, const char *value)
{
    if (step->type.extent != ZG_EXTENT_FIXED)
        return g_strdup_printf("%s_count", value);
    return step->type.kind == ZG_KIND_TEXT ? g_strdup_printf("zg_text_length(%s, %u)", value, step->most)
                                           : g_strdup_printf("%u", step->most);
}

void zgi_c_each_element(const struct zgi_writing *writing, const struct zg_step *step, const char *indent)
{
    if (step->type.extent == ZG_EXTENT_FIXED)
        g_string_append_printf(writing->text, "%sfor (unsigned i = 0; i < %u; i++) {\n", indent, step->most);
    else
        g_string_append_printf(writing->text, "%sfor (unsigned i = 0; i < message->%s_count; i++) {\n", indent,
                               step->code);
}

void zgi_c_keep_size(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                     const char *indent)
{
    if (step->type.extent != ZG_EXTENT_FIXED)
        g_string_append_printf(writing->text, "%s%s_count = (uint%u_t)size;\n", indent, value,
                               step->most > 255 ? 16U : 8U);
}

void zgi_c_put_number(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                      const char *indent)
{
    g_autofree char *spelling = zgi_c_own_name(writing, step, "spelling"),
                    *scaling = zgi_c_own_name(writing, step, "scaling");

    if (step->type.kind == ZG_KIND_FLOAT)
        g_string_append_printf(writing->text, "%szg_write_f%u(to, &%s, %s);\n", indent, step->type.bits, spelling,
                               value);
    else if (zgi_c_is_scaled(step))
        g_string_append_printf(writing->text, "%szg_write_scaled(to, &%s, &%s, (zg_spelled)%s);\n", indent, spelling,
                               scaling, value);
    else
        g_string_append_printf(writing->text, "%szg_write_%s(to, &%s, (zg_spelled)%s);\n", indent,
                               zgi_c_is_plain(step) ? "decimal" : "number", spelling, value);
}

void zgi_c_put_bytes(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                     const char *indent)
{
    const struct zg_form *form = &step->field->form;
    g_autofree char *size = zgi_c_size_of(step, value);

    if (form->base64)
        g_string_append_printf(writing->text, "%szg_write_base64(to, %s, %s);\n", indent, value, size);
    else
        g_string_append_printf(writing->text, "%szg_write_hex(to, %s, %s, %s);\n", indent, value, size,
                               form->lower == 0 ? "true" : "false");
}

void zgi_c_end_text(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                    const char *failed, const char *indent)
{
    GString *text = writing->text;

    if (step->type.is_ascii)
        g_string_append_printf(text, "%sif (zg_ascii_run(%s, size) < size)\n%s    return %s;\n", indent, value, indent,
                               failed);
    if (step->type.extent == ZG_EXTENT_FIXED)
        g_string_append_printf(text,
                               "%sif (zg_text_length(%s, size) < size)\n%s    return %s;\n%smemset(%s + size, 0, %u - "
                               "size);\n",
                               indent, value, indent, failed, indent, value, step->most + 1);
    else
        g_string_append_printf(text, "%s%s[size] = '\\0';\n", indent, value);
}

void zgi_c_take_bits(const struct zgi_writing *writing, const struct zg_step *step, const char *value, const char *call,
                     const char *failed, const char *indent)
{
    g_autofree char *type = zgi_c_element_type(writing->c, step);

    g_string_append_printf(writing->text, "%sif (!%s)\n%s    return %s;\n%s%s = (%s)bits;\n", indent, call, indent,
                           failed, indent, value, type);
}

void zgi_c_take_number(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                       const char *between, const char *failed, const char *indent)
{
    g_autofree char *spelling = zgi_c_own_name(writing, step, "spelling"),
                    *scaling = zgi_c_own_name(writing, step, "scaling"), *read = NULL;

    if (step->type.kind == ZG_KIND_FLOAT) {
        g_string_append_printf(writing->text, "%sif (!zg_read_f%u(%s, &%s, &%s))\n%s    return %s;\n", indent,
                               step->type.bits, between, spelling, value, indent, failed);
        return;
    }
    if (zgi_c_is_scaled(step))
        read = g_strdup_printf("zg_read_scaled(%s, &%s, &%s, &bits)", between, spelling, scaling);
    else
        read = g_strdup_printf("zg_read_%s(%s, &%s, &bits)", zgi_c_is_plain(step) ? "decimal" : "number", between,
                               spelling);
    zgi_c_take_bits(writing, step, value, read, failed, indent);
}

void zgi_c_missing(const struct zgi_writing *writing, const struct zg_step *step, const char *indent)
{
    if (step->field->optional) {
        g_string_append_printf(writing->text, "%smessage->has_%s = false;\n", indent, step->code);
        return;
    }
    if (zg_step_is_array(step) || zg_step_is_string(step) || step->record) {
        g_string_append_printf(writing->text, "%smemset(&message->%s, 0, sizeof message->%s);\n", indent, step->code,
                               step->code);
    } else if (step->type.kind == ZG_KIND_FLOAT) {
        g_string_append_printf(writing->text, "%smessage->%s = ", indent, step->code);
        zgi_c_append_float_limit(writing->text, step, step->fallback.f);
        g_string_append(writing->text, ";\n");
    } else {
        g_autofree char *value = step->type.kind == ZG_KIND_BOOL
                                     ? g_strdup(step->fallback.b ? "true" : "false")
                                     : zgi_c_literal(step->type.kind, zgi_c_bits(step), step->fallback);
        g_string_append_printf(writing->text, "%smessage->%s = %s;\n", indent, step->code, value);
    }
    if (zg_step_is_open_count(step))
        g_string_append_printf(writing->text, "%smessage->%s_count = 0;\n", indent, step->code);
}

bool zgi_c_uses(const GString *text, const char *name)
{
    return strstr(text->str, name) != NULL;
}
