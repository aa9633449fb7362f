/* SPDX-License-Identifier: MIT */
#include "plan/fingerprint.h"

#include <string.h>

#include "plan/checker.h"

/* These spellings must never change: the text is part of the language. */
static const char *order(bool big_endian)
{
    return big_endian ? "big" : "little";
}

static void append_hex(GString *text, const uint8_t *bytes, unsigned size)
{
    for (unsigned i = 0; i < size; i++)
        g_string_append_printf(text, "%02x", bytes[i]);
}

static void append_mark(GString *text, const char *name, const struct zg_mark *mark)
{
    if (mark->size == 0)
        return;
    g_string_append_printf(text, " %s ", name);
    append_hex(text, mark->bytes, mark->size);
}

/* A line that is not the usual one. */
static void append_line(GString *text, const struct zg_line *line)
{
    g_autofree char *written = zg_line_text(line);

    if (strcmp(written, "8N1") != 0)
        g_string_append_printf(text, "line %s\n", written);
}

static void append_framing(GString *text, const struct zg_plan *plan)
{
    const struct zg_framing_choice *framing = &plan->definition->framing;

    g_string_append_printf(text, "framing %s", zg_framing_names[framing->kind]);
    if (framing->coding)
        g_string_append(text, " hex");
    if (framing->lead)
        g_string_append(text, " lead");
    if (framing->escape_control)
        g_string_append(text, " escape_control");
    append_mark(text, "start", &framing->start);
    append_mark(text, "end", &framing->end);
    if (zg_framing_is_sided(framing))
        append_mark(text, "host_end", &framing->host_end);
    if (framing->kind == ZG_FRAMING_MARKS && framing->marking == ZG_MARKING_ESCAPED)
        g_string_append_printf(text, " escape %02x xor %02x", framing->escape, framing->escape_xor);
    if (framing->kind == ZG_FRAMING_MARKS && framing->marking == ZG_MARKING_DOUBLED)
        g_string_append_printf(text, " double %02x", framing->escape);
    if (framing->kind == ZG_FRAMING_FIXED)
        g_string_append_printf(text, " size %u", plan->filled);
    g_string_append_printf(text, "\nmax_payload %u\n", plan->max_payload);
}

static void append_check(GString *text, const struct zg_definition *definition)
{
    static const char *const covers[] = { "content", "payload", "all", "after_start" };
    static const char *const forms[] = { "bytes", "hex", "decimal" };
    const struct zg_check_choice *check = &definition->check;
    const struct zg_crc_parameters *crc = &check->crc;

    if (check->kind == ZG_CHECK_CRC)
        g_string_append_printf(text,
                               "check crc %u poly %" G_GINT64_MODIFIER "x init %" G_GINT64_MODIFIER
                               "x reflect_in %d reflect_out %d xor_out %" G_GINT64_MODIFIER "x",
                               crc->width, crc->poly, crc->init, crc->reflect_in, crc->reflect_out, crc->xor_out);
    else
        g_string_append_printf(text, "check %s", check->name);
    g_string_append_printf(text, " %s covers %s", order(check->big_endian), covers[check->covers]);
    if (check->as != ZG_CHECK_AS_BYTES)
        g_string_append_printf(text, " as %s", forms[check->as]);
    for (unsigned i = 0; i < check->after.size; i++)
        g_string_append_printf(text, "%s%02x", i == 0 ? " after " : "", check->after.bytes[i]);
    g_string_append_printf(text, "%s\n", check->after_end ? " after_end" : "");
}

static void append_header(GString *text, const struct zg_definition *definition)
{
    static const char *const counts[] = { "payload", "rest", "content", "from" };

    for (unsigned i = 0; i < definition->header->len; i++) {
        const struct zg_header_role *role = g_ptr_array_index(definition->header, i);
        g_string_append_printf(text, "header %s u%u %s", zg_role_name(role->role), role->bits, order(role->big_endian));
        if (role->role == ZG_ROLE_NODE)
            g_string_append_printf(text, " broadcast %" G_GINT64_MODIFIER "x", role->value);
        if (role->role == ZG_ROLE_CONST)
            g_string_append_printf(text, " %" G_GINT64_MODIFIER "x", role->value);
        if (role->role == ZG_ROLE_LENGTH)
            g_string_append_printf(text, " counts %s", counts[role->counts]);
        if (role->role == ZG_ROLE_LENGTH && role->counts == ZG_COUNTS_FROM)
            g_string_append_printf(text, " %s plus %u", zg_role_name(role->from), role->plus);
        g_string_append_c(text, '\n');
    }
}

static void append_rational(GString *text, const char *name, const mpq_t number)
{
    char *digits = mpq_get_str(NULL, 10, number);

    g_string_append_printf(text, " %s %s", name, digits);
    free(digits);
}

