/* SPDX-License-Identifier: MIT */
/* Patterns and pairs, read. */
#include <string.h>

#include "generate/c/block.h"
#include "generate/c/scaling.h"
#include "generate/c/written_parts.h"
#include "plan/spelling.h"

/* Statements that read one element between from.at and end. */
static void print_take(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                       const char *indent)
{
    const struct zg_form *form = &step->field->form;
    GString *text = writing->text;
    g_autofree char *spelling = zgi_c_own_name(writing, step, "spelling"),
                    *words = zgi_c_own_name(writing, step, "words"), *between = zgi_c_quoted(zg_text_between(step)),
                    *type = zgi_c_element_type(writing->c, step);
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED;

    if (zg_text_is_number(step, zgi_c_layout_of(writing))) {
        zgi_c_take_number(writing, step, value, "from.at, end", "ZG_ESIZE", indent);
        g_string_append_printf(text, "%sfrom.at = end;\n", indent);
        return;
    }
    g_string_append_printf(text, "%sif (!", indent);
    if (step->type.kind == ZG_KIND_TEXT) {
        g_autofree char *quote = zgi_c_quote_of(step);
        g_string_append_printf(text, "zg_read_text(from.at, end, %s, %u, &size, %s, %u))\n%s    return ZG_ESIZE;\n",
                               value, step->most, quote, form->width, indent);
        zgi_c_end_text(writing, step, value, "ZG_ESIZE", indent);
    } else if (step->type.kind == ZG_KIND_BYTES) {
        g_string_append_printf(text, "zg_read_%s(from.at, end, %s, %u, &size)%s", form->base64 ? "base64" : "hex",
                               value, step->most, is_fixed ? " || size != " : "");
        if (is_fixed)
            g_string_append_printf(text, "%u", step->most);
        g_string_append_printf(text, ")\n%s    return ZG_ESIZE;\n", indent);
    } else if (step->type.kind == ZG_KIND_BOOL) {
        g_autofree char *on = zgi_c_quoted(zg_text_of_bool(step, true, zgi_c_layout_of(writing))),
                        *off = zgi_c_quoted(zg_text_of_bool(step, false, zgi_c_layout_of(writing)));
        g_string_append_printf(text, "zg_read_bool(from.at, end, %s, %s, %u, &%s))\n%s    return ZG_ESIZE;\n", on, off,
                               form->width, value, indent);
    } else if (zgi_c_has_words(step, zgi_c_layout_of(writing)) && step->type.enumeration->flags) {
        g_string_append_printf(text,
                               "zg_read_flags(from.at, end, %s, %u, %u, %s, &bits))\n%s    return ZG_ESIZE;\n%s%s = "
                               "(%s)bits;\n",
                               words, step->type.enumeration->values->len, step->type.bits, between, indent, indent,
                               value, type);
    } else {
        g_string_append_printf(text,
                               "zg_read_word(from.at, end, %s, %u, &%s, &bits, %u))\n%s    return ZG_ESIZE;\n%s%s = "
                               "(%s)bits;\n",
                               words, step->type.enumeration->values->len, spelling, form->width, indent, indent, value,
                               type);
    }
    g_string_append_printf(text, "%sfrom.at = end;\n", indent);
    if (zg_step_is_string(step))
        zgi_c_keep_size(writing, step, value, indent);
}

/* The characters that a step's value or element always has; 0: as many as it takes. */
static unsigned size_of(const struct zg_step *step)
{
    const bool is_quoted = step->type.kind == ZG_KIND_TEXT && step->field->form.quote;
    return is_quoted ? 0 : zg_step_is_array(step) ? step->field->form.width : step->characters;
}

/* A statement that finds where a value ends that begins here. */
static void print_end(const struct zgi_writing *writing, const struct zg_step *step, const char *stop,
                      const char *indent)
{
    g_autofree char *spelling = zgi_c_own_name(writing, step, "spelling"),
                    *quote = zg_step_is_array(step) ? g_strdup("'\\0'") : zgi_c_quote_of(step);

    if (zg_text_is_number(step, ZG_LAYOUT_PAIRS) && size_of(step) == 0)
        g_string_append_printf(writing->text, "%send = zg_number_end(&from, %s, &%s);\n", indent, stop, spelling);
    else
        g_string_append_printf(writing->text, "%send = zg_value_end(&from, %s, %u, %s);\n", indent, stop, size_of(step),
                               quote);
}

