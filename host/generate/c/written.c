/* SPDX-License-Identifier: MIT */
/* Messages with a text layout: functions that write their payload and read it. */
#include "generate/c/written.h"

#include <string.h>

#include "plan/physical.h"
#include "plan/spelling.h"

/* A message being printed. */
struct writing {
    const struct zgi_c *c;
    GString *text;
    const struct zg_plan_message *item;
};

static enum zg_layout_kind kind_of(const struct writing *writing)
{
    return writing->item->message->layout.kind;
}

/* Text as a string of C. */
static char *quoted(const char *text)
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

/* --- numbers */

/* Whether a step's numbers are written at all: as such, or where an enum's value has no name. */
static bool has_numbers(const struct zg_step *step, enum zg_layout_kind kind)
{
    const bool is_enum = step->type.enumeration && !step->type.enumeration->flags;
    return zg_text_is_number(step, kind) || is_enum;
}

/* units = (raw * factor + shift) / divisor; and how many bits that takes, sign included. */
struct scaling {
    mpz_t factor, shift, divisor;
    unsigned bits;
};

static void scaling_clear(struct scaling *scaling)
{
    mpz_clears(scaling->factor, scaling->shift, scaling->divisor, NULL);
}

static struct scaling scaling_of(const struct zg_step *step)
{
    const struct zg_field *field = step->field;
    const unsigned decimals = zg_step_decimals(step);
    const bool is_raw = !field->scaled || field->form.raw || field->form.base != 10;
    struct scaling scaling = { .bits = step->type.bits };
    mpq_t by, more, ten;

    mpz_inits(scaling.factor, scaling.shift, scaling.divisor, NULL);
    if ((is_raw && decimals == 0) || field->form.base != 10) {
        mpz_set_ui(scaling.factor, 1);
        return scaling;
    }
    mpq_inits(by, more, ten, NULL);
    mpz_ui_pow_ui(mpq_numref(ten), 10, decimals);
    mpq_set_ui(by, 1, 1);
    if (!is_raw) {
        mpq_set(by, field->scale);
        mpq_set(more, field->offset);
    }
    mpq_mul(by, by, ten);
    mpq_mul(more, more, ten);
    mpz_lcm(scaling.divisor, mpq_denref(by), mpq_denref(more));
    mpz_divexact(scaling.factor, scaling.divisor, mpq_denref(by));
    mpz_mul(scaling.factor, scaling.factor, mpq_numref(by));
    mpz_divexact(scaling.shift, scaling.divisor, mpq_denref(more));
    mpz_mul(scaling.shift, scaling.shift, mpq_numref(more));
    if (mpz_cmp(scaling.factor, scaling.divisor) == 0 && mpz_sgn(scaling.shift) == 0) {
        mpz_set_ui(scaling.divisor, 0);
    } else { /* the greatest raw value times the factor, the shift, and what rounds */
        mpz_abs(mpq_numref(ten), scaling.factor);
        mpz_mul_2exp(mpq_numref(ten), mpq_numref(ten), step->type.bits - (zg_step_is_signed(step) ? 1 : 0));
        mpz_abs(mpq_numref(by), scaling.shift);
        mpz_add(mpq_numref(ten), mpq_numref(ten), mpq_numref(by));
        mpz_add(mpq_numref(ten), mpq_numref(ten), scaling.divisor);
        scaling.bits = (unsigned)mpz_sizeinbase(mpq_numref(ten), 2) + 1;
    }
    mpq_clears(by, more, ten, NULL);
    return scaling;
}

unsigned zgi_c_spelling_bits(const struct zg_plan *plan)
{
    unsigned most = 32;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        for (unsigned k = 0; item->text && k < item->payload.steps->len; k++) {
            const struct zg_step *step = zg_block_step(&item->payload, k);
            if (step->record || zg_step_is_string(step) || step->type.kind == ZG_KIND_FLOAT)
                continue;
            struct scaling scaling = scaling_of(step);
            most = MAX(most, scaling.bits);
            scaling_clear(&scaling);
        }
    }
    return most;
}

