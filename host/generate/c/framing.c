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
    default:
        return zg_framing_is_sided(framing)
                   ? g_strdup_printf("%s_%s_framing", c->prefix, c->side == ZG_SIDE_DEVICE ? "device" : "host")
                   : g_strdup_printf("%s_framing", c->prefix);
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

/* Marks for one end, or for both if they are alike (side 0). */
static void print_marks_of(const struct zgi_c *c, GString *text, enum zg_side side, const char *name)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;
    const struct zg_mark *heard = side == ZG_SIDE_DEVICE ? &framing->host_end : &framing->end;
    const struct zg_mark *sent = side == ZG_SIDE_DEVICE ? &framing->end : &framing->host_end;
    g_autofree char *start = mark_text(&framing->start), *end = mark_text(heard), *other = mark_text(sent);
    g_autofree char *others = framing->also_ends > 0 ? g_strdup_printf("%s_also_ends", c->prefix) : g_strdup("NULL");

    if (side)
        g_string_append_printf(text, "static const struct zg_end_mark %s%s_sent = { %u, %s };\n", c->prefix, name,
                               sent->size, other);
    g_string_append_printf(
        text,
        "static const struct zg_marks %s%s_marks = { %u, %u, %s, %s, %s, 0x%02XU, 0x%02XU, %s, %u, "
        "%s, %s%s%s, %u };\nstatic const struct zg_framing %s%s_framing = ZG_MARKS(&%s%s_marks);\n\n",
        c->prefix, name, framing->start.size, heard->size, start, end,
        framing->marking == ZG_MARKING_DOUBLED ? "true" : "false", framing->escape, framing->escape_xor,
        c->plan->searched ? "true" : "false", framing->also_ends, others, side ? "&" : "NULL", side ? c->prefix : "",
        side == ZG_SIDE_DEVICE ? "_device_sent"
        : side                 ? "_host_sent"
                               : "",
        zg_plan_trailing(c->plan), c->prefix, name, c->prefix, name);
}

static void print_marks(const struct zgi_c *c, GString *text)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    if (framing->also_ends > 0 || zg_framing_is_sided(framing) || zg_plan_trailing(c->plan) > 0)
        g_string_append_printf(text, "#if !ZG_MARKS_MORE\n#error \"%s needs ZG_MARKS_MORE=1\"\n#endif\n", c->prefix);
    if (framing->also_ends > 0)
        g_string_append_printf(text, "static const struct zg_end_mark %s_also_ends[] = {\n", c->prefix);
    for (unsigned i = 0; i < framing->also_ends; i++) {
        g_autofree char *mark = mark_text(&framing->also_end[i]);
        g_string_append_printf(text, "    { %u, %s },\n", framing->also_end[i].size, mark);
    }
    if (framing->also_ends > 0)
        g_string_append(text, "};\n");
    if (!zg_framing_is_sided(framing)) {
        print_marks_of(c, text, (enum zg_side)0, "");
        return;
    }
    print_marks_of(c, text, ZG_SIDE_DEVICE, "_device");
    print_marks_of(c, text, ZG_SIDE_HOST, "_host");
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
        print_marks(c, text);
    else
        g_string_append_printf(text,
                               "static const struct zg_sized %s_sized = { %s%s, NULL, %u, %u, %u, %u, %s, %s };\n"
                               "static const struct zg_framing %s_framing = ZG_SIZED(&%s_sized);\n\n",
                               c->prefix, framing->kind == ZG_FRAMING_LENGTH ? c->prefix : "NULL",
                               framing->kind == ZG_FRAMING_LENGTH ? "_measure" : "", plan->max_content,
                               (unsigned)plan->framer.sized.head, framing->start.size, framing->end.size, start, end,
                               c->prefix, c->prefix);
}
