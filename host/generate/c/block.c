/* SPDX-License-Identifier: MIT */
/* The functions that check, measure, write and read the fields of a message or record. */
#include <string.h>

#include "codec/json.h"
#include "generate/c/c.h"

/* --- check */

static void append_float_limit(GString *text, const struct zg_step *step, double limit)
{
    g_autoptr(GString) digits = g_string_new(NULL);

    if (step->type.bits == 32)
        zg_append_float(digits, (float)limit);
    else
        zg_append_double(digits, limit);
    g_string_append_printf(text, "%s%s%s", digits->str, strpbrk(digits->str, ".e") ? "" : ".0",
                           step->type.bits == 32 ? "F" : "");
}

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
    append_float_limit(text, step, step->low.f);
    g_string_append_printf(text, " && %s <= ", value);
    append_float_limit(text, step, step->high.f);
    g_string_append_printf(text, "))\n%s    return ZG_ERANGE;\n", indent);
}

/* The limits of a number, where they are narrower than the C type's. */
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

/* The number of elements of an array, as an expression. */
static char *count_of(const struct zg_step *step)
{
    return zg_step_is_open_count(step) ? g_strdup_printf("message->%s_count", step->name)
                                       : g_strdup_printf("%u", step->most);
}

/* The head of a loop over an array's elements. Their number is kept, since stored bytes might change it for all that a
 * compiler knows. */
static void print_loop(GString *text, const struct zg_step *step)
{
    g_autofree char *count = count_of(step);

    g_string_append_printf(text,
                           zg_step_is_open_count(step) ? "    for (unsigned i = 0, elements = %s; i < elements; i++)"
                                                       : "    for (unsigned i = 0; i < %s; i++)",
                           count);
}

static void print_step_check(GString *text, const struct zg_step *step)
{
    g_autofree char *value = g_strdup_printf("message->%s%s", step->name, zg_step_is_array(step) ? "[i]" : "");
    g_autoptr(GString) inner = g_string_new(NULL);

    if (zg_step_is_open_count(step) && step->most != 255 && step->most != 65535)
        g_string_append_printf(text, "    if (message->%s_count > %u)\n        return ZG_ERANGE;\n", step->name,
                               step->most);
    if (zg_step_is_string(step))
        return;
    print_element_check(inner, step, value, zg_step_is_array(step) ? "        " : "    ");
    if (zg_step_is_array(step) && inner->len > 0) {
        print_loop(text, step);
        g_string_append_printf(text, " {\n%s    }\n", inner->str);
    } else {
        g_string_append(text, inner->str);
    }
}

static void print_check(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_autoptr(GString) checks = g_string_new(NULL);

    for (unsigned i = 0; i < block->steps->len; i++)
        print_step_check(checks, zg_block_step(block, i));
    g_string_append_printf(text, "static int @p_zgi_check_%s(const struct %s_%s *message)\n{\n%s%s    return 0;\n}\n\n",
                           block->name, c->prefix, block->name, checks->len ? "" : "    (void)message;\n", checks->str);
}

/* --- segments: steps whose places are counted from the same byte */

/* The step behind the segment that begins with `first`. */
static unsigned segment_end(const struct zg_block *block, unsigned first)
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

/* Bytes of a segment that are always there: up to the elements of the step that varies, if its last one does. */
static unsigned segment_bytes(const struct zg_block *block, unsigned first, unsigned behind)
{
    const struct zg_step *last = zg_block_step(block, behind - 1);
    unsigned bytes = 0;

    for (unsigned i = first; i < behind; i++)
        if (!zg_block_step(block, i)->varies)
            bytes = MAX(bytes, zg_step_end(zg_block_step(block, i)));
    return last->varies ? last->byte + last->count_size : bytes;
}

/* --- size */

static void print_element_size(GString *text, const struct zg_step *step, const char *value)
{
    if (step->record && step->bits == 0)
        g_string_append_printf(text, "@p_zgi_size_%s(&%s)", step->record->name, value);
    else if (step->record)
        g_string_append_printf(text, "%u", step->bits / 8);
    else
        g_string_append_printf(text, "zg_%cleb_size(%s)", zg_step_is_signed(step) ? 's' : 'u', value);
}