bool zgi_c_knows_texts(const struct zg_plan *plan, const char **why)
{
    *why = NULL;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (!item->text)
            continue;
        if (item->message->layout.kind == ZG_LAYOUT_JSON)
            *why = "json";
        for (unsigned k = 0; k < item->payload.steps->len; k++)
            if (zg_block_step(&item->payload, k)->type.kind == ZG_KIND_FLOAT)
                *why = "floats in text";
    }
    if (!*why && zgi_c_spelling_bits(plan) > 64)
        *why = "numbers in text that take more than 64 bits with their scale";
    return !*why;
}

static void print_spelling(const struct writing *writing, const struct zg_step *step)
{
    const struct zg_form *form = &step->field->form;
    struct scaling scaling = scaling_of(step);
    g_autofree char *prefix = quoted(form->prefix), *factor = mpz_get_str(NULL, 10, scaling.factor),
                    *shift = mpz_get_str(NULL, 10, scaling.shift), *divisor = mpz_get_str(NULL, 10, scaling.divisor);
    const unsigned flags = (zg_step_is_signed(step) ? 1U : 0U) | (form->sign ? 2U : 0U) | (form->pad == '0' ? 4U : 0U) |
                           (form->lower == 1 ? 8U : 0U) | (form->point == ',' ? 16U : 0U);

    zgi_c_emit(writing->c, writing->text, step->code, "static const struct zg_spelling ");
    g_string_append_printf(writing->text, "%s_zgi_%s_%s_spelling = { %s, %s, %s, %s, %u, %u, %u, %u, %u };\n",
                           writing->c->prefix, writing->item->message->name, step->code, prefix, factor, shift, divisor,
                           step->type.bits, form->base, form->width, zg_step_decimals(step), flags);
    scaling_clear(&scaling);
}

static void print_words(const struct writing *writing, const struct zg_step *step)
{
    const struct zg_enum *enumeration = step->type.enumeration;

    g_string_append_printf(writing->text, "static const struct zg_word %s_zgi_%s_%s_words[] = {\n", writing->c->prefix,
                           writing->item->message->name, step->code);
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_autofree char *word = quoted(value->text ? value->text : value->name);
        const bool is_negative = zg_step_is_signed(step) && !enumeration->flags && value->raw.i < 0;
        if (is_negative) /* two's complement */
            g_string_append_printf(writing->text, "    { %s, (zg_spelled)0 - %" G_GUINT64_FORMAT "U },\n", word,
                                   (uint64_t)0 - value->raw.u);
        else
            g_string_append_printf(writing->text, "    { %s, %" G_GUINT64_FORMAT "U },\n", word, value->raw.u);
    }
    g_string_append(writing->text, "};\n");
}

static bool has_words(const struct zg_step *step, enum zg_layout_kind kind)
{
    return step->type.enumeration && !zg_text_is_number(step, kind);
}

/* --- writing */

/* "P_zgi_M_F_what" */
static char *own_name(const struct writing *writing, const struct zg_step *step, const char *what)
{
    return g_strdup_printf("%s_zgi_%s_%s_%s", writing->c->prefix, writing->item->message->name, step->code, what);
}

/* What text is quoted with, as a character of C. */
static char *quote_of(const struct zg_step *step)
{
    const char quote = step->type.kind == ZG_KIND_TEXT ? step->field->form.quote : '\0';
    return quote ? g_strdup_printf("'%s%c'", quote == '\'' ? "\\" : "", quote) : g_strdup("'\\0'");
}

