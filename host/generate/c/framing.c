/* SPDX-License-Identifier: MIT */
/* PROTOCOL_frame.h: the framing, if it has options of its own. */
#include "generate/c/c.h"

/* Whether the two ends hear, or send, different marks. */
static bool is_sided(const struct zg_plan *plan)
{
    return zg_framing_is_sided(&plan->definition->framing) || zg_plan_has_fixed_ends(plan, ZG_SIDE_BOTH);
}

/* The name of a side's framing, without what is around it. */
static char *inner_name(const struct zgi_c *c, enum zg_side side)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    switch (framing->kind) {
    case ZG_FRAMING_COBS: return g_strdup(framing->lead ? "zg_cobs_lead" : "zg_cobs");
    case ZG_FRAMING_SLIP: return g_strdup(framing->lead ? "zg_slip" : "zg_slip_trailing");
    case ZG_FRAMING_HDLC: return g_strdup(framing->escape_control ? "zg_hdlc_control" : "zg_hdlc");
    case ZG_FRAMING_GAP:
    case ZG_FRAMING_PACKET: return g_strdup("zg_gap");
    default:
        return is_sided(c->plan)
                   ? g_strdup_printf("%s_%s_framing", c->prefix, side == ZG_SIDE_DEVICE ? "device" : "host")
                   : g_strdup_printf("%s_framing", c->prefix);
    }
}

/* "PROTOCOL_coded", with the side's name if the sides differ. */
static char *outer_name(const struct zgi_c *c, enum zg_side side, const char *what)
{
    return is_sided(c->plan) ? g_strdup_printf("%s_%s_%s", c->prefix, zg_side_name(side), what)
                             : g_strdup_printf("%s_%s", c->prefix, what);
}

/* The framing whose bytes are the wire's, or are sent as halves. */
static char *joined_name(const struct zgi_c *c, enum zg_side side)
{
    return c->plan->definition->framing.coding ? outer_name(c, side, "coded") : inner_name(c, side);
}

char *zgi_c_framing_name(const struct zgi_c *c)
{
    return c->plan->definition->framing.halves ? outer_name(c, c->side, "halved") : joined_name(c, c->side);
}

const char *zgi_c_framing_header(const struct zgi_c *c)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    switch (framing->kind) {
    case ZG_FRAMING_COBS: return "cobs";
    case ZG_FRAMING_SLIP:
    case ZG_FRAMING_HDLC: return "escaped";
    case ZG_FRAMING_GAP:
    case ZG_FRAMING_PACKET: return "gap";
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
    g_autofree char *load = zgi_c_load(zg_plan_role(plan, ZG_ROLE_LENGTH), "in");

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

/* "zg_ends_behind(5, length)", or anywhere, for a content of which the first bytes are not counted. */
static char *ends_text(const struct zg_plan *plan, const struct zg_plan_message *item, unsigned counted)
{
    return item->fixed_end ? g_strdup_printf("zg_ends_behind(%u, length)", zg_plan_before_end(plan, item) - counted)
                           : g_strdup("ZG_ENDS_ANYWHERE");
}

static void print_ends_by_id(const struct zgi_c *c, GString *text, enum zg_side from)
{
    const struct zg_step *id = zg_plan_role(c->plan, ZG_ROLE_ID);
    g_autofree char *load = zgi_c_load(id, "content");
    g_string_append_printf(text, "    if (length < %u)\n        return ZG_ENDS_ANYWHERE;\n    switch (%s) {\n",
                           (unsigned)zg_step_end(id), load);
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(c->plan, i);
        g_autofree char *ends = ends_text(c->plan, item, 0);
        if (item->fixed_end && (item->message->from & from))
            g_string_append_printf(text, "    case %" G_GUINT64_FORMAT ": return %s;\n", item->message->id, ends);
    }
    g_string_append(text, "    default: return ZG_ENDS_ANYWHERE;\n    }\n}\n\n");
}

/* Where a frame of one side ends, by what its first bytes tell. */
static void print_ends(const struct zgi_c *c, GString *text, enum zg_side from, const char *name)
{
    const struct zg_plan *plan = c->plan;
    g_autoptr(GArray) tags = zgi_c_tags_of(plan, from);

    g_string_append_printf(text,
                           "static enum zg_ends %s%s_ends(const void *context, const uint8_t *content, size_t "
                           "length)\n{\n    (void)context;\n",
                           c->prefix, name);
    if (plan->id_bits > 0) {
        print_ends_by_id(c, text, from);
        return;
    }
    if (plan->header.size > 0)
        g_string_append_printf(text,
                               "    if (length < %u)\n        return ZG_ENDS_ANYWHERE;\n    content += %u;\n    "
                               "length -= %u;\n",
                               plan->header.size, plan->header.size, plan->header.size);
    else if (tags->len == 0)
        g_string_append(text, "    (void)content;\n");
    for (unsigned i = 0; i < tags->len; i++) {
        const struct zgi_told *told = &g_array_index(tags, struct zgi_told, i);
        g_autofree char *ends = ends_text(plan, told->item, plan->header.size);
        zgi_c_print_tag(text, "if", told->tag, "content");
        g_string_append_printf(text, "        return %s;\n", ends);
    }
    const struct zg_plan_message *bare = NULL;
    for (unsigned i = 0; i < plan->messages->len; i++)
        if ((zg_plan_message_at(plan, i)->message->from & from) && zg_plan_message_at(plan, i)->fixed_end &&
            !zg_plan_tag(zg_plan_message_at(plan, i)))
            bare = zg_plan_message_at(plan, i);
    g_autofree char *ends = bare ? ends_text(plan, bare, plan->header.size) : g_strdup("ZG_ENDS_ANYWHERE");
    g_string_append_printf(text, "    return %s;\n}\n\n", ends);
}

