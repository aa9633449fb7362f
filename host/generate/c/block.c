/* SPDX-License-Identifier: MIT */
#include "generate/c/block.h"

#include <string.h>

#include "codec/json.h"

void zgi_c_append_float_limit(GString *text, const struct zg_step *step, double limit)
{
    g_autoptr(GString) digits = g_string_new(NULL);

    if (step->type.bits == 32)
        zg_append_float(digits, (float)limit);
    else
        zg_append_double(digits, limit);
    g_string_append_printf(text, "%s%s%s", digits->str, strpbrk(digits->str, ".e") ? "" : ".0",
                           step->type.bits == 32 ? "F" : "");
}

char *zgi_c_count(const struct zg_step *step)
{
    return zg_step_is_open_count(step) ? g_strdup_printf("message->%s_count", step->code)
                                       : g_strdup_printf("%u", step->most);
}

void zgi_c_print_loop(GString *text, const struct zg_step *step)
{
    g_autofree char *count = zgi_c_count(step);

    g_string_append_printf(text,
                           zg_step_is_open_count(step) ? "    for (unsigned i = 0, elements = %s; i < elements; i++)"
                                                       : "    for (unsigned i = 0; i < %s; i++)",
                           count);
}

unsigned zgi_c_segment_end(const struct zg_block *block, unsigned first)
{
    unsigned i = first;
    while (i < block->steps->len) {
        if (i > first && zg_block_step(block, i)->newer)
            return i;
        if (zg_block_step(block, i++)->varies)
            return i;
    }
    return i;
}

unsigned zgi_c_segment_bytes(const struct zg_block *block, unsigned first, unsigned end)
{
    const struct zg_step *last = zg_block_step(block, end - 1);
    unsigned bytes = 0;

    for (unsigned i = first; i < end; i++)
        if (!zg_block_step(block, i)->varies)
            bytes = MAX(bytes, zg_step_end(zg_block_step(block, i)));
    if (first == 0 && block->length)
        bytes = MAX(bytes, zg_block_length_end(block));
    return last->varies ? last->byte + last->count_size : bytes;
}

bool zgi_c_is_bytes(const struct zg_step *step)
{
    return zg_step_is_array(step) && step->bits == 8 && !step->record &&
           (step->type.kind == ZG_KIND_UNSIGNED || step->type.kind == ZG_KIND_SIGNED);
}

void zgi_c_emit_block(const struct zgi_c *c, GString *text, const struct zg_block *block,
                      void (*print)(const struct zgi_c *c, GString *text, const struct zg_block *block))
{
    g_autoptr(GString) code = g_string_new(NULL);

    print(c, code, block);
    zgi_c_tidy(code);
    zgi_c_emit(c, text, NULL, code->str);
}
