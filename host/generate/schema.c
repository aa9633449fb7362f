/* SPDX-License-Identifier: MIT */
/* The language as a JSON Schema, for editors, from the loader's own tables of keys and the shapes of their values. */
#include "codec/json.h"
#include "definition/checks.h"
#include "definition/read.h"
#include "definition/words.h"
#include "generate/generate.h"

/* Mappings with keys of their own. */
static const struct {
    const char *shape;
    const struct zgi_key *keys;
} mappings[] = {
    { "line", zgi_line_keys },
    { "clock", zgi_clock_keys },
    { "format_mapping", zgi_format_keys },
    { "pair", zgi_pair_keys },
    { "frame", zgi_frame_keys },
    { "framing_mapping", zgi_framing_keys },
    { "named_check", zgi_named_check_keys },
    { "crc", zgi_crc_keys },
    { "plain_role", zgi_role_keys },
    { "length_role", zgi_length_keys },
    { "const_role", zgi_const_keys },
    { "node_role", zgi_node_keys },
    { "count_mapping", zgi_count_keys },
    { "message", zgi_message_keys },
    { "field_mapping", zgi_field_keys },
    { "variable", zgi_variable_keys },
    { "services_mapping", zgi_services_keys },
    { "value_mapping", zgi_value_keys },
    { "form_mapping", zgi_form_keys },
    { "layout_mapping", zgi_layout_keys },
    { "reply_mapping", zgi_reply_keys },
    { "ends_mapping", zgi_ends_keys },
    { "pairs", zgi_pairs_keys },
    { "constant", zgi_constant_keys },
    { "record_length", zgi_record_length_keys },
    { "enum", zgi_enum_keys },
    { "flags", zgi_flags_keys },
};

/* Mappings from any names. */
static const struct {
    const char *shape;
    const char *of;
    bool empty; /* may be empty */
} collections[] = { { "enums", "enum", true },
                    { "flag_sets", "flags", true },
                    { "records", "record_fields", true },
                    { "messages", "message", false },
                    { "variables", "variable", true },
                    { "fields", "field", true },
                    { "record_fields", "record_field", false },
                    { "enum_values", "enum_value", false } };

/* One of these words. */
static const struct {
    const char *shape;
    const char *words[10]; /* NULL-terminated */
} choices[] = { { "duplex", { "full", "half" } },
                { "line_kind", { "async", "clocked" } },
                { "parity", { "none", "even", "odd", "mark", "space" } },
                { "bit_order", { "lsb", "msb" } },
                { "level", { "high", "low" } },
                { "clock_edge", { "falling", "rising" } },
                { "byte_order", { "little", "big" } },
                { "framing_kind", { "cobs", "slip", "hdlc", "length", "marks", "fixed", "gap", "packet" } },
                { "coding", { "hex", "HEX" } },
                { "covers", { "content", "payload", "all", "after_start" } },
                { "check_as", { "bytes", "hex", "decimal" } },
                { "check_place", { "before_end", "after_end" } },
                { "counts", { "payload", "rest", "content" } },
                { "role", { "version", "id", "sequence", "minor", "length", "destination", "source", "node" } },
                { "access", { "read", "write", "read_write" } },
                { "side", { "device", "host", "both" } },
                { "delivery", { "acknowledged" } },
                { "kept", { "kept" } },
                { "no_ticket", { "none" } },
                { "count_is", { "elements", "bytes", "none" } },
                { "record_counts", { "record", "rest" } },
                { "count_type", { "u8", "u16" } },
                { "layout_word", { "binary", "json" } },
                { "form_word", { "raw", "number", "names", "base64" } },
                { "base", { "2", "10", "16" } },
                { "pad", { "0", " " } },
                { "point", { ".", "," } },
                { "quote", { "\"", "'" } },
                { "case", { "upper", "lower" } },
                { "console", { "framed", "interleaved" } } };

