/* SPDX-License-Identifier: MIT */
/* PROTOCOL.c: the check, packing, unpacking and accessors. */
#include <string.h>

#include "codec/json.h"
#include "generate/c.h"

static void print_float_check(GString *text, const struct zg_step *step)
{
    g_autoptr(GString) low = g_string_new(NULL);
    g_autoptr(GString) high = g_string_new(NULL);

    if (!step->field->ranged)
        return;
    zg_append_float(low, (float)step->low.f);
    zg_append_float(high, (float)step->high.f);
    const char *low_point = strpbrk(low->str, ".en") ? "" : ".0";
    const char *high_point = strpbrk(high->str, ".en") ? "" : ".0";
    if (strchr(low->str, 'n') || strchr(high->str, 'n')) /* inf: reaches beyond all floats */
        return;
    g_string_append_printf(text,
                           "    if (!(message->%s >= %s%sF && message->%s <= %s%sF))\n        return ZG_ERANGE;\n",
                           step->name, low->str, low_point, step->name, high->str, high_point);
}

static void print_step_check(GString *text, const struct zg_step *step)
{
    unsigned width = zgi_c_bits(step);
    bool is_signed = step->type.kind == ZG_KIND_SIGNED;
    union zg_raw least = { .u = 0 }, most = { .u = UINT64_MAX >> (64 - width) };

    if (step->type.kind == ZG_KIND_BOOL)
        return;
    if (step->type.kind == ZG_KIND_FLOAT) {
        print_float_check(text, step);
        return;
    }
    if (is_signed) {
        most.i = (int64_t)(UINT64_MAX >> (65 - width));
        least.i = -most.i - 1;
    }
    g_autofree char *low = zgi_c_literal(step->type.kind, width, step->low);
    g_autofree char *high = zgi_c_literal(step->type.kind, width, step->high);
    if (step->low.u != least.u)
        g_string_append_printf(text, "    if (message->%s < %s)\n        return ZG_ERANGE;\n", step->name, low);
    if (step->high.u != most.u)
        g_string_append_printf(text, "    if (message->%s > %s)\n        return ZG_ERANGE;\n", step->name, high);
}

static void print_check(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    g_autoptr(GString) checks = g_string_new(NULL);

    for (unsigned i = 0; i < item->payload.steps->len; i++)
        print_step_check(checks, zg_block_step(&item->payload, i));
    g_string_append_printf(text, "int %s_%s_check(const struct %s_%s *message)\n{\n%s%s    return 0;\n}\n\n", c->prefix,
                           item->message->name, c->prefix, item->message->name,
                           checks->len ? "" : "    (void)message;\n", checks->str);
}

static void print_pack(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const struct zg_block *block = &item->payload;
    const char *name = item->message->name;
    g_autofree char *size = zgi_c_constant(c, name, "MAX_PAYLOAD");
    g_autoptr(GString) body = g_string_new(NULL);
    g_autoptr(GString) floats = g_string_new(NULL);

    zgi_c_store(body, block, "message->");
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->type.kind == ZG_KIND_FLOAT)
            g_string_append_printf(floats, "    const uint32_t bits_of_%s = zg_bits_of_f32(message->%s);\n", step->name,
                                   step->name);
    }
    g_string_append_printf(text,
                           "int %s_%s_pack(const struct %s_%s *message, uint8_t *out, size_t room, size_t *size)\n{\n%s"
                           "    int error = %s_%s_check(message);\n\n"
                           "    if (error)\n        return error;\n"
                           "    *size = %s;\n"
                           "    if (room < *size)\n        return ZG_EROOM;\n%s%s    return 0;\n}\n\n",
                           c->prefix, name, c->prefix, name, floats->str, c->prefix, name, size, body->str,
                           block->size ? "" : "    (void)out;\n");
}

static void print_load(GString *text, const struct zg_step *step)
{
    g_autofree char *load = zgi_c_load(step);

    switch (step->type.kind) {
    case ZG_KIND_BOOL: g_string_append_printf(text, "    message->%s = %s != 0;\n", step->name, load); break;
    case ZG_KIND_FLOAT:
        g_string_append_printf(text, "    message->%s = zg_f32_of_bits(%s);\n", step->name, load);
        break;
    case ZG_KIND_SIGNED:
        g_string_append_printf(text, "    message->%s = zg_signed%u(%s, %u);\n", step->name, zgi_c_bits(step), load,
                               step->type.bits);
        break;
    default: g_string_append_printf(text, "    message->%s = %s;\n", step->name, load); break;
    }
}

