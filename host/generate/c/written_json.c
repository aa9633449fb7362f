/* SPDX-License-Identifier: MIT */
/* JSON: the functions that write an object and read one. */
#include <string.h>

#include "codec/text_json.h"
#include "generate/c/scaling.h"
#include "generate/c/written_parts.h"

/* One member of an object: a field's, or a constant. */
struct member {
    const struct zg_step *step; /* NULL: a constant */
    const char *key;
    const struct zg_constant *constant;
};

static unsigned members_of(const struct zgi_writing *writing)
{
    return writing->parts ? writing->parts->parts->len : writing->block->steps->len;
}

static struct member member_at(const struct zgi_writing *writing, unsigned index)
{
    const struct zg_text_part *part = writing->parts ? zg_text_part(writing->parts, index) : NULL;

    if (part && part->step < 0)
        return (struct member){ NULL, part->literal, part->constant };
    const struct zg_step *step = zg_block_step(writing->block, part ? (unsigned)part->step : index);
    return (struct member){ step, zg_field_key(step->field), NULL };
}

static bool is_optional(const struct member *member)
{
    return member->step && member->step->field->optional;
}

static bool is_flags(const struct zg_step *step)
{
    return step->type.enumeration && step->type.enumeration->flags;
}

static bool is_plain_bool(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_BOOL && !step->field->form.on && !step->field->form.off;
}

/* --- writing */

/* Characters that are always written, gathered for one statement. */
struct pending {
    const struct zgi_writing *writing;
    GString *characters;
};

static void flush(struct pending *pending, const char *indent)
{
    g_autofree char *string = zgi_c_quoted(pending->characters->str);

    if (pending->characters->len > 0)
        g_string_append_printf(pending->writing->text, "%szg_write(to, %s);\n", indent, string);
    g_string_truncate(pending->characters, 0);
}

/* A string that the runtime puts within quotes. */
static void put_string(struct pending *pending, const struct zg_step *step, const char *value, const char *indent)
{
    g_autofree char *size = zgi_c_size_of(step, value);

    flush(pending, indent);
    g_string_append_printf(pending->writing->text, "%szg_json_write_string(to, %s, %s);\n", indent, value, size);
}

static void put_words(struct pending *pending, const struct zg_step *step, const char *value, const char *indent)
{
    const struct zgi_writing *writing = pending->writing;
    g_autofree char *words = zgi_c_own_name(writing, step, "words"),
                    *spelling = zgi_c_own_name(writing, step, "spelling"),
                    *on = zgi_c_quoted(zg_text_of_bool(step, true, ZG_LAYOUT_JSON)),
                    *off = zgi_c_quoted(zg_text_of_bool(step, false, ZG_LAYOUT_JSON));
    const unsigned count = step->type.enumeration ? step->type.enumeration->values->len : 0;

    flush(pending, indent);
    if (!step->type.enumeration)
        g_string_append_printf(writing->text, "%szg_json_write_bool(to, %s, %s, %s, %u);\n", indent, value, on, off,
                               step->field->form.width);
    else if (is_flags(step))
        g_string_append_printf(writing->text, "%szg_json_write_flags(to, %s, %u, %u, (zg_spelled)%s);\n", indent, words,
                               count, step->type.bits, value);
    else
        g_string_append_printf(writing->text, "%szg_json_write_word(to, %s, %u, &%s, (zg_spelled)%s, %u, %s);\n",
                               indent, words, count, spelling, value, step->field->form.width,
                               zg_text_is_quoted(step) ? "true" : "false");
}

static void put_element(struct pending *pending, const struct zg_step *step, const char *value, const char *indent)
{
    const struct zgi_writing *writing = pending->writing;
    const bool is_number = zg_text_is_number(step, ZG_LAYOUT_JSON);
    const char *quote = (is_number && zg_text_is_quoted(step)) || step->type.kind == ZG_KIND_BYTES ? "\"" : "";

    if (step->type.kind == ZG_KIND_TEXT) {
        put_string(pending, step, value, indent);
        return;
    }
    if (!is_number && !step->record && step->type.kind != ZG_KIND_BYTES && !is_plain_bool(step)) {
        put_words(pending, step, value, indent);
        return;
    }
    g_string_append(pending->characters, quote);
    flush(pending, indent);
    if (step->record)
        g_string_append_printf(writing->text, "%s%s_zgi_write_%s(&%s, to);\n", indent, writing->c->prefix,
                               step->record->name, value);
    else if (is_number)
        zgi_c_put_number(writing, step, value, indent);
    else if (step->type.kind == ZG_KIND_BYTES)
        zgi_c_put_bytes(writing, step, value, indent);
    else
        g_string_append_printf(writing->text, "%szg_write(to, %s ? \"true\" : \"false\");\n", indent, value);
    g_string_append(pending->characters, quote);
}

