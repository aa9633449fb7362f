/* SPDX-License-Identifier: MIT */
/* Layouts, and how values are written in them. */
#include <string.h>

#include "definition/read.h"
#include "definition/words.h"

const char *zg_layout_name(enum zg_layout_kind kind)
{
    static const char *const names[] = { "binary", "pattern", "pairs", "json" };
    return names[kind];
}

const char *zg_field_key(const struct zg_field *field)
{
    return field->key ? field->key : field->name;
}

/* --- layouts */

/* Text of a layout: any characters, also a line's end. */
static void keep(struct zgi_reader *reader, const struct zgi_entry *entry, char **into)
{
    g_free(*into);
    *into = zgi_read_text(reader, entry->value, entry->key);
}

/* The same, or none. */
static void keep_any(struct zgi_reader *reader, const struct zgi_entry *entry, char **into)
{
    g_free(*into);
    *into = zgi_read_any_text(reader, entry->value, entry->key);
}

static void read_pattern(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_layout *layout = into;

    layout->kind = ZG_LAYOUT_PATTERN;
    layout->place = zgi_place(entry->value);
    keep(reader, entry, &layout->pattern);
}

static void read_assign(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    keep_any(reader, entry, &((struct zg_layout *)into)->assign);
}

static void read_between(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_layout *layout = into;

    keep_any(reader, entry, &layout->between);
    if (layout->between && *layout->between == '\0')
        zgi_error(reader->diagnostics, zgi_place(entry->value),
                  "nothing stands between the pairs; expected between: \",\" or another separator");
}

const struct zgi_key zgi_pairs_keys[] = { { "assign", true, read_assign, "any_text",
                                            "Between name and value, \"=\"; \"\" for words such as X12" },
                                          { "between", true, read_between, "any_text", "Between two pairs, \",\"" },
                                          { 0 } };

static void read_pairs(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_layout *layout = into;

    layout->kind = ZG_LAYOUT_PAIRS;
    zgi_read_mapping(reader, entry->value, entry->place, "pairs", zgi_pairs_keys, into);
}

const struct zgi_key zgi_layout_keys[] = { { "pattern", false, read_pattern, "any_text",
                                             "Text with the fields' names in braces: \"T={temp},L={light}\"" },
                                           { "pairs", false, read_pairs, "pairs", "Names and values in any order" },
                                           { 0 } };

void zgi_read_layout(struct zgi_reader *reader, yaml_node_t *node, bool whole, struct zg_layout *layout)
{
    static const char *const words[] = { "binary", "json", NULL };
    const struct zg_place place = zgi_place(node);
    unsigned index;

    zgi_layout_clear(layout);
    if (node->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, node, place, "the layout", zgi_layout_keys, layout);
    else if (zgi_read_choice(reader, node, "a layout", words, &index))
        layout->kind = index == 0 ? ZG_LAYOUT_BINARY : ZG_LAYOUT_JSON;
    layout->place = place;
    if (node->type == YAML_MAPPING_NODE && layout->pattern && layout->assign)
        zgi_error(reader->diagnostics, place, "pattern and pairs exclude each other; expected one of them");
    if (whole && layout->kind == ZG_LAYOUT_PATTERN)
        zgi_error(reader->diagnostics, place,
                  "a pattern is of one message; expected it there, as layout: { pattern: ... }");
}

void zgi_layout_clear(struct zg_layout *layout)
{
    g_free(layout->pattern);
    g_free(layout->assign);
    g_free(layout->between);
    *layout = (struct zg_layout){ .kind = ZG_LAYOUT_BINARY };
}

/* --- forms */

struct zg_form zgi_form_new(void)
{
    return (struct zg_form){ .base = 10, .decimals = -1, .exponent = -1, .pad = ' ', .point = '.', .lower = -1 };
}

void zgi_form_clear(struct zg_form *form)
{
    g_free(form->prefix);
    g_free(form->on);
    g_free(form->off);
    g_free(form->between);
    g_free(form->absent);
}

static void read_base(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "2", "10", "16", NULL };
    static const unsigned bases[] = { 2, 10, 16 };
    unsigned index;

    if (zgi_read_choice(reader, entry->value, "a base", words, &index))
        ((struct zg_form *)into)->base = bases[index];
}

static void read_number(struct zgi_reader *reader, const struct zgi_entry *entry, uint64_t least, uint64_t most,
                        int *number)
{
    uint64_t value;

    if (zgi_read_unsigned(reader, entry->value, entry->key, least, most, &value))
        *number = (int)value;
}

static void read_width(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    int width = 0;

    read_number(reader, entry, 1, 255, &width);
    ((struct zg_form *)into)->width = (unsigned)width;
}

static void read_decimals(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_number(reader, entry, 0, 9, &((struct zg_form *)into)->decimals);
}

static void read_exponent(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_number(reader, entry, 0, 17, &((struct zg_form *)into)->exponent);
}

