/* SPDX-License-Identifier: MIT */
/* Messages with a text layout: functions that write their payload and read it. */
#include "generate/c/written_parts.h"

#include <string.h>

#include "generate/c/scaling.h"
#include "plan/spelling.h"

/* --- numbers */

/* Whether a step's numbers are written at all: as such, or where an enum's value has no name. */
static bool has_numbers(const struct zg_step *step, enum zg_layout_kind kind)
{
    const bool is_enum = step->type.enumeration && !step->type.enumeration->flags;
    return zg_text_is_number(step, kind) || is_enum;
}

static unsigned block_bits(const struct zg_block *block)
{
    unsigned most = 32;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->record) {
            most = MAX(most, block_bits(step->record));
        } else if (!zg_step_is_string(step)) {
            struct zgi_c_scaling scaling = zgi_c_scaling_of(step);
            most = MAX(most, scaling.bits);
            zgi_c_scaling_clear(&scaling);
        }
    }
    return most;
}

unsigned zgi_c_spelling_bits(const struct zg_plan *plan)
{
    unsigned most = 32;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        most = MAX(most, item->text ? block_bits(&item->payload) : 0);
    }
    return most;
}

bool zgi_c_knows_texts(const struct zg_plan *plan, const char **why)
{
    *why = zgi_c_spelling_bits(plan) > 64 ? "numbers in text that take more than 64 bits with their scale" : NULL;
    return !*why;
}

static void print_spelling(const struct zgi_writing *writing, const struct zg_step *step)
{
    const struct zg_form *form = &step->field->form;
    struct zgi_c_scaling scaling = zgi_c_scaling_of(step);
    g_autofree char *prefix = zgi_c_quoted(form->prefix), *factor = mpz_get_str(NULL, 10, scaling.factor),
                    *shift = mpz_get_str(NULL, 10, scaling.shift), *divisor = mpz_get_str(NULL, 10, scaling.divisor);
    const unsigned flags = (zg_step_is_signed(step) ? 1U : 0U) | (form->sign ? 2U : 0U) | (form->pad == '0' ? 4U : 0U) |
                           (form->lower == 1 ? 8U : 0U) | (form->exponent >= 0 ? 16U : 0U);

    zgi_c_emit(writing->c, writing->text, step->code, "static const struct zg_spelling ");
    g_string_append_printf(writing->text, "%s_zgi_%s_%s_spelling = { %s, %zu, %u, %u, %u, %u, %u, '%c' };\n",
                           writing->c->prefix, writing->block->name, step->code, prefix,
                           strlen(form->prefix ? form->prefix : ""), step->type.bits, form->base, form->width,
                           form->exponent >= 0 ? (unsigned)form->exponent : zg_step_decimals(step), flags,
                           form->point == ',' ? ',' : '.');
    if (mpz_sgn(scaling.divisor) != 0) {
        zgi_c_emit(writing->c, writing->text, step->code, "static const struct zg_scaling ");
        g_string_append_printf(writing->text, "%s_zgi_%s_%s_scaling = { %s, %s, %s };\n", writing->c->prefix,
                               writing->block->name, step->code, factor, shift, divisor);
    }
    zgi_c_scaling_clear(&scaling);
}

static void print_words(const struct zgi_writing *writing, const struct zg_step *step)
{
    const struct zg_enum *enumeration = step->type.enumeration;

    g_string_append_printf(writing->text, "static const struct zg_word %s_zgi_%s_%s_words[] = {\n", writing->c->prefix,
                           writing->block->name, step->code);
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_autofree char *word = zgi_c_quoted(value->text ? value->text : value->name);
        const bool is_negative = zg_step_is_signed(step) && !enumeration->flags && value->raw.i < 0;
        if (is_negative) /* two's complement */
            g_string_append_printf(writing->text, "    { %s, (zg_spelled)0 - %" G_GUINT64_FORMAT "U },\n", word,
                                   (uint64_t)0 - value->raw.u);
        else
            g_string_append_printf(writing->text, "    { %s, %" G_GUINT64_FORMAT "U },\n", word, value->raw.u);
    }
    g_string_append(writing->text, "};\n");
}

/* --- what is public */

/* After a message was written to `out`: what it is read as, where that may be something else. */
static void print_read_back(const struct zgi_writing *writing, unsigned front)
{
    const struct zg_block *block = writing->block;
    GString *text = writing->text;

    if (!writing->parts->misleads)
        return;
    zgi_c_emit(writing->c, text, writing->block->name, "    if (@p_zgi_read_@n(&again, ");
    g_string_append_printf(text, "out + %u, *size - %u, &ignored) != 0 || ignored > 0)\n        return ZG_ERANGE;\n",
                           front, front);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_autofree char *there =
            step->field->optional ? g_strdup_printf("message->has_%s && ", step->code) : g_strdup("");
        if (step->field->optional)
            g_string_append_printf(text, "    if (again.has_%s != message->has_%s)\n        return ZG_ERANGE;\n",
                                   step->code, step->code);
        if (step->type.kind != ZG_KIND_TEXT)
            continue;
        if (step->type.extent == ZG_EXTENT_FIXED)
            g_string_append_printf(text,
                                   "    if (%s!zg_is_word(again.%s, again.%s + zg_text_length(again.%s, %u), "
                                   "message->%s))\n        return ZG_ERANGE;\n",
                                   there, step->code, step->code, step->code, step->most, step->code);
        else
            g_string_append_printf(text,
                                   "    if (%s(again.%s_count != message->%s_count || memcmp(again.%s, message->%s, "
                                   "again.%s_count) != 0))\n        return ZG_ERANGE;\n",
                                   there, step->code, step->code, step->code, step->code, step->code);
    }
}