static void put_value(struct pending *pending, const struct zg_step *step, const char *indent)
{
    GString *text = pending->writing->text;
    g_autofree char *value = g_strdup_printf("message->%s%s", step->code, zg_step_is_array(step) ? "[i]" : ""),
                    *inner = g_strconcat(indent, "    ", NULL);

    if (!zg_step_is_array(step)) {
        put_element(pending, step, value, indent);
        return;
    }
    g_string_append_c(pending->characters, '[');
    flush(pending, indent);
    zgi_c_each_element(pending->writing, step, indent);
    g_string_append_printf(text, "%sif (i > 0)\n%s    zg_write(to, \",\");\n", inner, inner);
    put_element(pending, step, value, inner);
    flush(pending, inner);
    g_string_append_printf(text, "%s}\n", indent);
    g_string_append_c(pending->characters, ']');
}

static void put_constant(GString *characters, const struct zg_constant *constant)
{
    if (constant->is_number)
        g_string_append(characters, constant->text);
    else
        zg_text_json_quote(constant->text, strlen(constant->text), characters);
}

static void put_members(struct pending *pending)
{
    const struct zgi_writing *writing = pending->writing;
    bool certain = false; /* a member was written before */

    g_string_append_c(pending->characters, '{');
    for (unsigned i = 0; i < members_of(writing); i++) {
        const struct member member = member_at(writing, i);
        const char *indent = is_optional(&member) ? "        " : "    ";
        if (is_optional(&member)) {
            flush(pending, "    ");
            g_string_append_printf(writing->text, "    if (message->has_%s) {\n", member.step->code);
        }
        if (!certain && i > 0) {
            flush(pending, indent);
            g_string_append_printf(writing->text, "%sif (to->size > first)\n%s    zg_write(to, \",\");\n", indent,
                                   indent);
        } else if (certain) {
            g_string_append_c(pending->characters, ',');
        }
        zg_text_json_quote(member.key, strlen(member.key), pending->characters);
        g_string_append_c(pending->characters, ':');
        if (member.step)
            put_value(pending, member.step, indent);
        else
            put_constant(pending->characters, member.constant);
        if (is_optional(&member)) {
            flush(pending, indent);
            g_string_append(writing->text, "    }\n");
        }
        certain = certain || !is_optional(&member);
    }
    g_string_append_c(pending->characters, '}');
    flush(pending, "    ");
}

static void print_write(const struct zgi_writing *writing)
{
    g_autoptr(GString) body = g_string_new(NULL), characters = g_string_new(NULL);
    const struct zgi_writing inner = { writing->c, body, writing->block, writing->parts, writing->item };
    struct pending pending = { &inner, characters };

    put_members(&pending);
    zgi_c_emit(writing->c, writing->text, writing->block->name,
               "static void @p_zgi_write_@n(const struct @p_@n *message, struct zg_writer *to)\n{\n");
    if (zgi_c_uses(body, "> first"))
        g_string_append(writing->text, "    const size_t first = to->size + 1; /* behind the brace */\n\n");
    if (!zgi_c_uses(body, "message->"))
        g_string_append(writing->text, "    (void)message;\n");
    g_string_append_printf(writing->text, "%s}\n\n", body->str);
}

/* --- reading */

static void take_words(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                       const char *indent)
{
    g_autofree char *words = zgi_c_own_name(writing, step, "words"),
                    *spelling = zgi_c_own_name(writing, step, "spelling"), *type = zgi_c_element_type(writing->c, step),
                    *on = zgi_c_quoted(zg_text_of_bool(step, true, ZG_LAYOUT_JSON)),
                    *off = zgi_c_quoted(zg_text_of_bool(step, false, ZG_LAYOUT_JSON));
    const unsigned count = step->type.enumeration ? step->type.enumeration->values->len : 0;
    GString *text = writing->text;

    if (!step->type.enumeration)
        g_string_append_printf(text, "%sif (!zg_json_read_words(from, %s, %s, %u, &%s))\n%s    return false;\n", indent,
                               on, off, step->field->form.width, value, indent);
    else if (is_flags(step))
        g_string_append_printf(text,
                               "%sif (!zg_json_read_flags(from, %s, %u, %u, &bits))\n%s    return false;\n%s%s = "
                               "(%s)bits;\n",
                               indent, words, count, step->type.bits, indent, indent, value, type);
    else
        g_string_append_printf(text,
                               "%sif (!zg_json_read_word(from, %s, %u, &%s, &bits, %u, %s))\n%s    return false;\n"
                               "%s%s = (%s)bits;\n",
                               indent, words, count, spelling, step->field->form.width,
                               zg_text_is_quoted(step) ? "true" : "false", indent, indent, value, type);
}