#define NATURAL "(0[xX][0-9A-Fa-f]+(_[0-9A-Fa-f]+)*|0[bB][01]+(_[01]+)*|[0-9]+(_[0-9]+)*)"
#define DECIMAL "[0-9]+(_[0-9]+)*(\\.[0-9]+(_[0-9]+)*)?"
#define NUMBER "[-+]?(" NATURAL "|" DECIMAL "([eE][-+]?[0-9]+)?)"
#define INTEGER_TYPE "u([1-9]|[1-5][0-9]|6[0-4])|i([2-9]|[1-5][0-9]|6[0-4])"

/* Scalars with a pattern. An editor may have read them as numbers or booleans. */
static const struct {
    const char *shape;
    const char *types[4]; /* JSON types besides a string with the pattern */
    const char *pattern;
    bool natural; /* numbers must not be negative */
} scalars[] = {
    { "text", { "string", "number", "boolean" }, ".", false },
    { "any_text", { "string", "number", "boolean" }, "", false },
    { "name", { "string", "boolean" }, "^[A-Za-z][A-Za-z0-9_]*$", false },
    { "version", { "number", "string" }, "^[0-9]{1,3}\\.[0-9]{1,3}$", true },
    { "natural", { "integer", "string" }, "^" NATURAL "$", true },
    { "integer", { "integer", "string" }, "^[-+]?" NATURAL "$", false },
    { "number", { "number", "string" }, "^" NUMBER "$", false },
    { "scale", { "number", "string" }, "^" NUMBER "( */ *" NATURAL ")?$", false },
    { "time", { "string" }, "^" DECIMAL " *(ns|us|ms|s|min|h) *$", false },
    { "gap", { "string" }, "^" DECIMAL " *(characters?|us|ms|s|min|h) *$", false },
    { "every", { "string" }, "^(on_change|" DECIMAL " *(ns|us|ms|s|min|h) *)$", false },
    { "frequency", { "string" }, "^" DECIMAL " *[kMG]?Hz$", false },
    { "tolerance", { "string" }, "^" DECIMAL " *(%|ppm)$", false },
    { "divider", { "integer", "string" }, "^(8|16)(\\+([1-9]|1[0-6]))?$", true },
    { "format_word", { "string" }, "^[4-8][NEOMS](1|1\\.5|2)$", false },
    { "stop_bits", { "number", "string" }, "^(1|1\\.5|2)$", false },
    { "type", { "string" }, "^[A-Za-z][A-Za-z0-9_]*(\\[((\\.\\.)?" NATURAL "|\\.\\.)\\])?$", false },
    { "integer_type", { "string" }, "^(" INTEGER_TYPE ")$", false },
    { "default", { "string", "number", "boolean" }, ".", false },
};

/* Integers within limits. Strings of digits are left for the loader to check. */
static const struct {
    const char *shape;
    uint64_t least, most;
} limited[] = { { "baud", 50, 100000000 },   { "crc_width", 3, 64 }, { "max_payload", 1, 65535 },
                { "max_frame", 1, 1000000 }, { "index", 0, 255 },    { "retries", 0, 255 },
                { "window", 1, 8 },          { "width", 1, 255 },    { "decimals", 0, 9 },
                { "exponent", 0, 17 },       { "byte", 0, 255 },     { "data_bits", 4, 8 } };

static void refer(struct zg_json *json, const char *key, const char *shape)
{
    g_autofree char *path = g_strconcat("#/definitions/", shape, NULL);
    zg_json_open(json, key, '{');
    zg_json_string(json, "$ref", path);
    zg_json_close(json, '}');
}

/* {"properties": {...}, "required": [...]} for a table of keys. Keys that are not read yet are left out. */
static void print_keys(struct zg_json *json, const struct zgi_key *keys)
{
    zg_json_string(json, "type", "object");
    zg_json_bool(json, "additionalProperties", false);
    zg_json_open(json, "properties", '{');
    for (const struct zgi_key *key = keys; key->name; key++) {
        if (!key->read)
            continue;
        zg_json_open(json, key->name, '{');
        zg_json_string(json, "description", key->help);
        zg_json_open(json, "allOf", '[');
        refer(json, NULL, key->shape);
        zg_json_close(json, ']');
        zg_json_close(json, '}');
    }
    zg_json_close(json, '}');
    zg_json_open(json, "required", '[');
    for (const struct zgi_key *key = keys; key->name; key++)
        if (key->required)
            zg_json_string(json, NULL, key->name);
    zg_json_close(json, ']');
}

