/* SPDX-License-Identifier: MIT */
#include "device/typical.h"

#include "codec/as_text.h"
#include "plan/physical.h"

double zg_typical_payload(const struct zg_plan_message *item)
{
    struct zg_value *values = zg_values_new(&item->payload);
    double sum = 0;
    unsigned counted = 0;

    for (unsigned i = 0; i < ZG_TYPICAL_ROUNDS; i++) {
        zg_plausible_fill(&item->payload, i, i, 1, values);
        const size_t size = zg_payload_size(item, values);
        if (size == SIZE_MAX)
            continue;
        sum += (double)size;
        counted++;
    }
    zg_values_free(&item->payload, values);
    return counted > 0 ? sum / counted : 0;
}

static bool has_decimals(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_FLOAT || (step->field->scaled && !step->type.enumeration);
}

static void append_number(const struct zg_step *step, union zg_raw raw, unsigned decimals, GString *text)
{
    if (has_decimals(step))
        g_string_append_printf(text, "%.*f", (int)decimals, zg_step_physical(step, raw));
    else
        zg_raw_to_text(step, raw, text);
}

static void append_block(const struct zg_block *block, const struct zg_value *values, unsigned decimals, bool names,
                         GString *text);

static void append_value(const struct zg_step *step, const struct zg_value *value, unsigned decimals, bool names,
                         GString *text)
{
    if (zg_step_is_string(step)) {
        g_string_set_size(text, text->len + (step->type.kind == ZG_KIND_TEXT ? 1U : 2U) * value->count);
    } else if (step->record && !zg_step_is_array(step)) {
        append_block(step->record, value->items, decimals, names, text);
    } else if (!zg_step_is_array(step)) {
        append_number(step, value->raw, decimals, text);
    } else {
        for (unsigned i = 0; i < value->count; i++) {
            g_string_append(text, i > 0 ? " " : "");
            if (step->record)
                append_block(step->record, value->items[i].items, decimals, names, text);
            else
                append_number(step, value->items[i].raw, decimals, text);
        }
    }
}

static void append_block(const struct zg_block *block, const struct zg_value *values, unsigned decimals, bool names,
                         GString *text)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_string_append(text, i > 0 ? "," : "");
        if (names)
            g_string_append_printf(text, "%s=", step->name);
        if (!values[i].absent)
            append_value(step, &values[i], decimals, names, text);
    }
}

double zg_typical_line(const struct zg_plan_message *item, unsigned decimals, bool names)
{
    struct zg_value *values = zg_values_new(&item->payload);
    double sum = 0;

    for (unsigned i = 0; i < ZG_TYPICAL_ROUNDS; i++) {
        g_autoptr(GString) text = g_string_new(NULL);
        zg_plausible_fill(&item->payload, i, i, 1, values);
        append_block(&item->payload, values, decimals, names, text);
        sum += (double)text->len + 1;
    }
    zg_values_free(&item->payload, values);
    return sum / ZG_TYPICAL_ROUNDS;
}