static void append_field(GString *text, const struct zg_field *field)
{
    g_autofree char *type = zg_type_name(field->type);

    g_string_append_printf(text, "  %s %s %s", field->name, type, order(field->big_endian));
    if (field->scaled) {
        append_rational(text, "scale", field->scale);
        append_rational(text, "offset", field->offset);
    }
    if (field->since > 0)
        g_string_append_printf(text, " since %u", field->since);
    if (field->counts_bytes)
        g_string_append(text, " count bytes");
    if (field->type.extent == ZG_EXTENT_REST && field->type.count > 0)
        g_string_append(text, " count none");
    if (field->count_bits > 0)
        g_string_append_printf(text, " count u%u", field->count_bits);
    g_string_append_c(text, '\n');
}

/* Characters that are written, as hex digits, so that they cannot be taken for others. */
static void append_written(GString *text, const char *name, const char *written)
{
    if (!written)
        return;
    g_string_append_printf(text, " %s ", name);
    append_hex(text, (const uint8_t *)written, (unsigned)strlen(written));
}

/* How a value is written: what differs from the usual. */
static void append_form(GString *text, const struct zg_field *field)
{
    const struct zg_form *form = &field->form;
    const struct {
        const char *name;
        bool said;
    } words[] = { { "raw", form->raw },          { "number", form->number },    { "names", form->names },
                  { "base64", form->base64 },    { "string", form->string },    { "sign", form->sign },
                  { "lower", form->lower == 1 }, { "upper", form->lower == 0 }, { "optional", field->optional } };

    if (form->base != 10)
        g_string_append_printf(text, " base %u", form->base);
    if (form->width > 0)
        g_string_append_printf(text, " width %u pad %02x", form->width, (uint8_t)form->pad);
    if (form->decimals >= 0)
        g_string_append_printf(text, " decimals %d", form->decimals);
    if (form->exponent >= 0)
        g_string_append_printf(text, " exponent %d", form->exponent);
    if (form->point != '.')
        g_string_append_printf(text, " point %02x", (uint8_t)form->point);
    if (form->quote)
        g_string_append_printf(text, " quote %02x", (uint8_t)form->quote);
    append_written(text, "key", field->key);
    append_written(text, "prefix", form->prefix);
    append_written(text, "true", form->on);
    append_written(text, "false", form->off);
    append_written(text, "between", form->between);
    append_written(text, "absent", form->absent);
    for (size_t i = 0; i < G_N_ELEMENTS(words); i++)
        if (words[i].said)
            g_string_append_printf(text, " %s", words[i].name);
}

static void append_fields(GString *text, const GPtrArray *fields)
{
    for (unsigned i = 0; i < fields->len; i++) {
        append_field(text, g_ptr_array_index(fields, i));
        g_string_truncate(text, text->len - 1);
        append_form(text, g_ptr_array_index(fields, i));
        g_string_append_c(text, '\n');
    }
}

static void append_layout(GString *text, const struct zg_message *message)
{
    const struct zg_layout *layout = &message->layout;

    if (layout->kind == ZG_LAYOUT_BINARY)
        return;
    g_string_append_printf(text, " layout %s", zg_layout_name(layout->kind));
    append_written(text, "pattern", layout->pattern);
    append_written(text, "assign", layout->assign);
    append_written(text, "between", layout->between);
    for (unsigned i = 0; i < message->constants->len; i++) {
        const struct zg_constant *constant = g_ptr_array_index(message->constants, i);
        append_written(text, constant->is_number ? "number" : "const", constant->name);
        append_written(text, "is", constant->text);
    }
}

static int by_name(const void *a, const void *b)
{
    const struct zg_enum *const *first = a, *const *second = b;
    return strcmp((*first)->name, (*second)->name);
}

static int by_record_name(const void *a, const void *b)
{
    const struct zg_record *const *first = a, *const *second = b;
    return strcmp((*first)->name, (*second)->name);
}

static int by_number(const void *a, const void *b)
{
    const struct zg_enum_value *const *first = a, *const *second = b;
    return ((*first)->raw.i > (*second)->raw.i) - ((*first)->raw.i < (*second)->raw.i);
}

static int by_id(const void *a, const void *b)
{
    const struct zg_message *const *first = a, *const *second = b;
    const int ids = ((*first)->id > (*second)->id) - ((*first)->id < (*second)->id);
    return ids != 0 ? ids : strcmp((*first)->name, (*second)->name);
}

static int by_index(const void *a, const void *b)
{
    const struct zg_variable *const *first = a, *const *second = b;
    return ((*first)->index > (*second)->index) - ((*first)->index < (*second)->index);
}