static void print_unpack(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const char *name = item->message->name;
    g_autofree char *size = zgi_c_constant(c, name, "MAX_PAYLOAD");

    g_string_append_printf(text, "int %s_%s_unpack(struct %s_%s *message, const uint8_t *in, size_t length)\n{\n",
                           c->prefix, name, c->prefix, name);
    if (item->payload.size > 0)
        g_string_append_printf(text, "    if (length < %s)\n        return ZG_ESIZE;\n", size);
    else
        g_string_append(text, "    (void)in;\n    message->nothing = 0;\n");
    for (unsigned i = 0; i < item->payload.steps->len; i++)
        print_load(text, zg_block_step(&item->payload, i));
    g_string_append_printf(text, "    return (int)(length - %s);\n}\n\n", size);
}

/* A double as a C constant: hexadecimal is exact, and decimal where that is as short. */
static char *double_literal(double value)
{
    g_autoptr(GString) text = g_string_new(NULL);
    zg_append_double(text, value);
    if (!strpbrk(text->str, ".en"))
        g_string_append(text, ".0");
    return g_strdup(text->str);
}

static void print_accessors(const struct zgi_c *c, GString *text, const struct zg_plan_message *item,
                            const struct zg_step *step)
{
    g_autofree char *factor = double_literal(step->scale.factor);
    g_autofree char *shift = double_literal(step->scale.shift);
    g_autofree char *divisor = double_literal(step->scale.divisor);
    g_autofree char *low = double_literal(step->scale.low);
    g_autofree char *high = double_literal(step->scale.high);
    g_autofree char *suffix = zg_field_suffix(step->field);
    g_autofree char *type = zgi_c_field_type(c, step);
    const char *p = c->prefix;
    const char *name = item->message->name;

    g_string_append_printf(text,
                           "static const struct zg_scale %s_%s_scale = { %s, %s, %s, %s, %s };\n\n"
                           "double %s_%s_%s_%s(const struct %s_%s *message)\n{\n"
                           "    return zg_scale_physical(&%s_%s_scale, (double)message->%s);\n}\n\n"
                           "int %s_%s_set_%s_%s(struct %s_%s *message, double value)\n{\n"
                           "    double raw;\n"
                           "    int error = zg_scale_raw(&%s_%s_scale, value, &raw);\n\n"
                           "    if (error)\n        return error;\n"
                           "    message->%s = (%s)raw;\n    return 0;\n}\n\n",
                           name, step->name, factor, shift, divisor, low, high, p, name, step->name, suffix, p, name,
                           name, step->name, step->name, p, name, step->name, suffix, p, name, name, step->name,
                           step->name, type);
}

static const char *word_suffix(unsigned width)
{
    return width > 32 ? "ULL" : width > 16 ? "UL" : "U";
}

/* One entry of the look-up table, as the parameters are written: from a register of 0 through one byte. */
static uint64_t table_entry(const struct zg_crc *crc, unsigned index)
{
    uint8_t byte = (uint8_t)index;
    zg_check_word reg = zg_crc_update(crc, 0, &byte, 1);
    return crc->reflected ? reg : reg >> (ZG_CHECK_BITS - crc->width);
}

static void print_table(const struct zgi_c *c, GString *text, unsigned entries, unsigned step)
{
    const struct zg_crc *crc = &c->plan->check.crc;
    int digits = (crc->width + 3) / 4;
    unsigned row = crc->width > 32 ? 4 : 8;

    g_string_append_printf(text, "static const zg_check_word check_table[%u] = {\n", entries);
    for (unsigned i = 0; i < entries; i++)
        g_string_append_printf(text, "%sWORD(0x%0*" G_GINT64_MODIFIER "X%s),%s", i % row == 0 ? "    " : " ", digits,
                               table_entry(crc, i * step), word_suffix(crc->width), i % row == row - 1 ? "\n" : "");
    g_string_append(text, "};\n");
}

