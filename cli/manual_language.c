/* SPDX-License-Identifier: MIT */
/* The man page of the language, zeugma-definition(5), from the schema, which is made from the loader's own tables. */
#include <json-glib/json-glib.h>
#include <string.h>

#include "cli.h"
#include "generate/generate.h"
#include "roff.h"

enum { MOST_WORDS = 8 }; /* of a choice that is spelled out */

/* The shape that a property or an item refers to. */
static const char *shape_of(JsonObject *property)
{
    static const char place[] = "#/definitions/";

    if (json_object_has_member(property, "allOf"))
        property = json_array_get_object_element(json_object_get_array_member(property, "allOf"), 0);
    return json_object_get_string_member(property, "$ref") + sizeof place - 1;
}

static void append_words(GString *text, JsonArray *words)
{
    for (guint i = 0; i < json_array_get_length(words); i++)
        g_string_append_printf(text, "%s%s", i > 0 ? " | " : "", json_array_get_string_element(words, i));
}

/* What a value may be, in words. */
static void append_shape(GString *text, JsonObject *shapes, const char *shape)
{
    JsonObject *meaning = json_object_get_object_member(shapes, shape);
    g_autofree char *name = g_strdelimit(g_strdup(shape), "_", ' ');

    if (json_object_has_member(meaning, "anyOf")) {
        JsonArray *either = json_object_get_array_member(meaning, "anyOf");
        append_shape(text, shapes, shape_of(json_array_get_object_element(either, 0)));
        g_string_append(text, ", or ");
        append_shape(text, shapes, shape_of(json_array_get_object_element(either, 1)));
    } else if (json_object_has_member(meaning, "items")) {
        g_string_append(text, "a list: ");
        append_shape(text, shapes, shape_of(json_object_get_object_member(meaning, "items")));
    } else if (json_object_has_member(meaning, "properties")) {
        g_string_append_printf(text, "a mapping: %s", name);
    } else if (json_object_has_member(meaning, "propertyNames")) {
        g_string_append(text, "names, each with ");
        append_shape(text, shapes, shape_of(json_object_get_object_member(meaning, "additionalProperties")));
    } else if (json_object_has_member(meaning, "maximum")) {
        g_string_append_printf(text, "%" G_GINT64_FORMAT " to %" G_GINT64_FORMAT,
                               json_object_get_int_member(meaning, "minimum"),
                               json_object_get_int_member(meaning, "maximum"));
    } else if (json_object_has_member(meaning, "enum") && strcmp(shape, "bool") != 0 &&
               strcmp(shape, "language") != 0 &&
               json_array_get_length(json_object_get_array_member(meaning, "enum")) <= MOST_WORDS) {
        append_words(text, json_object_get_array_member(meaning, "enum"));
    } else {
        g_string_append(text, name);
    }
}

static bool is_required(JsonObject *mapping, const char *key)
{
    JsonArray *required =
        json_object_has_member(mapping, "required") ? json_object_get_array_member(mapping, "required") : NULL;

    for (guint i = 0; required && i < json_array_get_length(required); i++)
        if (strcmp(json_array_get_string_element(required, i), key) == 0)
            return true;
    return false;
}

static void append_keys(GString *page, JsonObject *mapping, JsonObject *shapes)
{
    JsonObject *properties = json_object_get_object_member(mapping, "properties");
    g_autoptr(GList) keys = json_object_get_members(properties);

    for (const GList *each = keys; each; each = each->next) {
        JsonObject *property = json_object_get_object_member(properties, each->data);
        g_autoptr(GString) value = g_string_new(NULL);
        append_shape(value, shapes, shape_of(property));
        g_string_append(page, ".TP\n\\fB");
        roff_plain(page, each->data);
        g_string_append(page, "\\fR: \\fI");
        roff_plain(page, value->str);
        g_string_append(page, "\\fR\n");
        if (json_object_has_member(property, "description"))
            roff_line(page, json_object_get_string_member(property, "description"));
        if (is_required(mapping, each->data))
            roff_line(page, "(required)");
    }
}

void cli_man_language(GString *page)
{
    g_autofree char *schema = zg_generate_schema();
    g_autoptr(JsonNode) root = json_from_string(schema, NULL);
    JsonObject *top = json_node_get_object(root), *shapes = json_object_get_object_member(top, "definitions");
    g_autoptr(GList) names = json_object_get_members(shapes);

    roff_begin(page, "zeugma-definition", "5", "the language in which a protocol is defined");
    g_string_append(
        page, ".SH DESCRIPTION\nA definition is one YAML file. \\fBzeugma check\\fR(1) says what is wrong with one, "
              "and \\fBzeugma check \\-\\-schema\\fR prints what is below for editors. A time is a number and ns, "
              "us, ms, s, min or h.\n.SH \"A DEFINITION\"\n");
    append_keys(page, top, shapes);
    for (const GList *each = names; each; each = each->next) {
        JsonObject *shape = json_object_get_object_member(shapes, each->data);
        if (!json_object_has_member(shape, "properties"))
            continue;
        g_autofree char *title = g_strdelimit(g_ascii_strup(each->data, -1), "_", ' ');
        g_string_append_printf(page, ".SH \"%s\"\n", title);
        append_keys(page, shape, shapes);
    }
    g_string_append(page, ".SH \"SEE ALSO\"\nzeugma\\-check(1), zeugma\\-crc(1)\n");
}
