/* SPDX-License-Identifier: MIT */
/* Messages with a text layout. */
#include "analysis/places.h"
#include "analysis/text.h"
#include "generate/docs/docs.h"
#include "plan/spelling.h"

static void add(GString *words, const char *format, ...) G_GNUC_PRINTF(2, 3);

static void add(GString *words, const char *format, ...)
{
    va_list list;

    g_string_append(words, words->len > 0 ? "; " : "");
    va_start(list, format);
    g_string_append_vprintf(words, format, list);
    va_end(list);
}

static void add_number(GString *words, const struct zg_step *step)
{
    const struct zg_form *form = &step->field->form;
    const unsigned decimals = zg_step_decimals(step);

    if (step->type.kind == ZG_KIND_FLOAT && form->exponent >= 0)
        add(words, "%u digits behind the point, then `E` and an exponent", (unsigned)form->exponent);
    else if (form->base != 10)
        add(words, "the raw value in base %u%s", form->base, zg_step_is_signed(step) ? ", two's complement" : "");
    else if (decimals > 0)
        add(words, "%u digit%s behind the point%s", decimals, decimals > 1 ? "s" : "",
            form->point == ',' ? ", which is a comma" : "");
    else
        add(words, "whole");
    if (form->prefix)
        add(words, "digits behind `%s`", form->prefix);
    if (form->sign)
        add(words, "with a plus too");
    if (form->width > 0)
        add(words, "%u characters, filled up with %s", form->width,
            form->pad == '0' ? "zeros behind the sign" : "blanks in front");
}

static void add_names(GString *words, const struct zg_step *step)
{
    const struct zg_enum *enumeration = step->type.enumeration;
    g_autoptr(GString) names = g_string_new(NULL);

    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_string_append_printf(names, "%s`%s`", i > 0 ? ", " : "", value->text ? value->text : value->name);
    }
    add(words, "%s", names->str);
    if (enumeration->flags)
        add(words, "what has no name as the number of its bit");
    else
        add(words, "what has no name as its number");
}

/* How a field is written, in words. */
static char *written_as(const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_form *form = &step->field->form;
    g_autoptr(GString) words = g_string_new(NULL);
    const bool is_number = zg_text_is_number(step, kind), is_json = kind == ZG_LAYOUT_JSON;

    if (step->type.kind == ZG_KIND_BOOL)
        add(words, "`%s` or `%s`", zg_text_of_bool(step, true, kind), zg_text_of_bool(step, false, kind));
    else if (step->type.kind == ZG_KIND_BYTES)
        add(words, form->base64 ? "base 64" : "two hex digits for each byte");
    else if (step->type.kind == ZG_KIND_TEXT && form->quote)
        add(words, "within `%c`, doubled inside", form->quote);
    else if (is_number && !step->record)
        add_number(words, step);
    else if (step->type.enumeration)
        add_names(words, step);
    if (form->width > 0 && !is_number)
        add(words, "%u characters, filled up with blanks behind", form->width);
    if ((zg_step_is_array(step) || (step->type.enumeration && step->type.enumeration->flags && !is_number)) && !is_json)
        add(words, "`%s` between them", zg_text_between(step));
    if (form->string)
        add(words, "within quotes");
    if (step->field->optional && form->absent)
        add(words, "if absent: `%s`", form->absent);
    else if (step->field->optional)
        add(words, "may be absent");
    return g_string_free(g_steal_pointer(&words), FALSE);
}

void zgi_docs_text(struct zgi_document *document, const struct zg_plan *plan, const struct zg_plan_message *item)
{
    static const char *const headings[] = { "characters", "field", "type",    "written as",
                                            "unit",       "range", "meaning", NULL };
    static const char *const orders[] = { [ZG_LAYOUT_PATTERN] = "The payload is text:",
                                          [ZG_LAYOUT_PAIRS] = "The payload is text, its pairs in any order; unknown "
                                                              "ones are ignored:",
                                          [ZG_LAYOUT_JSON] = "The payload is a JSON object, its members in any order; "
                                                             "unknown ones are ignored:" };
    const enum zg_layout_kind kind = item->message->layout.kind;
    g_autofree char *drawing = zg_text_drawing(item);
    g_autofree char *line = g_strconcat(drawing, "\n", NULL);

    zgi_document_paragraph(document, "%s", orders[kind]);
    zgi_document_code(document, line);
    if (item->payload.steps->len == 0)
        return;
    zgi_document_table(document, headings);
    for (unsigned i = 0; i < item->payload.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&item->payload, i);
        unsigned least, most;
        zg_text_value_lengths(step, kind, &least, &most);
        g_autofree char *characters =
            least == most ? g_strdup_printf("%u", most) : g_strdup_printf("%u to %u", least, most);
        g_autofree char *type = zg_place_type(step), *written = written_as(step, kind), *range = zg_place_range(step);
        g_autofree char *meaning = zgi_docs_meaning(plan, step);
        zgi_document_row(document, characters, step->name, type, written, step->field->unit ? step->field->unit : "",
                         range, meaning, NULL);
    }
    zgi_document_table_end(document);
}
