/* SPDX-License-Identifier: MIT */
/* PROTOCOL.c: packing and unpacking. */
#include "generate/c/written.h"

/* Whether an open-ended value may be longer if the values before it are shorter. */
static bool shares_room(const struct zg_block *block)
{
    const unsigned count = block->steps->len;
    bool varies = false;

    for (unsigned i = 0; i + 1 < count; i++)
        varies = varies || zg_block_step(block, i)->varies;
    return varies && zg_step_is_unlimited(zg_block_step(block, count - 1));
}

/* The public functions of a message or variable (item NULL), which use those of its block. */
static void print_functions(const struct zgi_c *c, GString *text, const struct zg_block *block,
                            const struct zg_plan_message *item)
{
    const struct zg_message *message = item ? item->message : NULL;
    const char *name = block->name;
    const struct zg_tag *tag = message && message->tags->len > 0 ? g_ptr_array_index(message->tags, 0) : NULL;
    const unsigned front = tag ? tag->size : 0;
    g_autofree char *size = block->size == block->most_size ? g_strdup_printf("%u", front + block->size)
                            : front > 0                     ? g_strdup_printf("%u + @p_zgi_size_@n(message)", front)
                                                            : g_strdup("@p_zgi_size_@n(message)");
    g_autofree char *limit = shares_room(block) ? g_strdup_printf("    if (*size > %u)\n        return ZG_ERANGE;\n",
                                                                  front + block->most_size)
                                                : g_strdup("");

    zgi_c_emit(c, text, name,
               "int @p_@n_check(const struct @p_@n *message)\n{\n    return @p_zgi_check_@n(message);\n}\n\n"
               "int @p_@n_pack(const struct @p_@n *message, uint8_t *out, size_t room, size_t *size)\n{\n"
               "    int error = @p_zgi_check_@n(message);\n\n"
               "    if (error)\n        return error;\n    *size = ");
    zgi_c_emit(c, text, name, size);
    g_string_append_printf(text, ";\n%s", limit);
    zgi_c_emit(c, text, name, "    if (room < *size)\n        return ZG_EROOM;\n");
    for (unsigned i = 0; i < front; i++)
        g_string_append_printf(text, "    out[%u] = 0x%02X;\n", i, tag->bytes[i]);
    g_autofree char *fields = front > 0 ? g_strdup_printf("out + %u", front) : g_strdup("out");
    zgi_c_emit(c, text, name, "    (void)@p_zgi_put_@n(message, ");
    zgi_c_emit(c, text, name, fields);
    zgi_c_emit(c, text, name, ");\n");
    if (message && c->plan->id_bits == 0 && !tag)
        zgi_c_mistaken(c, text, message);
    if (item && zgi_c_must_be_carried(c->plan, item))
        zgi_c_carried(c, text, item);
    zgi_c_emit(c, text, name,
               "    return 0;\n}\n\n"
               "int @p_@n_unpack(struct @p_@n *message, const uint8_t *in, size_t length, size_t *ignored)\n{\n");
    if (tag) {
        g_string_append(text, "    size_t front = 0;\n    const uint8_t *end;\n\n");
        zgi_c_tags(text, message, "in", "front = ");
        g_string_append(text, "    if (front == 0)\n        return ZG_EFORM;\n");
        zgi_c_emit(c, text, name, "    end = @p_zgi_get_@n(message, in + front, in + length);\n");
    } else {
        zgi_c_emit(c, text, name, "    const uint8_t *end = @p_zgi_get_@n(message, in, in + length);\n\n");
    }
    zgi_c_emit(c, text, name,
               "    if (!end)\n        return ZG_ESIZE;\n    if (ignored)\n"
               "        *ignored = (size_t)(in + length - end);\n    return 0;\n}\n\n");
}

static bool any_block(const struct zg_plan *plan, bool (*like)(const struct zg_step *step))
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (zg_block_any_step(&zg_plan_message_at(plan, i)->payload, like))
            return true;
    for (unsigned i = 0; i < plan->variables->len; i++)
        if (zg_block_any_step(&zg_plan_variable_at(plan, i)->block, like))
            return true;
    for (unsigned i = 0; i < plan->records->len; i++)
        if (zg_block_any_step(g_ptr_array_index(plan->records, i), like))
            return true;
    return false;
}

