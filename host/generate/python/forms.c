/* SPDX-License-Identifier: MIT */
#include "generate/python/forms.h"

#include "plan/spelling.h"

/* Text as a Python string with one character for each byte. */
static void append_bytes(GString *text, const char *bytes)
{
    g_string_append_c(text, '"');
    for (; bytes && *bytes; bytes++)
        if (g_ascii_isprint(*bytes) && *bytes != '"' && *bytes != '\\')
            g_string_append_c(text, *bytes);
        else
            g_string_append_printf(text, "\\x%02x", (uint8_t)*bytes);
    g_string_append_c(text, '"');
}

static void append_argument(GString *text, const char *name, const char *bytes)
{
    g_string_append_printf(text, ", %s=", name);
    append_bytes(text, bytes);
}

static void append_words(GString *text, const struct zg_step *step)
{
    const struct zg_enum *enumeration = step->type.enumeration;

    g_string_append(text, ", words=(");
    for (unsigned i = 0; i < enumeration->values->len; i++) {
        const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, i);
        g_string_append_c(text, '(');
        append_bytes(text, value->text ? value->text : value->name);
        if (zg_step_is_signed(step) && !enumeration->flags)
            g_string_append_printf(text, ", %" G_GINT64_FORMAT "), ", value->raw.i);
        else
            g_string_append_printf(text, ", %" G_GUINT64_FORMAT "), ", value->raw.u);
    }
    g_string_append_c(text, ')');
}

static void append_form(GString *text, const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_form *form = &step->field->form;
    const bool is_text = zg_step_is_string(step);
    const unsigned size = is_text && step->type.kind == ZG_KIND_TEXT && form->quote ? 0
                          : zg_step_is_array(step)                                  ? form->width
                                                                                    : step->characters;

    g_string_append_printf(text, "_Form(base=%u, width=%u, decimals=%u, exponent=%d", form->base, form->width,
                           is_text || step->record ? 0 : zg_step_decimals(step), form->exponent);
    if (form->pad == '0')
        g_string_append(text, ", pad=\"0\"");
    if (form->point == ',')
        g_string_append(text, ", point=\",\"");
    if (form->quote)
        g_string_append_printf(text, ", quote=\"\\x%02x\"", (uint8_t)form->quote);
    if (form->lower >= 0)
        g_string_append_printf(text, ", case=\"%s\"", form->lower ? "lower" : "upper");
    g_string_append_printf(text, "%s%s%s", form->sign ? ", sign=True" : "", form->raw ? ", raw=True" : "",
                           form->base64 ? ", base64=True" : "");
    if (!is_text && !step->record) {
        g_string_append_printf(text, "%s%s%s", zg_text_is_number(step, ZG_LAYOUT_PAIRS) ? ", number=True" : "",
                               zg_text_is_number(step, ZG_LAYOUT_JSON) ? ", json_number=True" : "",
                               zg_text_is_quoted(step) ? ", quoted=True" : "");
        append_argument(text, "between", zg_text_between(step));
    }
    append_argument(text, "prefix", form->prefix);
    append_argument(text, "absent", form->absent);
    if (step->type.kind == ZG_KIND_BOOL && kind == ZG_LAYOUT_JSON && !form->on && !form->off) {
        g_string_append(text, ", on=None, off=None");
    } else if (step->type.kind == ZG_KIND_BOOL) {
        append_argument(text, "on", zg_text_of_bool(step, true, ZG_LAYOUT_PAIRS));
        append_argument(text, "off", zg_text_of_bool(step, false, ZG_LAYOUT_PAIRS));
    }
    if (size > 0 && !step->record)
        g_string_append_printf(text, ", size=%u", size);
    if (step->type.enumeration)
        append_words(text, step);
    g_string_append_c(text, ')');
}

void zgi_python_form(GString *text, const struct zg_step *step, enum zg_layout_kind kind)
{
    const struct zg_field *field = step->field;

    append_argument(text, "key", zg_field_key(field));
    if (field->optional)
        g_string_append(text, ", optional=True");
    if (field->default_text || field->since > 0)
        g_string_append(text, ", missing=True");
    g_string_append(text, ", form=");
    append_form(text, step, kind);
}

void zgi_python_parts(GString *text, const struct zg_plan_message *item)
{
    static const char *const names[] = { "binary", "pattern", "pairs", "json" };
    const struct zg_text *layout = item->text;

    g_string_append_printf(
        text, "    LAYOUT: ClassVar[str] = \"%s\"\n    _assign: ClassVar[str] = ", names[layout->layout->kind]);
    append_bytes(text, layout->layout->assign);
    g_string_append(text, "\n    _between: ClassVar[str] = ");
    append_bytes(text, layout->layout->between);
    g_string_append(text, "\n    _parts: ClassVar[tuple] = (");
    for (unsigned i = 0; i < layout->parts->len; i++) {
        const struct zg_text_part *part = zg_text_part(layout, i);
        g_string_append_c(text, '(');
        append_bytes(text, part->literal + (i == 0 ? layout->skipped : 0));
        if (part->step >= 0 && !part->constant)
            g_string_append_printf(text, ", %d, ", part->step);
        else
            g_string_append(text, ", None, ");
        if (part->constant && part->constant->is_number)
            g_string_append_printf(text, "%" G_GINT64_FORMAT, g_ascii_strtoll(part->constant->text, NULL, 0));
        else if (part->constant)
            append_bytes(text, part->constant->text);
        else
            g_string_append(text, "None");
        g_string_append(text, "), ");
    }
    g_string_append(text, ")\n");
}
