/* SPDX-License-Identifier: MIT */
/* The man page of the language, zeugma-definition(5), from the schema, which is made from the loader's own tables. */
#include <string.h>

#include "cli.h"
#include "codec/read_json.h"
#include "generate/generate.h"
#include "roff.h"

enum { MOST_WORDS = 8 }; /* of a choice that is spelled out */

/* The shape that a property or an item refers to. */
static const char *shape_of(const struct zg_json_node *property)
{
    static const char place[] = "#/definitions/";
    const struct zg_json_node *all = zg_json_member(property, "allOf");

    return zg_json_member(all ? all->members : property, "$ref")->text + sizeof place - 1;
}

static void append_words(GString *text, const struct zg_json_node *words)
{
    for (const struct zg_json_node *word = words->members; word; word = word->next)
        g_string_append_printf(text, "%s%s", word == words->members ? "" : " | ", word->text);
}

/* What a value may be, in words. */
static void append_shape(GString *text, const struct zg_json_node *shapes, const char *shape)
{
    const struct zg_json_node *meaning = zg_json_member(shapes, shape), *either = zg_json_member(meaning, "anyOf"),
                              *items = zg_json_member(meaning, "items"), *words = zg_json_member(meaning, "enum"),
                              *most = zg_json_member(meaning, "maximum");
    g_autofree char *name = g_strdelimit(g_strdup(shape), "_", ' ');

    if (either) {
        append_shape(text, shapes, shape_of(either->members));
        g_string_append(text, ", or ");
        append_shape(text, shapes, shape_of(either->members->next));
    } else if (items) {
        g_string_append(text, "a list: ");
        append_shape(text, shapes, shape_of(items));
    } else if (zg_json_member(meaning, "properties")) {
        g_string_append_printf(text, "a mapping: %s", name);
    } else if (zg_json_member(meaning, "propertyNames")) {
        g_string_append(text, "names, each with ");
        append_shape(text, shapes, shape_of(zg_json_member(meaning, "additionalProperties")));
    } else if (most) {
        g_string_append_printf(text, "%s to %s", zg_json_member(meaning, "minimum")->text, most->text);
    } else if (words && strcmp(shape, "bool") != 0 && strcmp(shape, "language") != 0 && words->count <= MOST_WORDS) {
        append_words(text, words);
    } else {
        g_string_append(text, name);
    }
}

static bool is_required(const struct zg_json_node *mapping, const char *key)
{
    const struct zg_json_node *required = zg_json_member(mapping, "required");
    const struct zg_json_node *each = required ? required->members : NULL;

    while (each && strcmp(each->text, key) != 0)
        each = each->next;
    return each != NULL;
}

static void append_keys(GString *page, const struct zg_json_node *mapping, const struct zg_json_node *shapes)
{
    const struct zg_json_node *property = zg_json_member(mapping, "properties")->members;

    for (; property; property = property->next) {
        const struct zg_json_node *description = zg_json_member(property, "description");
        g_autoptr(GString) value = g_string_new(NULL);
        append_shape(value, shapes, shape_of(property));
        g_string_append(page, ".TP\n\\fB");
        roff_plain(page, property->name);
        g_string_append(page, "\\fR: \\fI");
        roff_plain(page, value->str);
        g_string_append(page, "\\fR\n");
        if (description)
            roff_line(page, description->text);
        if (is_required(mapping, property->name))
            roff_line(page, "(required)");
    }
}

void cli_man_language(GString *page)
{
    g_autofree char *schema = zg_generate_schema();
    g_autoptr(zg_json_node) top = zg_json_read(schema, NULL);
    const struct zg_json_node *shapes = zg_json_member(top, "definitions");

    roff_begin(page, "zeugma-definition", "5", "the language in which a protocol is defined");
    g_string_append(
        page, ".SH DESCRIPTION\nA definition is one YAML file. \\fBzeugma check\\fR(1) says what is wrong with one, "
              "and \\fBzeugma check \\-\\-schema\\fR prints what is below for editors. A time is a number and ns, "
              "us, ms, s, min or h.\n.SH \"A DEFINITION\"\n");
    append_keys(page, top, shapes);
    for (const struct zg_json_node *shape = shapes->members; shape; shape = shape->next) {
        if (!zg_json_member(shape, "properties"))
            continue;
        g_autofree char *title = g_strdelimit(g_ascii_strup(shape->name, -1), "_", ' ');
        g_string_append_printf(page, ".SH \"%s\"\n", title);
        append_keys(page, shape, shapes);
    }
    g_string_append(page, ".SH \"SEE ALSO\"\nzeugma\\-check(1), zeugma\\-crc(1)\n");
}
