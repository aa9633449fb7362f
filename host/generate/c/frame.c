/* SPDX-License-Identifier: MIT */
/* PROTOCOL_frame.h: check, framing and header, visible to the compiler, so that it can drop what they do not need. */
#include <string.h>

#include "generate/c/c.h"

static const char *word_suffix(unsigned width)
{
    return width > 32 ? "ULL" : width > 16 ? "UL" : "U";
}

/* One entry of the look-up table, in the notation of the parameters: a register of 0 after one byte. */
static uint64_t table_entry(const struct zg_crc *crc, unsigned index)
{
    uint8_t byte = (uint8_t)index;
    zg_check_word reg = zg_crc_update(crc, 0, &byte, 1);
    return crc->reflected ? reg : reg >> (ZG_CHECK_BITS - crc->width);
}

static void print_table(const struct zgi_c *c, GString *text, unsigned entries, unsigned step)
{
    const struct zg_crc *crc = &c->plan->checker.crc;
    int digits = (crc->width + 3) / 4;
    unsigned row = crc->width > 32 ? 4 : 8;

    g_string_append_printf(text, "static const zg_check_word %s_crc_table[%u] ZG_FLASH = {\n", c->prefix, entries);
    for (unsigned i = 0; i < entries; i++)
        g_string_append_printf(text, "%s%s_WORD(0x%0*" G_GINT64_MODIFIER "X%s),%s", i % row == 0 ? "    " : " ",
                               c->upper, digits, table_entry(crc, i * step), word_suffix(crc->width),
                               i % row == row - 1 ? "\n" : "");
    g_string_append(text, "};\n");
}

static void print_crc(const struct zgi_c *c, GString *text)
{
    const struct zg_crc *crc = &c->plan->checker.crc;
    const struct zg_crc_parameters *written = &c->plan->definition->check.crc;
    const char *suffix = word_suffix(crc->width);

    const char *p = c->prefix, *u = c->upper;
    g_string_append_printf(text,
                           crc->reflected ? "#define %s_WORD(value) ((zg_check_word)(value))\n"
                                          : "#define %s_WORD(value) ZG_CRC_TOP(value, %u)\n",
                           u, crc->width);
    g_string_append(text, "#if ZG_CRC_TABLE == 8\n");
    print_table(c, text, 256, 1);
    g_string_append(text, "#elif ZG_CRC_TABLE == 4\n");
    print_table(c, text, 16, crc->reflected ? 16 : 1); /* four steps on zeros come first: the byte's other half */
    g_string_append_printf(text,
                           "#else\n#define %s_crc_table NULL\n#endif\n\n"
                           "static const struct zg_crc %s_crc = {\n"
                           "    %u, %s, %s, %s_WORD(0x%" G_GINT64_MODIFIER "X%s), %s_WORD(0x%" G_GINT64_MODIFIER
                           "X%s), (zg_check_word)0x%" G_GINT64_MODIFIER "X%s, %s_crc_table\n};\n\n",
                           p, p, crc->width, crc->reflected ? "true" : "false", crc->turned ? "true" : "false", u,
                           crc->reflected ? (uint64_t)crc->poly : written->poly, suffix, u,
                           crc->reflected ? (uint64_t)crc->init : written->init, suffix, written->xor_out, suffix, p);
}

/* The check's start value. It is not always init, because the sync bytes may be covered. */
static char *start_of(const struct zgi_c *c)
{
    const struct zg_crc *crc = &c->plan->checker.crc;
    const uint64_t start = (uint64_t)c->plan->check.start;

    return g_strdup_printf("%s_WORD(0x%" G_GINT64_MODIFIER "X%s)", c->upper,
                           crc->reflected ? start : start >> (ZG_CHECK_BITS - crc->width), word_suffix(crc->width));
}

/* The parameters are constants that the compiler sees. */
static void print_check_functions(const struct zgi_c *c, GString *text)
{
    const struct zg_sum *sum = c->plan->definition->check.sum;
    const bool is_crc = !sum;
    g_autofree char *crc = g_strdup_printf("&%s_crc", c->prefix);

    g_string_append_printf(
        text,
        "static %szg_check_word %s_check_update(const void *none, zg_check_word reg, const uint8_t *bytes, "
        "size_t count)\n{\n    (void)none;\n    return %s(%s, reg, bytes, count);\n}\n\n"
        "static inline zg_check_word %s_check_finish(const void *none, zg_check_word reg)\n{\n"
        "    (void)none;\n    return %s(%s, reg);\n}\n\n",
        is_crc ? "" : "inline ", c->prefix, is_crc ? "zg_crc_update" : sum->c_update, is_crc ? crc : "NULL", c->prefix,
        is_crc ? "zg_crc_finish" : sum->c_finish, is_crc ? crc : "NULL");
}