static void any_of(struct zg_json *json, const char *shape, const char *one, const char *other)
{
    zg_json_open(json, shape, '{');
    zg_json_open(json, "anyOf", '[');
    refer(json, NULL, one);
    refer(json, NULL, other);
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

static void print_words(struct zg_json *json, const char *shape, const char *const *words)
{
    zg_json_open(json, shape, '{');
    zg_json_open(json, "enum", '[');
    for (; *words; words++)
        zg_json_string(json, NULL, *words);
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

static void print_list(struct zg_json *json, const char *shape, const char *of, unsigned least, unsigned most)
{
    zg_json_open(json, shape, '{');
    zg_json_string(json, "type", "array");
    refer(json, "items", of);
    zg_json_unsigned(json, "minItems", least);
    if (most > 0)
        zg_json_unsigned(json, "maxItems", most);
    zg_json_close(json, '}');
}

static void print_tables(struct zg_json *json)
{
    for (size_t i = 0; i < G_N_ELEMENTS(mappings); i++) {
        zg_json_open(json, mappings[i].shape, '{');
        print_keys(json, mappings[i].keys);
        zg_json_close(json, '}');
    }
    for (size_t i = 0; i < G_N_ELEMENTS(collections); i++) {
        zg_json_open(json, collections[i].shape, '{');
        zg_json_string(json, "type", "object");
        refer(json, "propertyNames", "name");
        refer(json, "additionalProperties", collections[i].of);
        zg_json_unsigned(json, "minProperties", collections[i].empty ? 0 : 1);
        zg_json_close(json, '}');
    }
    for (size_t i = 0; i < G_N_ELEMENTS(choices); i++)
        print_words(json, choices[i].shape, choices[i].words);
    for (size_t i = 0; i < G_N_ELEMENTS(scalars); i++) {
        zg_json_open(json, scalars[i].shape, '{');
        zg_json_open(json, "type", '[');
        for (unsigned k = 0; k < G_N_ELEMENTS(scalars[i].types) && scalars[i].types[k]; k++)
            zg_json_string(json, NULL, scalars[i].types[k]);
        zg_json_close(json, ']');
        zg_json_string(json, "pattern", scalars[i].pattern);
        if (scalars[i].natural)
            zg_json_unsigned(json, "minimum", 0);
        zg_json_close(json, '}');
    }
    for (size_t i = 0; i < G_N_ELEMENTS(limited); i++) {
        zg_json_open(json, limited[i].shape, '{');
        zg_json_open(json, "allOf", '[');
        refer(json, NULL, "natural");
        zg_json_close(json, ']');
        zg_json_unsigned(json, "minimum", limited[i].least);
        zg_json_unsigned(json, "maximum", limited[i].most);
        zg_json_close(json, '}');
    }
}

/* A header's entry: a mapping of roles to their types. */
static void print_roles(struct zg_json *json)
{
    zg_json_open(json, "roles", '{');
    zg_json_string(json, "type", "object");
    zg_json_bool(json, "additionalProperties", false);
    zg_json_open(json, "properties", '{');
    for (unsigned i = 0; i < ZG_ROLES; i++)
        refer(json, zg_role_name((enum zg_role)i),
              i == ZG_ROLE_CONST    ? "const_role"
              : i == ZG_ROLE_LENGTH ? "length_role_or_type"
              : i == ZG_ROLE_NODE   ? "node_role_or_type"
                                    : "role_or_type");
    zg_json_close(json, '}');
    zg_json_close(json, '}');
    any_of(json, "role_or_type", "integer_type", "plain_role");
    any_of(json, "length_role_or_type", "integer_type", "length_role");
    any_of(json, "node_role_or_type", "integer_type", "node_role");
    print_list(json, "header", "roles", 0, 0);
}

static void print_checks(struct zg_json *json)
{
    g_autoptr(GPtrArray) names = zg_check_names();

    print_words(json, "check_name", (const char *const *)names->pdata);
    any_of(json, "check_mapping", "named_check", "crc");
    any_of(json, "check", "check_name", "check_mapping");
}

/* A few bytes: text in quotes, one integer, or a list of them. */
static void print_bytes(struct zg_json *json, const char *shape, unsigned most)
{
    g_autofree char *list = g_strconcat(shape, "_list", NULL), *text = g_strconcat(shape, "_text", NULL);

    print_list(json, list, "byte", 0, most);
    zg_json_open(json, text, '{');
    zg_json_open(json, "type", '[');
    zg_json_string(json, NULL, "string");
    zg_json_string(json, NULL, "integer");
    zg_json_close(json, ']');
    zg_json_unsigned(json, "maxLength", most);
    zg_json_unsigned(json, "minimum", 0);
    zg_json_unsigned(json, "maximum", 255);
    zg_json_close(json, '}');
    any_of(json, shape, list, text);
}

static void print_others(struct zg_json *json)
{
    zg_json_open(json, "bool", '{');
    zg_json_open(json, "enum", '[');
    zg_json_bool(json, NULL, false);
    zg_json_bool(json, NULL, true);
    zg_json_string(json, NULL, "false");
    zg_json_string(json, NULL, "true");
    zg_json_close(json, ']');
    zg_json_close(json, '}');
    zg_json_open(json, "language", '{');
    zg_json_open(json, "enum", '[');
    zg_json_unsigned(json, NULL, 1);
    zg_json_string(json, NULL, "1");
    zg_json_close(json, ']');
    zg_json_close(json, '}');
    zg_json_open(json, "positive_time", '{');
    zg_json_open(json, "allOf", '[');
    refer(json, NULL, "time");
    zg_json_close(json, ']');
    zg_json_string(json, "pattern", "[1-9]");
    zg_json_close(json, '}');
    any_of(json, "format", "format_word", "format_mapping");
    any_of(json, "framing", "framing_kind", "framing_mapping");
    any_of(json, "field_or_constant", "field_mapping", "constant");
    any_of(json, "field", "type", "field_or_constant");
    any_of(json, "field_or_length", "field_mapping", "record_length");
    any_of(json, "record_field", "type", "field_or_length");
    any_of(json, "form", "form_word", "form_mapping");
    any_of(json, "layout", "layout_word", "layout_mapping");
    any_of(json, "whole_layout", "layout_word", "layout_mapping");
    any_of(json, "enum_value", "integer", "value_mapping");
    any_of(json, "services", "service_list", "services_mapping");
    print_bytes(json, "mark", ZG_MARK_MAX);
    print_bytes(json, "ignored", ZG_IGNORED_MOST);
    print_bytes(json, "after", ZG_CHECK_AFTER_MAX);
    any_of(json, "ends", "mark", "ends_mapping");
    print_list(json, "mark_list_of_marks", "mark", 1, ZG_ALSO_MOST);
    print_bytes(json, "tag", ZG_TAG_MAX);
    print_list(json, "tags", "tag", 1, 0);
    print_list(json, "name_list", "name", 1, 0);
    any_of(json, "names", "name", "name_list");
    any_of(json, "reply", "names", "reply_mapping");
    any_of(json, "count", "count_is", "count_mapping");
    print_list(json, "range", "number", 2, 2);
    print_words(json, "service", zg_service_names);
    print_list(json, "service_list", "service", 0, 0);
}

char *zg_generate_schema(void)
{
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "$schema", "http://json-schema.org/draft-07/schema#");
    zg_json_string(&json, "title", "A zeugma definition");
    print_keys(&json, zgi_definition_keys);
    zg_json_open(&json, "definitions", '{');
    print_tables(&json);
    print_roles(&json);
    print_checks(&json);
    print_others(&json);
    zg_json_close(&json, '}');
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}