/* Text, or bytes in hex or base 64. */
static void take_string(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                        const char *indent)
{
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED, is_text = step->type.kind == ZG_KIND_TEXT;
    GString *text = writing->text;

    if (is_text || step->field->form.base64)
        g_string_append_printf(text, "%sif (!zg_json_read_%s(from, %s, %u, &size)", indent, is_text ? "text" : "base64",
                               value, step->most);
    else
        g_string_append_printf(
            text, "%sif (!zg_json_take_plain(from, &part) || !zg_read_hex(part.at, part.end, %s, %u, &size)", indent,
            value, step->most);
    if (is_fixed && !is_text)
        g_string_append_printf(text, " || size != %u", step->most);
    g_string_append_printf(text, ")\n%s    return false;\n", indent);
    if (is_text)
        zgi_c_end_text(writing, step, value, "false", indent);
    zgi_c_keep_size(writing, step, value, indent);
}

static void take_element(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                         const char *indent)
{
    GString *text = writing->text;

    if (step->record) {
        g_string_append_printf(text, "%sif (!%s_zgi_take_%s(&%s, from, ignored))\n%s    return false;\n", indent,
                               writing->c->prefix, step->record->name, value, indent);
    } else if (zg_text_is_number(step, ZG_LAYOUT_JSON) && zgi_c_is_plain(step) && !zg_text_is_quoted(step)) {
        g_autofree char *spelling = zgi_c_own_name(writing, step, "spelling"),
                        *call = g_strdup_printf("zg_json_take_decimal(from, &%s, &bits)", spelling);
        zgi_c_take_bits(writing, step, value, call, "false", indent);
    } else if (zg_text_is_number(step, ZG_LAYOUT_JSON)) {
        g_string_append_printf(text, "%sif (!zg_json_take_%s(from, &part))\n%s    return false;\n", indent,
                               zg_text_is_quoted(step) ? "plain" : "number", indent);
        zgi_c_take_number(writing, step, value, "part.at, part.end", "false", indent);
    } else if (is_plain_bool(step)) {
        g_string_append_printf(text, "%sif (!zg_json_read_bool(from, &%s))\n%s    return false;\n", indent, value,
                               indent);
    } else if (zg_step_is_string(step)) {
        take_string(writing, step, value, indent);
    } else {
        take_words(writing, step, value, indent);
    }
}

static void take_value(const struct zgi_writing *writing, const struct zg_step *step, const char *indent)
{
    const bool is_fixed = step->type.extent == ZG_EXTENT_FIXED;
    GString *text = writing->text;
    g_autofree char *value = g_strdup_printf("message->%s%s", step->code, zg_step_is_array(step) ? "[count]" : ""),
                    *inner = g_strconcat(indent, "    ", NULL);

    if (!zg_step_is_array(step)) {
        take_element(writing, step, value, indent);
        return;
    }
    g_string_append_printf(
        text,
        "%sif (!zg_json_take(from, '['))\n%s    return false;\n%sfor (count = 0; !zg_json_take(from, "
        "']'); count++) {\n%sif (count == %u || (count > 0 && !zg_json_take(from, ',')))\n%s    "
        "return false;\n",
        indent, indent, indent, inner, step->most, inner);
    take_element(writing, step, value, inner);
    g_string_append_printf(text, "%s}\n", indent);
    if (is_fixed)
        g_string_append_printf(text, "%sif (count != %u)\n%s    return false;\n", indent, step->most, indent);
    else
        g_string_append_printf(text, "%smessage->%s_count = (uint%u_t)count;\n", indent, step->code,
                               step->most > 255 ? 16U : 8U);
}

static void take_constant(const struct zgi_writing *writing, const struct zg_constant *constant)
{
    g_autofree char *string = zgi_c_quoted(constant->text);

    if (constant->is_number)
        g_string_append_printf(writing->text,
                               "            if (!zg_json_take_number(from, &part) || !zg_is_integer(part.at, part.end, "
                               "%s))\n                return false;\n",
                               constant->text);
    else
        g_string_append_printf(
            writing->text,
            "            if (!zg_json_take_string(from, &part) || !zg_json_is(part, %s, 0))\n        "
            "        return false;\n",
            string);
}

/* The branch of one key. What was seen: 0 nothing, 1 null, 2 a value. */
static void take_member(const struct zgi_writing *writing, unsigned index)
{
    const struct member member = member_at(writing, index);
    g_autofree char *key = zgi_c_quoted(member.key);
    GString *text = writing->text;

    g_string_append_printf(
        text,
        "        %sif (zg_json_is(key, %s, 0)) {\n            if (seen[%u] > 0)\n                return "
        "false;\n            seen[%u] = ",
        index > 0 ? "} else " : "", key, index, index);
    if (member.constant) {
        g_string_append(text, "2;\n");
        take_constant(writing, member.constant);
        return;
    }
    g_string_append_printf(text, "zg_json_take_null(from) ? 1 : 2;\n            if (seen[%u] == 2) {\n", index);
    take_value(writing, member.step, "                ");
    g_string_append(text, "            }\n");
}

