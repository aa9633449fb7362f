/* SPDX-License-Identifier: MIT */
/* PROTOCOL_frame.h: the framing, if it has options of its own. */
#include "generate/c/c.h"

char *zgi_c_framing_name(const struct zgi_c *c)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    switch (framing->kind) {
    case ZG_FRAMING_COBS: return g_strdup(framing->lead ? "zg_cobs_lead" : "zg_cobs");
    case ZG_FRAMING_SLIP: return g_strdup(framing->lead ? "zg_slip" : "zg_slip_trailing");
    case ZG_FRAMING_HDLC: return g_strdup(framing->escape_control ? "zg_hdlc_control" : "zg_hdlc");
    case ZG_FRAMING_GAP: return g_strdup("zg_gap");
    default: return g_strdup_printf("%s_framing", c->prefix);
    }
}

const char *zgi_c_framing_header(const struct zgi_c *c)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    switch (framing->kind) {
    case ZG_FRAMING_COBS: return "cobs";
    case ZG_FRAMING_SLIP:
    case ZG_FRAMING_HDLC: return "escaped";
    case ZG_FRAMING_GAP: return "gap";
    case ZG_FRAMING_MARKS: return c->plan->sized ? "sized" : "marks";
    default: return "sized";
    }
}

bool zgi_c_framing_has_options(const struct zgi_c *c)
{
    enum zg_framing_kind kind = c->plan->definition->framing.kind;
    return kind == ZG_FRAMING_LENGTH || kind == ZG_FRAMING_FIXED || kind == ZG_FRAMING_MARKS;
}

static char *mark_text(const struct zg_mark *mark)
{
    GString *text = g_string_new("{ ");

    for (unsigned i = 0; i < ZG_MARK_MAX; i++)
        g_string_append_printf(text, "%s0x%02XU", i > 0 ? ", " : "", mark->bytes[i]);
    g_string_append(text, " }");
    return g_string_free(text, FALSE);
}

/* The content's size, from the length in the header. */
static void print_measure(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    g_autofree char *load = zgi_c_load(zg_plan_length(plan), "in");

    g_string_append(text, "/* The content's size, bytes, according to its header. */\n");
    g_string_append_printf(text, "static size_t %s_measure(const void *context, const uint8_t *in)\n{\n", c->prefix);
    g_string_append_printf(text, "    uint32_t length = %s;\n\n", load);
    g_string_append(text, "    (void)context;\n");
    if (plan->length_more > 0)
        g_string_append_printf(text, "    if (length < %uU)\n        return 0;\n    length -= %uU;\n",
                               plan->length_more, plan->length_more);
    g_string_append_printf(text,
                           "    return length > %s_MAX_PAYLOAD ? SIZE_MAX : %s_HEADER_SIZE + (size_t)length + "
                           "%s_CHECK_SIZE;\n}\n\n",
                           c->upper, c->upper, c->upper);
}

void zgi_c_framing(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    const struct zg_framing_choice *framing = &plan->definition->framing;

    if (!zgi_c_framing_has_options(c))
        return;
    g_autofree char *start = mark_text(&framing->start);
    g_autofree char *end = mark_text(&framing->end);
    g_autofree char *described = zg_framing_text(framing);
    if (framing->kind == ZG_FRAMING_LENGTH)
        print_measure(c, text);
    g_string_append_printf(text, "/* %s */\n", described);
    if (framing->kind == ZG_FRAMING_MARKS && !plan->sized)
        g_string_append_printf(
            text,
            "static const struct zg_marks %s_marks = { %u, %u, %s, %s, %s, 0x%02XU, 0x%02XU, %s, %u };\n"
            "static const struct zg_framing %s_framing = ZG_MARKS(&%s_marks);\n\n",
            c->prefix, framing->start.size, framing->end.size, start, end,
            framing->marking == ZG_MARKING_DOUBLED ? "true" : "false", framing->escape, framing->escape_xor,
            plan->searched ? "true" : "false", zg_plan_trailing(plan), c->prefix, c->prefix);
    else
        g_string_append_printf(text,
                               "static const struct zg_sized %s_sized = { %s%s, NULL, %u, %u, %u, %u, %s, %s };\n"
                               "static const struct zg_framing %s_framing = ZG_SIZED(&%s_sized);\n\n",
                               c->prefix, framing->kind == ZG_FRAMING_LENGTH ? c->prefix : "NULL",
                               framing->kind == ZG_FRAMING_LENGTH ? "_measure" : "", plan->max_content,
                               (unsigned)plan->framer.sized.head, framing->start.size, framing->end.size, start, end,
                               c->prefix, c->prefix);
}
