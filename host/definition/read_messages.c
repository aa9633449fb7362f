/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

/* A field while it is read. */
struct field_reading {
    const struct zg_definition *definition;
    struct zg_field *field;
    bool typed;
    struct zg_place scale_place, range_place;
};

static void read_field_type(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    reading->typed = zgi_read_type(reader, entry->value, reading->definition, &reading->field->type);
}

static bool read_number(struct zgi_reader *reader, yaml_node_t *node, const char *expected, bool fraction, mpq_t value)
{
    const char *text = zgi_scalar(reader, node, expected);
    if (!text)
        return false;
    if (zgi_parse_number(text, fraction, value))
        return true;
    zgi_error(reader->diagnostics, zgi_place(node), "expected %s, found \"%s\"", expected, text);
    return false;
}

static void read_scale(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    struct zg_field *field = reading->field;

    reading->scale_place = entry->place;
    if (read_number(reader, entry->value, "a scale: a decimal number or a fraction, 0.01 or 1/64", true,
                    field->scale) &&
        mpq_sgn(field->scale) == 0) {
        zgi_error(reader->diagnostics, zgi_place(entry->value), "a scale of 0 makes every value the same");
        mpq_set_ui(field->scale, 1, 1);
    }
}

static void read_offset(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    reading->scale_place = entry->place;
    read_number(reader, entry->value, "an offset: a decimal number", false, reading->field->offset);
}

/* range = [ low, high ] */
static void read_range(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct field_reading *reading = into;
    struct zg_field *field = reading->field;
    static const char expected[] = "a range of two numbers, [low, high]";
    g_autoptr(GPtrArray) items = zgi_items(reader, entry->value, expected);

    reading->range_place = zgi_place(entry->value);
    if (!items)
        return;
    if (items->len != 2) {
        zgi_error(reader->diagnostics, reading->range_place, "expected %s, found %u items", expected, items->len);
        return;
    }
    field->ranged = read_number(reader, g_ptr_array_index(items, 0), "a number", false, field->low) &&
                    read_number(reader, g_ptr_array_index(items, 1), "a number", false, field->high);
    if (field->ranged && mpq_cmp(field->low, field->high) > 0) {
        zgi_error(reader->diagnostics, reading->range_place, "the range's low end is above its high end; swap them");
        field->ranged = false;
    }
}

static void read_field_unit(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct field_reading *)into)->field->unit);
}

static void read_field_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct field_reading *)into)->field->summary);
}

static void read_field_order(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_order(reader, entry->value, &((struct field_reading *)into)->field->big_endian);
}

static const struct zgi_key field_keys[] = {
    { "type", true, read_field_type },    { "scale", false, read_scale },
    { "offset", false, read_offset },     { "unit", false, read_field_unit },
    { "range", false, read_range },       { "summary", false, read_field_summary },
    { "order", false, read_field_order }, { "since", false, NULL },
    { "default", false, NULL },           { NULL, false, NULL }
};

/* The physical limits of a field's raw type. */
static void type_limits(const struct zg_field *field, mpq_t low, mpq_t high)
{
    unsigned bits = field->type.bits;
    bool is_signed = field->type.kind == ZG_KIND_SIGNED;

    mpz_set_ui(mpq_numref(high), 1);
    mpz_mul_2exp(mpq_numref(high), mpq_numref(high), is_signed ? bits - 1 : bits);
    if (is_signed)
        mpz_neg(mpq_numref(low), mpq_numref(high));
    mpz_sub_ui(mpq_numref(high), mpq_numref(high), 1);
    mpq_mul(low, low, field->scale);
    mpq_add(low, low, field->offset);
    mpq_mul(high, high, field->scale);
    mpq_add(high, high, field->offset);
    if (mpq_sgn(field->scale) < 0)
        mpq_swap(low, high);
}

static void check_range_reachable(struct zgi_reader *reader, const struct field_reading *reading)
{
    const struct zg_field *field = reading->field;
    mpq_t low, high;

    mpq_inits(low, high, NULL);
    type_limits(field, low, high);
    double least = mpq_get_d(low);
    double most = mpq_get_d(high);
    if (mpq_cmp(field->high, low) < 0 || mpq_cmp(field->low, high) > 0)
        zgi_error(reader->diagnostics, reading->range_place, "%s can hold %g to %g, which the range excludes wholly",
                  field->name, least, most);
    else if (mpq_cmp(field->low, low) < 0 || mpq_cmp(field->high, high) > 0)
        zgi_warning(reader->diagnostics, reading->range_place,
                    "the range of %s reaches beyond what it can hold, %g to %g", field->name, least, most);
    mpq_clears(low, high, NULL);
}

static void check_field(struct zgi_reader *reader, struct field_reading *reading)
{
    struct zg_field *field = reading->field;
    bool integer =
        !field->type.enumeration && (field->type.kind == ZG_KIND_UNSIGNED || field->type.kind == ZG_KIND_SIGNED);
    g_autofree char *type = zg_type_name(field->type);

    field->scaled = mpq_cmp_ui(field->scale, 1, 1) != 0 || mpq_sgn(field->offset) != 0;
    if (field->scaled && !integer)
        zgi_error(reader->diagnostics, reading->scale_place, "scale and offset need an integer type; %s is %s",
                  field->name, type);
    else if (field->ranged && !integer && field->type.kind != ZG_KIND_FLOAT)
        zgi_error(reader->diagnostics, reading->range_place, "a range needs a number type; %s is %s", field->name,
                  type);
    else if (field->ranged && integer)
        check_range_reachable(reader, reading);
}

