/* SPDX-License-Identifier: MIT */
#include <stdlib.h>
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

void zgi_keep_text(struct zgi_reader *reader, const struct zgi_entry *entry, char **into)
{
    g_free(*into);
    *into = zgi_read_text(reader, entry->value, entry->key);
}

void zgi_read_order(struct zgi_reader *reader, yaml_node_t *node, bool *big_endian)
{
    static const char *const orders[] = { "little", "big", NULL };
    unsigned index;
    if (zgi_read_choice(reader, node, "a byte order", orders, &index))
        *big_endian = index == 1;
}

/* integer type = ( "u" | "i" ) width */
static bool integer_type(const char *word, struct zg_type *type)
{
    uint64_t bits;
    bool is_signed = word[0] == 'i';

    if ((word[0] != 'u' && word[0] != 'i') || !g_ascii_isdigit(word[1]) || word[1] == '0' ||
        strspn(word + 1, "0123456789") != strlen(word + 1) || !zgi_parse_unsigned(word + 1, &bits) || bits > 64 ||
        (is_signed && bits < 2))
        return false;
    *type = (struct zg_type){ is_signed ? ZG_KIND_SIGNED : ZG_KIND_UNSIGNED, (unsigned)bits, NULL };
    return true;
}

static bool later_type(const char *word)
{
    static const char *const words[] = { "f64", "uleb32", "uleb64", "sleb32", "sleb64", NULL };
    return g_strv_contains(words, word) || strchr(word, '[') != NULL;
}

static void unknown_type(struct zgi_reader *reader, struct zg_place place, const char *word,
                         const struct zg_definition *definition)
{
    static const char *const common[] = { "bool", "u8", "u16", "u32", "u64", "i8", "i16", "i32", "i64", "f32" };
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (size_t i = 0; i < G_N_ELEMENTS(common); i++)
        g_ptr_array_add(names, (gpointer)common[i]);
    for (unsigned i = 0; i < definition->enums->len; i++)
        g_ptr_array_add(names, ((struct zg_enum *)g_ptr_array_index(definition->enums, i))->name);
    g_ptr_array_add(names, NULL);
    const char *nearest = zg_word_nearest(word, (const char *const *)names->pdata);
    zgi_error(reader->diagnostics, place, "unknown type \"%s\"%s%s%s", word, nearest ? "; did you mean \"" : "",
              nearest ? nearest : "; expected u1 to u64, i2 to i64, bool, f32 or the name of an enum",
              nearest ? "\"?" : "");
}

bool zgi_read_type(struct zgi_reader *reader, yaml_node_t *node, const struct zg_definition *definition,
                   struct zg_type *type)
{
    const char *word = zgi_scalar(reader, node, definition ? "a type" : "an integer type");

    if (!word)
        return false;
    if (integer_type(word, type))
        return true;
    if (!definition) {
        zgi_error(reader->diagnostics, zgi_place(node),
                  "expected an integer type, u1 to u64 or i2 to i64, found \"%s\"", word);
        return false;
    }
    if (strcmp(word, "bool") == 0) {
        *type = (struct zg_type){ ZG_KIND_BOOL, 1, NULL };
        return true;
    }
    if (strcmp(word, "f32") == 0) {
        *type = (struct zg_type){ ZG_KIND_FLOAT, 32, NULL };
        return true;
    }
    for (unsigned i = 0; i < definition->enums->len; i++) {
        const struct zg_enum *enumeration = g_ptr_array_index(definition->enums, i);
        if (strcmp(enumeration->name, word) == 0) {
            *type = enumeration->type;
            type->enumeration = enumeration;
            return true;
        }
    }
    if (later_type(word))
        zgi_error(reader->diagnostics, zgi_place(node),
                  "the type \"%s\" is part of the language but not supported by this version yet", word);
    else
        unknown_type(reader, zgi_place(node), word, definition);
    return false;
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

/* An enum while it is read: its values wait for its type, which may stand after them. */
struct enum_reading {
    struct zg_enum *enumeration;
    yaml_node_t *values;
    bool typed;
};

static void read_enum_type(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct enum_reading *reading = into;
    reading->typed = zgi_read_type(reader, entry->value, NULL, &reading->enumeration->type);
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
    reading->good = zgi_read_raw(reader, entry->value, reading->enumeration->type, &reading->value->raw);
}

static void read_value_summary(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_keep_text(reader, entry, &((struct value_reading *)into)->value->summary);
}

static const struct zgi_key value_keys[] = { { "value", true, read_value_value },
                                             { "summary", false, read_value_summary },
                                             { NULL, false, NULL } };

static void check_value_unique(struct zgi_reader *reader, const struct zg_enum *enumeration,
                               const struct zg_enum_value *value)
{
    const char *taken = zg_enum_name(enumeration, value->raw);
    if (!taken)
        return;
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *other = g_ptr_array_index(enumeration->values, i);
        g_autofree char *where = zgi_where(reader, other->place);
        if (strcmp(other->name, taken) == 0)
            zgi_error(reader->diagnostics, value->place, "the value of %s is already taken by %s (%s)", value->name,
                      taken, where);
    }
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
        zgi_read_mapping(reader, entry->value, entry->place, "the enum's value", value_keys, &reading);
    else
        read_value_value(reader, entry, &reading);
    if (reading.good)
        check_value_unique(reader, enumeration, value);
    g_ptr_array_add(enumeration->values, value);
}

static void value_free(gpointer data)
{
    struct zg_enum_value *value = data;
    g_free(value->name);
    g_free(value->summary);
    g_free(value);
}

static void enum_free(gpointer data)
{
    struct zg_enum *enumeration = data;
    g_free(enumeration->name);
    g_free(enumeration->summary);
    g_ptr_array_unref(enumeration->values);
    g_free(enumeration);
}

static const struct zgi_key enum_keys[] = { { "type", true, read_enum_type },
                                            { "values", true, keep_enum_values },
                                            { "summary", false, read_enum_summary },
                                            { NULL, false, NULL } };

static void read_enum(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    struct zg_enum *enumeration = g_new0(struct zg_enum, 1);
    struct enum_reading reading = { enumeration, NULL, false };
    struct zg_type builtin;

    enumeration->name = g_strdup(entry->key);
    enumeration->place = entry->place;
    enumeration->type.bits = 8;
    enumeration->values = g_ptr_array_new_with_free_func(value_free);
    g_ptr_array_add(definition->enums, enumeration);
    if (zgi_check_name(reader, entry->key, entry->place, "an enum") &&
        (integer_type(entry->key, &builtin) || strcmp(entry->key, "bool") == 0 || strcmp(entry->key, "f32") == 0 ||
         later_type(entry->key)))
        zgi_error(reader->diagnostics, entry->place, "\"%s\" is a built-in type and cannot name an enum", entry->key);
    zgi_read_mapping(reader, entry->value, entry->place, "the enum", enum_keys, &reading);
    if (reading.values && reading.typed &&
        zgi_entries(reader, reading.values, "a mapping of names to integers", read_enum_value, enumeration) &&
        enumeration->values->len == 0)
        zgi_error(reader->diagnostics, zgi_place(reading.values), "enum %s has no values", entry->key);
}

void zgi_read_enums(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_definition *definition = into;
    g_ptr_array_set_free_func(definition->enums, enum_free);
    zgi_entries(reader, entry->value, "a mapping of enum names", read_enum, definition);
}