/* One of a few characters. */
static void read_character(struct zgi_reader *reader, const struct zgi_entry *entry, const char *of, char *into)
{
    g_autofree char *expected = g_strdup_printf("%s as \"%c\"%s%c%s", entry->key, of[0], of[1] ? " or \"" : "",
                                                of[1] ? of[1] : '\0', of[1] ? "\"" : "");
    const char *text = zgi_scalar(reader, entry->value, expected);

    if (text && text[0] && !text[1] && strchr(of, text[0]))
        *into = text[0];
    else if (text)
        zgi_error(reader->diagnostics, zgi_place(entry->value), "expected %s, found \"%s\"", expected, text);
}

static void read_pad(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_character(reader, entry, "0 ", &((struct zg_form *)into)->pad);
}

static void read_point(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_character(reader, entry, ".,", &((struct zg_form *)into)->point);
}

static void read_quote(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    read_character(reader, entry, "\"'", &((struct zg_form *)into)->quote);
}

static void read_sign(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "always", NULL };
    unsigned index;
    ((struct zg_form *)into)->sign = zgi_read_choice(reader, entry->value, "a sign", words, &index);
}

static void read_case(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    static const char *const words[] = { "upper", "lower", NULL };
    unsigned index;
    if (zgi_read_choice(reader, entry->value, "a case", words, &index))
        ((struct zg_form *)into)->lower = (int)index;
}

static void read_raw(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "raw", &((struct zg_form *)into)->raw);
}

static void read_as_number(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "number", &((struct zg_form *)into)->number);
}

static void read_names(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "names", &((struct zg_form *)into)->names);
}

static void read_base64(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "base64", &((struct zg_form *)into)->base64);
}

static void read_string(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    zgi_read_bool(reader, entry->value, "string", &((struct zg_form *)into)->string);
}

static void read_prefix(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    keep(reader, entry, &((struct zg_form *)into)->prefix);
}

static void read_true(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    keep(reader, entry, &((struct zg_form *)into)->on);
}

static void read_false(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    keep(reader, entry, &((struct zg_form *)into)->off);
}

static void read_form_between(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    struct zg_form *form = into;

    keep(reader, entry, &form->between);
    if (form->between && *form->between == '\0')
        zgi_error(reader->diagnostics, zgi_place(entry->value),
                  "nothing stands between the elements; expected \",\" or "
                  "another separator");
}

static void read_absent(struct zgi_reader *reader, const struct zgi_entry *entry, void *into)
{
    keep(reader, entry, &((struct zg_form *)into)->absent);
}

const struct zgi_key zgi_form_keys[] = {
    { "base", false, read_base, "base", "Of an integer: 2, 10 (default) or 16; 2 and 16 show the raw value" },
    { "prefix", false, read_prefix, "any_text", "Before the digits, \"0x\"" },
    { "width", false, read_width, "width", "So many characters, exactly" },
    { "pad", false, read_pad, "pad", "What fills the width up: \"0\" behind the sign, or blanks in front" },
    { "sign", false, read_sign, "always", "always: a plus too" },
    { "case", false, read_case, "case", "Of digits beyond 9: upper or lower" },
    { "decimals", false, read_decimals, "decimals", "Digits behind the point, 0 to 9" },
    { "exponent", false, read_exponent, "exponent",
      "Of a float: digits behind the point, before an exponent, 0 to 17" },
    { "point", false, read_point, "point", "The decimal point: \".\" or \",\"" },
    { "raw", false, read_raw, "bool", "The raw integer, not the physical value" },
    { "number", false, read_as_number, "bool", "The number of an enum or flags, not names" },
    { "names", false, read_names, "bool", "The names of flags, not their number" },
    { "true", false, read_true, "any_text", "Of a bool: what true is written as; default 1" },
    { "false", false, read_false, "any_text", "Of a bool: what false is written as; default 0" },
    { "quote", false, read_quote, "quote", "Around text; doubled inside" },
    { "base64", false, read_base64, "bool", "Bytes in base 64, not in hex" },
    { "between", false, read_form_between, "any_text", "Between the elements of an array, or names; default \",\"" },
    { "absent", false, read_absent, "any_text", "In a pattern, what stands for an optional field that is absent" },
    { "string", false, read_string, "bool", "In json, a number within quotes" },
    { 0 }
};

void zgi_read_form(struct zgi_reader *reader, const struct zgi_entry *entry, struct zg_form *form)
{
    static const char *const words[] = { "raw", "number", "names", "base64", NULL };
    bool *const said[] = { &form->raw, &form->number, &form->names, &form->base64 };
    unsigned index;

    if (entry->value->type == YAML_MAPPING_NODE)
        zgi_read_mapping(reader, entry->value, entry->place, "the form", zgi_form_keys, form);
    else if (zgi_read_choice(reader, entry->value, "a form", words, &index))
        *said[index] = true;
    form->place = entry->place;
}
