/* SPDX-License-Identifier: MIT */
#include <stdlib.h>
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

void zgi_keep_text(struct zgi_reader *reader, const struct zgi_entry *entry, char **into)
{
    g_free(*into);
    *into = zgi_read_text(reader, entry->value, entry->key);
    for (const char *c = *into; c && *c; c = g_utf8_next_char(c)) {
        if (!zg_is_hidden(g_utf8_get_char(c)) || *c == '\n' || *c == '\t')
            continue;
        zgi_error(reader->diagnostics, zgi_place(entry->value),
                  "%s contains the character U+%04X, which is invisible or changes how others appear; remove it",
                  entry->key, g_utf8_get_char(c));
        break;
    }
}

void zgi_read_order(struct zgi_reader *reader, yaml_node_t *node, bool *big_endian)
{
    static const char *const orders[] = { "little", "big", NULL };
    unsigned index;
    if (zgi_read_choice(reader, node, "a byte order", orders, &index))
        *big_endian = index == 1;
}

bool zgi_read_raw(struct zgi_reader *reader, yaml_node_t *node, struct zg_type type, union zg_raw *raw)
{
    bool negative;
    uint64_t magnitude;
    const char *text = zgi_scalar(reader, node, "an integer");

    if (!text)
        return false;
    if (!zgi_parse_integer(text, &negative, &magnitude)) {
        zgi_error(reader->diagnostics, zgi_place(node), "expected an integer, found \"%s\"", text);
        return false;
    }
    negative = negative && magnitude > 0;
    unsigned magnitude_bits = type.kind == ZG_KIND_SIGNED ? type.bits - 1 : type.bits;
    uint64_t most = magnitude_bits == 64 ? UINT64_MAX : ((uint64_t)1 << magnitude_bits) - 1;
    if (negative ? type.kind != ZG_KIND_SIGNED || magnitude > most + 1 : magnitude > most) {
        g_autofree char *name = zg_type_name(type);
        zgi_error(reader->diagnostics, zgi_place(node),
                  "%s does not fit %s (%s%" G_GUINT64_FORMAT " to %" G_GUINT64_FORMAT ")", text, name,
                  type.kind == ZG_KIND_SIGNED ? "-" : "", type.kind == ZG_KIND_SIGNED ? most + 1 : 0, most);
        return false;
    }
    if (type.kind == ZG_KIND_SIGNED)
        raw->i = negative ? (int64_t)(0 - magnitude) : (int64_t)magnitude;
    else
        raw->u = magnitude;
    return true;
}

/* An enum being read. Its values wait for its type, which may follow them. */
struct enum_reading {
    struct zg_enum *enumeration;
    yaml_node_t *values;
    bool typed;
};

static void read_enum_type(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct enum_reading *reading = into;
    reading->typed = zgi_read_integer_type(reader, entry->value, &reading->enumeration->type);
}

static void keep_enum_values(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    (void)reader;
    ((struct enum_reading *)into)->values = entry->value;
}

static void read_enum_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct enum_reading *)into)->enumeration->summary);
}

struct value_reading {
    const struct zg_enum *enumeration;
    struct zg_enum_value *value;
    bool good;
};

static void read_value_value(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct value_reading *reading = into;
    const struct zg_enum *enumeration = reading->enumeration;

    if (enumeration->flags)
        reading->good = zgi_read_unsigned(reader, entry->value, "a bit number", 0, enumeration->type.bits - 1,
                                          &reading->value->raw.u);
    else
        reading->good = zgi_read_raw(reader, entry->value, enumeration->type, &reading->value->raw);
}

static void read_value_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct value_reading *)into)->value->summary);
}

static void read_value_text(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_enum_value *value = ((struct value_reading *)into)->value;

    g_free(value->text);
    value->text = zgi_read_text(reader, entry->value, entry->key);
    if (value->text && *value->text == '\0')
        zgi_error(reader->diagnostics, zgi_place(entry->value), "the text of %s is empty", value->name);
}

const struct zgi_key zgi_value_keys[] = {
    { "value", true, read_value_value, "integer", "Number of the value, or of the bit" },
    { "text", false, read_value_text, "any_text", "How it is written in text layouts; default its name" },
    { "summary", false, read_value_summary, "text", "What it means" },
    { 0 }
};

static void check_value_unique(struct zgi_reader *reader, const struct zg_enum *enumeration,
                               const struct zg_enum_value *value)
{
    const struct zg_enum_value *other = g_hash_table_lookup(enumeration->by_raw, &value->raw.u);
    if (!other)
        return;
    g_autofree char *where = zgi_where(reader, other->place);
    zgi_error(reader->diagnostics, value->place, "the value of %s is already taken by %s (%s)", value->name,
              other->name, where);
}

