/* SPDX-License-Identifier: MIT */
#include "view/table.h"

#include "codec/as_text.h"
#include "codec/frame_reader.h"
#include "codec/payload.h"

static void free_row(void *data)
{
    struct zg_table_row *row = data;

    for (unsigned i = 0; i < row->fields->len; i++)
        g_string_free(g_array_index(row->fields, struct zg_table_field, i).text, TRUE);
    g_array_unref(row->fields);
    g_free(row);
}

struct zg_table *zg_table_new(const struct zg_plan *plan, const struct zg_selection *selection)
{
    struct zg_table *table = g_new0(struct zg_table, 1);

    table->plan = plan;
    table->selection = selection;
    table->rows = g_ptr_array_new_with_free_func(free_row);
    return table;
}

void zg_table_free(struct zg_table *table)
{
    if (!table)
        return;
    g_ptr_array_unref(table->rows);
    g_free(table);
}

static bool can_be_drawn(const struct zg_step *step)
{
    return zg_step_is_number(step) && !step->type.enumeration;
}

static struct zg_table_row *new_row(const struct zg_table *table, const struct zg_plan_message *message, bool out,
                                    zg_header_number source)
{
    struct zg_table_row *row = g_new0(struct zg_table_row, 1);

    row->message = message;
    row->out = out;
    row->source = source;
    row->fields = g_array_new(FALSE, FALSE, sizeof(struct zg_table_field));
    if (message->message->service && !zg_selection_names(table->selection, message))
        return row; /* that it passed is all there is to show */
    for (unsigned i = 0; i < message->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&message->payload, i);
        const struct zg_table_field field = {
            .step = step, .index = i, .text = g_string_new(NULL), .is_number = can_be_drawn(step)
        };
        if (zg_selection_shows_field(table->selection, message, i))
            g_array_append_val(row->fields, field);
        else
            g_string_free(field.text, TRUE);
    }
    return row;
}

/* The row of a message and source; a new one is inserted in the order of the definition. */
static struct zg_table_row *row_of(const struct zg_table *table, const struct zg_stretch *stretch, bool out)
{
    const zg_header_number source = table->plan->source_bits > 0 ? stretch->header.source : 0;
    unsigned place = 0;

    for (; place < table->rows->len; place++) {
        struct zg_table_row *row = g_ptr_array_index(table->rows, place);
        if (row->message == stretch->message && row->source == source && row->out == out)
            return row;
        if (row->message > stretch->message || (row->message == stretch->message && row->source > source))
            break;
    }
    struct zg_table_row *row = new_row(table, stretch->message, out, source);
    g_ptr_array_insert(table->rows, (int)place, row);
    return row;
}

static void note_field(const struct zg_table *table, const struct zg_stretch *stretch, struct zg_table_field *field)
{
    const struct zg_value *value = &stretch->values[field->index];

    g_string_truncate(field->text, 0);
    zg_value_to_text(field->step, value, field->text);
    field->marked = zg_selection_marks(table->selection, stretch->message, field->index, value) ||
                    (can_be_drawn(field->step) && !zg_step_permits(field->step, value->raw));
    if (!field->is_number)
        return;
    const double number = zg_step_physical(field->step, value->raw);
    field->least = field->samples == 0 ? number : MIN(field->least, number);
    field->greatest = field->samples == 0 ? number : MAX(field->greatest, number);
    field->trace[field->samples++ % ZG_TRACE] = number;
}

void zg_table_note(struct zg_table *table, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    if (stretch->kind != ZG_STRETCH_FRAME || !zg_selection_shows(table->selection, stretch))
        return;
    struct zg_table_row *row = row_of(table, stretch, out);
    row->at_ns = at_ns;
    row->recent[row->count++ % G_N_ELEMENTS(row->recent)] = at_ns;
    for (unsigned i = 0; i < row->fields->len; i++)
        note_field(table, stretch, &g_array_index(row->fields, struct zg_table_field, i));
}

void zg_table_begin_anew(struct zg_table *table)
{
    for (unsigned i = 0; i < table->rows->len; i++) {
        struct zg_table_row *row = g_ptr_array_index(table->rows, i);
        for (unsigned k = 0; k < row->fields->len; k++)
            g_array_index(row->fields, struct zg_table_field, k).samples = 0;
    }
}

double zg_table_rate(const struct zg_table_row *row, uint64_t now_ns)
{
    const uint64_t kept = MIN(row->count, G_N_ELEMENTS(row->recent));

    if (kept < 2)
        return 0;
    const uint64_t first = row->recent[(row->count - kept) % G_N_ELEMENTS(row->recent)];
    const double interval = (double)(row->at_ns - first) / (double)(kept - 1);
    const double silent = now_ns > row->at_ns ? (double)(now_ns - row->at_ns) : 0;
    if (interval <= 0 || silent > 20 * interval)
        return 0;
    return 1e9 / MAX(interval, silent);
}
