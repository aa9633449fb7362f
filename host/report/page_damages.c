/* SPDX-License-Identifier: MIT */
/* What did it, and the damages themselves. */
#include <math.h>

#include "report/page_parts.h"

enum {
    SHOWN_MOST = 600,
    OPEN = 3,      /* at first */
    OF_A_KIND = 5, /* are shown in any case */
    BESIDE = 6,    /* bytes that are the same, before and after those that are not */
    COLUMNS = 24,
    LINES_MOST = 12
};

void zgi_page_causes(GString *page, const struct zg_stored *stored)
{
    const struct zg_diagnosis *found = stored->diagnosis;

    g_string_append(page, "<h2>What did it</h2>\n");
    if (found->findings->len == 0)
        g_string_append(page, "<p>Nothing that the diagnosis knows.</p>\n");
    for (guint i = 0; i < found->findings->len; i++) {
        const struct zg_finding *finding = &g_array_index(found->findings, struct zg_finding, i);
        const uint64_t all = found->damages[finding->back];
        zgi_page(page, "<div class=\"cause\"><h3>%s: %s</h3>", finding->back ? "back" : "out",
                 zg_cause_name(finding->cause));
        if (finding->damages > 0 && all > 0)
            g_string_append_printf(page,
                                   "<p class=\"note\">explains %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT
                                   " damages</p><div class=\"share\"><i style=\"width:%.1f%%\"></i></div>",
                                   finding->damages, all, 100.0 * (double)finding->damages / (double)all);
        zgi_page(page, "<p>%s</p></div>\n", finding->evidence);
    }
    for (unsigned back = 0; back < 2; back++)
        if (found->damages[back] > 0)
            g_string_append_printf(page,
                                   "<p class=\"note\">%s: unexplained %" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT
                                   "; the bytes of %" G_GUINT64_FORMAT " are known</p>\n",
                                   back ? "back" : "out", found->unexplained[back], found->damages[back],
                                   found->looked_at[back]);
}

/* --- one damage */

/* A place of the alignment: a byte that left, and what arrived for it. -1: none. */
struct column {
    int sent, arrived;
    bool is_same;
};

static GArray *columns_of(const struct zg_evidence_stretch *stretch, const GArray *steps)
{
    GArray *columns = g_array_new(FALSE, FALSE, sizeof(struct column));
    gsize sent_size, arrived_size, i = 0, k = 0;
    const uint8_t *sent = g_bytes_get_data(stretch->sent, &sent_size);
    const uint8_t *arrived = g_bytes_get_data(stretch->arrived, &arrived_size);

    for (guint at = 0; at <= steps->len; at++) {
        const struct zg_align_step *step = at < steps->len ? &g_array_index(steps, struct zg_align_step, at) : NULL;
        for (; i < sent_size && k < arrived_size && (!step || i < step->sent_at || k < step->arrived_at); i++, k++) {
            const struct column same = { sent[i], arrived[k], sent[i] == arrived[k] };
            g_array_append_val(columns, same);
        }
        for (unsigned n = 0; step && n < step->count; n++) {
            struct column one = { -1, -1, false };
            if (step->what != ZG_ALIGN_INSERTED && i < sent_size)
                one.sent = sent[i++];
            if (step->what != ZG_ALIGN_MISSING && k < arrived_size)
                one.arrived = arrived[k++];
            g_array_append_val(columns, one);
        }
    }
    return columns;
}

/* Whether a column is shown: it is not the same, or next to one that is not. */
static bool is_shown(const GArray *columns, guint at)
{
    const guint from = at - MIN(at, (guint)BESIDE), to = MIN(at + BESIDE + 1, columns->len);

    for (guint i = from; i < to; i++)
        if (!g_array_index(columns, struct column, i).is_same)
            return true;
    return false;
}

static void append_byte(GString *line, int byte, bool is_same)
{
    if (byte < 0)
        g_string_append(line, " <b>--</b>");
    else if (is_same)
        g_string_append_printf(line, " %02X", (unsigned)byte);
    else
        g_string_append_printf(line, " <b>%02X</b>", (unsigned)byte);
}

/* Both rows, one above the other, with what is the same left out. */
static void append_hex(GString *page, const struct zg_evidence_stretch *stretch, const GArray *steps)
{
    g_autoptr(GArray) columns = columns_of(stretch, steps);
    g_autoptr(GString) sent = g_string_new(NULL);
    g_autoptr(GString) arrived = g_string_new(NULL);
    guint width = 0, lines = 0, skipped = 0;

    g_string_append(page, "<pre>");
    for (guint i = 0; i <= columns->len && lines < LINES_MOST; i++) {
        const bool shown = i < columns->len && is_shown(columns, i);
        if (width > 0 && (i == columns->len || width == COLUMNS || !shown)) {
            g_string_append_printf(page, "sent   %s\narrived%s\n", sent->str, arrived->str);
            g_string_set_size(sent, 0);
            g_string_set_size(arrived, 0);
            width = 0;
            lines++;
        }
        if (skipped > 0 && (shown || i == columns->len))
            g_string_append_printf(page, "<span class=\"e\">        ... %u the same</span>\n", skipped);
        skipped = shown || i == columns->len ? 0 : skipped + 1;
        if (!shown)
            continue;
        const struct column *column = &g_array_index(columns, struct column, i);
        append_byte(sent, column->sent, column->is_same);
        append_byte(arrived, column->arrived, column->is_same);
        width++;
    }
    g_string_append(page,
                    lines == LINES_MOST ? "<span class=\"e\">        ... more in the store</span>\n</pre>" : "</pre>");
}

/* What was done to the bytes, with the steps of their alignment; ZG_DAMAGE_NAMES if they are not known. */
static enum zg_damage_name name_of(const struct zg_evidence_stretch *stretch, GArray *steps)
{
    gsize sent_size, arrived_size;

