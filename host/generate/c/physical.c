/* SPDX-License-Identifier: MIT */
/* PROTOCOL_physical.c: the accessors of physical values, in a file of their own, so that programs without floating
 * point link none. */
#include <string.h>

#include "codec/json.h"
#include "generate/c/c.h"

/* A double as a C constant: hexadecimal, which is exact, or decimal if that is exact and short. */
static char *double_literal(double value)
{
    g_autoptr(GString) text = g_string_new(NULL);
    zg_append_double(text, value);
    if (!strpbrk(text->str, ".en"))
        g_string_append(text, ".0");
    return g_strdup(text->str);
}

static void print_accessors(const struct zgi_c *c, GString *text, const struct zg_block *block,
                            const struct zg_step *step)
{
    g_autofree char *factor = double_literal(step->scale.factor);
    g_autofree char *shift = double_literal(step->scale.shift);
    g_autofree char *divisor = double_literal(step->scale.divisor);
    g_autofree char *low = double_literal(step->scale.low);
    g_autofree char *high = double_literal(step->scale.high);
    g_autofree char *suffix = zg_field_suffix(step->field);
    g_autofree char *type = zgi_c_element_type(c, step);
    const char *index = zg_step_is_array(step) ? ", unsigned index" : "";
    const char *at = zg_step_is_array(step) ? "[index]" : "";
    const char *p = c->prefix;
    const char *name = block->name;
    /* the double nearest to the greatest 64-bit number is one above it */
    const char *above = zgi_c_bits(step) < 64     ? ""
                        : zg_step_is_signed(step) ? "raw >= 9223372036854775808.0 ? INT64_MAX : "
                                                  : "raw >= 18446744073709551616.0 ? UINT64_MAX : ";

    g_string_append_printf(text,
                           "static const struct zg_scale %s_%s_%s_scale = { %s, %s, %s, %s, %s };\n\n"
                           "double %s_%s_%s_%s(const struct %s_%s *message%s)\n{\n"
                           "    return zg_scale_physical(&%s_%s_%s_scale, (double)message->%s%s);\n}\n\n"
                           "int %s_%s_set_%s_%s(struct %s_%s *message%s, double value)\n{\n"
                           "    double raw;\n"
                           "    int error = zg_scale_raw(&%s_%s_%s_scale, value, &raw);\n\n"
                           "    if (error)\n        return error;\n"
                           "    message->%s%s = %s(%s)raw;\n    return 0;\n}\n\n",
                           p, name, step->code, factor, shift, divisor, low, high, p, name, step->code, suffix, p, name,
                           index, p, name, step->code, step->code, at, p, name, step->code, suffix, p, name, index, p,
                           name, step->code, step->code, at, above, type);
}

static void print_all_accessors(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    for (unsigned i = 0; i < block->steps->len; i++)
        if (zg_block_step(block, i)->field->scaled)
            print_accessors(c, text, block, zg_block_step(block, i));
}

void zgi_c_physical_code(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;

    g_string_append_printf(text, "#include \"%s.h\"\n\n#include \"zeugma/scale.h\"\n\n", c->prefix);
    for (unsigned i = 0; i < plan->records->len; i++)
        print_all_accessors(c, text, g_ptr_array_index(plan->records, i));
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_all_accessors(c, text, &zg_plan_message_at(plan, i)->payload);
    for (unsigned i = 0; i < plan->variables->len; i++)
        print_all_accessors(c, text, &zg_plan_variable_at(plan, i)->block);
}