static void print_crc(const struct zgi_c *c, GString *text)
{
    const struct zg_check *check = &c->plan->check;
    const struct zg_crc *crc = &check->crc;
    const struct zg_crc_parameters *written = &c->plan->definition->check;
    const char *suffix = word_suffix(crc->width);

    g_string_append_printf(text,
                           crc->reflected ? "#define WORD(value) ((zg_check_word)(value))\n"
                                          : "#define WORD(value) ZG_CRC_TOP(value, %u)\n",
                           crc->width);
    g_string_append(text, "#if ZG_CRC_TABLE == 8\n");
    print_table(c, text, 256, 1);
    g_string_append(text, "#elif ZG_CRC_TABLE == 4\n");
    print_table(c, text, 16, crc->reflected ? 16 : 1); /* four steps on zeros first: the byte's other half */
    g_string_append_printf(text,
                           "#else\n#define check_table NULL\n#endif\n\n"
                           "/* %s */\n"
                           "const struct zg_check %s_check = {\n"
                           "    { %u, %s, %s, WORD(0x%" G_GINT64_MODIFIER "X%s), WORD(0x%" G_GINT64_MODIFIER
                           "X%s), (zg_check_word)0x%" G_GINT64_MODIFIER "X%s, check_table },\n"
                           "    %s_CHECK_SIZE,\n    %s\n};\n\n",
                           c->plan->definition->check_name ? c->plan->definition->check_name : "CRC by parameters",
                           c->prefix, crc->width, crc->reflected ? "true" : "false", crc->turned ? "true" : "false",
                           crc->reflected ? (uint64_t)crc->poly : written->poly, suffix,
                           crc->reflected ? (uint64_t)crc->init : written->init, suffix, written->xor_out, suffix,
                           c->upper, check->big_endian ? "true" : "false");
}

static void print_header_functions(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    const struct zg_block *header = &plan->header;

    g_string_append_printf(text, "void %s_write_header(void *owner, const struct zg_header *header, uint8_t *out)\n{\n",
                           c->prefix);
    if (plan->version_bits > 0)
        g_string_append_printf(text, "    struct zg_header roles = *header;\n\n    roles.version = %s_VERSION_MAJOR;\n",
                               c->upper);
    g_string_append(text, "    (void)owner;\n");
    if (header->size == 0)
        g_string_append(text, "    (void)header;\n    (void)out;\n");
    zgi_c_store(text, header, plan->version_bits > 0 ? "roles." : "header->");
    g_string_append_printf(
        text,
        "}\n\nint %s_admit(void *owner, const uint8_t *in, size_t length, struct zg_header *header)\n{\n"
        "    (void)owner;\n    (void)length;\n%s",
        c->prefix, header->size == 0 ? "    (void)in;\n    (void)header;\n" : "");
    for (unsigned i = 0; i < header->steps->len; i++) {
        const struct zg_step *step = zg_block_step(header, i);
        g_autofree char *load = zgi_c_load(step);
        g_string_append_printf(text, "    header->%s = %s;\n", step->name, load);
    }
    if (plan->version_bits > 0)
        g_string_append_printf(text, "    return header->version == %uU ? 0 : ZG_EVERSION;\n}\n", plan->version);
    else
        g_string_append(text, "    return 0;\n}\n");
}

static bool any_float_or_scale(const struct zg_plan *plan, bool *scaled)
{
    bool number = false;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_block *block = &zg_plan_message_at(plan, i)->payload;
        for (unsigned k = 0; k < block->steps->len; k++) {
            const struct zg_step *step = zg_block_step(block, k);
            number = number || step->type.kind == ZG_KIND_FLOAT || step->type.kind == ZG_KIND_SIGNED;
            *scaled = *scaled || step->field->scaled;
        }
    }
    return number;
}

void zgi_c_code(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    bool scaled = false;
    bool numbers = any_float_or_scale(plan, &scaled);

    g_string_append_printf(text, "#include \"%s.h\"\n\n", c->prefix);
    if (numbers)
        g_string_append(text, "#include \"zeugma/bytes.h\"\n");
    if (scaled)
        g_string_append(text, "#include \"zeugma/scale.h\"\n");
    g_string_append(text, numbers || scaled ? "\n" : "");
    print_crc(c, text);
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        print_check(c, text, item);
        print_pack(c, text, item);
        print_unpack(c, text, item);
        for (unsigned k = 0; k < item->payload.steps->len; k++)
            if (zg_block_step(&item->payload, k)->field->scaled)
                print_accessors(c, text, item, zg_block_step(&item->payload, k));
    }
    print_header_functions(c, text);
}
