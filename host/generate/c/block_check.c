/* SPDX-License-Identifier: MIT */
/* check_NAME(): whether the values of a struct are within their ranges. */
#include "generate/c/block.h"

static bool is_finite(const struct zg_step *step, double limit)
{
    return step->type.bits == 32 ? limit >= -(double)G_MAXFLOAT && limit <= (double)G_MAXFLOAT
                                 : limit >= -G_MAXDOUBLE && limit <= G_MAXDOUBLE;
}

static void print_float_check(GString *text, const struct zg_step *step, const char *value, const char *indent)
{
    if (!step->field->ranged || !is_finite(step, step->low.f) || !is_finite(step, step->high.f))
        return;
    g_string_append_printf(text, "%sif (!(%s >= ", indent, value);
    zgi_c_append_float_limit(text, step, step->low.f);
    g_string_append_printf(text, " && %s <= ", value);
    zgi_c_append_float_limit(text, step, step->high.f);
    g_string_append_printf(text, "))\n%s    return ZG_ERANGE;\n", indent);
}

/* The limits of a number, if they are narrower than the C type's. */
static void print_number_check(GString *text, const struct zg_step *step, const char *value, const char *indent)
{
    unsigned width = zgi_c_bits(step);
    union zg_raw least = { .u = 0 }, most = { .u = UINT64_MAX >> (64 - width) };

    if (step->type.kind == ZG_KIND_FLOAT)
        print_float_check(text, step, value, indent);
    if (!zg_type_is_integer(step->type))
        return;
    if (zg_step_is_signed(step)) {
        most.i = (int64_t)(UINT64_MAX >> (65 - width));
        least.i = -most.i - 1;
    }
    g_autofree char *low = zgi_c_literal(step->type.kind, width, step->low);
    g_autofree char *high = zgi_c_literal(step->type.kind, width, step->high);
    if (step->low.u != least.u)
        g_string_append_printf(text, "%sif (%s < %s)\n%s    return ZG_ERANGE;\n", indent, value, low, indent);
    if (step->high.u != most.u)
        g_string_append_printf(text, "%sif (%s > %s)\n%s    return ZG_ERANGE;\n", indent, value, high, indent);
}

static void print_element_check(GString *text, const struct zg_step *step, const char *value, const char *indent)
{
    if (step->record)
        g_string_append_printf(text, "%sif (@p_zgi_check_%s(&%s) != 0)\n%s    return ZG_ERANGE;\n", indent,
                               step->record->name, value, indent);
    else
        print_number_check(text, step, value, indent);
}

static void print_step_check(GString *text, const struct zg_step *step)
{
    g_autofree char *value = g_strdup_printf("message->%s%s", step->code, zg_step_is_array(step) ? "[i]" : "");
    g_autoptr(GString) inner = g_string_new(NULL);

    if (zg_step_is_open_count(step) && step->most != 255 && step->most != 65535)
        g_string_append_printf(text, "    if (message->%s_count > %u)\n        return ZG_ERANGE;\n", step->code,
                               step->most);
    if (step->type.is_ascii && step->type.extent == ZG_EXTENT_FIXED)
        g_string_append_printf(text, "    if (!zg_is_ascii_text(message->%s, %u))\n        return ZG_ERANGE;\n",
                               step->code, step->most);
    else if (step->type.is_ascii)
        g_string_append_printf(
            text,
            "    if (zg_ascii_run(message->%s, message->%s_count) < message->%s_count)\n        return ZG_ERANGE;\n",
            step->code, step->code, step->code);
    if (zg_step_is_string(step))
        return;
    print_element_check(inner, step, value, zg_step_is_array(step) ? "        " : "    ");
    if (zg_step_is_array(step) && inner->len > 0) {
        zgi_c_print_loop(text, step);
        g_string_append_printf(text, " {\n%s    }\n", inner->str);
    } else {
        g_string_append(text, inner->str);
    }
}

/* The checks of an optional field hold while it is there. */
static void append_checks(GString *text, const struct zg_step *step, const char *checks)
{
    g_auto(GStrv) lines = g_strsplit(checks, "\n", -1);

    if (!*checks || !step->field->optional) {
        g_string_append(text, checks);
        return;
    }
    g_string_append_printf(text, "    if (message->has_%s) {\n", step->code);
    for (unsigned i = 0; lines[i + 1]; i++)
        g_string_append_printf(text, "    %s\n", lines[i]);
    g_string_append(text, "    }\n");
}

static void print_check(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_autoptr(GString) checks = g_string_new(NULL);

    for (unsigned i = 0; i < block->steps->len; i++) {
        g_autoptr(GString) of_step = g_string_new(NULL);
        print_step_check(of_step, zg_block_step(block, i));
        append_checks(checks, zg_block_step(block, i), of_step->str);
    }
    g_string_append_printf(text, "static int @p_zgi_check_%s(const struct %s_%s *message)\n{\n%s%s    return 0;\n}\n\n",
                           block->name, c->prefix, block->name, checks->len ? "" : "    (void)message;\n", checks->str);
}

void zgi_c_block_check(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    zgi_c_emit_block(c, text, block, print_check);
}