static bool may_be_missing(const struct member *member)
{
    return member->step &&
           (member->step->field->optional || member->step->field->default_text || member->step->field->since > 0);
}

/* What was not there takes its default, or is absent. */
static void print_missing(const struct zgi_writing *writing)
{
    g_autoptr(GString) needed = g_string_new(NULL);
    GString *text = writing->text;

    for (unsigned i = 0; i < members_of(writing); i++) {
        const struct member member = member_at(writing, i);
        if (!may_be_missing(&member)) {
            g_string_append_printf(needed, "%sseen[%u] < 2", needed->len > 0 ? " || " : "", i);
        } else if (is_optional(&member)) {
            g_string_append_printf(text, "    message->has_%s = seen[%u] == 2;\n", member.step->code, i);
        } else {
            g_string_append_printf(text, "    if (seen[%u] < 2) {\n", i);
            zgi_c_missing(writing, member.step, "        ");
            g_string_append(text, "    }\n");
        }
    }
    if (needed->len > 0)
        g_string_append_printf(text, "    if (%s)\n        return false;\n", needed->str);
}

static void print_take(const struct zgi_writing *writing)
{
    const unsigned count = members_of(writing);
    g_autoptr(GString) body = g_string_new(NULL);
    const struct zgi_writing inner = { writing->c, body, writing->block, writing->parts, writing->item };
    GString *text = writing->text;

    for (unsigned i = 0; i < count; i++)
        take_member(&inner, i);
    if (count > 0)
        g_string_append(body,
                        "        } else {\n            if (!zg_json_skip(from))\n                return false;\n   "
                        "         *ignored += (size_t)(from->at - member);\n        }\n");
    else
        g_string_append(body, "        if (!zg_json_skip(from))\n            return false;\n        *ignored += "
                              "(size_t)(from->at - member);\n");
    g_string_append(body,
                    "        more = zg_json_take(from, ',');\n        if (!more && !zg_json_take(from, '}'))\n      "
                    "      return false;\n    }\n");
    print_missing(&inner);
    zgi_c_emit(
        writing->c, text, writing->block->name,
        "static bool @p_zgi_take_@n(struct @p_@n *message, struct zg_text_reader *from, size_t *ignored)\n{\n    "
        "struct zg_text_reader key;\n");
    if (zgi_c_uses(body, "&part"))
        g_string_append(text, "    struct zg_text_reader part;\n");
    if (zgi_c_uses(body, "&bits"))
        g_string_append(text, "    zg_spelled bits;\n");
    if (zgi_c_uses(body, "&size"))
        g_string_append(text, "    size_t size;\n");
    if (zgi_c_uses(body, "count = 0"))
        g_string_append(text, "    unsigned count;\n");
    if (count > 0)
        g_string_append_printf(text, "    uint8_t seen[%u];\n", count);
    g_string_append(text, "    bool more;\n\n");
    if (count > 0)
        g_string_append(text, "    memset(seen, 0, sizeof seen);\n");
    if (writing->block->steps->len == 0)
        g_string_append(text, "    message->nothing = 0;\n");
    g_string_append_printf(
        text,
        "    if (!zg_json_take(from, '{'))\n        return false;\n    more = !zg_json_take(from, "
        "'}');\n    while (more) {\n        const char *member;\n\n        (void)zg_json_peek(from);\n"
        "        member = from->at;\n        if (!zg_json_take_string(from, &key) || "
        "!zg_json_take(from, ':'))\n            return false;\n%s    return true;\n}\n\n",
        body->str);
}

void zgi_c_json(const struct zgi_writing *writing)
{
    print_write(writing);
    print_take(writing);
    if (!writing->parts)
        return;
    zgi_c_emit(
        writing->c, writing->text, writing->block->name,
        "static int @p_zgi_read_@n(struct @p_@n *message, const uint8_t *in, size_t length, size_t *ignored)\n"
        "{\n    struct zg_text_reader from;\n\n    from.at = (const char *)in;\n    from.end = (const char *)in + "
        "length;\n    *ignored = 0;\n    if (!@p_zgi_take_@n(message, &from, ignored))\n        return "
        "ZG_ESIZE;\n    (void)zg_json_peek(&from);\n    return from.at == from.end ? 0 : ZG_ESIZE;\n}\n\n");
}
