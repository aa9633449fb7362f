/* SPDX-License-Identifier: MIT */
/* Types, as they are written. */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

/* The built-in types other than integers. */
static const struct {
    const char *name;
    enum zg_kind kind;
    unsigned bits;
    bool is_ascii;
} builtins[] = {
    { "bool", ZG_KIND_BOOL, 1, false },
    { "f32", ZG_KIND_FLOAT, 32, false },
    { "f64", ZG_KIND_FLOAT, 64, false },
    { "uleb32", ZG_KIND_LEB_UNSIGNED, 32, false },
    { "uleb64", ZG_KIND_LEB_UNSIGNED, 64, false },
    { "sleb32", ZG_KIND_LEB_SIGNED, 32, false },
    { "sleb64", ZG_KIND_LEB_SIGNED, 64, false },
    { "text", ZG_KIND_TEXT, 8, false },
    { "ascii", ZG_KIND_TEXT, 8, true },
    { "bytes", ZG_KIND_BYTES, 8, false },
};

/* integer type = ( "u" | "i" ) width */
static bool integer_type(const char *word, struct zg_type *type)
{
    uint64_t bits;
    bool is_signed = word[0] == 'i';

    if ((word[0] != 'u' && word[0] != 'i') || !g_ascii_isdigit(word[1]) || word[1] == '0' ||
        strspn(word + 1, "0123456789") != strlen(word + 1) || !zgi_parse_unsigned(word + 1, &bits) || bits > 64 ||
        (is_signed && bits < 2))
        return false;
    *type = (struct zg_type){ .kind = is_signed ? ZG_KIND_SIGNED : ZG_KIND_UNSIGNED, .bits = (unsigned)bits };
    return true;
}

bool zgi_builtin_type(const char *word, struct zg_type *type)
{
    if (integer_type(word, type))
        return true;
    for (size_t i = 0; i < G_N_ELEMENTS(builtins); i++) {
        if (strcmp(builtins[i].name, word) == 0) {
            *type = (struct zg_type){ .kind = builtins[i].kind,
                                      .bits = builtins[i].bits,
                                      .is_ascii = builtins[i].is_ascii };
            return true;
        }
    }
    return false;
}

static bool named_type(const char *word, const struct zg_definition *definition, struct zg_type *type)
{
    for (unsigned i = 0; i < definition->enums->len; i++) {
        const struct zg_enum *enumeration = g_ptr_array_index(definition->enums, i);
        if (strcmp(enumeration->name, word) == 0) {
            *type = enumeration->type;
            type->enumeration = enumeration;
            return true;
        }
    }
    for (unsigned i = 0; i < definition->records->len; i++) {
        const struct zg_record *record = g_ptr_array_index(definition->records, i);
        if (strcmp(record->name, word) == 0) {
            *type = (struct zg_type){ .kind = ZG_KIND_RECORD, .record = record };
            return true;
        }
    }
    return false;
}

/* The type meant by a name of C or another language: "int16_t" is i16. NULL: none. Free with g_free(). */
static char *type_of_c(const char *word)
{
    static const struct {
        const char *word, *type;
    } others[] = { { "float", "f32" },  { "float32", "f32" }, { "double", "f64" }, { "float64", "f64" },
                   { "char", "u8" },    { "byte", "u8" },     { "uchar", "u8" },   { "ushort", "u16" },
                   { "short", "i16" },  { "int", "i32" },     { "uint", "u32" },   { "boolean", "bool" },
                   { "_Bool", "bool" }, { "string", "text" }, { "str", "text" },   { "varint", "uleb32" } };
    const bool is_unsigned = g_str_has_prefix(word, "uint");
    struct zg_type type;

    if (is_unsigned || g_str_has_prefix(word, "int")) {
        g_autofree char *short_name = g_strdup_printf("%c%s", is_unsigned ? 'u' : 'i', word + (is_unsigned ? 4 : 3));
        if (g_str_has_suffix(short_name, "_t"))
            short_name[strlen(short_name) - 2] = '\0';
        if (integer_type(short_name, &type))
            return g_steal_pointer(&short_name);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(others); i++)
        if (strcmp(word, others[i].word) == 0)
            return g_strdup(others[i].type);
    return NULL;
}

static void unknown_type(struct zgi_reader *reader, struct zg_place place, const char *word,
                         const struct zg_definition *definition)
{
    static const char *const integers[] = { "u8", "u16", "u32", "u64", "i8", "i16", "i32", "i64" };
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (size_t i = 0; i < G_N_ELEMENTS(integers); i++)
        g_ptr_array_add(names, (gpointer)integers[i]);
    for (size_t i = 0; i < G_N_ELEMENTS(builtins); i++)
        g_ptr_array_add(names, (gpointer)builtins[i].name);
    for (unsigned i = 0; i < definition->enums->len; i++)
        g_ptr_array_add(names, ((struct zg_enum *)g_ptr_array_index(definition->enums, i))->name);
    for (unsigned i = 0; i < definition->records->len; i++)
        g_ptr_array_add(names, ((struct zg_record *)g_ptr_array_index(definition->records, i))->name);
    g_ptr_array_add(names, NULL);
    g_autofree char *of_c = type_of_c(word);
    const char *nearest = of_c ? of_c : zg_word_nearest(word, (const char *const *)names->pdata);
    zgi_error(reader->diagnostics, place, "unknown type \"%s\"%s%s%s", word, nearest ? "; did you mean \"" : "",
              nearest
                  ? nearest
                  : "; expected u1 to u64, i2 to i64, bool, f32, f64, text[N], ascii[N], bytes[N] or the name of an "
                    "enum, flags or record",
              nearest ? "\"?" : "");
}