/* What makes the check more than bytes at the content's end; returns the expression that points there. */
static char *print_form(const struct zgi_c *c, GString *text)
{
    const struct zg_check_form *form = c->plan->check.form;

    if (!form)
        return g_strdup("NULL");
    g_string_append_printf(text, "static const struct zg_check_form %s_check_form = { %u, %s, %u, %u, { ", c->prefix,
                           (unsigned)form->base, form->lower ? "true" : "false", (unsigned)form->digits,
                           (unsigned)form->after_size);
    for (unsigned i = 0; i < MAX(form->after_size, 1); i++)
        g_string_append_printf(text, "%s0x%02XU", i > 0 ? ", " : "", form->after[i]);
    g_string_append_printf(text, " }, %u, { ", (unsigned)form->closing_size);
    for (unsigned i = 0; i < G_N_ELEMENTS(form->closing); i++)
        g_string_append_printf(text, "%s0x%02XU", i > 0 ? ", " : "", form->closing[i]);
    g_string_append(text, " } };\n\n");
    return g_strdup_printf("&%s_check_form", c->prefix);
}

static void print_check(const struct zgi_c *c, GString *text)
{
    const struct zg_definition *definition = c->plan->definition;
    const enum zg_check_kind kind = definition->check.kind;
    const bool has = kind != ZG_CHECK_NONE;
    g_autofree char *start = NULL;

    if (kind == ZG_CHECK_CRC) {
        print_crc(c, text);
        start = start_of(c);
    } else if (kind == ZG_CHECK_NONE) {
        start = g_strdup("0");
    } else if (definition->check.covers == ZG_COVERS_ALL) { /* after the sync bytes */
        start = g_strdup_printf("(zg_check_word)0x%" G_GINT64_MODIFIER "XUL", (uint64_t)c->plan->check.start);
    } else {
        start = g_strdup(definition->check.sum->c_start);
    }
    if (has)
        print_check_functions(c, text);
    g_autofree char *form = print_form(c, text);
    g_autofree char *functions =
        has ? g_strdup_printf("%s_check_update, %s_check_finish", c->prefix, c->prefix) : g_strdup("NULL, NULL");
    g_string_append_printf(text,
                           "/* %s */\n"
                           "static const struct zg_check %s_check = { %s, NULL, %s, %s_CHECK_SIZE, %u, %s, %s };\n\n",
                           definition->check.name ? definition->check.name : "CRC by parameters", c->prefix, functions,
                           start, c->upper, (unsigned)c->plan->check.skip, c->plan->check.big_endian ? "true" : "false",
                           form);
    if (kind == ZG_CHECK_CRC)
        g_string_append_printf(text, "#undef %s_WORD\n#undef %s_crc_table\n\n", c->upper, c->prefix);
}

/* What a role is set to in a header that is sent, as a C expression. */
static char *role_expression(const struct zgi_c *c, const struct zg_step *step)
{
    switch (step->role->role) {
    case ZG_ROLE_VERSION: return g_strdup_printf("%uU", c->plan->version);
    case ZG_ROLE_MINOR: return g_strdup_printf("%uU", c->plan->minor);
    case ZG_ROLE_LENGTH: return g_strdup_printf("header->length + %uU", c->plan->length_more);
    case ZG_ROLE_CONST:
        return zgi_c_literal(ZG_KIND_UNSIGNED, zgi_c_bits(step), (union zg_raw){ .u = step->role->value });
    case ZG_ROLE_RESERVED: return g_strdup("0U");
    case ZG_ROLE_NODE: return g_strdup("header->source > 0 ? header->source : header->destination");
    default: return g_strdup_printf("header->%s", step->code);
    }
}

