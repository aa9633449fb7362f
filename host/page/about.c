/* SPDX-License-Identifier: MIT */
/* What a page is told first. */
#include "codec/as_text.h"
#include "page/parts.h"
#include "plan/end.h"

static void add_names(const struct zg_step *step, struct zg_json *json)
{
    const struct zg_enum *enumeration = step->type.enumeration;

    if (!enumeration || zg_step_is_array(step))
        return;
    zg_json_open(json, enumeration->flags ? "flags" : "names", '[');
    for (guint i = 0; i < enumeration->values->len; i++)
        zg_json_string(json, NULL, ((const struct zg_enum_value *)enumeration->values->pdata[i])->name);
    zg_json_close(json, ']');
    zg_json_open(json, "codes", '['); /* as a plot has them */
    for (guint i = 0; i < enumeration->values->len; i++)
        zg_json_double(json, NULL,
                       zg_step_physical(step, ((const struct zg_enum_value *)enumeration->values->pdata[i])->raw));
    zg_json_close(json, ']');
}

static void add_limit(const struct zg_step *step, const char *key, union zg_raw raw, struct zg_json *json)
{
    g_autoptr(GString) text = g_string_new(NULL);

    zg_raw_to_text(step, raw, text);
    zg_json_string(json, key, text->str);
}

/* A field's name, type, unit and limits as members of the open object. */
static void add_step(const struct zg_step *step, struct zg_json *json)
{
    const struct zg_field *field = step->field;
    g_autofree char *type = zg_type_name(field->type);

    zg_json_string(json, "name", step->name);
    zg_json_string(json, "type", type);
    if (field->unit)
        zg_json_string(json, "unit", field->unit);
    if (field->summary)
        zg_json_string(json, "summary", field->summary);
    if (field->optional)
        zg_json_bool(json, "optional", true);
    zg_json_string(json, "kind",
                   zg_step_is_string(step) && step->type.kind == ZG_KIND_TEXT ? "text"
                   : zg_step_is_string(step)                                  ? "bytes"
                   : !zg_step_is_number(step)                                 ? "many"
                   : step->type.kind == ZG_KIND_BOOL                          ? "bool"
                   : step->type.enumeration                                   ? "named"
                                                                              : "number");
    add_names(step, json);
    if (field->ranged && zg_step_is_number(step)) {
        add_limit(step, "low", step->low, json);
        add_limit(step, "high", step->high, json);
    }
}

static void add_field(const struct zg_viewed *viewed, const struct zg_plan_message *message, unsigned index,
                      struct zg_json *json)
{
    g_autoptr(GArray) limits = zg_selection_limits(viewed->selection, message, index);

    zg_json_open(json, NULL, '{');
    add_step(zg_block_step(&message->payload, index), json);
    if (limits->len > 0) {
        zg_json_open(json, "limits", '[');
        for (guint i = 0; i < limits->len; i++)
            zg_json_double(json, NULL, g_array_index(limits, double, i));
        zg_json_close(json, ']');
    }
    zg_json_close(json, '}');
}

static void add_message(const struct zg_viewed *viewed, const struct zg_plan_message *item, struct zg_json *json)
{
    const struct zg_message *message = item->message;

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "name", message->name);
    if (message->summary)
        zg_json_string(json, "summary", message->summary);
    zg_json_bool(json, "sent", (message->from & ZG_SIDE_HOST) && !message->is_reply && !message->service);
    zg_json_bool(json, "service", message->service);
    zg_json_open(json, "fields", '[');
    for (unsigned i = 0; i < item->payload.steps->len; i++)
        add_field(viewed, item, i, json);
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

static void add_variable(const struct zg_plan_variable *item, struct zg_json *json)
{
    zg_json_open(json, NULL, '{');
    zg_json_string(json, "access", zg_access_name(item->variable->access));
    add_step(zg_block_step(&item->block, 0), json);
    zg_json_string(json, "variable", zg_variable_field(item->variable)->name);
    zg_json_close(json, '}');
}

static void add_device(const struct zg_live *live, unsigned number, struct zg_json *json)
{
    const struct zg_viewed *viewed = &live->settings.viewed[number];
    const struct zg_plan *plan = viewed->plan;
    const struct zg_definition *definition = plan->definition;
    g_autofree char *version = g_strdup_printf("%u.%u", definition->major, definition->minor);

    zg_json_open(json, NULL, '{');
    zg_json_string(json, "name", viewed->name ? viewed->name : "");
    zg_json_string(json, "protocol", definition->protocol);
    zg_json_string(json, "version", version);
    zg_json_string(json, "link", live->settings.links[number]);
    zg_json_bool(json, "shared", plan->source_bits > 0);
    zg_json_bool(json, "console", zg_plan_has_console(plan));
    zg_json_open(json, "messages", '[');
    for (unsigned i = 0; i < plan->messages->len; i++)
        add_message(viewed, zg_plan_message_at(plan, i), json);
    zg_json_close(json, ']');
    zg_json_open(json, "variables", '[');
    for (unsigned i = 0; zg_definition_serves(definition, ZG_SERVICE_VARIABLES) && i < plan->variables->len; i++)
        add_variable(zg_plan_variable_at(plan, i), json);
    zg_json_close(json, ']');
    zg_json_close(json, '}');
}

char *zgi_live_about(const struct zg_live *live)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "kind", "about");
    zg_json_bool(&json, "answers", live->settings.answers);
    zg_json_unsigned(&json, "to", live->settings.to);
    zg_json_open(&json, "devices", '[');
    for (unsigned i = 0; i < live->settings.count; i++)
        add_device(live, i, &json);
    zg_json_close(&json, ']');
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}