static void read_enum_value(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_enum *enumeration = into;
    struct zg_enum_value *value = g_new0(struct zg_enum_value, 1);
    struct value_reading reading = { enumeration, value, false };

    value->name = g_strdup(entry->key);
    value->place = entry->place;
    zgi_check_name(reader, entry->key, entry->place, "an enum's value");
    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the enum's value", zgi_value_keys, &reading);
    else
        read_value_value(reader, entry, &reading);
    if (reading.good) {
        check_value_unique(reader, enumeration, value);
        if (!g_hash_table_contains(enumeration->by_raw, &value->raw.u))
            g_hash_table_insert(enumeration->by_raw, &value->raw.u, value);
    }
    g_ptr_array_add(enumeration->values, value);
}

static void value_free(gpointer data)
{
    struct zg_enum_value *value = data;
    g_free(value->name);
    g_free(value->summary);
    g_free(value->text);
    g_free(value);
}

static void enum_free(gpointer data)
{
    struct zg_enum *enumeration = data;
    g_free(enumeration->name);
    g_free(enumeration->summary);
    g_hash_table_unref(enumeration->by_raw);
    g_ptr_array_unref(enumeration->values);
    g_free(enumeration);
}

const struct zgi_key zgi_enum_keys[] = { { "type", true, read_enum_type, "integer_type",
                                           "Integer type that carries it" },
                                         { "values", true, keep_enum_values, "enum_values", "Names and their numbers" },
                                         { "summary", false, read_enum_summary, "text", "What it tells" },
                                         { 0 } };

const struct zgi_key zgi_flags_keys[] = {
    { "type", true, read_enum_type, "integer_type", "Unsigned type that carries them" },
    { "bits", true, keep_enum_values, "enum_values", "Names and their bit numbers" },
    { "summary", false, read_enum_summary, "text", "What it tells" },
    { 0 }
};

/* Whether an enum has a value for raw zero, the value of a field that nobody set. */
static bool has_zero(const struct zg_enum *enumeration)
{
    return zg_enum_name(enumeration, (union zg_raw){ .u = 0 }) != NULL;
}

static void check_enum(struct zgi_reader *reader, const struct zg_enum *enumeration, struct zg_place values)
{
    if (enumeration->values->len == 0)
        zgi_error(reader->diagnostics, values, "%s %s has no %s", enumeration->flags ? "flags" : "enum",
                  enumeration->name, enumeration->flags ? "bits" : "values");
    else if (!enumeration->flags && !has_zero(enumeration))
        zgi_warning(reader->diagnostics, enumeration->place,
                    "enum %s has no value 0, which a field has that nobody has set", enumeration->name);
    else if (enumeration->flags && enumeration->type.kind == ZG_KIND_SIGNED)
        zgi_error(reader->diagnostics, enumeration->place, "flags %s need an unsigned type", enumeration->name);
}

static void check_type_unique(struct zgi_reader *reader, const struct zg_definition *definition,
                              const struct zg_enum *enumeration)
{
    for (unsigned i = 0; i < definition->enums->len; i++) {
        const struct zg_enum *other = g_ptr_array_index(definition->enums, i);
        g_autofree char *where = zgi_where(reader, other->place);
        if (other != enumeration && strcmp(other->name, enumeration->name) == 0)
            zgi_error(reader->diagnostics, enumeration->place, "the type %s is defined twice; first at %s",
                      enumeration->name, where);
    }
}

static void read_type(struct zgi_reader *reader, const struct zgi_entry *entry, struct zg_definition *definition,
                      bool flags)
{
    struct zg_enum *enumeration = g_new0(struct zg_enum, 1);
    struct enum_reading reading = { enumeration, NULL, false };
    struct zg_type builtin;

    enumeration->name = g_strdup(entry->key);
    enumeration->place = entry->place;
    enumeration->type.bits = 8;
    enumeration->flags = flags;
    enumeration->values = g_ptr_array_new_with_free_func(value_free);
    enumeration->by_raw = g_hash_table_new(g_int64_hash, g_int64_equal);
    g_ptr_array_add(definition->enums, enumeration);
    if (zgi_check_name(reader, entry->key, entry->place, "a type") && zgi_builtin_type(entry->key, &builtin))
        zgi_error(reader->diagnostics, entry->place, "\"%s\" is a built-in type and cannot be another", entry->key);
    check_type_unique(reader, definition, enumeration);
    zgi_read_mapping(reader, entry->value, entry->place, flags ? "the flags" : "the enum",
                     flags ? zgi_flags_keys : zgi_enum_keys, &reading);
    if (reading.values && reading.typed &&
        zgi_entries(reader, reading.values, "a mapping of names to integers", read_enum_value, enumeration))
        check_enum(reader, enumeration, zgi_place(reading.values));
}

static void read_enum(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_type(reader, entry, into, false);
}

static void read_flag_set(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_type(reader, entry, into, true);
}

void zgi_read_enums(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    g_ptr_array_set_free_func(definition->enums, enum_free);
    zgi_entries(reader, entry->value, "a mapping of enum names", read_enum, definition);
}

void zgi_read_flags(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    g_ptr_array_set_free_func(definition->enums, enum_free);
    zgi_entries(reader, entry->value, "a mapping of flag sets", read_flag_set, definition);
}