/* What a step that varies adds to a block's size. */
static void print_step_size(GString *text, const struct zg_step *step)
{
    g_autofree char *count = count_of(step);
    g_autofree char *value = g_strdup_printf("message->%s%s", step->name, zg_step_is_array(step) ? "[i]" : "");

    if (zg_step_is_string(step) || (zg_step_is_array(step) && step->bits == 8))
        g_string_append_printf(text, "    size += %s;\n", count);
    else if (zg_step_is_array(step) && zg_step_is_bitwise(step))
        g_string_append_printf(text, "    size += ((size_t)%s * %u + 7) / 8;\n", count, step->bits);
    else if (zg_step_is_array(step) && step->bits > 0)
        g_string_append_printf(text, "    size += (size_t)%s * %u;\n", count, step->bits / 8);
    else if (zg_step_is_array(step)) {
        print_loop(text, step);
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
        unsigned behind = segment_end(block, first);
        const struct zg_step *last = zg_block_step(block, behind - 1);
        fixed += segment_bytes(block, first, behind);
        if (last->varies)
            print_step_size(varying, last);
        first = behind;
    }
    g_string_append_printf(text,
                           "static size_t @p_zgi_size_%s(const struct %s_%s *message)\n{\n    size_t size = "
                           "%u;\n\n%s%s    return size;\n}\n\n",
                           block->name, c->prefix, block->name, fixed, varying->len ? "" : "    (void)message;\n",
                           varying->str);
}

/* --- put */

static void print_count_put(GString *text, const struct zg_step *step)
{
    unsigned at = step->byte;

    if (step->count_size == 1)
        g_string_append_printf(text, "    out[%u] = message->%s_count;\n", at, step->name);
    else if (step->count_size == 2)
        g_string_append_printf(
            text, "    out[%u] = (uint8_t)message->%s_count;\n    out[%u] = (uint8_t)(message->%s_count >> 8);\n",
            step->count_big_endian ? at + 1 : at, step->name, step->count_big_endian ? at : at + 1, step->name);
}

/* Whether an array's elements stand in memory just as on the wire: bytes. */
static bool is_bytes(const struct zg_step *step)
{
    return zg_step_is_array(step) && step->bits == 8 && !step->record &&
           (step->type.kind == ZG_KIND_UNSIGNED || step->type.kind == ZG_KIND_SIGNED);
}

/* Writes the elements of an array; `out` is where they begin if it varies, else step->byte is counted from `out`. */
static void print_array_put(GString *text, const struct zg_step *step)
{
    g_autofree char *count = count_of(step);
    g_autofree char *value = g_strdup_printf("message->%s[i]", step->name);
    g_autofree char *bits = zgi_c_raw_bits(step, value);
    unsigned byte = step->varies ? 0 : step->byte;

    if (is_bytes(step)) {
        g_string_append_printf(text, "    memcpy(out + %u, message->%s, %s);\n", byte, step->name, count);
        return;
    }
    print_loop(text, step);
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

/* A step that is no single number in the segment's lines. Where it varies, `out` stands at its elements, and is moved
 * behind them. */
static void print_other_put(GString *text, const struct zg_step *step)
{
    g_autofree char *count = count_of(step);

    if (zg_step_is_string(step) && step->varies) {
        g_string_append_printf(text, "    memcpy(out, message->%s, %s);\n    out += %s;\n", step->name, count, count);
    } else if (step->type.kind == ZG_KIND_TEXT) {
        g_string_append_printf(text, "    zg_text_put(out + %u, message->%s, %u);\n", step->byte, step->name,
                               step->most);
    } else if (zg_step_is_string(step)) {
        g_string_append_printf(text, "    memcpy(out + %u, message->%s, %u);\n", step->byte, step->name, step->most);
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
                               step->record->name, step->name, step->byte);
    } else if (zg_step_is_leb(step)) {
        g_string_append_printf(text, "    out += zg_%cleb_put(message->%s, out);\n",
                               zg_step_is_signed(step) ? 's' : 'u', step->name);
    }
}