    if (!stretch->sent || !stretch->arrived)
        return ZG_DAMAGE_NAMES;
    const uint8_t *sent = g_bytes_get_data(stretch->sent, &sent_size);
    const uint8_t *arrived = g_bytes_get_data(stretch->arrived, &arrived_size);
    const struct zg_alignment alignment = zg_align_steps(sent, sent_size, arrived, arrived_size, steps);
    return zg_alignment_name(&alignment);
}

static void append_stretch(GString *page, const struct zg_evidence_stretch *stretch, bool is_open)
{
    g_autoptr(GArray) steps = g_array_new(FALSE, FALSE, sizeof(struct zg_align_step));
    const enum zg_damage_name name = name_of(stretch, steps);
    const char *what = name < ZG_DAMAGE_NAMES ? zg_damage_name(name) : "bytes not known";
    g_autoptr(GString) keys = g_string_new(NULL);
    g_autoptr(GString) names = g_string_new(NULL);

    for (unsigned i = 0; i < ZG_CAUSES; i++)
        if (stretch->causes >> i & 1) {
            g_string_append_printf(keys, "%s%s", keys->len > 0 ? " " : "", zg_cause_key((enum zg_cause)i));
            g_string_append_printf(names, "%s%s", names->len > 0 ? ", " : "", zg_cause_name((enum zg_cause)i));
        }
    zgi_page(page, "<details%s class=\"stretch\" data-way=\"%s\" data-what=\"%s\" data-causes=\"%s\"><summary>",
             is_open ? " open" : "", stretch->back ? "back" : "out",
             name < ZG_DAMAGE_NAMES ? zg_damage_key(name) : "unknown", keys->len > 0 ? keys->str : "unexplained");
    g_string_append_printf(page, "%.4f s, ", isnan(stretch->hit_from_s) ? stretch->from_s : stretch->hit_from_s);
    zgi_page(page, "%s: %s; %s", stretch->back ? "back" : "out", what, names->len > 0 ? names->str : "unexplained");
    g_string_append_printf(page, "; %u frame%s</summary>", stretch->frames, stretch->frames == 1 ? "" : "s");
    if (name < ZG_DAMAGE_NAMES)
        append_hex(page, stretch, steps);
    g_string_append(page, "</details>\n");
}

/* --- all of them */

static void append_option(GString *page, const char *key, const char *name)
{
    zgi_page(page, "<option value=\"%s\">%s</option>", key, name);
}

static void append_filters(GString *page, const struct zg_stored *stored, guint count)
{
    uint32_t causes = 0;

    for (guint i = 0; i < stored->diagnosis->findings->len; i++)
        causes |= UINT32_C(1) << g_array_index(stored->diagnosis->findings, struct zg_finding, i).cause;
    g_string_append(page, "<div class=\"filters\"><label>way <select name=\"way\"><option value=\"\">both</option>");
    append_option(page, "out", "out");
    append_option(page, "back", "back");
    g_string_append(page, "</select></label><label>cause <select name=\"cause\"><option value=\"\">all</option>");
    for (unsigned i = 0; i < ZG_CAUSES; i++)
        if (causes >> i & 1)
            append_option(page, zg_cause_key((enum zg_cause)i), zg_cause_name((enum zg_cause)i));
    append_option(page, "unexplained", "unexplained");
    g_string_append(page,
                    "</select></label><label>what was done <select name=\"what\"><option value=\"\">all</option>");
    for (unsigned i = 0; i < ZG_DAMAGE_NAMES; i++)
        append_option(page, zg_damage_key((enum zg_damage_name)i), zg_damage_name((enum zg_damage_name)i));
    append_option(page, "unknown", "bytes not known");
    g_string_append_printf(page,
                           "</select></label><button id=\"open-all\" type=\"button\">open or close all</button><span "
                           "class=\"quiet\"><span id=\"shown\">%u</span> of %u shown</span></div>\n",
                           count, count);
}

/* Which are shown: some of each kind, and of all the others evenly many. */
static GArray *choose(const GArray *stretches)
{
    GArray *chosen = g_array_new(FALSE, FALSE, sizeof(guint));
    g_autoptr(GHashTable) seen = g_hash_table_new(g_direct_hash, g_direct_equal);
    const guint one_in = stretches->len / SHOWN_MOST + 1;

    for (guint i = 0; i < stretches->len; i++) {
        const struct zg_evidence_stretch *stretch = &g_array_index(stretches, struct zg_evidence_stretch, i);
        const gpointer kind = GUINT_TO_POINTER(stretch->causes << 1 | stretch->back);
        const guint before = GPOINTER_TO_UINT(g_hash_table_lookup(seen, kind));
        g_hash_table_insert(seen, kind, GUINT_TO_POINTER(before + 1));
        if (before < OF_A_KIND || i % one_in == 0)
            g_array_append_val(chosen, i);
    }
    return chosen;
}

void zgi_page_stretches(GString *page, const struct zg_stored *stored)
{
    const GArray *stretches = stored->evidence->stretches;
    g_autoptr(GArray) chosen = choose(stretches);

    if (stretches->len == 0)
        return;
    g_string_append_printf(
        page,
        "<h2 id=\"damages\">Damages</h2>\n<p class=\"note\">%u of %u: bytes as they were sent and as they arrived, "
        "from "
        "one intact frame to the next. What differs is underlined; -- is no byte. Those that are open are "
        "printed.</p>\n",
        chosen->len, stretches->len);
    append_filters(page, stored, chosen->len);
    for (guint i = 0; i < chosen->len; i++)
        append_stretch(page, &g_array_index(stretches, struct zg_evidence_stretch, g_array_index(chosen, guint, i)),
                       i < OPEN);
}
