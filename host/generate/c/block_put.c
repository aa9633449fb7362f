/* SPDX-License-Identifier: MIT */
/* size_NAME() and put_NAME(): a struct's values to bytes. */
#include "generate/c/block.h"

/* Bytes of an element that all take alike; 0: they differ. */
static unsigned element_bytes(const struct zg_step *step)
{
    const bool is_alike = step->record && step->record->size == step->record->most_size;

    return is_alike ? step->record->size : step->bits / 8;
}

static void print_element_size(GString *text, const struct zg_step *step, const char *value)
{
    if (element_bytes(step) > 0)
        g_string_append_printf(text, "%u", element_bytes(step));
    else if (step->record)
        g_string_append_printf(text, "@p_zgi_size_%s(&%s)", step->record->name, value);
    else
        g_string_append_printf(text, "zg_%cleb_size(%s)", zg_step_is_signed(step) ? 's' : 'u', value);
}

/* What a step that varies adds to a block's size. */
static void print_step_size(GString *text, const struct zg_step *step)
{
    g_autofree char *count = zgi_c_count(step);
    g_autofree char *value = g_strdup_printf("message->%s%s", step->code, zg_step_is_array(step) ? "[i]" : "");

    if (zg_step_is_string(step) || (zg_step_is_array(step) && step->bits == 8))
        g_string_append_printf(text, "    size += %s;\n", count);
    else if (zg_step_is_array(step) && zg_step_is_bitwise(step))
        g_string_append_printf(text, "    size += ((size_t)%s * %u + 7) / 8;\n", count, step->bits);
    else if (zg_step_is_array(step) && element_bytes(step) > 0)
        g_string_append_printf(text, "    size += (size_t)%s * %u;\n", count, element_bytes(step));
    else if (zg_step_is_array(step)) {
        zgi_c_print_loop(text, step);
        g_string_append(text, "\n        size += ");
        print_element_size(text, step, value);
        g_string_append(text, ";\n");
    } else {
        g_string_append(text, "    size += ");
        print_element_size(text, step, value);
        g_string_append(text, ";\n");
    }
}

static void print_size(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    unsigned fixed = 0;
    g_autoptr(GString) varying = g_string_new(NULL);

    for (unsigned first = 0; first < block->steps->len;) {
        unsigned end = zgi_c_segment_end(block, first);
        const struct zg_step *last = zg_block_step(block, end - 1);
        fixed += zgi_c_segment_bytes(block, first, end);
        if (last->varies)
            print_step_size(varying, last);
        first = end;
    }
    g_string_append_printf(text,
                           "static size_t @p_zgi_size_%s(const struct %s_%s *message)\n{\n    size_t size = "
                           "%u;\n\n%s%s    return size;\n}\n\n",
                           block->name, c->prefix, block->name, fixed, varying->len ? "" : "    (void)message;\n",
                           varying->str);
}

static void print_count_put(GString *text, const struct zg_step *step)
{
    unsigned at = step->byte;

    if (step->count_size > 0 && step->count_unit > 1) {
        g_autofree char *value = g_strdup_printf("message->%s_count * %uU", step->code, step->count_unit);
        g_string_append_printf(text, "    out[%u] = (uint8_t)(%s);\n",
                               step->count_size == 2 && step->count_big_endian ? at + 1 : at, value);
        if (step->count_size == 2)
            g_string_append_printf(text, "    out[%u] = (uint8_t)((%s) >> 8);\n", step->count_big_endian ? at : at + 1,
                                   value);
    } else if (step->count_size == 1)
        g_string_append_printf(text, "    out[%u] = %smessage->%s_count;\n", at, step->most > 255 ? "(uint8_t)" : "",
                               step->code);
    else if (step->count_size == 2)
        g_string_append_printf(
            text, "    out[%u] = (uint8_t)message->%s_count;\n    out[%u] = (uint8_t)(message->%s_count >> 8);\n",
            step->count_big_endian ? at + 1 : at, step->code, step->count_big_endian ? at : at + 1, step->code);
}

/* Writes the elements of an array. If it varies, `out` is where they begin; otherwise step->byte counts from `out`. */
static void print_array_put(GString *text, const struct zg_step *step)
{
    g_autofree char *count = zgi_c_count(step);
    g_autofree char *value = g_strdup_printf("message->%s[i]", step->code);
    g_autofree char *bits = zgi_c_raw_bits(step, value);
    unsigned byte = step->varies ? 0 : step->byte;

    if (zgi_c_is_bytes(step)) {
        g_string_append_printf(text, "    memcpy(out + %u, message->%s, %s);\n", byte, step->code, count);
        return;
    }
    zgi_c_print_loop(text, step);
    if (step->varies && step->record) {
        g_string_append_printf(text, "\n        out = @p_zgi_put_%s(&%s, out);\n", step->record->name, value);
    } else if (step->record) {
        g_string_append_printf(text, "\n        (void)@p_zgi_put_%s(&%s, out + %u + (size_t)i * %u);\n",
                               step->record->name, value, byte, step->bits / 8);
    } else if (zg_step_is_leb(step)) {
        g_string_append_printf(text, "\n        out += zg_%cleb_put(%s, out);\n", zg_step_is_signed(step) ? 's' : 'u',
                               value);
    } else if (zg_step_is_bitwise(step)) {
        g_string_append_printf(text, "\n        zg_bits_put(out + %u, %u + (size_t)i * %u, %u, %s, %s);\n", byte,
                               step->varies ? 0 : step->bit, step->bits, step->bits,
                               step->big_endian ? "true" : "false", bits);
    } else {
        unsigned size = step->bits / 8;
        g_string_append_printf(text, " {\n        const uint%u_t bits = %s;\n", step->bits > 32 ? 64 : zgi_c_bits(step),
                               bits);
        for (unsigned k = 0; k < size; k++) {
            unsigned shift = 8 * (step->big_endian ? size - 1 - k : k);
            if (shift > 0)
                g_string_append_printf(text, "        out[%u + (size_t)i * %u] = (uint8_t)(bits >> %u);\n", byte + k,
                                       size, shift);
            else
                g_string_append_printf(text, "        out[%u + (size_t)i * %u] = (uint8_t)bits;\n", byte + k, size);
        }
        g_string_append(text, "    }\n");
    }
}

