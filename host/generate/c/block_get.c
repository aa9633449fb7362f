/* SPDX-License-Identifier: MIT */
/* get_NAME(): bytes to a struct's values. */
#include "generate/c/block.h"

/* A number of one or two bytes as an expression. Free with g_free(). */
static char *number_at(unsigned at, unsigned size, bool big_endian)
{
    return size == 1 ? g_strdup_printf("in[%u]", at)
                     : g_strdup_printf("(uint16_t)((uint16_t)in[%u] | (uint16_t)in[%u] << 8)", big_endian ? at + 1 : at,
                                       big_endian ? at : at + 1);
}

static void print_count_get(GString *text, const struct zg_step *step)
{
    if (step->count_size == 0)
        return;
    g_autofree char *value = number_at(step->byte, step->count_size, step->count_big_endian);
    if (step->count_unit == 1 && (step->count_size == 1 || step->most > 255)) {
        g_string_append_printf(text, "    message->%s_count = %s;\n", step->code, value);
        return;
    }
    if (step->count_unit > 1)
        g_string_append_printf(text, "    if (%s %% %u != 0)\n        return NULL;\n", value, step->count_unit);
    g_string_append_printf(text,
                           "    if (%s / %u > %u)\n        return NULL;\n    message->%s_count = (uint%u_t)(%s / "
                           "%u);\n",
                           value, step->count_unit, step->most, step->code, step->most > 255 ? 16 : 8, value,
                           step->count_unit);
}

/* For a step that varies, with `in` at its elements: how many there are, and whether they are all there. */
static void print_room_check(GString *text, const struct zg_step *step)
{
    const char *name = step->code;

    if (step->type.extent == ZG_EXTENT_REST && step->bits > 0) {
        unsigned size = step->bits / 8;
        if (size > 1)
            g_string_append_printf(text, "    if ((size_t)(end - in) %% %u != 0)\n        return NULL;\n", size);
        g_string_append_printf(text, "    if ((size_t)(end - in) / %u > %u)\n        return NULL;\n", size, step->most);
        g_string_append_printf(text, "    message->%s_count = (uint%u_t)((size_t)(end - in) / %u);\n", name,
                               step->most > 255 ? 16 : 8, size);
        return;
    }
    if (step->type.extent != ZG_EXTENT_COUNTED)
        return;
    if (step->count_unit == 1 && (step->count_size == 1 ? step->most != 255 : step->most > 255 && step->most != 65535))
        g_string_append_printf(text, "    if (message->%s_count > %u)\n        return NULL;\n", name, step->most);
    if (zg_step_is_bitwise(step))
        g_string_append_printf(
            text, "    if ((size_t)(end - in) < ((size_t)message->%s_count * %u + 7) / 8)\n        return NULL;\n",
            name, step->bits);
    else if (step->bits > 0)
        g_string_append_printf(text,
                               "    if ((size_t)(end - in) < (size_t)message->%s_count * %u)\n        return NULL;\n",
                               name, step->bits / 8);
}

/* Whether bytes of the right number may be no such record. */
static bool may_be_refused(const struct zg_block *record)
{
    for (unsigned i = 0; i < record->steps->len; i++) {
        const struct zg_step *step = zg_block_step(record, i);
        if (step->type.is_ascii || (step->record && may_be_refused(step->record)))
            return true;
    }
    return false;
}

/* Reads a record of one size, all of which has come. */
static void print_fixed_record_get(GString *text, const struct zg_block *record, const char *value, const char *place,
                                   const char *indent)
{
    g_autofree char *call = g_strdup_printf("@p_zgi_get_%s(&%s, in + %s, end)", record->name, value, place);

    if (may_be_refused(record))
        g_string_append_printf(text, "%sif (!%s)\n%s    return NULL;\n", indent, call, indent);
    else
        g_string_append_printf(text, "%s(void)%s;\n", indent, call);
}

/* Reads one element at `in`, and moves `in` past it: a LEB128 number or a record that varies. */
static void print_varying_element_get(GString *text, const struct zg_step *step, const char *value, const char *indent)
{
    bool is_signed = zg_step_is_signed(step);

    if (step->record) {
        g_string_append_printf(text, "%sin = @p_zgi_get_%s(&%s, in, end);\n%sif (!in)\n%s    return NULL;\n", indent,
                               step->record->name, value, indent, indent);
        return;
    }
    g_string_append_printf(
        text,
        "%s{\n%s    %s wide;\n%s    int size = zg_%cleb_get(in, (size_t)(end - in), %u, &wide);\n"
        "%s    if (size < 0)\n%s        return NULL;\n%s    %s = (%sint%u_t)wide;\n%s    in += size;\n%s}\n",
        indent, indent, is_signed ? "int64_t" : "uint64_t", indent, is_signed ? 's' : 'u', step->type.bits, indent,
        indent, indent, value, is_signed ? "" : "u", step->type.bits, indent, indent);
}

