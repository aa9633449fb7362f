/* SPDX-License-Identifier: MIT */
/* Patterns and pairs, written. */
#include <string.h>

#include "generate/c/written_parts.h"

/* A statement that writes one element, an expression. */
static void print_put(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                      const char *indent)
{
    const struct zg_form *form = &step->field->form;
    GString *text = writing->text;
    g_autofree char *spelling = zgi_c_own_name(writing, step, "spelling"),
                    *words = zgi_c_own_name(writing, step, "words"), *between = zgi_c_quoted(zg_text_between(step));

    g_string_append(text, indent);
    if (step->type.kind == ZG_KIND_TEXT) {
        g_autofree char *size = zgi_c_size_of(step, value), *quote = zgi_c_quote_of(step);
        g_string_append_printf(text, "zg_write_text(to, %s, %s, %s, %u);\n", value, size, quote, form->width);
    } else if (step->type.kind == ZG_KIND_BYTES) {
        zgi_c_put_bytes(writing, step, value, "");
    } else if (step->type.kind == ZG_KIND_BOOL) {
        g_autofree char *on = zgi_c_quoted(zg_text_of_bool(step, true, zgi_c_layout_of(writing))),
                        *off = zgi_c_quoted(zg_text_of_bool(step, false, zgi_c_layout_of(writing)));
        g_string_append_printf(text, "zg_write_filled(to, %s ? %s : %s, %u);\n", value, on, off, form->width);
    } else if (zg_text_is_number(step, zgi_c_layout_of(writing))) {
        zgi_c_put_number(writing, step, value, "");
    } else if (step->type.enumeration->flags) {
        g_string_append_printf(text, "zg_write_flags(to, %s, %u, %u, %s, (zg_spelled)%s);\n", words,
                               step->type.enumeration->values->len, step->type.bits, between, value);
    } else {
        g_string_append_printf(text, "zg_write_word(to, %s, %u, &%s, (zg_spelled)%s, %u);\n", words,
                               step->type.enumeration->values->len, spelling, value, form->width);
    }
}

static void print_put_value(const struct zgi_writing *writing, const struct zg_step *step, const char *indent)
{
    g_autofree char *value = g_strdup_printf("message->%s%s", step->code, zg_step_is_array(step) ? "[i]" : "");
    g_autofree char *inner = g_strdup_printf("%s    ", indent), *between = zgi_c_quoted(zg_text_between(step));

    if (!zg_step_is_array(step)) {
        print_put(writing, step, value, indent);
        return;
    }
    zgi_c_each_element(writing, step, indent);
    g_string_append_printf(writing->text, "%sif (i > 0)\n%s    zg_write(to, %s);\n", inner, inner, between);
    print_put(writing, step, value, inner);
    g_string_append_printf(writing->text, "%s}\n", indent);
}

static void print_literal(GString *text, const char *literal, const char *indent)
{
    g_autofree char *string = zgi_c_quoted(literal);
    if (*literal)
        g_string_append_printf(text, "%szg_write(to, %s);\n", indent, string);
}

static void print_write_pattern(const struct zgi_writing *writing)
{
    const struct zg_text *layout = writing->parts;

    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        print_literal(writing->text, part->literal + (i == 0 ? layout->skipped : 0), "    ");
        if (part->step < 0)
            continue;
        const struct zg_step *step = zg_block_step(writing->block, (unsigned)part->step);
        if (!step->field->optional) {
            print_put_value(writing, step, "    ");
            continue;
        }
        g_string_append_printf(writing->text, "    if (message->has_%s) {\n", step->code);
        print_put_value(writing, step, "        ");
        if (step->field->form.absent && *step->field->form.absent) {
            g_string_append(writing->text, "    } else {\n");
            print_literal(writing->text, step->field->form.absent, "        ");
        }
        g_string_append(writing->text, "    }\n");
    }
}

static void print_write_pairs(const struct zgi_writing *writing)
{
    const struct zg_text *text = writing->parts;
    g_autofree char *between = zgi_c_quoted(text->layout->between);
    bool certain = false; /* something was written before */

    for (unsigned i = 0; i < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i);
        const struct zg_step *step = part->step >= 0 ? zg_block_step(writing->block, (unsigned)part->step) : NULL;
        const bool is_optional = step && step->field->optional;
        const char *indent = is_optional ? "        " : "    ";
        g_autofree char *key = g_strconcat(part->literal, text->layout->assign, NULL);
        if (is_optional)
            g_string_append_printf(writing->text, "    if (message->has_%s) {\n", step->code);
        if (certain)
            g_string_append_printf(writing->text, "%szg_write(to, %s);\n", indent, between);
        else if (i > 0)
            g_string_append_printf(writing->text, "%sif (to->size > first)\n%s    zg_write(to, %s);\n", indent, indent,
                                   between);
        print_literal(writing->text, key, indent);
        if (step)
            print_put_value(writing, step, indent);
        else
            print_literal(writing->text, part->constant->text, indent);
        if (is_optional)
            g_string_append(writing->text, "    }\n");
        certain = certain || !is_optional;
    }
}

void zgi_c_put_written(const struct zgi_writing *writing)
{
    g_autoptr(GString) body = g_string_new(NULL);
    const struct zgi_writing inner = { writing->c, body, writing->block, writing->parts, writing->item };
    GString *text = writing->text;

    (zgi_c_layout_of(writing) == ZG_LAYOUT_PATTERN ? print_write_pattern : print_write_pairs)(&inner);
    zgi_c_emit(writing->c, text, writing->block->name,
               "static void @p_zgi_write_@n(const struct @p_@n *message, struct zg_writer *to)\n{\n");
    if (zgi_c_uses(body, "> first"))
        g_string_append(text, "    const size_t first = to->size;\n\n");
    if (!zgi_c_uses(body, "message->"))
        g_string_append(text, "    (void)message;\n");
    if (body->len == 0)
        g_string_append(text, "    (void)to;\n");
    g_string_append_printf(text, "%s}\n\n", body->str);
}