/* Writes a step that is not one of the segment's single numbers. If it varies, `out` is at its elements, and is moved
 * past them. */
static void print_other_put(GString *text, const struct zg_step *step)
{
    g_autofree char *count = zgi_c_count(step);

    if (zg_step_is_string(step) && step->varies) {
        g_string_append_printf(text, "    memcpy(out, message->%s, %s);\n    out += %s;\n", step->code, count, count);
    } else if (step->type.kind == ZG_KIND_TEXT) {
        g_string_append_printf(text, "    zg_text_put(out + %u, message->%s, %u);\n", step->byte, step->code,
                               step->most);
    } else if (zg_step_is_string(step)) {
        g_string_append_printf(text, "    memcpy(out + %u, message->%s, %u);\n", step->byte, step->code, step->most);
    } else if (zg_step_is_array(step)) {
        if (step->varies && zg_step_is_bitwise(step))
            g_string_append_printf(text, "    memset(out, 0, ((size_t)%s * %u + 7) / 8);\n", count, step->bits);
        print_array_put(text, step);
        if (step->varies && zg_step_is_bitwise(step))
            g_string_append_printf(text, "    out += ((size_t)%s * %u + 7) / 8;\n", count, step->bits);
        else if (step->varies && step->bits > 0 && !step->record)
            g_string_append_printf(text, "    out += (size_t)%s * %u;\n", count, step->bits / 8);
    } else if (step->record) {
        g_string_append_printf(text,
                               step->varies ? "    out = @p_zgi_put_%s(&message->%s, out);\n"
                                            : "    (void)@p_zgi_put_%s(&message->%s, out + %u);\n",
                               step->record->name, step->code, step->byte);
    } else if (zg_step_is_leb(step)) {
        g_string_append_printf(text, "    out += zg_%cleb_put(message->%s, out);\n",
                               zg_step_is_signed(step) ? 's' : 'u', step->code);
    }
}

/* The length that a record holds of itself; `out` is behind its fields. */
static void print_length_put(GString *text, const struct zg_block *block)
{
    const struct zg_record_length *length = block->length;
    const unsigned at = block->length_byte, low = length->bits > 8 && length->big_endian ? at + 1 : at;
    const int more = (int)zg_block_length_of(block, 0);
    g_autofree char *said =
        more == 0 ? g_strdup("(out - start)") : g_strdup_printf("(out - start %c %d)", more < 0 ? '-' : '+', ABS(more));

    g_string_append_printf(text, "    start[%u] = (uint8_t)%s;\n", low, said);
    if (length->bits > 8)
        g_string_append_printf(text, "    start[%u] = (uint8_t)(%s >> 8);\n", low == at ? at + 1 : at, said);
}

static void print_put(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_autoptr(GString) body = g_string_new(NULL);

    if (block->size < block->most_size)
        print_size(c, text, block);
    for (unsigned first = 0; first < block->steps->len;) {
        unsigned end = zgi_c_segment_end(block, first);
        unsigned bytes = zgi_c_segment_bytes(block, first, end);
        const struct zg_step *last = zg_block_step(block, end - 1);
        zgi_c_store(body, block, first, end, "message->");
        for (unsigned i = first; i < end - (last->varies ? 1 : 0); i++)
            print_other_put(body, zg_block_step(block, i));
        if (last->varies)
            print_count_put(body, last);
        if (bytes > 0)
            g_string_append_printf(body, "    out += %u;\n", bytes);
        if (last->varies)
            print_other_put(body, last);
        first = end;
    }
    g_string_append_printf(text, "static uint8_t *@p_zgi_put_%s(const struct %s_%s *message, uint8_t *out)\n{\n",
                           block->name, c->prefix, block->name);
    if (block->length) {
        g_string_append(text, "    uint8_t *const start = out;\n");
        print_length_put(body, block);
    }
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->type.kind == ZG_KIND_FLOAT && !zg_step_is_array(step))
            g_string_append_printf(text, "    const uint%u_t bits_of_%s = zg_bits_of_f%u(message->%s);\n",
                                   step->type.bits, step->code, step->type.bits, step->code);
    }
    g_string_append_printf(text, "%s%s    return out;\n}\n\n", body->len ? "" : "    (void)message;\n", body->str);
}

void zgi_c_block_put(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    zgi_c_emit_block(c, text, block, print_put);
}