/* A statement that writes one element, an expression. */
static void print_put(const struct writing *writing, const struct zg_step *step, const char *value, const char *indent)
{
    const struct zg_form *form = &step->field->form;
    GString *text = writing->text;
    g_autofree char *spelling = own_name(writing, step, "spelling"), *words = own_name(writing, step, "words"),
                    *between = quoted(zg_text_between(step));
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED;

    g_string_append(text, indent);
    if (step->type.kind == ZG_KIND_TEXT) {
        g_autofree char *size = is_fixed ? g_strdup_printf("zg_text_length(%s, %u)", value, step->most)
                                         : g_strdup_printf("%s_count", value);
        g_autofree char *quote = quote_of(step);
        g_string_append_printf(text, "zg_write_text(to, %s, %s, %s, %u);\n", value, size, quote, form->width);
    } else if (step->type.kind == ZG_KIND_BYTES) {
        g_autofree char *size = is_fixed ? g_strdup_printf("%u", step->most) : g_strdup_printf("%s_count", value);
        if (form->base64)
            g_string_append_printf(text, "zg_write_base64(to, %s, %s);\n", value, size);
        else
            g_string_append_printf(text, "zg_write_hex(to, %s, %s, %s);\n", value, size,
                                   form->lower == 0 ? "true" : "false");
    } else if (step->type.kind == ZG_KIND_BOOL) {
        g_autofree char *on = quoted(zg_text_of_bool(step, true, kind_of(writing))),
                        *off = quoted(zg_text_of_bool(step, false, kind_of(writing)));
        g_string_append_printf(text, "zg_write_filled(to, %s ? %s : %s, %u);\n", value, on, off, form->width);
    } else {
        g_autofree char *number = zg_step_is_signed(step) ? g_strdup_printf("zg_number_of(%s)", value)
                                                          : g_strdup_printf("zg_number_unsigned(%s)", value);
        if (zg_text_is_number(step, kind_of(writing)))
            g_string_append_printf(text, "zg_write_number(to, &%s, %s);\n", spelling, number);
        else if (step->type.enumeration->flags)
            g_string_append_printf(text, "zg_write_flags(to, %s, %u, %u, %s, (zg_spelled)%s);\n", words,
                                   step->type.enumeration->values->len, step->type.bits, between, value);
        else
            g_string_append_printf(text, "zg_write_word(to, %s, %u, &%s, %s, %u);\n", words,
                                   step->type.enumeration->values->len, spelling, number, form->width);
    }
}

static void print_put_value(const struct writing *writing, const struct zg_step *step, const char *indent)
{
    g_autofree char *value = g_strdup_printf("message->%s%s", step->code, zg_step_is_array(step) ? "[i]" : "");
    g_autofree char *inner = g_strdup_printf("%s    ", indent), *between = quoted(zg_text_between(step));

    if (!zg_step_is_array(step)) {
        print_put(writing, step, value, indent);
        return;
    }
    if (step->type.extent == ZG_EXTENT_FIXED)
        g_string_append_printf(writing->text, "%sfor (unsigned i = 0; i < %u; i++) {\n", indent, step->most);
    else
        g_string_append_printf(writing->text, "%sfor (unsigned i = 0; i < message->%s_count; i++) {\n", indent,
                               step->code);
    g_string_append_printf(writing->text, "%sif (i > 0)\n%s    zg_write(to, %s);\n", inner, inner, between);
    print_put(writing, step, value, inner);
    g_string_append_printf(writing->text, "%s}\n", indent);
}

static void print_literal(GString *text, const char *literal, const char *indent)
{
    g_autofree char *string = quoted(literal);
    if (*literal)
        g_string_append_printf(text, "%szg_write(to, %s);\n", indent, string);
}