static void print_put(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_autoptr(GString) body = g_string_new(NULL);

    if (block->size != block->most_size)
        print_size(c, text, block);
    for (unsigned first = 0; first < block->steps->len;) {
        unsigned behind = segment_end(block, first);
        unsigned bytes = segment_bytes(block, first, behind);
        const struct zg_step *last = zg_block_step(block, behind - 1);
        zgi_c_store(body, block, first, behind, "message->");
        for (unsigned i = first; i < behind - (last->varies ? 1 : 0); i++)
            print_other_put(body, zg_block_step(block, i));
        if (last->varies)
            print_count_put(body, last);
        if (bytes > 0)
            g_string_append_printf(body, "    out += %u;\n", bytes);
        if (last->varies)
            print_other_put(body, last);
        first = behind;
    }
    g_string_append_printf(text, "static uint8_t *@p_zgi_put_%s(const struct %s_%s *message, uint8_t *out)\n{\n",
                           block->name, c->prefix, block->name);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->type.kind == ZG_KIND_FLOAT && !zg_step_is_array(step))
            g_string_append_printf(text, "    const uint%u_t bits_of_%s = zg_bits_of_f%u(message->%s);\n",
                                   step->type.bits, step->name, step->type.bits, step->name);
    }
    g_string_append_printf(text, "%s%s    return out;\n}\n\n", body->len ? "" : "    (void)message;\n", body->str);
}

/* --- get */

static void print_count_get(GString *text, const struct zg_step *step)
{
    unsigned at = step->byte;

    if (step->count_size == 1)
        g_string_append_printf(text, "    message->%s_count = in[%u];\n", step->name, at);
    else if (step->count_size == 2)
        g_string_append_printf(text, "    message->%s_count = (uint16_t)((uint16_t)in[%u] | (uint16_t)in[%u] << 8);\n",
                               step->name, step->count_big_endian ? at + 1 : at, step->count_big_endian ? at : at + 1);
}