static void field_free(gpointer data)
{
    struct zg_field *field = data;
    g_free(field->name);
    g_free(field->summary);
    g_free(field->unit);
    mpq_clears(field->scale, field->offset, field->low, field->high, NULL);
    g_free(field);
}

/* A message while it is read. */
struct message_reading {
    const struct zg_definition *definition;
    struct zg_message *message;
    bool identified;
};

static void read_field(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    const struct message_reading *message = into;
    struct zg_field *field = g_new0(struct zg_field, 1);
    struct field_reading reading = { .definition = message->definition, .field = field };

    mpq_inits(field->scale, field->offset, field->low, field->high, NULL);
    mpq_set_ui(field->scale, 1, 1);
    field->name = g_strdup(entry->key);
    field->place = entry->place;
    field->big_endian = message->definition->big_endian;
    field->type = (struct zg_type){ ZG_KIND_UNSIGNED, 8, NULL };
    g_ptr_array_add(message->message->fields, field);
    zgi_check_name(reader, entry->key, entry->place, "a field");
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the field", field_keys, &reading);
    else
        read_field_type(reader, entry, &reading);
    if (reading.typed)
        check_field(reader, &reading);
}

static void read_id(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct message_reading *reading = into;
    reading->message->id_place = zgi_place(entry->value);
    reading->identified = zgi_read_unsigned(reader, entry->value, "an id", 0, UINT32_MAX, &reading->message->id);
}

static void read_from(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const sides[] = { "device", "host", "both", NULL };
    struct message_reading *reading = into;
    unsigned index;

    if (zgi_read_choice(reader, entry->value, "a sender", sides, &index))
        reading->message->from = (enum zg_side)(index + 1);
}

static void read_every(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_message *message = ((struct message_reading *)into)->message;
    const char *text = zgi_scalar(reader, entry->value, "a period (80 ms) or on_change");

    if (!text || strcmp(text, "on_change") == 0)
        return;
    if (!zg_parse_time(text, &message->every_ns) || message->every_ns == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected a period (80 ms) or on_change, found \"%s\"",
                  text);
}

static void read_message_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct message_reading *)into)->message->summary);
}

static void read_fields(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_entries(reader, entry->value, "a mapping of fields ({} for none)", read_field, into);
}

static const struct zgi_key message_keys[] = {
    { "id", false, read_id },        { "from", true, read_from },
    { "every", false, read_every },  { "summary", false, read_message_summary },
    { "fields", true, read_fields }, { "reply", false, NULL },
    { "timeout", false, NULL },      { "retries", false, NULL },
    { "delivery", false, NULL },     { "window", false, NULL },
    { "order", false, NULL },        { NULL, false, NULL }
};

static void message_free(gpointer data)
{
    struct zg_message *message = data;
    g_free(message->name);
    g_free(message->summary);
    g_ptr_array_unref(message->fields);
    g_free(message);
}

static const struct zg_header_role *id_role(const struct zg_definition *definition)
{
    for (unsigned i = 0; i < definition->header->len; i++) {
        const struct zg_header_role *role = g_ptr_array_index(definition->header, i);
        if (role->role == ZG_ROLE_ID)
            return role;
    }
    return NULL;
}

static void check_id(struct zgi_reader *reader, const struct message_reading *reading)
{
    const struct zg_definition *definition = reading->definition;
    const struct zg_message *message = reading->message;
    const struct zg_header_role *role = id_role(definition);

    if (role && role->bits < 32 && message->id >> role->bits != 0)
        zgi_error(reader->diagnostics, message->id_place,
                  "id %" G_GUINT64_FORMAT " does not fit the header's id, u%u (at most %u)", message->id, role->bits,
                  (1U << role->bits) - 1);
    for (unsigned i = 0; i < definition->messages->len; i++) {
        const struct zg_message *other = g_ptr_array_index(definition->messages, i);
        g_autofree char *where = zgi_where(reader, other->id_place);
        if (other->id == message->id)
            zgi_error(reader->diagnostics, message->id_place, "id %" G_GUINT64_FORMAT " is already taken by %s (%s)",
                      message->id, other->name, where);
    }
}

static void read_message(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    struct zg_message *message = g_new0(struct zg_message, 1);
    struct message_reading reading = { .definition = definition, .message = message };

    message->name = g_strdup(entry->key);
    message->place = entry->place;
    message->id_place = entry->place;
    message->from = ZG_SIDE_DEVICE;
    message->fields = g_ptr_array_new_with_free_func(field_free);
    zgi_check_name(reader, entry->key, entry->place, "a message");
    zgi_read_mapping(reader, entry->value, entry->place, "the message", message_keys, &reading);
    if (!reading.identified && id_role(definition) && entry->value->type == YAML_MAPPING_NODE &&
        !zgi_lookup(reader, entry->value, "id"))
        zgi_error(reader->diagnostics, entry->place, "the message lacks the key \"id\"");
    if (reading.identified)
        check_id(reader, &reading);
    g_ptr_array_add(definition->messages, message);
}

void zgi_read_messages(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;

    g_ptr_array_set_free_func(definition->messages, message_free);
    if (!zgi_entries(reader, entry->value, "a mapping of message names", read_message, definition))
        return;
    if (definition->messages->len == 0)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "there are no messages; expected at least one");
    else if (definition->messages->len > 1 && !id_role(definition))
        zgi_error(reader->diagnostics, definition->frame_place,
                  "the header lacks the role id, without which %u messages cannot be told apart",
                  definition->messages->len);
}