static bool is_float(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_FLOAT;
}

/* Whether a message with a text layout has such a step; NULL: whether one is json. */
static bool any_text(const struct zg_plan *plan, bool (*like)(const struct zg_step *step))
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (item->text &&
            (like ? zg_block_any_step(&item->payload, like) : item->message->layout.kind == ZG_LAYOUT_JSON))
            return true;
    }
    return false;
}

static bool is_bit_array(const struct zg_step *step)
{
    return zg_step_is_array(step) && zg_step_is_bitwise(step);
}

static void print_includes(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    bool spells = zg_plan_has_texts(plan);

    g_string_append_printf(text, "#include \"%s.h\"\n\n", c->prefix);
    if (any_block(plan, is_bit_array))
        g_string_append(text, "#include \"zeugma/bits.h\"\n");
    g_string_append(text, "#include \"zeugma/bytes.h\"\n");
    if (any_block(plan, zg_step_is_leb))
        g_string_append(text, "#include \"zeugma/leb.h\"\n");
    for (unsigned i = 0; i < plan->messages->len && !spells; i++)
        spells = zgi_c_must_be_carried(plan, zg_plan_message_at(plan, i));
    if (spells)
        g_string_append(text, "#include \"zeugma/spell.h\"\n");
    if (any_text(plan, is_float))
        g_string_append(text, "#include \"zeugma/spell_float.h\"\n");
    if (any_text(plan, NULL))
        g_string_append(text, "#include \"zeugma/spell_json.h\"\n");
    if (zg_plan_has_texts(plan))
        g_string_append_printf(text,
                               "\n#include <string.h>\n\nZG_ASSERT(ZG_SPELL_BITS >= %u, "
                               "\"this protocol's texts need a wider ZG_SPELL_BITS\");\n",
                               zgi_c_spelling_bits(plan) > 32 ? 64U : 32U);
    g_string_append_c(text, '\n');
}

static bool holds(const struct zg_block *block, const struct zg_block *record)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_block *inner = zg_block_step(block, i)->record;
        if (inner && (inner == record || holds(inner, record)))
            return true;
    }
    return false;
}

/* Whether a record is part of a message with a text layout, which is json. */
static bool is_written(const struct zg_plan *plan, const struct zg_block *record)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (zg_plan_message_at(plan, i)->text && holds(&zg_plan_message_at(plan, i)->payload, record))
            return true;
    return false;
}

/* Whether a record is part of a binary message or variable; others need no functions for that. */
static bool is_packed(const struct zg_plan *plan, const struct zg_block *record)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (!zg_plan_message_at(plan, i)->text && holds(&zg_plan_message_at(plan, i)->payload, record))
            return true;
    for (unsigned i = 0; i < plan->variables->len; i++)
        if (holds(&zg_plan_variable_at(plan, i)->block, record))
            return true;
    return false;
}

static void print_bytes(const struct zgi_c *c, GString *text, const struct zg_block *block)
{
    zgi_c_block_put(c, text, block);
    zgi_c_block_get(c, text, block);
}

static void print_block(const struct zgi_c *c, GString *text, const struct zg_block *block,
                        const struct zg_plan_message *item)
{
    zgi_c_block_check(c, text, block);
    print_bytes(c, text, block);
    print_functions(c, text, block, item);
}

static void print_message(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    if (!item->text) {
        print_block(c, text, &item->payload, item);
        return;
    }
    zgi_c_block_check(c, text, &item->payload);
    zgi_c_written(c, text, item);
}

void zgi_c_code(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;

    print_includes(c, text);
    for (unsigned i = 0; i < plan->records->len; i++) {
        const struct zg_block *record = g_ptr_array_index(plan->records, i);
        const bool packed = is_packed(plan, record), written = is_written(plan, record);
        if (packed || written)
            zgi_c_block_check(c, text, record);
        if (packed)
            print_bytes(c, text, record);
        if (written)
            zgi_c_record_written(c, text, record);
    }
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_message(c, text, zg_plan_message_at(plan, i));
    for (unsigned i = 0; i < plan->variables->len; i++)
        print_block(c, text, &zg_plan_variable_at(plan, i)->block, NULL);
}
