/* SPDX-License-Identifier: MIT */
/* Fields of binary blocks. */
#include "analysis/places.h"
#include "generate/docs/docs.h"

char *zgi_docs_meaning(const struct zg_plan *plan, const struct zg_step *step)
{
    const struct zg_field *field = step->field;
    GString *text = g_string_new(field->summary ? field->summary : "");

    if (step->big_endian != plan->definition->big_endian && (step->bits > 8 || zg_step_is_bitwise(step)) &&
        !zg_step_is_string(step) && !step->record)
        g_string_append_printf(text, "%s%s-endian", text->len ? "; " : "", step->big_endian ? "big" : "little");
    if (field->since > 0)
        g_string_append_printf(text, "%ssince %u.%u", text->len ? "; " : "", plan->definition->major, field->since);
    if (field->since > 0 && field->default_text)
        g_string_append_printf(text, ", else %s", field->default_text);
    return g_string_free(text, FALSE);
}

/* The length that a record holds of itself. */
static void print_length(struct zgi_document *document, const struct zg_block *block)
{
    g_autofree char *bytes = zg_place_length_bytes(block), *meaning = zg_place_length(block);
    g_autofree char *type = g_strdup_printf("u%u", block->length->bits);

    zgi_document_row(document, bytes, "", block->length->name, type, "", "", "", meaning, NULL);
}

void zgi_docs_fields(struct zgi_document *document, const struct zg_plan *plan, const struct zg_block *block,
                     unsigned tickets, const struct zg_tag *tag)
{
    const unsigned front = tag ? tag->size : tickets;
    static const char *const headings[] = { "byte", "bits",  "field",   "type", "physical value",
                                            "unit", "range", "meaning", NULL };

    if (block->steps->len + front == 0) {
        zgi_document_paragraph(document, "It has no fields.");
        return;
    }
    zgi_document_map(document, block, front);
    zgi_document_table(document, headings);
    if (tag) {
        g_autofree char *bytes = tag->size > 1 ? g_strdup_printf("0-%u", tag->size - 1) : g_strdup("0");
        g_autofree char *shown = zg_place_tag(tag);
        zgi_document_row(document, bytes, "", "(tag)", "", "", "", shown, "tells the message", NULL);
    }
    if (tickets > 0)
        zgi_document_row(document, "0", "", "(ticket)", "u8", "", "", "",
                         "counted by the sender; in a reply, that of its request", NULL);
    if (tickets > 1)
        zgi_document_row(document, "1", "", "(base)", "u8", "", "", "",
                         "the oldest ticket that the sender still offers", NULL);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (block->length && block->length->before == i)
            print_length(document, block);
        g_autofree char *bytes = zg_place_bytes(block, i, front);
        g_autofree char *bits = zg_place_bits(step);
        g_autofree char *plain = zg_place_type(step), *count = zg_place_count(step);
        g_autofree char *type = g_strdup_printf("%s%s%s", plain, count ? ", " : "", count ? count : "");
        g_autofree char *scale = zg_place_scale(step->field);
        g_autofree char *physical = *scale ? g_strconcat("raw", scale, NULL) : g_strdup("");
        g_autofree char *range = zg_place_range(step);
        g_autofree char *meaning = zgi_docs_meaning(plan, step);
        zgi_document_row(document, bytes, bits, step->name, type, physical, step->field->unit ? step->field->unit : "",
                         range, meaning, NULL);
    }
    if (block->length && block->length->before == block->steps->len)
        print_length(document, block);
    zgi_document_table_end(document);
}