/* Marks for one end, or for both if they are alike (side 0). */
static void print_marks_of(const struct zgi_c *c, GString *text, enum zg_side side, const char *name)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;
    const bool two_ends = side && zg_framing_is_sided(framing);
    const struct zg_mark *heard = two_ends && side == ZG_SIDE_DEVICE ? &framing->host_end : &framing->end;
    const struct zg_mark *sent = two_ends && side == ZG_SIDE_HOST ? &framing->host_end : &framing->end;
    g_autofree char *start = mark_text(&framing->start), *end = mark_text(heard), *other = mark_text(sent);
    g_autofree char *others = framing->also_ends > 0 ? g_strdup_printf("%s_also_ends", c->prefix) : g_strdup("NULL");
    g_autofree char *own = two_ends ? g_strdup_printf("&%s%s_sent", c->prefix, name) : g_strdup("NULL");
    const bool by_content = side && zg_plan_has_fixed_ends(c->plan, zg_receivers(side));
    g_autofree char *ends = by_content ? g_strdup_printf("%s%s_ends", c->prefix, name) : g_strdup("NULL");

    if (by_content)
        print_ends(c, text, zg_receivers(side), name);
    if (two_ends)
        g_string_append_printf(text, "static const struct zg_end_mark %s%s_sent = { %u, %s };\n", c->prefix, name,
                               sent->size, other);
    g_string_append_printf(
        text,
        "static const struct zg_marks %s%s_marks = { %u, %u, %s, %s, %s, 0x%02XU, 0x%02XU, %s, %u, "
        "%s, %s, %u, %s, NULL };\nstatic const struct zg_framing %s%s_framing = ZG_MARKS(&%s%s_marks);\n\n",
        c->prefix, name, framing->start.size, heard->size, start, end,
        framing->marking == ZG_MARKING_DOUBLED ? "true" : "false", framing->escape, framing->escape_xor,
        zg_framing_is_plain(framing) ? "true" : "false", framing->also_ends, others, own, zg_plan_trailing(c->plan),
        ends, c->prefix, name, c->prefix, name);
}

static void print_marks(const struct zgi_c *c, GString *text)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    if (framing->also_ends > 0)
        g_string_append_printf(text, "static const struct zg_end_mark %s_also_ends[] = {\n", c->prefix);
    for (unsigned i = 0; i < framing->also_ends; i++) {
        g_autofree char *mark = mark_text(&framing->also_end[i]);
        g_string_append_printf(text, "    { %u, %s },\n", framing->also_end[i].size, mark);
    }
    if (framing->also_ends > 0)
        g_string_append(text, "};\n");
    if (!is_sided(c->plan)) {
        print_marks_of(c, text, (enum zg_side)0, "");
        return;
    }
    print_marks_of(c, text, ZG_SIDE_DEVICE, "_device");
    print_marks_of(c, text, ZG_SIDE_HOST, "_host");
}

void zgi_c_framing_needs(const struct zgi_c *c, GString *text)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    if (framing->also_ends > 0 || zg_framing_is_sided(framing) || zg_plan_trailing(c->plan) > 0 ||
        zg_plan_has_fixed_ends(c->plan, zg_receivers(c->side)))
        g_string_append_printf(text, "#if !ZG_MARKS_MORE\n#error \"%s needs ZG_MARKS_MORE=1\"\n#endif\n\n", c->prefix);
}

/* The framing around one that is coded. */
static void print_coded(const struct zgi_c *c, GString *text, enum zg_side side)
{
    const struct zg_framing *inner = &c->plan->framer.inner;
    g_autofree char *inside = inner_name(c, side);
    g_autofree char *coding = outer_name(c, side, "coding");
    g_autofree char *coded = outer_name(c, side, "coded");

    g_string_append_printf(text,
                           "static const struct zg_coding %s = { &%s, %s };\nstatic const struct zg_framing "
                           "%s = ZG_CODED(&%s, %s, %s);\n\n",
                           coding, inside, c->plan->definition->framing.coding == ZG_CODING_UPPER ? "true" : "false",
                           coded, coding, inner->lead ? "true" : "false", inner->rereads ? "true" : "false");
}

/* The framing around one whose bytes are sent as halves. */
static void print_halved(const struct zgi_c *c, GString *text, enum zg_side side)
{
    const struct zg_halves *like = &c->plan->framer.halves;
    g_autofree char *inside = joined_name(c, side);
    g_autofree char *halves = outer_name(c, side, "halves");
    g_autofree char *halved = outer_name(c, side, "halved");

    g_string_append_printf(text,
                           "static const struct zg_halves %s = ZG_HALVES(&%s, %s, %zu, %zu);\n"
                           "static const struct zg_framing %s = ZG_HALVED(&%s, %s);\n\n",
                           halves, inside, like->high_first ? "true" : "false", like->room, like->max_frame, halved,
                           halves, like->inner->lead ? "true" : "false");
}

static void print_options(const struct zgi_c *c, GString *text)
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

void zgi_c_framing(const struct zgi_c *c, GString *text)
{
    const struct zg_framing_choice *framing = &c->plan->definition->framing;

    print_options(c, text);
    for (enum zg_side side = ZG_SIDE_DEVICE; side <= (is_sided(c->plan) ? ZG_SIDE_HOST : ZG_SIDE_DEVICE); side++) {
        if (framing->coding)
            print_coded(c, text, side);
        if (framing->halves)
            print_halved(c, text, side);
    }
}