static void print_write_pattern(const struct writing *writing)
{
    const struct zg_text *layout = writing->item->text;

    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        print_literal(writing->text, part->literal + (i == 0 ? layout->skipped : 0), "    ");
        if (part->step < 0)
            continue;
        const struct zg_step *step = zg_block_step(&writing->item->payload, (unsigned)part->step);
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

static void print_write_pairs(const struct writing *writing)
{
    const struct zg_text *text = writing->item->text;
    g_autofree char *between = quoted(text->layout->between);
    bool certain = false; /* something was written before */

    for (unsigned i = 0; i < text->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(text, i);
        const struct zg_step *step =
            part->step >= 0 ? zg_block_step(&writing->item->payload, (unsigned)part->step) : NULL;
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

/* Whether a name is used in code. */
static bool uses(const GString *text, const char *name)
{
    return strstr(text->str, name) != NULL;
}

static void print_write(const struct writing *writing)
{
    g_autoptr(GString) body = g_string_new(NULL);
    const struct writing inner = { writing->c, body, writing->item };
    GString *text = writing->text;

    (kind_of(writing) == ZG_LAYOUT_PATTERN ? print_write_pattern : print_write_pairs)(&inner);
    zgi_c_emit(writing->c, text, writing->item->message->name,
               "static void @p_zgi_write_@n(const struct @p_@n *message, struct zg_writer *to)\n{\n");
    if (uses(body, "> first"))
        g_string_append(text, "    const size_t first = to->size;\n\n");
    if (!uses(body, "message->"))
        g_string_append(text, "    (void)message;\n");
    if (body->len == 0)
        g_string_append(text, "    (void)to;\n");
    g_string_append_printf(text, "%s}\n\n", body->str);
}

/* --- reading */

/* Statements that read one element between from.at and end. */
static void print_take(const struct writing *writing, const struct zg_step *step, const char *value, const char *indent)
{
    const struct zg_form *form = &step->field->form;
    GString *text = writing->text;
    g_autofree char *spelling = own_name(writing, step, "spelling"), *words = own_name(writing, step, "words"),
                    *between = quoted(zg_text_between(step)), *type = zgi_c_element_type(writing->c, step);
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED;

    g_string_append_printf(text, "%sif (!", indent);
    if (step->type.kind == ZG_KIND_TEXT) {
        g_autofree char *quote = quote_of(step);
        g_string_append_printf(text, "zg_read_text(from.at, end, %s, %u, &size, %s, %u))\n%s    return ZG_ESIZE;\n",
                               value, step->most, quote, form->width, indent);
        if (step->type.is_ascii)
            g_string_append_printf(text, "%sif (zg_ascii_run(%s, size) < size)\n%s    return ZG_ESIZE;\n", indent,
                                   value, indent);
        if (is_fixed)
            g_string_append_printf(text,
                                   "%sif (zg_text_length(%s, size) < size)\n%s    return ZG_ESIZE;\n"
                                   "%smemset(%s + size, 0, %u - size);\n",
                                   indent, value, indent, indent, value, step->most + 1);
        else
            g_string_append_printf(text, "%s%s[size] = '\\0';\n", indent, value);
    } else if (step->type.kind == ZG_KIND_BYTES) {
        g_string_append_printf(text, "zg_read_%s(from.at, end, %s, %u, &size)%s", form->base64 ? "base64" : "hex",
                               value, step->most, is_fixed ? " || size != " : "");
        if (is_fixed)
            g_string_append_printf(text, "%u", step->most);
        g_string_append_printf(text, ")\n%s    return ZG_ESIZE;\n", indent);
    } else if (step->type.kind == ZG_KIND_BOOL) {
        g_autofree char *on = quoted(zg_text_of_bool(step, true, kind_of(writing))),
                        *off = quoted(zg_text_of_bool(step, false, kind_of(writing)));
        g_string_append_printf(text, "zg_read_bool(from.at, end, %s, %s, %u, &%s))\n%s    return ZG_ESIZE;\n", on, off,
                               form->width, value, indent);
    } else if (has_words(step, kind_of(writing)) && step->type.enumeration->flags) {
        g_string_append_printf(text,
                               "zg_read_flags(from.at, end, %s, %u, %u, %s, &bits))\n%s    return ZG_ESIZE;\n%s%s = "
                               "(%s)bits;\n",
                               words, step->type.enumeration->values->len, step->type.bits, between, indent, indent,
                               value, type);
    } else if (has_words(step, kind_of(writing))) {
        g_string_append_printf(text,
                               "zg_read_word(from.at, end, %s, %u, &%s, &number, %u))\n%s    return ZG_ESIZE;\n%s%s = "
                               "(%s)zg_number_bits(number);\n",
                               words, step->type.enumeration->values->len, spelling, form->width, indent, indent, value,
                               type);
    } else {
        g_string_append_printf(text,
                               "zg_read_number(from.at, end, &%s, &number))\n%s    return ZG_ESIZE;\n%s%s = "
                               "(%s)zg_number_bits(number);\n",
                               spelling, indent, indent, value, type);
    }
    g_string_append_printf(text, "%sfrom.at = end;\n", indent);
    if (zg_step_is_string(step) && !is_fixed)
        g_string_append_printf(text, "%s%s_count = (uint%u_t)size;\n", indent, value, step->most > 255 ? 16U : 8U);
}

/* The arguments of zg_next_element() behind the separator, and of zg_value_end() behind the stop up to the quote. */
static char *ending(const struct writing *writing, const struct zg_step *step)
{
    const bool is_quoted = step->type.kind == ZG_KIND_TEXT && step->field->form.quote;
    const unsigned size = is_quoted ? 0 : zg_step_is_array(step) ? step->field->form.width : step->characters;
    g_autofree char *spelling = own_name(writing, step, "spelling");

    return zg_text_is_number(step, ZG_LAYOUT_PAIRS) ? g_strdup_printf("%u, &%s", size, spelling)
                                                    : g_strdup_printf("%u, NULL", size);
}

static void print_take_array(const struct writing *writing, const struct zg_step *step, const char *stop,
                             const char *indent)
{
    g_autofree char *between = quoted(zg_text_between(step)), *end_of = ending(writing, step),
                    *inner = g_strconcat(indent, "    ", NULL);
    GString *text = writing->text;
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED;

    if (is_fixed) {
        g_autofree char *value = g_strdup_printf("message->%s[i]", step->code);
        g_string_append_printf(text,
                               "%sfor (unsigned i = 0; i < %u; i++) {\n%sif (i > 0 && !zg_take(&from, %s))\n%s    "
                               "return ZG_ESIZE;\n",
                               indent, step->most, inner, between, inner);
        g_string_append_printf(text, "%send = zg_value_end(&from, i < %u ? %s : %s, %s, '\\0');\n", inner,
                               step->most - 1, between, stop, end_of);
        print_take(writing, step, value, inner);
        g_string_append_printf(text, "%s}\n", indent);
        return;
    }
    /* the list ends at the stop, and its elements are separated within it */
    g_autofree char *value = g_strdup_printf("message->%s[message->%s_count]", step->code, step->code);
    g_autofree char *deeper = g_strconcat(inner, "    ", NULL);
    g_string_append_printf(text,
                           "%s{\n%sconst char *const whole = from.end;\n%sbool last = false;\n\n%sfrom.end = "
                           "zg_value_end(&from, %s, 0, NULL, '\\0');\n%smessage->%s_count = 0;\n",
                           indent, inner, inner, inner, stop, inner, step->code);
    g_string_append_printf(text, "%sfor (bool more = from.at < from.end; more; more = !last) {\n", inner);
    g_string_append_printf(text,
                           "%sif (message->%s_count == %u || (message->%s_count > 0 && !zg_take(&from, %s)))\n%s  "
                           "  return ZG_ESIZE;\n",
                           deeper, step->code, step->most, step->code, between, deeper);
    g_string_append_printf(text, "%send = zg_next_element(&from, %s, %s, &last);\n", deeper, between, end_of);
    print_take(writing, step, value, deeper);
    g_string_append_printf(text,
                           "%smessage->%s_count++;\n%s}\n%sif (from.at != from.end)\n%s    return "
                           "ZG_ESIZE;\n%sfrom.end = whole;\n%s}\n",
                           deeper, step->code, inner, inner, inner, inner, indent);
}

static void print_take_value(const struct writing *writing, const struct zg_step *step, const char *stop,
                             const char *indent)
{
    g_autofree char *value = g_strdup_printf("message->%s", step->code), *end_of = ending(writing, step),
                    *quote = quote_of(step);

    if (zg_step_is_array(step)) {
        print_take_array(writing, step, stop, indent);
        return;
    }
    g_string_append_printf(writing->text, "%send = zg_value_end(&from, %s, %s, %s);\n", indent, stop, end_of, quote);
    print_take(writing, step, value, indent);
}

/* A value that nothing sent. */
static void print_missing(const struct writing *writing, const struct zg_step *step, const char *indent)
{
    if (step->field->optional) {
        g_string_append_printf(writing->text, "%smessage->has_%s = false;\n", indent, step->code);
        return;
    }
    if (zg_step_is_array(step) || zg_step_is_string(step)) {
        g_string_append_printf(writing->text, "%smemset(&message->%s, 0, sizeof message->%s);\n", indent, step->code,
                               step->code);
    } else {
        g_autofree char *value = step->type.kind == ZG_KIND_BOOL
                                     ? g_strdup(step->fallback.b ? "true" : "false")
                                     : zgi_c_literal(step->type.kind, zgi_c_bits(step), step->fallback);
        g_string_append_printf(writing->text, "%smessage->%s = %s;\n", indent, step->code, value);
    }
    if (zg_step_is_open_count(step))
        g_string_append_printf(writing->text, "%smessage->%s_count = 0;\n", indent, step->code);
}

static void print_read_pattern(const struct writing *writing)
{
    const struct zg_text *layout = writing->item->text;
    GString *text = writing->text;

    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        const char *literal = part->literal + (i == 0 ? layout->skipped : 0);
        g_autofree char *string = quoted(literal);
        if (*literal)
            g_string_append_printf(text, "    if (!zg_take(&from, %s))\n        return ZG_ESIZE;\n", string);
        if (part->step < 0)
            continue;
        const struct zg_step *step = zg_block_step(&writing->item->payload, (unsigned)part->step);
        g_autofree char *stop = quoted(zg_text_part(layout, i + 1)->literal),
                        *absent = quoted(step->field->form.absent);
        if (!step->field->optional) {
            print_take_value(writing, step, stop, "    ");
            continue;
        }
        g_string_append_printf(text,
                               "    after = from;\n    message->has_%s = !zg_take(&after, %s) || zg_value_end(&after, "
                               "%s, 0, NULL, '\\0') != after.at;\n    if (!message->has_%s) {\n        from = after;\n "
                               "   } else {\n",
                               step->code, absent, stop, step->code);
        print_take_value(writing, step, stop, "        ");
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

static void print_read_pairs(const struct writing *writing)
{
    const struct zg_text *layout = writing->item->text;
    g_autofree char *assign = quoted(layout->layout->assign), *between = quoted(layout->layout->between);
    g_autoptr(GPtrArray) parts = g_ptr_array_new();
    GString *text = writing->text;
    const bool assigns = *layout->layout->assign;

    for (unsigned i = 0; i < layout->parts->len; i++)
        g_ptr_array_add(parts, (gpointer)zg_text_part(layout, i));
    if (!assigns)
        g_ptr_array_sort(parts, longer_key);
    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        if (part->step >= 0 && zg_block_step(&writing->item->payload, (unsigned)part->step)->field->optional)
            g_string_append_printf(text, "    message->has_%s = false;\n",
                                   zg_block_step(&writing->item->payload, (unsigned)part->step)->name);
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
        g_autofree char *name = quoted(part->literal);
        const struct zg_step *step =
            part->step >= 0 ? zg_block_step(&writing->item->payload, (unsigned)part->step) : NULL;
        g_string_append_printf(
            text, assigns ? "        %sif (zg_is_word(pair, key, %s)) {\n" : "        %sif (zg_take(&from, %s)) {\n",
            i > 0 ? "} else " : "", name);
        g_string_append_printf(text,
                               "            if (seen[%u])\n                return ZG_ESIZE;\n            seen[%u] = "
                               "true;\n",
                               index, index);
        if (step) {
            print_take_value(writing, step, between, "            ");
            if (step->field->optional)
                g_string_append_printf(text, "            message->has_%s = true;\n", step->code);
            continue;
        }
        g_autofree char *constant = quoted(part->constant->text);
        g_string_append_printf(text, "            end = zg_value_end(&from, %s, 0, NULL, '\\0');\n", between);
        if (part->constant->is_number)
            g_string_append_printf(text, "            if (!zg_is_integer(from.at, end, %s))\n", part->constant->text);
        else
            g_string_append_printf(text, "            if (!zg_is_word(from.at, end, %s))\n", constant);
        g_string_append(text, "                return ZG_ESIZE;\n            from.at = end;\n");
    }
    g_string_append_printf(text,
                           "%s            from.at = zg_value_end(&from, %s, 0, NULL, '\\0');\n            *ignored += "
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
        const struct zg_step *step =
            part->step >= 0 ? zg_block_step(&writing->item->payload, (unsigned)part->step) : NULL;
        if (step && step->field->optional)
            continue;
        g_string_append_printf(text, "    if (!seen[%u])%s\n", i, step && step->field->default_text ? " {" : "");
        if (step && (step->field->default_text || step->field->since > 0)) {
            if (!step->field->default_text)
                g_string_append(text, "    {\n");
            print_missing(writing, step, "        ");
            g_string_append(text, "    }\n");
        } else {
            g_string_append(text, "        return ZG_ESIZE;\n");
        }
    }
}

static void print_read(const struct writing *writing)
{
    const char *name = writing->item->message->name;
    g_autoptr(GString) body = g_string_new(NULL);
    struct writing inner = { writing->c, body, writing->item };

    (kind_of(writing) == ZG_LAYOUT_PATTERN ? print_read_pattern : print_read_pairs)(&inner);
    zgi_c_emit(
        writing->c, writing->text, name,
        "static int @p_zgi_read_@n(struct @p_@n *message, const uint8_t *in, size_t length, size_t *ignored)\n{\n"
        "    struct zg_text_reader from;\n");
    if (uses(body, "after"))
        g_string_append(writing->text, "    struct zg_text_reader after;\n");
    if (uses(body, "&number"))
        g_string_append(writing->text, "    struct zg_number number;\n");
    if (uses(body, "&bits"))
        g_string_append(writing->text, "    zg_spelled bits;\n");
    if (uses(body, "&size"))
        g_string_append(writing->text, "    size_t size;\n");
    if (uses(body, "end = "))
        g_string_append(writing->text, "    const char *end;\n");
    if (uses(body, "seen["))
        g_string_append_printf(writing->text, "    bool seen[%u];\n", writing->item->text->parts->len);
    g_string_append(writing->text, "\n    from.at = (const char *)in;\n    from.end = (const char *)in + length;\n");
    if (uses(body, "seen["))
        g_string_append(writing->text, "    memset(seen, 0, sizeof seen);\n");
    if (writing->item->payload.steps->len == 0)
        g_string_append(writing->text, "    message->nothing = 0;\n");
    g_string_append_printf(writing->text, "%s    return 0;\n}\n\n", body->str);
}

/* --- what is public */

/* After a message was written to `out`: what it is read as, where that may be something else. */
static void print_read_back(const struct writing *writing, unsigned front)
{
    const struct zg_block *block = &writing->item->payload;
    GString *text = writing->text;

    if (!writing->item->text->misleads)
        return;
    zgi_c_emit(writing->c, text, writing->item->message->name, "    if (@p_zgi_read_@n(&again, ");
    g_string_append_printf(text, "out + %u, *size - %u, &ignored) != 0 || ignored > 0)\n        return ZG_ERANGE;\n",
                           front, front);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_autofree char *there =
            step->field->optional ? g_strdup_printf("message->has_%s && ", step->code) : g_strdup("");
        if (step->field->optional)
            g_string_append_printf(text, "    if (again.has_%s != message->has_%s)\n        return ZG_ERANGE;\n",
                                   step->code, step->code);
        if (step->type.kind != ZG_KIND_TEXT)
            continue;
        if (step->type.extent == ZG_EXTENT_FIXED)
            g_string_append_printf(text,
                                   "    if (%s!zg_is_word(again.%s, again.%s + zg_text_length(again.%s, %u), "
                                   "message->%s))\n        return ZG_ERANGE;\n",
                                   there, step->code, step->code, step->code, step->most, step->code);
        else
            g_string_append_printf(text,
                                   "    if (%s(again.%s_count != message->%s_count || memcmp(again.%s, message->%s, "
                                   "again.%s_count) != 0))\n        return ZG_ERANGE;\n",
                                   there, step->code, step->code, step->code, step->code, step->code);
    }
}

static void print_pack(const struct writing *writing)
{
    const struct zg_message *message = writing->item->message;
    const struct zg_tag *tag = zg_plan_tag(writing->item);
    const unsigned front = tag ? tag->size : 0;
    GString *text = writing->text;

    zgi_c_emit(writing->c, text, message->name,
               "int @p_@n_check(const struct @p_@n *message)\n{\n    return @p_zgi_check_@n(message);\n}\n\n"
               "int @p_@n_pack(const struct @p_@n *message, uint8_t *out, size_t room, size_t *size)\n{\n");
    if (writing->item->text->misleads)
        zgi_c_emit(writing->c, text, message->name, "    struct @p_@n again;\n    size_t ignored;\n");
    zgi_c_emit(writing->c, text, message->name,
               "    struct zg_writer to;\n    int error = @p_zgi_check_@n(message);\n\n    if (error)\n        return "
               "error;\n");
    g_string_append_printf(text,
                           "    to.out = out;\n    to.room = 0; /* first it is measured */\n    to.size = "
                           "%u;\n    to.refused = false;\n",
                           front);
    zgi_c_emit(writing->c, text, message->name, "    @p_zgi_write_@n(message, &to);\n");
    g_string_append_printf(
        text,
        "    if (to.refused || to.size > %u)\n        return ZG_ERANGE;\n    *size = to.size;\n    if "
        "(room < to.size)\n        return ZG_EROOM;\n",
        writing->item->payload_most);
    for (unsigned i = 0; i < front; i++)
        g_string_append_printf(text, "    out[%u] = 0x%02X;\n", i, tag->bytes[i]);
    g_string_append_printf(text, "    to.room = room;\n    to.size = %u;\n", front);
    zgi_c_emit(writing->c, text, message->name, "    @p_zgi_write_@n(message, &to);\n");
    print_read_back(writing, front);
    if (zgi_c_must_be_carried(writing->c->plan, writing->item))
        zgi_c_carried(writing->c, text);
    if (!tag && writing->c->plan->id_bits == 0)
        zgi_c_mistaken(writing->c, text, message);
    g_string_append(text, "    return 0;\n}\n\n");
}

static void print_unpack(const struct writing *writing)
{
    const struct zg_message *message = writing->item->message;
    GString *text = writing->text;

    zgi_c_emit(writing->c, text, message->name,
               "int @p_@n_unpack(struct @p_@n *message, const uint8_t *in, size_t length, size_t *ignored)\n{\n    "
               "size_t skipped;\n    int error;\n");
    if (message->tags->len > 0) {
        g_string_append(text, "    size_t front = 0;\n\n");
        zgi_c_tags(text, message, "in", "front = ");
        g_string_append(text, "    if (front == 0)\n        return ZG_EFORM;\n");
        zgi_c_emit(writing->c, text, message->name,
                   "    error = @p_zgi_read_@n(message, in + front, length - front, &skipped);\n");
    } else {
        zgi_c_emit(writing->c, text, message->name, "\n    error = @p_zgi_read_@n(message, in, length, &skipped);\n");
    }
    g_string_append(text, "    if (!error && ignored)\n        *ignored = skipped;\n    return error;\n}\n\n");
}

void zgi_c_written(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const struct writing writing = { c, text, item };
    const enum zg_layout_kind kind = item->message->layout.kind;

    for (unsigned i = 0; i < item->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&item->payload, i);
        if (has_numbers(step, kind))
            print_spelling(&writing, step);
        if (has_words(step, kind))
            print_words(&writing, step);
    }
    g_string_append_c(text, '\n');
    print_write(&writing);
    print_read(&writing);
    print_pack(&writing);
    print_unpack(&writing);
}
