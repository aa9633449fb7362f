/* SPDX-License-Identifier: MIT */
#include "view/csv.h"

#include <string.h>

#include "codec/as_text.h"
#include "definition/words.h"

static void append_quoted(GString *text, const char *cell)
{
    if (!strpbrk(cell, ",\"\r\n")) {
        g_string_append(text, cell);
        return;
    }
    g_string_append_c(text, '"');
    for (; *cell; cell++) {
        if (*cell == '"')
            g_string_append_c(text, '"');
        g_string_append_c(text, *cell);
    }
    g_string_append_c(text, '"');
}

/* A spreadsheet would compute text that looks like a formula: a quote before it says that it is text. Control
 * characters are escaped. */
static void append_cell(GString *text, const char *raw, bool foreign)
{
    g_autofree char *shown = zg_shown(raw, -1, false);
    g_autofree char *cell = g_strdup_printf("%s%s", foreign && shown[0] && strchr("=+-@", shown[0]) ? "'" : "", shown);

    append_quoted(text, cell);
}

/* Whether any device is on a shared line. */
static bool has_sources(const struct zg_viewed *viewed, unsigned count)
{
    for (unsigned i = 0; i < count; i++)
        if (viewed[i].plan->source_bits > 0)
            return true;
    return false;
}

void zg_csv_head(const struct zg_viewed *viewed, unsigned count, GString *text)
{
    const struct zg_selection *selection = viewed->selection;
    const struct zg_plan_message *only = count == 1 ? zg_selection_only(selection) : NULL;

    g_string_append_printf(text, "at%s%s", count > 1 ? ",device" : "", has_sources(viewed, count) ? ",source" : "");
    for (unsigned i = 0; only && i < only->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&only->payload, i);
        if (!zg_selection_shows_field(selection, only, i))
            continue;
        g_autofree char *head =
            step->field->unit ? g_strdup_printf("%s [%s]", step->name, step->field->unit) : g_strdup(step->name);
        g_string_append_c(text, ',');
        append_cell(text, head, false);
    }
    g_string_append(text, only ? "\n" : ",message,field,value,unit\n");
}

void zg_csv_rows(const struct zg_viewed *viewed, unsigned count, unsigned device, double at,
                 const struct zg_stretch *stretch, GString *text)
{
    const struct zg_selection *selection = viewed[device].selection;
    const struct zg_plan_message *only = count == 1 ? zg_selection_only(selection) : NULL;
    g_autoptr(GString) head = g_string_new(NULL), value = g_string_new(NULL);

    g_string_append_printf(head, "%.6f", at);
    if (count > 1)
        g_string_append_printf(head, ",%s", viewed[device].name);
    if (viewed[device].plan->source_bits > 0)
        g_string_append_printf(head, ",%u", stretch->header.source);
    else if (has_sources(viewed, count))
        g_string_append_c(head, ',');
    if (only)
        g_string_append(text, head->str);
    for (unsigned i = 0; i < stretch->message->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&stretch->message->payload, i);
        if (!zg_selection_shows_field(selection, stretch->message, i))
            continue;
        g_string_truncate(value, 0);
        if (step->type.kind == ZG_KIND_TEXT)
            g_string_append_len(value, (const char *)stretch->values[i].bytes, (gssize)stretch->values[i].count);
        else
            zg_value_to_text(step, &stretch->values[i], value);
        if (!only)
            g_string_append_printf(text, "%s,%s,%s", head->str, stretch->message->message->name, step->name);
        g_string_append_c(text, ',');
        append_cell(text, value->str, step->type.kind == ZG_KIND_TEXT);
        if (!only) {
            g_string_append_c(text, ',');
            append_cell(text, step->field->unit ? step->field->unit : "", true);
            g_string_append_c(text, '\n');
        }
    }
    if (only)
        g_string_append_c(text, '\n');
}