static void print_pack(const struct zgi_writing *writing)
{
    const struct zg_message *message = writing->item->message;
    const struct zg_tag *tag = zg_plan_tag(writing->item);
    const unsigned front = tag ? tag->size : 0;
    GString *text = writing->text;

    zgi_c_emit(writing->c, text, message->name,
               "int @p_@n_check(const struct @p_@n *message)\n{\n    return @p_zgi_check_@n(message);\n}\n\n"
               "int @p_@n_pack(const struct @p_@n *message, uint8_t *out, size_t room, size_t *size)\n{\n");
    if (writing->parts->misleads)
        zgi_c_emit(writing->c, text, message->name, "    struct @p_@n again;\n    size_t ignored;\n");
    zgi_c_emit(writing->c, text, message->name,
               "    struct zg_writer to;\n    int error = @p_zgi_check_@n(message);\n\n    if (error)\n        return "
               "error;\n");
    g_string_append_printf(text,
                           "    to.out = out;\n    to.room = 0; /* first it is measured */\n    to.size = "
                           "%u;\n    to.refused = false;\n",
                           front);
    zgi_c_emit(writing->c, text, message->name, "    @p_zgi_write_@n(message, &to);\n");
    g_string_append_printf(
        text,
        "    if (to.refused || to.size > %u)\n        return ZG_ERANGE;\n    *size = to.size;\n    if "
        "(room < to.size)\n        return ZG_EROOM;\n",
        writing->item->payload_most);
    for (unsigned i = 0; i < front; i++)
        g_string_append_printf(text, "    out[%u] = 0x%02X;\n", i, tag->bytes[i]);
    g_string_append_printf(text, "    to.room = room;\n    to.size = %u;\n", front);
    zgi_c_emit(writing->c, text, message->name, "    @p_zgi_write_@n(message, &to);\n");
    print_read_back(writing, front);
    if (zgi_c_must_be_carried(writing->c->plan, writing->item))
        zgi_c_carried(writing->c, text, writing->item);
    if (!tag && writing->c->plan->id_bits == 0)
        zgi_c_mistaken(writing->c, text, message);
    g_string_append(text, "    return 0;\n}\n\n");
}

static void print_unpack(const struct zgi_writing *writing)
{
    const struct zg_message *message = writing->item->message;
    GString *text = writing->text;

    zgi_c_emit(writing->c, text, message->name,
               "int @p_@n_unpack(struct @p_@n *message, const uint8_t *in, size_t length, size_t *ignored)\n{\n    "
               "size_t skipped;\n    int error;\n");
    if (message->tags->len > 0) {
        g_string_append(text, "    size_t front = 0;\n\n");
        zgi_c_tags(text, message, "in", "front = ");
        g_string_append(text, "    if (front == 0)\n        return ZG_EFORM;\n");
        zgi_c_emit(writing->c, text, message->name,
                   "    error = @p_zgi_read_@n(message, in + front, length - front, &skipped);\n");
    } else {
        zgi_c_emit(writing->c, text, message->name, "\n    error = @p_zgi_read_@n(message, in, length, &skipped);\n");
    }
    g_string_append(text, "    if (!error && ignored)\n        *ignored = skipped;\n    return error;\n}\n\n");
}

static void print_tables(const struct zgi_writing *writing)
{
    const enum zg_layout_kind kind = zgi_c_layout_of(writing);

    for (unsigned i = 0; i < writing->block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(writing->block, i);
        if (has_numbers(step, kind))
            print_spelling(writing, step);
        if (zgi_c_has_words(step, kind))
            print_words(writing, step);
    }
    g_string_append_c(writing->text, '\n');
}

void zgi_c_record_written(const struct zgi_c *c, GString *text, const struct zg_block *record)
{
    const struct zgi_writing writing = { c, text, record, NULL, NULL };

    print_tables(&writing);
    zgi_c_json(&writing);
}

void zgi_c_written(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const struct zgi_writing writing = { c, text, &item->payload, item->text, item };

    print_tables(&writing);
    if (item->message->layout.kind == ZG_LAYOUT_JSON) {
        zgi_c_json(&writing);
    } else {
        zgi_c_put_written(&writing);
        zgi_c_take_written(&writing);
    }
    print_pack(&writing);
    print_unpack(&writing);
}
