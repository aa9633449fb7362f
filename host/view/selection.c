/* SPDX-License-Identifier: MIT */
#include "view/selection.h"

#include <stdlib.h>
#include <string.h>

#include "definition/words.h"

struct shown {
    const struct zg_plan_message *message; /* NULL: all messages */
    const char *field;                     /* NULL: all fields */
};

enum comparison { MORE, AT_LEAST, LESS, AT_MOST, EQUAL, OTHER };

struct mark {
    struct shown what;
    enum comparison comparison;
    double limit;
    char *name; /* of an enum's value; otherwise NULL */
};

struct zg_selection {
    const struct zg_plan *plan;
    GArray *shown;  /* struct shown; empty: all, */
    bool nothing;   /* or none */
    GArray *marks;  /* struct mark */
    int64_t source; /* -1: any */
};

struct zg_selection *zg_selection_new(const struct zg_plan *plan)
{
    struct zg_selection *selection = g_new0(struct zg_selection, 1);

    selection->plan = plan;
    selection->shown = g_array_new(FALSE, FALSE, sizeof(struct shown));
    selection->marks = g_array_new(FALSE, FALSE, sizeof(struct mark));
    selection->source = -1;
    return selection;
}

void zg_selection_free(struct zg_selection *selection)
{
    if (!selection)
        return;
    for (unsigned i = 0; i < selection->marks->len; i++)
        g_free(g_array_index(selection->marks, struct mark, i).name);
    g_array_unref(selection->shown);
    g_array_unref(selection->marks);
    g_free(selection);
}

static const struct zg_step *field_of(const struct zg_plan_message *message, const char *name)
{
    for (unsigned i = 0; i < message->payload.steps->len; i++)
        if (strcmp(zg_block_step(&message->payload, i)->name, name) == 0)
            return zg_block_step(&message->payload, i);
    return NULL;
}

static bool unknown(const struct zg_selection *selection, const char *name, GError **error)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < selection->plan->messages->len; i++) {
        const struct zg_plan_message *message = zg_plan_message_at(selection->plan, i);
        if (message->message->service)
            continue;
        g_ptr_array_add(names, message->message->name);
        for (unsigned k = 0; k < message->payload.steps->len; k++)
            g_ptr_array_add(names, (gpointer)zg_block_step(&message->payload, k)->name);
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    g_set_error(error, ZG_SELECTION_ERROR, 0, "%s has no message or field \"%s\"%s",
                selection->plan->definition->protocol, name, hint);
    return false;
}

/* what = message | message "." field | field */
static bool read_what(const struct zg_selection *selection, const char *name, struct shown *what, GError **error)
{
    const char *dot = strchr(name, '.');
    g_autofree char *first = dot ? g_strndup(name, (gsize)(dot - name)) : g_strdup(name);
    const struct zg_step *step = NULL;

    *what = (struct shown){ zg_plan_by_name(selection->plan, first), NULL };
    if (what->message && !dot)
        return true;
    if (what->message)
        step = field_of(what->message, dot + 1);
    for (unsigned i = 0; !dot && !step && i < selection->plan->messages->len; i++)
        step = field_of(zg_plan_message_at(selection->plan, i), name);
    if (!step)
        return unknown(selection, name, error);
    what->field = step->name;
    return true;
}

bool zg_selection_show(struct zg_selection *selection, const char *name, GError **error)
{
    struct shown what;

    if (!read_what(selection, name, &what, error))
        return false;
    g_array_append_val(selection->shown, what);
    return true;
}

void zg_selection_show_nothing(struct zg_selection *selection)
{
    g_array_set_size(selection->shown, 0);
    selection->nothing = true;
}

bool zg_selection_source(struct zg_selection *selection, int64_t address, GError **error)
{
    const int64_t most = (INT64_C(1) << selection->plan->source_bits) - 1;

    if (selection->plan->source_bits == 0 || address < 0 || address > most) {
        if (selection->plan->source_bits == 0)
            g_set_error(error, ZG_SELECTION_ERROR, 0, "frames on this line carry no source");
        else
            g_set_error(error, ZG_SELECTION_ERROR, 0,
                        "expected an address from 0 to %" G_GINT64_FORMAT ", found %" G_GINT64_FORMAT, most, address);
        return false;
    }
    selection->source = address;
    return true;
}

/* A number, or the name of an enum's value. */
static bool read_limit(const struct zg_selection *selection, const char *text, struct mark *mark, GError **error)
{
    char *end = NULL;

    mark->limit = g_ascii_strtod(text, &end);
    if (end != text && *end == '\0')
        return true;
    for (unsigned i = 0; zgi_is_identifier(text) && i < selection->plan->messages->len; i++) {
        const struct zg_step *step = field_of(zg_plan_message_at(selection->plan, i), mark->what.field);
        const struct zg_enum *enumeration = step ? step->type.enumeration : NULL;
        for (unsigned k = 0; enumeration && k < enumeration->values->len; k++)
            if (strcmp(((const struct zg_enum_value *)g_ptr_array_index(enumeration->values, k))->name, text) == 0) {
                mark->name = g_strdup(text);
                return true;
            }
    }
    g_set_error(error, ZG_SELECTION_ERROR, 0, "expected a number after the comparison, found \"%s\"", text);
    return false;
}