static void print_array_get(GString *text, const struct zg_step *step)
{
    g_autofree char *count = zgi_c_count(step);
    g_autofree char *value = g_strdup_printf("message->%s[i]", step->code);
    unsigned byte = step->varies ? 0 : step->byte;
    bool open_elements = step->bits == 0 && step->type.extent == ZG_EXTENT_REST;

    if (open_elements) {
        g_string_append_printf(text,
                               "    message->%s_count = 0;\n    for (unsigned i = 0; in < end; i++) {\n"
                               "        if (i >= %u)\n            return NULL;\n",
                               step->code, step->most);
        print_varying_element_get(text, step, value, "        ");
        g_string_append_printf(text, "        message->%s_count++;\n    }\n", step->code);
        return;
    }
    if (zgi_c_is_bytes(step)) {
        g_string_append_printf(text, "    memcpy(message->%s, in + %u, %s);\n", step->code, byte, count);
        if (step->varies)
            g_string_append_printf(text, "    in += %s;\n", count);
        return;
    }
    zgi_c_print_loop(text, step);
    g_string_append(text, " {\n");
    if (step->bits == 0) {
        print_varying_element_get(text, step, value, "        ");
    } else if (step->record) {
        g_autofree char *place = g_strdup_printf("%u + (size_t)i * %u", byte, step->bits / 8);
        print_fixed_record_get(text, step->record, value, place, "        ");
    } else if (zg_step_is_bitwise(step)) {
        g_autofree char *bits =
            g_strdup_printf("(uint%u_t)zg_bits_get(in + %u, %u + (size_t)i * %u, %u, %s)", zgi_c_bits(step), byte,
                            step->varies ? 0 : step->bit, step->bits, step->bits, step->big_endian ? "true" : "false");
        g_autofree char *made = zgi_c_value(step, bits);
        g_string_append_printf(text, "        %s = %s;\n", value, made);
    } else {
        g_autofree char *bits = zgi_c_load(step, "at");
        g_autofree char *made = zgi_c_value(step, bits);
        g_string_append_printf(text, "        const uint8_t *at = in + %u + (size_t)i * %u;\n        %s = %s;\n", byte,
                               step->bits / 8, value, made);
    }
    g_string_append(text, "    }\n");
    if (step->varies && zg_step_is_bitwise(step))
        g_string_append_printf(text, "    in += ((size_t)%s * %u + 7) / 8;\n", count, step->bits);
    else if (step->varies && step->bits > 0)
        g_string_append_printf(text, "    in += (size_t)%s * %u;\n", count, step->bits / 8);
}

static void print_step_get(GString *text, const struct zg_step *step)
{
    g_autofree char *count = zgi_c_count(step);
    g_autofree char *value = g_strdup_printf("message->%s", step->code);

    if (zg_step_is_string(step)) {
        unsigned byte = step->varies ? 0 : step->byte;
        bool text_kind = step->type.kind == ZG_KIND_TEXT;
        if (byte > 0)
            g_string_append_printf(text, "    memcpy(message->%s, in + %u, %s);\n", step->code, byte, count);
        else
            g_string_append_printf(text, "    memcpy(message->%s, in, %s);\n", step->code, count);
        if (text_kind)
            g_string_append_printf(text, "    message->%s[%s] = '\\0';\n", step->code, count);
        if (step->type.is_ascii && step->varies)
            g_string_append_printf(text, "    if (zg_ascii_run(message->%s, %s) < %s)\n        return NULL;\n",
                                   step->code, count, count);
        else if (step->type.is_ascii)
            g_string_append_printf(text, "    if (!zg_is_ascii_filled(message->%s, %s))\n        return NULL;\n",
                                   step->code, count);
        if (step->varies)
            g_string_append_printf(text, "    in += %s;\n", count);
    } else if (zg_step_is_array(step)) {
        print_array_get(text, step);
    } else if (step->varies) {
        print_varying_element_get(text, step, value, "    ");
    } else if (step->record) {
        g_autofree char *place = g_strdup_printf("%u", step->byte);
        print_fixed_record_get(text, step->record, value, place, "    ");
    } else {
        g_autofree char *bits = zgi_c_load(step, "in");
        g_autofree char *made = zgi_c_value(step, bits);
        g_string_append_printf(text, "    %s = %s;\n", value, made);
    }
}