/* A list in an order that does not depend on the file's. */
static GPtrArray *sorted(const GPtrArray *list, GCompareFunc compare)
{
    GPtrArray *copy = g_ptr_array_new();

    for (unsigned i = 0; i < list->len; i++)
        g_ptr_array_add(copy, g_ptr_array_index(list, i));
    g_ptr_array_sort(copy, compare);
    return copy;
}

/* The length that a record holds of itself. */
static void append_length(GString *text, const struct zg_record_length *length)
{
    g_string_append_printf(text, "  length u%u %s counts %s plus %u before %u\n", length->bits,
                           order(length->big_endian), length->counts_rest ? "rest" : "record", length->plus,
                           length->before);
}

static void append_types(GString *text, const struct zg_definition *definition)
{
    g_autoptr(GPtrArray) enums = sorted(definition->enums, by_name);
    g_autoptr(GPtrArray) records = sorted(definition->records, by_record_name);

    for (unsigned i = 0; i < enums->len; i++) {
        const struct zg_enum *item = g_ptr_array_index(enums, i);
        g_autoptr(GPtrArray) values = sorted(item->values, by_number);
        g_string_append_printf(text, "%s %s %c%u\n", item->flags ? "flags" : "enum", item->name,
                               item->type.kind == ZG_KIND_SIGNED ? 'i' : 'u', item->type.bits);
        for (unsigned v = 0; v < values->len; v++) {
            const struct zg_enum_value *value = g_ptr_array_index(values, v);
            g_string_append_printf(text, "  %" G_GINT64_FORMAT " %s", value->raw.i, value->name);
            append_written(text, "text", value->text);
            g_string_append_c(text, '\n');
        }
    }
    for (unsigned i = 0; i < records->len; i++) {
        const struct zg_record *record = g_ptr_array_index(records, i);
        g_string_append_printf(text, "record %s\n", record->name);
        if (record->length.bits > 0)
            append_length(text, &record->length);
        append_fields(text, record->fields);
    }
}

static void append_replies(GString *text, const struct zg_message *message)
{
    for (unsigned i = 0; i < message->replies->len; i++)
        g_string_append_printf(text, "%s%s", i == 0 ? " reply " : ",",
                               (const char *)g_ptr_array_index(message->replies, i));
    for (unsigned i = 0; i < message->lines->len; i++)
        g_string_append_printf(text, "%s%s", i == 0 ? " lines " : ",",
                               (const char *)g_ptr_array_index(message->lines, i));
    if (message->ticketless)
        g_string_append(text, " ticketless");
}

static void append_messages(GString *text, const struct zg_definition *definition)
{
    g_autoptr(GPtrArray) messages = sorted(definition->messages, by_id);

    for (unsigned i = 0; i < messages->len; i++) {
        const struct zg_message *message = g_ptr_array_index(messages, i);
        g_string_append_printf(text, "message %" G_GUINT64_FORMAT " %s from %s", message->id, message->name,
                               zg_side_name(message->from));
        for (unsigned k = 0; k < message->tags->len; k++) {
            const struct zg_tag *tag = g_ptr_array_index(message->tags, k);
            g_string_append(text, k > 0 ? "," : message->bare ? " bare " : " tag ");
            append_hex(text, tag->bytes, tag->size);
        }
        append_layout(text, message);
        append_replies(text, message);
        if (message->acknowledged)
            g_string_append(text, " acknowledged");
        if (message->kept)
            g_string_append(text, " kept");
        g_string_append_c(text, '\n');
        append_fields(text, message->fields);
    }
}

static void append_variables(GString *text, const struct zg_definition *definition)
{
    g_autoptr(GPtrArray) variables = sorted(definition->variables, by_index);

    for (unsigned i = 0; i < variables->len; i++) {
        const struct zg_variable *variable = g_ptr_array_index(variables, i);
        g_string_append_printf(text, "variable %u %s\n", variable->index, zg_access_name(variable->access));
        append_field(text, zg_variable_field(variable));
    }
}

char *zg_fingerprint_text(const struct zg_plan *plan)
{
    static const char *const consoles[] = { "none", "framed", "interleaved" };
    const struct zg_definition *definition = plan->definition;
    GString *text = g_string_new("zeugma 1\n");

    append_line(text, &definition->line);
    append_framing(text, plan);
    append_check(text, definition);
    append_header(text, definition);
    append_types(text, definition);
    append_messages(text, definition);
    append_variables(text, definition);
    g_string_append_printf(text, "console %s\n", consoles[definition->console]);
    return g_string_free(text, FALSE);
}

uint32_t zg_fingerprint(const struct zg_plan *plan)
{
    const struct zg_check_choice choice = { .kind = ZG_CHECK_CRC, .crc = *zg_crc_by_name("crc32/iso-hdlc") };
    g_autofree char *text = zg_fingerprint_text(plan);

    return (uint32_t)zg_check_choice_value(&choice, (const uint8_t *)text, strlen(text));
}