/* rule = what ( ">=" | ">" | "<=" | "<" | "!=" | "=" ) limit */
bool zg_selection_mark(struct zg_selection *selection, const char *rule, GError **error)
{
    static const struct {
        const char *sign;
        enum comparison comparison;
    } signs[] = {
        { ">=", AT_LEAST }, { "<=", AT_MOST }, { "!=", OTHER }, { ">", MORE }, { "<", LESS }, { "=", EQUAL }
    };
    struct mark mark = { 0 };

    for (size_t i = 0; i < G_N_ELEMENTS(signs); i++) {
        const char *at = strstr(rule, signs[i].sign);
        if (!at)
            continue;
        g_autofree char *name = g_strstrip(g_strndup(rule, (gsize)(at - rule)));
        g_autofree char *limit = g_strstrip(g_strdup(at + strlen(signs[i].sign)));
        mark.comparison = signs[i].comparison;
        if (!read_what(selection, name, &mark.what, error))
            return false;
        if (!mark.what.field) {
            g_set_error(error, ZG_SELECTION_ERROR, 0, "\"%s\" is a message; expected a field, such as %s.FIELD", name,
                        name);
            return false;
        }
        if (!read_limit(selection, limit, &mark, error))
            return false;
        g_array_append_val(selection->marks, mark);
        return true;
    }
    g_set_error(error, ZG_SELECTION_ERROR, 0, "expected a field, one of > >= < <= = != and a number, found \"%s\"",
                rule);
    return false;
}

static bool is_meant(const struct shown *what, const struct zg_plan_message *message, const char *field)
{
    return (!what->message || what->message == message) &&
           (!what->field || (field ? strcmp(what->field, field) == 0 : field_of(message, what->field) != NULL));
}

bool zg_selection_names(const struct zg_selection *selection, const struct zg_plan_message *message)
{
    for (unsigned i = 0; i < selection->shown->len; i++)
        if (is_meant(&g_array_index(selection->shown, struct shown, i), message, NULL))
            return true;
    return false;
}

bool zg_selection_shows(const struct zg_selection *selection, const struct zg_stretch *stretch)
{
    if (stretch->kind == ZG_STRETCH_SKIPPED || stretch->kind == ZG_STRETCH_CONSOLE)
        return selection->source < 0;
    if (selection->source >= 0 && stretch->header.source != selection->source)
        return false;
    return stretch->kind == ZG_STRETCH_UNDELIVERED || (selection->shown->len == 0 && !selection->nothing) ||
           zg_selection_names(selection, stretch->message);
}

bool zg_selection_shows_field(const struct zg_selection *selection, const struct zg_plan_message *message,
                              unsigned index)
{
    const char *field = zg_block_step(&message->payload, index)->name;

    if (selection->shown->len == 0)
        return !selection->nothing;
    for (unsigned i = 0; i < selection->shown->len; i++)
        if (is_meant(&g_array_index(selection->shown, struct shown, i), message, field))
            return true;
    return false;
}

static bool holds(const struct mark *mark, const struct zg_step *step, union zg_raw raw)
{
    if (mark->name) {
        const char *name = step->type.enumeration ? zg_enum_name(step->type.enumeration, raw) : NULL;
        return (g_strcmp0(name, mark->name) == 0) == (mark->comparison != OTHER);
    }
    const double value = zg_step_physical(step, raw);
    switch (mark->comparison) {
    case MORE: return value > mark->limit;
    case AT_LEAST: return value >= mark->limit;
    case LESS: return value < mark->limit;
    case AT_MOST: return value <= mark->limit;
    case EQUAL: return !(value < mark->limit) && !(value > mark->limit);
    default: return value < mark->limit || value > mark->limit;
    }
}

bool zg_selection_marks(const struct zg_selection *selection, const struct zg_plan_message *message, unsigned index,
                        const struct zg_value *value)
{
    const struct zg_step *step = zg_block_step(&message->payload, index);

    if (!zg_step_is_number(step))
        return false;
    for (unsigned i = 0; i < selection->marks->len; i++) {
        const struct mark *mark = &g_array_index(selection->marks, struct mark, i);
        if (is_meant(&mark->what, message, step->name) && holds(mark, step, value->raw))
            return true;
    }
    return false;
}

GArray *zg_selection_limits(const struct zg_selection *selection, const struct zg_plan_message *message, unsigned index)
{
    const struct zg_step *step = zg_block_step(&message->payload, index);
    GArray *limits = g_array_new(FALSE, FALSE, sizeof(double));

    for (unsigned i = 0; i < selection->marks->len; i++) {
        const struct mark *mark = &g_array_index(selection->marks, struct mark, i);
        if (!mark->name && is_meant(&mark->what, message, step->name))
            g_array_append_val(limits, mark->limit);
    }
    return limits;
}

const struct zg_plan_message *zg_selection_only(const struct zg_selection *selection)
{
    return selection->shown->len == 1 ? g_array_index(selection->shown, struct shown, 0).message : NULL;
}
