/* SPDX-License-Identifier: MIT */
#include "definition/pattern.h"

#include <string.h>

#include "definition/words.h"

static void part_clear(gpointer data)
{
    g_free(((struct zg_pattern_part *)data)->literal);
}

void zg_pattern_free(struct zg_pattern *pattern)
{
    if (!pattern)
        return;
    g_array_unref(pattern->parts);
    g_free(pattern);
}

const struct zg_pattern_part *zg_pattern_part(const struct zg_pattern *pattern, unsigned index)
{
    return &g_array_index(pattern->parts, struct zg_pattern_part, index);
}

static void report(struct zgi_reader *reader, const struct zg_message *message, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

static void report(struct zgi_reader *reader, const struct zg_message *message, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    if (reader)
        zgi_error(reader->diagnostics, message->layout.place, "%s", text);
}

/* The field between two braces, or NULL with a diagnostic. */
static const struct zg_field *field_of(struct zgi_reader *reader, const struct zg_message *message, const char *name,
                                       unsigned *index)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (*index = 0; *index < message->fields->len; ++*index) {
        const struct zg_field *field = g_ptr_array_index(message->fields, *index);
        if (strcmp(field->name, name) == 0)
            return field;
        g_ptr_array_add(names, field->name);
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    report(reader, message, "the pattern holds {%s}, and %s has no such field%s; a brace itself is {{ or }}", name,
           message->name, hint);
    return NULL;
}

static void add_part(struct zg_pattern *pattern, GString *literal, const struct zg_field *field, unsigned index)
{
    const struct zg_pattern_part part = { g_strdup(literal->str), field, index };

    g_array_append_val(pattern->parts, part);
    g_string_truncate(literal, 0);
}

/* Appends the parts. False: it is no pattern. */
static bool take_apart(struct zgi_reader *reader, const struct zg_message *message, struct zg_pattern *pattern)
{
    g_autoptr(GString) literal = g_string_new(NULL);

    for (const char *at = message->layout.pattern ? message->layout.pattern : ""; *at; at++) {
        const char *end = strchr(at, '}');
        unsigned index;
        if ((*at == '{' || *at == '}') && at[1] == *at) {
            g_string_append_c(literal, *at++);
        } else if (*at == '}' || (*at == '{' && !end)) {
            report(reader, message, "the pattern has a %s brace without the other one; a brace itself is {{ or }}",
                   *at == '{' ? "left" : "right");
            return false;
        } else if (*at == '{') {
            g_autofree char *name = g_strndup(at + 1, (gsize)(end - at - 1));
            const struct zg_field *field = field_of(reader, message, name, &index);
            if (!field)
                return false;
            add_part(pattern, literal, field, index);
            at = end;
        } else {
            g_string_append_c(literal, *at);
        }
    }
    add_part(pattern, literal, NULL, 0);
    return true;
}

/* Whether each field stands in it once. */
static bool holds_each_once(struct zgi_reader *reader, const struct zg_message *message,
                            const struct zg_pattern *pattern)
{
    bool good = true;

    for (unsigned i = 0; i < message->fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(message->fields, i);
        unsigned count = 0;
        for (unsigned k = 0; k < pattern->parts->len; k++)
            count += zg_pattern_part(pattern, k)->field == field;
        if (count != 1)
            report(reader, message, "the pattern holds {%s} %s; expected each field once", field->name,
                   count == 0 ? "nowhere" : "more than once");
        good = good && count == 1;
    }
    return good;
}

struct zg_pattern *zg_pattern_parse(struct zgi_reader *reader, const struct zg_message *message)
{
    struct zg_pattern *pattern = g_new0(struct zg_pattern, 1);

    pattern->parts = g_array_new(FALSE, FALSE, sizeof(struct zg_pattern_part));
    g_array_set_clear_func(pattern->parts, part_clear);
    if (take_apart(reader, message, pattern) && holds_each_once(reader, message, pattern))
        return pattern;
    zg_pattern_free(pattern);
    return NULL;
}