/* Whether a plain number without a width or one size ends in front of a stop, however it goes on: the stop begins with
 * nothing that a number may hold. */
static bool ends_by_itself(const struct zg_step *step, const char *stop)
{
    return zg_text_is_number(step, ZG_LAYOUT_PAIRS) && !zg_step_is_array(step) && zgi_c_is_plain(step) &&
           size_of(step) == 0 && step->field->form.width == 0 &&
           !(*stop && (g_ascii_isdigit(*stop) || strchr("eE+-", *stop) ||
                       *stop == (step->field->form.point == ',' ? ',' : '.')));
}

static void print_take_array(const struct zgi_writing *writing, const struct zg_step *step, const char *stop,
                             const char *indent)
{
    g_autofree char *between = zgi_c_quoted(zg_text_between(step)),
                    *spelling = zgi_c_own_name(writing, step, "spelling"), *inner = g_strconcat(indent, "    ", NULL);
    GString *text = writing->text;
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED, is_number = zg_text_is_number(step, ZG_LAYOUT_PAIRS);

    if (is_fixed) {
        g_autofree char *value = g_strdup_printf("message->%s[i]", step->code),
                        *next = g_strdup_printf("i < %u ? %s : %s", step->most - 1, between, stop);
        g_string_append_printf(text,
                               "%sfor (unsigned i = 0; i < %u; i++) {\n%sif (i > 0 && !zg_take(&from, %s))\n%s    "
                               "return ZG_ESIZE;\n",
                               indent, step->most, inner, between, inner);
        print_end(writing, step, next, inner);
        print_take(writing, step, value, inner);
        g_string_append_printf(text, "%s}\n", indent);
        return;
    }
    /* the list ends at the stop, and its elements are separated within it */
    g_autofree char *value = g_strdup_printf("message->%s[message->%s_count]", step->code, step->code);
    g_autofree char *deeper = g_strconcat(inner, "    ", NULL);
    g_string_append_printf(text,
                           "%s{\n%sconst char *const whole = from.end;\n%sbool last = false;\n\n%sfrom.end = "
                           "zg_value_end(&from, %s, 0, '\\0');\n%smessage->%s_count = 0;\n",
                           indent, inner, inner, inner, stop, inner, step->code);
    g_string_append_printf(text, "%sfor (bool more = from.at < from.end; more; more = !last) {\n", inner);
    g_string_append_printf(text,
                           "%sif (message->%s_count == %u || (message->%s_count > 0 && !zg_take(&from, %s)))\n%s  "
                           "  return ZG_ESIZE;\n",
                           deeper, step->code, step->most, step->code, between, deeper);
    g_string_append_printf(text, "%send = zg_next_element(&from, %s, %u, %s%s, &last);\n", deeper, between,
                           size_of(step), is_number ? "&" : "", is_number ? spelling : "NULL");
    print_take(writing, step, value, deeper);
    g_string_append_printf(text,
                           "%smessage->%s_count++;\n%s}\n%sif (from.at != from.end)\n%s    return "
                           "ZG_ESIZE;\n%sfrom.end = whole;\n%s}\n",
                           deeper, step->code, inner, inner, inner, inner, indent);
}

/* Statements that take a literal, and a number behind it that ends by itself. */
static void print_take_decimal(const struct zgi_writing *writing, const struct zg_step *step, const char *front,
                               const char *indent)
{
    g_autofree char *spelling = zgi_c_own_name(writing, step, "spelling"), *literal = zgi_c_quoted(front),
                    *value = g_strdup_printf("message->%s", step->code),
                    *call = g_strdup_printf("zg_take_decimal(&from, %s, &%s, &bits)", literal, spelling);

    zgi_c_take_bits(writing, step, value, call, "ZG_ESIZE", indent);
}