/* The header with a different name for each role, because const and reserved may occur more than once. */
static void print_write_header(const struct zgi_c *c, GString *text)
{
    const struct zg_block *header = &c->plan->header;
    struct zg_block named = *header;
    g_autoptr(GPtrArray) names = g_ptr_array_new_with_free_func(g_free);

    named.steps = g_array_copy(header->steps);
    g_string_append_printf(
        text, "static inline void %s_write_header(const struct zg_header *header, uint8_t *out)\n{\n", c->prefix);
    for (unsigned i = 0; i < named.steps->len; i++) {
        struct zg_step *step = &g_array_index(named.steps, struct zg_step, i);
        g_autofree char *value = role_expression(c, step);
        g_ptr_array_add(names, g_strdup_printf("role_%u", i));
        step->code = g_ptr_array_index(names, i);
        g_string_append_printf(text, "    const uint%u_t %s = (uint%u_t)(%s); /* %s */\n", zgi_c_bits(step), step->code,
                               zgi_c_bits(step), value, zg_role_name(step->role->role));
    }
    g_string_append(text, "\n    (void)header;\n");
    if (header->size == 0)
        g_string_append(text, "    (void)out;\n");
    else {
        g_autoptr(GString) code = g_string_new(NULL);
        zgi_c_store(code, &named, 0, named.steps->len, "");
        zgi_c_tidy(code);
        g_string_append(text, code->str);
    }
    g_string_append(text, "}\n\n");
    g_array_unref(named.steps);
}

/* What is read from a header. A role that it lacks is 0. */
static const enum zg_role handed_on[] = { ZG_ROLE_VERSION, ZG_ROLE_ID,          ZG_ROLE_SEQUENCE, ZG_ROLE_MINOR,
                                          ZG_ROLE_LENGTH,  ZG_ROLE_DESTINATION, ZG_ROLE_SOURCE };

static bool has_role(const struct zg_block *header, enum zg_role role)
{
    for (unsigned i = 0; i < header->steps->len; i++)
        if (zg_block_step(header, i)->role->role == role)
            return true;
    return false;
}

static void print_admit(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;

    g_string_append_printf(text,
                           "static inline int %s_admit(const uint8_t *in, size_t length, struct zg_header *header)\n{\n"
                           "    (void)in;\n    (void)length;\n",
                           c->prefix);
    for (unsigned i = 0; i < G_N_ELEMENTS(handed_on); i++)
        if (!has_role(&plan->header, handed_on[i]) &&
            !(plan->node && (handed_on[i] == ZG_ROLE_DESTINATION || handed_on[i] == ZG_ROLE_SOURCE)))
            g_string_append_printf(text, "    header->%s = 0;\n", zg_role_name(handed_on[i]));
    g_string_append(text, "    header->ticket = 0;\n    header->base = 0;\n");
    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        g_autofree char *load = zgi_c_load(step, "in");
        g_autofree char *value = role_expression(c, step);
        if (step->role->role == ZG_ROLE_CONST)
            g_string_append_printf(text, "    if ((%s) != %s)\n        return ZG_EFORM;\n", load, value);
        else if (step->role->role == ZG_ROLE_NODE)
            g_string_append_printf(text, "    header->destination = %s;\n    header->source = header->destination;\n",
                                   load);
        else if (step->role->role != ZG_ROLE_RESERVED)
            g_string_append_printf(text, "    header->%s = %s;\n", step->code, load);
    }
    if (plan->length_bits > 0)
        g_string_append_printf(text,
                               "    if (header->length %s length - %s_HEADER_SIZE - %s_CHECK_SIZE + %uU)\n"
                               "        return ZG_EFORM;\n",
                               plan->filled > 0 ? ">" : "!=", c->upper, c->upper, plan->length_more);
    if (plan->version_bits > 0)
        g_string_append_printf(text, "    return header->version == %uU ? 0 : ZG_EVERSION;\n}\n", plan->version);
    else
        g_string_append(text, "    return 0;\n}\n");
}

void zgi_c_frame(const struct zgi_c *c, GString *text)
{
    enum zg_check_kind check = c->plan->definition->check.kind;

    g_string_append_printf(text, "#include \"%s.h\"\n\n#include \"zeugma/bytes.h\"\n", c->prefix);
    if (check != ZG_CHECK_NONE)
        g_string_append_printf(text, "#include \"zeugma/%s.h\"\n", check == ZG_CHECK_CRC ? "crc" : "sums");
    if (c->plan->definition->framing.coding)
        g_string_append(text, "#include \"zeugma/coding.h\"\n");
    if (c->plan->definition->framing.halves)
        g_string_append(text, "#include \"zeugma/halves.h\"\n");
    g_string_append_printf(text, "#include \"zeugma/%s.h\"\n\n", zgi_c_framing_header(c));
    print_check(c, text);
    zgi_c_framing(c, text);
    print_write_header(c, text);
    print_admit(c, text);
}