/* Where `in` stands at the elements of a step that varies: how many there are, and whether they are all there. */
static void print_room_check(GString *text, const struct zg_step *step)
{
    const char *name = step->name;

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
    if (step->most != 255 && step->most != 65535)
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

/* One element at `in`, moved behind it: a LEB128 number or a record that varies. */
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
    g_autofree char *count = count_of(step);
    g_autofree char *value = g_strdup_printf("message->%s[i]", step->name);
    unsigned byte = step->varies ? 0 : step->byte;
    bool open_elements = step->bits == 0 && step->type.extent == ZG_EXTENT_REST;

    if (open_elements) {
        g_string_append_printf(text,
                               "    message->%s_count = 0;\n    for (unsigned i = 0; in < end; i++) {\n"
                               "        if (i >= %u)\n            return NULL;\n",
                               step->name, step->most);
        print_varying_element_get(text, step, value, "        ");
        g_string_append_printf(text, "        message->%s_count++;\n    }\n", step->name);
        return;
    }
    if (is_bytes(step)) {
        g_string_append_printf(text, "    memcpy(message->%s, in + %u, %s);\n", step->name, byte, count);
        if (step->varies)
            g_string_append_printf(text, "    in += %s;\n", count);
        return;
    }
    print_loop(text, step);
    g_string_append(text, " {\n");
    if (step->bits == 0) {
        print_varying_element_get(text, step, value, "        ");
    } else if (step->record) {
        g_string_append_printf(text, "        (void)@p_zgi_get_%s(&%s, in + %u + (size_t)i * %u, end);\n",
                               step->record->name, value, byte, step->bits / 8);
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
    g_autofree char *count = count_of(step);
    g_autofree char *value = g_strdup_printf("message->%s", step->name);

    if (zg_step_is_string(step)) {
        unsigned byte = step->varies ? 0 : step->byte;
        bool text_kind = step->type.kind == ZG_KIND_TEXT;
        if (byte > 0)
            g_string_append_printf(text, "    memcpy(message->%s, in + %u, %s);\n", step->name, byte, count);
        else
            g_string_append_printf(text, "    memcpy(message->%s, in, %s);\n", step->name, count);
        if (text_kind)
            g_string_append_printf(text, "    message->%s[%s] = '\\0';\n", step->name, count);
        if (step->varies)
            g_string_append_printf(text, "    in += %s;\n", count);
    } else if (zg_step_is_array(step)) {
        print_array_get(text, step);
    } else if (step->varies) {
        print_varying_element_get(text, step, value, "    ");
    } else if (step->record) {
        g_string_append_printf(text, "    (void)@p_zgi_get_%s(&%s, in + %u, end);\n", step->record->name, value,
                               step->byte);
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
            g_string_append_printf(text, "        message->%s_count = 0;\n", step->name);
        if (zg_step_is_string(step) || zg_step_is_array(step)) {
            g_string_append_printf(text, "        memset(message->%s, 0, sizeof message->%s);\n", step->name,
                                   step->name);
        } else if (step->record) {
            g_string_append_printf(text, "        memset(&message->%s, 0, sizeof message->%s);\n", step->name,
                                   step->name);
        } else if (step->type.kind == ZG_KIND_FLOAT) {
            g_string_append_printf(text, "        message->%s = ", step->name);
            append_float_limit(text, step, step->fallback.f);
            g_string_append(text, ";\n");
        } else if (step->type.kind == ZG_KIND_BOOL) {
            g_string_append_printf(text, "        message->%s = %s;\n", step->name,
                                   step->fallback.b ? "true" : "false");
        } else {
            g_autofree char *value = zgi_c_literal(step->type.kind, zgi_c_bits(step), step->fallback);
            g_string_append_printf(text, "        message->%s = %s;\n", step->name, value);
        }
    }
    g_string_append(text, "        return in;\n    }\n");
}

static void print_get(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    g_string_append_printf(
        text, "static const uint8_t *@p_zgi_get_%s(struct %s_%s *message, const uint8_t *in, const uint8_t *end)\n{\n",
        block->name, c->prefix, block->name);
    if (block->steps->len == 0)
        g_string_append(text, "    (void)end;\n    message->nothing = 0;\n");
    for (unsigned first = 0; first < block->steps->len;) {
        unsigned behind = segment_end(block, first);
        unsigned bytes = segment_bytes(block, first, behind);
        const struct zg_step *last = zg_block_step(block, behind - 1);
        if (zg_block_step(block, first)->newer)
            print_defaults(text, block, first);
        if (bytes > 0)
            g_string_append_printf(text, "    if ((size_t)(end - in) < %u)\n        return NULL;\n", bytes);
        else if (!last->varies)
            g_string_append(text, "    (void)end;\n");
        for (unsigned i = first; i < behind - (last->varies ? 1 : 0); i++)
            print_step_get(text, zg_block_step(block, i));
        if (last->varies)
            print_count_get(text, last);
        if (bytes > 0)
            g_string_append_printf(text, "    in += %u;\n", bytes);
        if (last->varies) {
            print_room_check(text, last);
            print_step_get(text, last);
        }
        first = behind;
    }
    g_string_append(text, "    return in;\n}\n\n");
}

/* The names of functions above are templates. */
static void emit(const struct zgi_c *c, GString *text, const struct zg_block *block,
                 void (*print)(const struct zgi_c *c, GString *text, const struct zg_block *block))
{
    g_autoptr(GString) code = g_string_new(NULL);

    print(c, code, block);
    zgi_c_tidy(code);
    zgi_c_emit(c, text, NULL, code->str);
}

void zgi_c_block_check(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    emit(c, text, block, print_check);
}

void zgi_c_block_put(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    emit(c, text, block, print_put);
}

void zgi_c_block_get(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    emit(c, text, block, print_get);
}