/* Statements that take a value in front of this text, or of the end. */
static void print_take_value(const struct zgi_writing *writing, const struct zg_step *step, const char *before,
                             const char *indent)
{
    g_autofree char *value = g_strdup_printf("message->%s", step->code), *stop = zgi_c_quoted(before);

    if (zg_step_is_array(step)) {
        print_take_array(writing, step, stop, indent);
    } else if (ends_by_itself(step, before)) {
        print_take_decimal(writing, step, "", indent);
    } else {
        print_end(writing, step, stop, indent);
        print_take(writing, step, value, indent);
    }
}

static void print_read_pattern(const struct zgi_writing *writing)
{
    const struct zg_text *layout = writing->parts;
    GString *text = writing->text;

    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        const char *literal = part->literal + (i == 0 ? layout->skipped : 0);
        const struct zg_step *step = part->step < 0 ? NULL : zg_block_step(writing->block, (unsigned)part->step);
        const char *const before = step ? zg_text_part(layout, i + 1)->literal : NULL;
        g_autofree char *string = zgi_c_quoted(literal);
        if (step && !step->field->optional && ends_by_itself(step, before)) {
            print_take_decimal(writing, step, literal, "    ");
            continue;
        }
        if (*literal)
            g_string_append_printf(text, "    if (!zg_take(&from, %s))\n        return ZG_ESIZE;\n", string);
        if (!step)
            continue;
        g_autofree char *stop = zgi_c_quoted(before), *absent = zgi_c_quoted(step->field->form.absent);
        if (!step->field->optional) {
            print_take_value(writing, step, before, "    ");
            continue;
        }
        g_string_append_printf(text,
                               "    after = from;\n    message->has_%s = !zg_take(&after, %s) || zg_value_end(&after, "
                               "%s, 0, '\\0') != after.at;\n    if (!message->has_%s) {\n        from = after;\n "
                               "   } else {\n",
                               step->code, absent, stop, step->code);
        print_take_value(writing, step, before, "        ");
        g_string_append(text, "    }\n");
    }
    g_string_append(text, "    if (from.at != from.end)\n        return ZG_ESIZE;\n    *ignored = 0;\n");
}

/* One branch for each key; longer keys first where no assignment ends them. */
static int longer_key(const void *a, const void *b)
{
    const struct zg_text_part *const *first = a, *const *second = b;
    return (int)(*second)->size - (int)(*first)->size;
}

