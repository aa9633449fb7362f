/* SPDX-License-Identifier: MIT */
/* A plan's pieces as C expressions on single bytes: right on any byte order, with any width of int. */
#include "generate/c.h"

static bool whole_byte(const struct zg_piece *piece)
{
    return piece->bits == 8;
}

char *zgi_c_load(const struct zg_step *step)
{
    g_autoptr(GString) text = g_string_new(NULL);
    unsigned width = zgi_c_bits(step);

    for (unsigned i = 0; i < step->pieces_count; i++) {
        const struct zg_piece *piece = &step->pieces[i];
        g_autofree char *byte = g_strdup_printf("in[%u]", piece->byte);
        g_autofree char *part = whole_byte(piece) ? g_strdup(byte)
                                : piece->low > 0
                                    ? g_strdup_printf("(%s >> %u & %uU)", byte, piece->low, (1U << piece->bits) - 1)
                                    : g_strdup_printf("(%s & %uU)", byte, (1U << piece->bits) - 1);
        g_string_append_printf(text, "%s(uint%u_t)%s", i > 0 ? " | " : "", width, part);
        if (piece->shift > 0)
            g_string_append_printf(text, " << %u", piece->shift);
    }
    /* narrow parts were promoted to int */
    return width < 32 && step->pieces_count > 1 ? g_strdup_printf("(uint%u_t)(%s)", width, text->str)
                                                : g_strdup(text->str);
}

static void append_term(GString *text, const struct zg_step *step, const struct zg_piece *piece, const char *before)
{
    unsigned width = zgi_c_bits(step);
    g_autofree char *value = step->type.kind == ZG_KIND_FLOAT
                                 ? g_strconcat("bits_of_", step->name, NULL)
                                 : g_strdup_printf("(uint%u_t)%s%s", width, before, step->name);
    g_autofree char *part = piece->shift > 0 ? g_strdup_printf("%s >> %u", value, piece->shift) : g_strdup(value);

    if (whole_byte(piece)) {
        g_string_append(text, part);
        return;
    }
    g_string_append_printf(text, "(%s & %uU)", part, (1U << piece->bits) - 1);
    if (piece->low > 0)
        g_string_append_printf(text, " << %u", piece->low);
}

void zgi_c_store(GString *text, const struct zg_block *block, const char *before)
{
    for (unsigned byte = 0; byte < block->size; byte++) {
        bool first = true;
        g_string_append_printf(text, "    out[%u] = (uint8_t)(", byte);
        for (unsigned i = 0; i < block->steps->len; i++) {
            const struct zg_step *step = zg_block_step(block, i);
            for (unsigned k = 0; k < step->pieces_count; k++) {
                if (step->pieces[k].byte != byte)
                    continue;
                if (!first)
                    g_string_append(text, " | ");
                append_term(text, step, &step->pieces[k], before);
                first = false;
            }
        }
        g_string_append(text, ");\n");
    }
}
