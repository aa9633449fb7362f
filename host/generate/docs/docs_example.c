/* SPDX-License-Identifier: MIT */
/* The examples of a specification: values that a reader can follow, and their frames. */
#include <string.h>

#include "analysis/explain.h"
#include "codec/as_text.h"
#include "codec/frame.h"
#include "codec/json.h"
#include "codec/payload.h"
#include "definition/words.h"
#include "generate/docs/docs.h"

static char *json_of(const struct zg_block *block, const struct zg_value *values)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_block_to_json(block, values, &json);
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}

/* A number that a reader can follow: small, within its limits, and named if it has names. */
static union zg_raw plain_number(const struct zg_step *step, unsigned place)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    union zg_raw raw = { .u = 7 * (place + 1) };

    if (enumeration) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, place % enumeration->values->len);
        raw = value->raw;
        if (enumeration->flags)
            raw.u = UINT64_C(1) << value->raw.u;
    } else if (step->type.kind == ZG_KIND_BOOL) {
        raw.u = 1;
    } else if (step->type.kind == ZG_KIND_FLOAT) {
        raw.f = step->field->ranged ? zg_step_rounded(step, step->low.f / 2 + step->high.f / 2) : 1.5 * (place + 1);
    } else if (step->field->ranged && zg_step_is_signed(step)) {
        raw.i = step->low.i / 2 + step->high.i / 2;
    } else if (step->field->ranged) {
        raw.u = step->low.u / 2 + step->high.u / 2;
    }
    return zg_step_permits(step, raw) ? raw : step->low;
}

/* Fills a block. What may occur a variable number of times occurs at most `often` times. */
static void fill(const struct zg_block *block, struct zg_value *values, unsigned often)
{
    static const char letters[] = "loom";

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        bool fixed = step->type.extent == ZG_EXTENT_FIXED;
        unsigned count = fixed && step->type.kind != ZG_KIND_TEXT ? step->most : MIN(step->most, often);
        if (step->type.extent == ZG_EXTENT_ONE && step->record)
            fill(step->record, values[i].items, often);
        else if (step->type.extent == ZG_EXTENT_ONE)
            values[i].raw = plain_number(step, i);
        else
            zg_value_resize(step, &values[i], count);
        for (unsigned k = 0; zg_step_is_string(step) && k < count; k++)
            values[i].bytes[k] = (uint8_t)letters[k % strlen(letters)];
        for (unsigned k = 0; zg_step_is_array(step) && k < count; k++) {
            if (step->record)
                fill(step->record, values[i].items[k].items, often);
            else
                values[i].items[k].raw = plain_number(step, i + k);
        }
    }
}

/* An example of a message: its values, header, content and bytes on the wire. */
struct example {
    const struct zg_plan_message *item;
    struct zg_value *values;
    struct zg_header header;
    GByteArray *payload, *wire; /* NULL: these values cannot be written */
};

static struct example example_of(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    struct example example = { .item = item, .values = zg_values_new(&item->payload) };

    unsigned often = 3; /* or as often as fits; without a variable number every payload fits */
    do
        fill(&item->payload, example.values, often);
    while (zg_payload_size(item, example.values) > plan->max_payload && often-- > 0);
    example.header = (struct zg_header){ .id = (uint32_t)item->message->id, .sequence = 1, .minor = plan->minor };
    example.payload = zg_payload_make(plan, item, &example.header, example.values);
    if (example.payload)
        example.wire = zg_frame_of(plan, item, &example.header, example.payload->data, example.payload->len);
    return example;
}

static void example_clear(struct example *example)
{
    zg_values_free(&example->item->payload, example->values);
    g_clear_pointer(&example->payload, g_byte_array_unref);
    g_clear_pointer(&example->wire, g_byte_array_unref);
}

void zgi_docs_example(struct zgi_document *document, const struct zg_plan *plan, const struct zg_plan_message *item)
{
    enum { LONGEST = 80 };
    struct example example = example_of(plan, item);
    g_autoptr(GString) text = g_string_new(NULL);

    if (example.wire && example.wire->len <= LONGEST) {
        g_autofree char *json = json_of(&item->payload, example.values);
        g_string_append_printf(text, "%s\n", json);
        for (unsigned i = 0; i < example.wire->len; i++)
            g_string_append_printf(text, "%02x%s", example.wire->data[i], i + 1 < example.wire->len ? " " : "\n");
        if (item->text) {
            g_autofree char *shown = zg_shown((const char *)example.payload->data, example.payload->len, false);
            g_string_append_printf(text, "%s\n", shown);
        }
        zgi_document_paragraph(document, "An example%s%s:", plan->sequence_bits > 0 ? ", with sequence 1" : "",
                               item->text ? ", its frame on the wire, and its payload" : ", and its frame on the wire");
        zgi_document_code(document, text->str);
    }
    example_clear(&example);
}

void zgi_docs_worked_example(struct zgi_document *document, const struct zg_plan *plan)
{
    static const char *const headings[] = { "byte", "on the wire", "content", "what it is", NULL };
    unsigned first = 0;
    while (zg_plan_message_at(plan, first)->message->bare)
        first++;
    struct example example = example_of(plan, zg_plan_message_at(plan, first));
    if (!example.wire) {
        example_clear(&example);
        return;
    }
    g_autofree char *json = json_of(&example.item->payload, example.values);
    g_autoptr(GPtrArray) bytes = zg_explain_frame(plan, example.item, &example.header, example.values);

    zgi_document_heading(document, 2, "example", "A frame, byte by byte");
    zgi_document_paragraph(document, "The message `%s` with these values%s:", example.item->message->name,
                           plan->sequence_bits > 0 ? ", in a frame with sequence 1" : "");
    zgi_document_code(document, json);
    zgi_document_table(document, headings);
    for (unsigned i = 0; i < bytes->len; i++) {
        const struct zg_explained *byte = g_ptr_array_index(bytes, i);
        g_autofree char *at = g_strdup_printf("%u", i), *wire = g_strdup_printf("`%02x`", byte->wire);
        g_autofree char *content = byte->carries ? g_strdup_printf("`%02x`", byte->content) : g_strdup("");
        zgi_document_row(document, at, wire, content, byte->what, NULL);
    }
    zgi_document_table_end(document);
    example_clear(&example);
}