static void print_read_pairs(const struct zgi_writing *writing)
{
    const struct zg_text *layout = writing->parts;
    g_autofree char *assign = zgi_c_quoted(layout->layout->assign), *between = zgi_c_quoted(layout->layout->between);
    g_autoptr(GPtrArray) parts = g_ptr_array_new();
    GString *text = writing->text;
    const bool assigns = *layout->layout->assign;

    for (unsigned i = 0; i < layout->parts->len; i++)
        g_ptr_array_add(parts, (gpointer)zg_text_part(layout, i));
    if (!assigns)
        g_ptr_array_sort(parts, longer_key);
    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        if (part->step >= 0 && zg_block_step(writing->block, (unsigned)part->step)->field->optional)
            g_string_append_printf(text, "    message->has_%s = false;\n",
                                   zg_block_step(writing->block, (unsigned)part->step)->code);
    }
    g_string_append_printf(
        text,
        "    *ignored = 0;\n    for (bool left = from.at < from.end; left;) {\n        const char "
        "*const pair = from.at;\n        const char *const key = zg_next_key(&from, %s, %s);\n\n     "
        "   if (!key)\n            return ZG_ESIZE;\n",
        assign, between);
    for (unsigned i = 0; i < parts->len; i++) {
        const struct zg_text_part *part = g_ptr_array_index(parts, i);
        const unsigned index = (unsigned)(part - zg_text_part(layout, 0));
        g_autofree char *name = zgi_c_quoted(part->literal);
        const struct zg_step *step = part->step >= 0 ? zg_block_step(writing->block, (unsigned)part->step) : NULL;
        g_string_append_printf(
            text, assigns ? "        %sif (zg_is_word(pair, key, %s)) {\n" : "        %sif (zg_take(&from, %s)) {\n",
            i > 0 ? "} else " : "", name);
        g_string_append_printf(text,
                               "            if (seen[%u])\n                return ZG_ESIZE;\n            seen[%u] = "
                               "true;\n",
                               index, index);
        if (step) {
            print_take_value(writing, step, layout->layout->between, "            ");
            if (step->field->optional)
                g_string_append_printf(text, "            message->has_%s = true;\n", step->code);
            continue;
        }
        g_autofree char *constant = zgi_c_quoted(part->constant->text);
        g_string_append_printf(text, "            end = zg_value_end(&from, %s, 0, '\\0');\n", between);
        if (part->constant->is_number)
            g_string_append_printf(text, "            if (!zg_is_integer(from.at, end, %s))\n", part->constant->text);
        else
            g_string_append_printf(text, "            if (!zg_is_word(from.at, end, %s))\n", constant);
        g_string_append(text, "                return ZG_ESIZE;\n            from.at = end;\n");
    }
    g_string_append_printf(text,
                           "%s            from.at = zg_value_end(&from, %s, 0, '\\0');\n            *ignored += "
                           "(size_t)(from.at - pair);\n%s",
                           parts->len > 0 ? "        } else {\n" : "        {\n", between, "        }\n");
    g_string_append_printf(
        text,
        "        left = from.at < from.end;\n        if (left && (!zg_take(&from, %s) || from.at == from.end))\n       "
        "     return ZG_ESIZE;\n "
        "   }\n",
        between);
    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        const struct zg_step *step = part->step >= 0 ? zg_block_step(writing->block, (unsigned)part->step) : NULL;
        if (step && step->field->optional)
            continue;
        g_string_append_printf(text, "    if (!seen[%u])%s\n", i, step && step->field->default_text ? " {" : "");
        if (step && (step->field->default_text || step->field->since > 0)) {
            if (!step->field->default_text)
                g_string_append(text, "    {\n");
            zgi_c_missing(writing, step, "        ");
            g_string_append(text, "    }\n");
        } else {
            g_string_append(text, "        return ZG_ESIZE;\n");
        }
    }
}

void zgi_c_take_written(const struct zgi_writing *writing)
{
    const char *name = writing->block->name;
    g_autoptr(GString) body = g_string_new(NULL);
    struct zgi_writing inner = { writing->c, body, writing->block, writing->parts, writing->item };

    (zgi_c_layout_of(writing) == ZG_LAYOUT_PATTERN ? print_read_pattern : print_read_pairs)(&inner);
    zgi_c_emit(
        writing->c, writing->text, name,
        "static int @p_zgi_read_@n(struct @p_@n *message, const uint8_t *in, size_t length, size_t *ignored)\n{\n"
        "    struct zg_text_reader from;\n");
    if (zgi_c_uses(body, "after"))
        g_string_append(writing->text, "    struct zg_text_reader after;\n");
    if (zgi_c_uses(body, "&bits"))
        g_string_append(writing->text, "    zg_spelled bits;\n");
    if (zgi_c_uses(body, "&size"))
        g_string_append(writing->text, "    size_t size;\n");
    if (zgi_c_uses(body, "end = "))
        g_string_append(writing->text, "    const char *end;\n");
    if (zgi_c_uses(body, "seen["))
        g_string_append_printf(writing->text, "    bool seen[%u];\n", writing->parts->parts->len);
    g_string_append(writing->text, "\n    from.at = (const char *)in;\n    from.end = (const char *)in + length;\n");
    if (zgi_c_uses(body, "seen["))
        g_string_append(writing->text, "    memset(seen, 0, sizeof seen);\n");
    if (writing->block->steps->len == 0)
        g_string_append(writing->text, "    message->nothing = 0;\n");
    g_string_append_printf(writing->text, "%s    return 0;\n}\n\n", body->str);
}
