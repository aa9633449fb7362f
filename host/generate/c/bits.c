/* SPDX-License-Identifier: MIT */
/* A plan's pieces as C expressions on single bytes, which are right for any byte order and any width of int. */
#include "generate/c/c.h"

/* A step as if it were alone: one element, counted from where it begins. */
static struct zg_step alone(const struct zg_step *step)
{
    struct zg_step one = *step;
    one.type.extent = ZG_EXTENT_ONE;
    one.byte = one.bit = one.count_size = 0;
    return one;
}

char *zgi_c_load(const struct zg_step *step, const char *buffer)
{
    g_autoptr(GString) text = g_string_new(NULL);
    const struct zg_step one = zg_step_is_array(step) ? alone(step) : *step;
    unsigned width = zgi_c_bits(step);
    struct zg_piece pieces[ZG_PIECES];
    unsigned count = zg_step_pieces(&one, 0, pieces);

    for (unsigned i = 0; i < count; i++) {
        const struct zg_piece *piece = &pieces[i];
        g_autofree char *byte = g_strdup_printf("%s[%u]", buffer, piece->byte);
        g_autofree char *part = piece->bits == 8 ? g_strdup(byte)
                                : piece->low > 0
                                    ? g_strdup_printf("(%s >> %u & %uU)", byte, piece->low, (1U << piece->bits) - 1)
                                    : g_strdup_printf("(%s & %uU)", byte, (1U << piece->bits) - 1);
        g_string_append_printf(text, "%s(uint%u_t)%s", i > 0 ? " | " : "", width, part);
        if (piece->shift > 0)
            g_string_append_printf(text, " << %u", piece->shift);
    }
    /* narrow parts were promoted to int */
    return width < 32 && count > 1 ? g_strdup_printf("(uint%u_t)(%s)", width, text->str) : g_strdup(text->str);
}

char *zgi_c_value(const struct zg_step *step, const char *bits)
{
    switch (step->type.kind) {
    case ZG_KIND_BOOL: return g_strdup_printf("(%s) != 0", bits);
    case ZG_KIND_FLOAT: return g_strdup_printf("zg_f%u_of_bits(%s)", step->type.bits, bits);
    case ZG_KIND_SIGNED: return g_strdup_printf("zg_signed%u(%s, %u)", zgi_c_bits(step), bits, step->type.bits);
    default: return g_strdup(bits);
    }
}

char *zgi_c_raw_bits(const struct zg_step *step, const char *expression)
{
    if (step->type.kind == ZG_KIND_FLOAT)
        return g_strdup_printf("zg_bits_of_f%u(%s)", step->type.bits, expression);
    return g_strdup_printf("(uint%u_t)%s", zgi_c_bits(step), expression);
}

static void append_term(GString *text, const char *value, const struct zg_piece *piece)
{
    g_autofree char *part = piece->shift > 0 ? g_strdup_printf("%s >> %u", value, piece->shift) : g_strdup(value);

    if (piece->bits == 8)
        g_string_append(text, part);
    else if (piece->low > 0)
        g_string_append_printf(text, "(%s & %uU) << %u", part, (1U << piece->bits) - 1, piece->low);
    else
        g_string_append_printf(text, "(%s & %uU)", part, (1U << piece->bits) - 1);
}

/* Whether a step is one number at a known place; and whether it is an array of bits in a run that others may share. */
static bool is_single(const struct zg_step *step)
{
    return zg_step_is_number(step) && !zg_step_is_leb(step);
}

static bool is_bit_array(const struct zg_step *step)
{
    return step->type.extent == ZG_EXTENT_FIXED && zg_step_is_bitwise(step);
}

/* Whether an array of bits among the steps also uses this byte, so that some of its bits are already set. */
static bool shared_with_array(const struct zg_block *block, unsigned first, unsigned end, unsigned byte)
{
    for (unsigned i = first; i < end; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (is_bit_array(step) && byte >= step->byte + step->bit / 8 && byte < zg_step_end(step))
            return true;
    }
    return false;
}

/* Appends the terms of all single numbers that have bits in a byte. False: none has. */
static bool append_terms(GString *text, const struct zg_block *block, unsigned first, unsigned end, unsigned byte,
                         const char *before)
{
    bool any = false;

    for (unsigned i = first; i < end; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        struct zg_piece pieces[ZG_PIECES];
        unsigned count = is_single(step) ? zg_step_pieces(step, 0, pieces) : 0;
        g_autofree char *value = step->type.kind == ZG_KIND_FLOAT
                                     ? g_strconcat("bits_of_", step->code, NULL)
                                     : g_strdup_printf("(uint%u_t)%s%s", zgi_c_bits(step), before, step->code);
        for (unsigned k = 0; k < count; k++) {
            if (pieces[k].byte != byte)
                continue;
            g_string_append(text, any ? " | " : "");
            append_term(text, value, &pieces[k]);
            any = true;
        }
    }
    return any;
}

void zgi_c_store(GString *text, const struct zg_block *block, unsigned first, unsigned end, const char *before)
{
    unsigned done = 0; /* bytes up to here are written */

    for (unsigned i = first; i < end; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (is_bit_array(step))
            g_string_append_printf(text, "    memset(out + %u, 0, %u);\n", step->byte + step->bit / 8,
                                   zg_step_end(step) - step->byte - step->bit / 8);
    }
    for (unsigned i = first; i < end; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (!is_single(step))
            continue;
        for (unsigned byte = MAX(done, step->byte); byte < zg_step_end(step); byte++) {
            g_autoptr(GString) terms = g_string_new(NULL);
            if (!append_terms(terms, block, first, end, byte, before))
                continue;
            if (shared_with_array(block, first, end, byte))
                g_string_append_printf(text, "    out[%u] = (uint8_t)(out[%u] | %s);\n", byte, byte, terms->str);
            else
                g_string_append_printf(text, "    out[%u] = (uint8_t)(%s);\n", byte, terms->str);
        }
        done = MAX(done, zg_step_end(step));
    }
}