/* The defaults of the fields from `first` on, for a payload that ends before them. */
static void print_defaults(GString *text, const struct zg_block *block, unsigned first)
{
    g_string_append(text, "    if (in == end) { /* an older sender */\n");
    for (unsigned i = first; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (zg_step_is_open_count(step))
            g_string_append_printf(text, "        message->%s_count = 0;\n", step->code);
        if (zg_step_is_string(step) || zg_step_is_array(step)) {
            g_string_append_printf(text, "        memset(message->%s, 0, sizeof message->%s);\n", step->code,
                                   step->code);
        } else if (step->record) {
            g_string_append_printf(text, "        memset(&message->%s, 0, sizeof message->%s);\n", step->code,
                                   step->code);
        } else if (step->type.kind == ZG_KIND_FLOAT) {
            g_string_append_printf(text, "        message->%s = ", step->code);
            zgi_c_append_float_limit(text, step, step->fallback.f);
            g_string_append(text, ";\n");
        } else if (step->type.kind == ZG_KIND_BOOL) {
            g_string_append_printf(text, "        message->%s = %s;\n", step->code,
                                   step->fallback.b ? "true" : "false");
        } else {
            g_autofree char *value = zgi_c_literal(step->type.kind, zgi_c_bits(step), step->fallback);
            g_string_append_printf(text, "        message->%s = %s;\n", step->code, value);
        }
    }
    g_string_append(text, "        return in;\n    }\n");
}

/* Moves `end` to where a record ends that says so itself. */
static void print_own_end(GString *text, const struct zg_block *block)
{
    const struct zg_record_length *length = block->length;
    g_autofree char *said = number_at(block->length_byte, length->bits / 8, length->big_endian);
    const int end = (int)zg_block_length_end(block);
    const int more = -(int)zg_block_length_of(block, 0); /* bytes of the record less what the length says */

    g_string_append_printf(text, "    if ((size_t)(end - in) < %d)\n        return NULL;\n", end);
    g_string_append_printf(text, "    const uint%u_t own = %s;\n", length->bits, said);
    if (end > more)
        g_string_append_printf(text, "    if (own < %d)\n        return NULL;\n", end - more);
    g_string_append_printf(text,
                           more < 0 ? "    if ((size_t)own - %d > (size_t)(end - in))\n        return NULL;\n"
                                    : "    if (own > (size_t)(end - in) - %d)\n        return NULL;\n",
                           ABS(more));
    g_string_append_printf(text, "    end = in + ((size_t)own %c %d);\n", more < 0 ? '-' : '+', ABS(more));
}

static void print_get(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_string_append_printf(
        text, "static const uint8_t *@p_zgi_get_%s(struct %s_%s *message, const uint8_t *in, const uint8_t *end)\n{\n",
        block->name, c->prefix, block->name);
    if (block->steps->len == 0)
        g_string_append(text, "    (void)end;\n    message->nothing = 0;\n");
    if (block->length)
        print_own_end(text, block);
    for (unsigned first = 0; first < block->steps->len;) {
        unsigned end = zgi_c_segment_end(block, first);
        unsigned bytes = zgi_c_segment_bytes(block, first, end);
        const struct zg_step *last = zg_block_step(block, end - 1);
        if (zg_block_step(block, first)->newer)
            print_defaults(text, block, first);
        const bool known = first == 0 && block->length && bytes <= zg_block_length_end(block);
        if (bytes > 0 && !known)
            g_string_append_printf(text, "    if ((size_t)(end - in) < %u)\n        return NULL;\n", bytes);
        else if (!last->varies && !block->length)
            g_string_append(text, "    (void)end;\n");
        for (unsigned i = first; i < end - (last->varies ? 1 : 0); i++)
            print_step_get(text, zg_block_step(block, i));
        if (last->varies)
            print_count_get(text, last);
        if (bytes > 0)
            g_string_append_printf(text, "    in += %u;\n", bytes);
        if (last->varies) {
            print_room_check(text, last);
            print_step_get(text, last);
        }
        first = end;
    }
    g_string_append(text, block->length ? "    return end;\n}\n\n" : "    return in;\n}\n\n");
}

void zgi_c_block_get(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    zgi_c_emit_block(c, text, block, print_get);
}