/* extent = "[" [ ".." ] [ count ] "]" */
static bool parse_extent(const char *text, struct zg_type *type)
{
    g_autofree char *inside = g_strndup(text + 1, strlen(text) - 1);
    uint64_t count = 0;

    if (!g_str_has_suffix(inside, "]"))
        return false;
    inside[strlen(inside) - 1] = '\0';
    type->extent = ZG_EXTENT_FIXED;
    const char *digits = inside;
    if (g_str_has_prefix(inside, "..")) {
        digits += 2;
        type->extent = *digits == '\0' ? ZG_EXTENT_REST : ZG_EXTENT_COUNTED;
    }
    if (type->extent != ZG_EXTENT_REST && (!zgi_parse_unsigned(digits, &count) || count == 0 || count > 65535))
        return false;
    type->count = (unsigned)count;
    return true;
}

bool zgi_may_be_open_ended(struct zgi_reader *reader, struct zg_place place, struct zg_type type)
{
    const bool has_whole_bytes = type.kind == ZG_KIND_TEXT || type.kind == ZG_KIND_BYTES ||
                                 type.kind == ZG_KIND_RECORD || type.kind == ZG_KIND_LEB_UNSIGNED ||
                                 type.kind == ZG_KIND_LEB_SIGNED || type.bits % 8 == 0;

    if (!has_whole_bytes)
        zgi_error(reader->diagnostics, place, "an open-ended array needs elements of whole bytes");
    return has_whole_bytes;
}

/* Whether a type may have this extent; if not, a diagnostic. */
static bool check_extent(struct zgi_reader *reader, struct zg_place place, const char *word, struct zg_type type)
{
    bool string = type.kind == ZG_KIND_TEXT || type.kind == ZG_KIND_BYTES;

    if (string && type.extent == ZG_EXTENT_ONE)
        zgi_error(reader->diagnostics, place, "\"%s\" needs a length: %s[N] or %s[..N]", word, word, word);
    else
        return type.extent != ZG_EXTENT_REST || zgi_may_be_open_ended(reader, place, type);
    return false;
}

bool zgi_read_type(struct zgi_reader *reader, yaml_node_t *node, const struct zg_definition *definition,
                   struct zg_type *type)
{
    const char *word = zgi_scalar(reader, node, "a type");
    const char *bracket = word ? strchr(word, '[') : NULL;
    struct zg_type extent = { .extent = ZG_EXTENT_ONE };

    if (!word)
        return false;
    g_autofree char *base = g_strndup(word, bracket ? (gsize)(bracket - word) : strlen(word));
    if (!zgi_builtin_type(base, type) && !named_type(base, definition, type)) {
        unknown_type(reader, zgi_place(node), base, definition);
        return false;
    }
    if (bracket && !parse_extent(bracket, &extent)) {
        zgi_error(reader->diagnostics, zgi_place(node),
                  "expected %s[N], %s[..N] or %s[..] with N from 1 to 65535, found \"%s\"", base, base, base, word);
        return false;
    }
    type->extent = extent.extent;
    type->count = extent.count;
    return check_extent(reader, zgi_place(node), word, *type);
}

bool zgi_read_integer_type(struct zgi_reader *reader, yaml_node_t *node, struct zg_type *type)
{
    const char *word = zgi_scalar(reader, node, "an integer type");

    if (!word || integer_type(word, type))
        return word != NULL;
    zgi_error(reader->diagnostics, zgi_place(node), "expected an integer type, u1 to u64 or i2 to i64, found \"%s\"",
              word);
    return false;
}

static char *base_name(struct zg_type type)
{
    if (type.enumeration)
        return g_strdup(type.enumeration->name);
    if (type.kind == ZG_KIND_RECORD)
        return g_strdup(type.record->name);
    for (size_t i = 0; i < G_N_ELEMENTS(builtins); i++)
        if (builtins[i].kind == type.kind && builtins[i].bits == type.bits && builtins[i].is_ascii == type.is_ascii)
            return g_strdup(builtins[i].name);
    return g_strdup_printf("%c%u", type.kind == ZG_KIND_SIGNED ? 'i' : 'u', type.bits);
}

char *zg_type_name(struct zg_type type)
{
    g_autofree char *base = base_name(type);

    switch (type.extent) {
    case ZG_EXTENT_FIXED: return g_strdup_printf("%s[%u]", base, type.count);
    case ZG_EXTENT_COUNTED: return g_strdup_printf("%s[..%u]", base, type.count);
    case ZG_EXTENT_REST:
        return type.count > 0 ? g_strdup_printf("%s[..%u]", base, type.count) : g_strdup_printf("%s[..]", base);
    default: return g_strdup(base);
    }
}

bool zg_type_is_integer(struct zg_type type)
{
    return type.kind == ZG_KIND_UNSIGNED || type.kind == ZG_KIND_SIGNED || type.kind == ZG_KIND_LEB_UNSIGNED ||
           type.kind == ZG_KIND_LEB_SIGNED;
}
