/* SPDX-License-Identifier: MIT */
/* Causes that were noted when they happened, or counted: no test is needed. */
#include "diagnosis/causes.h"

#include <math.h>

#include "soak/statistics.h"

enum { GAP_LEAST = 3 /* bytes in a row, for a cut */, LUMPS_LEAST = 10, LUMP_BYTES_LEAST = 8 };

static const double lump_least_s = 2e-3;

/* Whether one of these moments lies within the stretch, or so much before. */
static bool is_within(const GArray *moments, const struct zg_evidence_stretch *stretch, double before_s)
{
    for (guint i = 0; i < moments->len; i++) {
        const double at_s = g_array_index(moments, double, i);
        if (at_s >= stretch->from_s - before_s && at_s <= stretch->to_s)
            return true;
    }
    return false;
}

void zgi_look_for_restarts(struct zgi_case *of)
{
    const GArray *restarts = of->evidence->restarts;

    for (guint i = 0; restarts->len > 0 && i < of->marks->len; i++)
        if (is_within(restarts, zgi_mark_at(of, i)->stretch, 10e-3))
            zgi_answer(zgi_mark_at(of, i), ZG_CAUSE_RESTART, ZGI_WHYS);
    if (restarts->len > 0 && (!of->back || zgi_explained_by(of, ZG_CAUSE_RESTART) > 0))
        zgi_quantity(zgi_find(of, ZG_CAUSE_RESTART,
                              g_strdup_printf("%u restart%s", restarts->len, restarts->len == 1 ? "" : "s")),
                     "restarts", restarts->len);
}

/* While frames waited in the ring, what overran was counted already: the gap follows them. */
static void answer_next(struct zgi_case *of, guint index, enum zg_cause cause)
{
    const double flagged_s = zgi_mark_at(of, index)->stretch->to_s, soon_s = 50e-3;

    for (guint i = index + 1; i < of->marks->len; i++) {
        struct zgi_mark *mark = zgi_mark_at(of, i);
        if (mark->stretch->from_s > flagged_s + soon_s)
            return;
        zgi_answer(mark, cause, ZGI_WHY_GAP | ZGI_WHY_SINGLES);
    }
}

/* One of both buffers, by what the link counted. */
static void look_for_overrun(struct zgi_case *of, enum zg_cause cause, enum zg_flagged flag, uint64_t counted)
{
    uint64_t flagged = 0, missing = 0;
    unsigned longest = 0;

    for (guint i = 0; i < of->marks->len; i++) {
        struct zgi_mark *mark = zgi_mark_at(of, i);
        if (mark->stretch->flagged[flag] == 0)
            continue;
        flagged += mark->stretch->flagged[flag];
        missing += mark->alignment.missing;
        longest = MAX(longest, mark->longest_gap);
        zgi_answer(mark, cause, ZGI_WHY_GAP | ZGI_WHY_SINGLES | ZGI_WHY_NOTHING);
        if (mark->asks == ZGI_WHY_NOTHING)
            answer_next(of, i, cause);
    }
    if (flagged == 0 && counted == 0)
        return;
    struct zg_finding *finding =
        zgi_find(of, cause,
                 g_strdup_printf("counted %" G_GUINT64_FORMAT " times where it arrived; %" G_GUINT64_FORMAT
                                 " bytes missing, at most %u in a row; %s",
                                 MAX(flagged, counted), missing, longest,
                                 cause == ZG_CAUSE_FIFO ? "interrupts were held up for longer than the FIFO lasts"
                                                        : "the loop that empties the ring was held up"));
    zgi_quantity(finding, "counted", (double)MAX(flagged, counted));
    zgi_quantity(finding, "missing_bytes", (double)missing);
    zgi_quantity(finding, "longest_gap_bytes", longest);
}

void zgi_look_for_overruns(struct zgi_case *of)
{
    look_for_overrun(of, ZG_CAUSE_FIFO, ZG_FLAGGED_OVERRUN, of->evidence->overruns[of->back]);
    look_for_overrun(of, ZG_CAUSE_RING, ZG_FLAGGED_DROPPED, of->evidence->dropped[of->back]);
}

/* For how long, at least, the line gave nothing, or one level, in a stretch; 0: it did not. */
static double cut_of(const struct zgi_case *of, const struct zgi_mark *mark)
{
    const struct zg_evidence_stretch *stretch = mark->stretch;

    if (is_within(of->evidence->outages, stretch, 0))
        return stretch->to_s - stretch->from_s;
    if (!(mark->asks & ~mark->answered & ZGI_WHY_GAP) || mark->longest_gap < GAP_LEAST)
        return 0;
    const unsigned odd = mark->alignment.inserted + mark->alignment.doubled + mark->alignment.hit_bytes;
    if (odd > mark->longest_gap / 2)
        return 0;
    const double span_s = isnan(stretch->hit_from_s) ? 0 : stretch->hit_to_s - stretch->hit_from_s;
    if (g_bytes_get_size(stretch->sent) >= ZG_STRETCH_BYTES_MOST)
        return fmax(span_s, stretch->to_s - stretch->from_s - 2e-3);
    return fmax(mark->longest_gap * of->evidence->byte_s, span_s);
}

void zgi_look_for_cuts(struct zgi_case *of)
{
    double shortest_s = INFINITY, longest_s = 0, held = 0, count = 0;

    for (guint i = 0; i < of->marks->len; i++) {
        struct zgi_mark *mark = zgi_mark_at(of, i);
        const double cut_s = cut_of(of, mark);
        if (cut_s <= 0)
            continue;
        shortest_s = fmin(shortest_s, cut_s);
        longest_s = fmax(longest_s, mark->stretch->to_s - mark->stretch->from_s);
        held += mark->alignment.held > 0;
        count++;
        zgi_answer(mark, ZG_CAUSE_CUT, ZGI_WHY_GAP | ZGI_WHY_SINGLES | ZGI_WHY_NOTHING);
        if (mark->alignment.hit_bytes <= 2) /* where it began and ended */
            zgi_answer(mark, ZG_CAUSE_CUT, ZGI_WHY_FLIPS);
    }
    if (count == 0)
        return;
    g_autofree char *shortest = zgi_duration(shortest_s), *longest = zgi_duration(longest_s);
    struct zg_finding *finding =
        zgi_find(of, ZG_CAUSE_CUT,
                 g_strdup_printf("%.0f times, for %s at least and %s at most%s; no buffer overran then", count,
                                 shortest, longest,
                                 held == 0       ? ": bytes that never came"
                                 : held == count ? ": bytes that came as 00 or FF"
                                                 : ": bytes that never came, or as 00 or FF"));
    zgi_quantity(finding, "times", count);
    zgi_quantity(finding, "shortest_seconds", shortest_s);
    zgi_quantity(finding, "longest_seconds", longest_s);
    zgi_quantity(finding, "held", held);
}

void zgi_look_for_senders(struct zgi_case *of)
{
    const struct zg_evidence *evidence = of->evidence;
    const uint64_t repeated = evidence->repeated[of->back], swapped = evidence->out_of_order[of->back],
                   echoes = of->back ? evidence->own_echoes : 0, others = evidence->unexpected[of->back] - echoes;

    zgi_find_frames(of, ZG_CAUSE_ECHO, echoes,
                    "frames that this end sent came back to it: its receiver is on while it sends");
    zgi_find_frames(of, ZG_CAUSE_OTHER, others, "valid frames arrived that this soak never sent");
    if (repeated + swapped > 0) {
        struct zg_finding *finding = zgi_find(of, ZG_CAUSE_SENDER,
                                              g_strdup_printf("whole frames: %" G_GUINT64_FORMAT
                                                              " came again, %" G_GUINT64_FORMAT " out of order",
                                                              repeated, swapped));
        zgi_quantity(finding, "repeated", (double)repeated);
        zgi_quantity(finding, "out_of_order", (double)swapped);
    }
}

static double median(GArray *values)
{
    g_array_sort(values, zg_by_value);
    return g_array_index(values, double, values->len / 2);
}

void zgi_look_for_lumps(struct zgi_case *of)
{
    const GArray *seconds = of->evidence->seconds[of->back];
    g_autoptr(GArray) gaps = g_array_new(FALSE, FALSE, sizeof(double));
    g_autoptr(GArray) sizes = g_array_new(FALSE, FALSE, sizeof(double));
    double lumps = 0, came = 0, busy = 0;

    for (guint i = 0; i < seconds->len; i++) {
        const struct zg_evidence_second *second = &g_array_index(seconds, struct zg_evidence_second, i);
        const double gap_s = second->lump_us * 1e-6;
        came += second->came;
        if (second->lump_bytes < LUMP_BYTES_LEAST || second->lump_bytes * of->evidence->byte_s < lump_least_s ||
            gap_s < fmax(lump_least_s, 0.8 * second->lump_bytes * of->evidence->byte_s))
            continue;
        busy += second->came;
        lumps += second->came / second->lump_bytes;
        g_array_append_val(gaps, gap_s);
        g_array_append_val(sizes, second->lump_bytes);
    }
    if (lumps < LUMPS_LEAST || busy < 0.9 * came)
        return;
    const double gap_s = median(gaps), size = median(sizes);
    g_autofree char *gap = zgi_duration(gap_s), *length = zgi_duration(size * of->evidence->byte_s);
    struct zg_finding *finding =
        zgi_find(of, ZG_CAUSE_LUMPS,
                 g_strdup_printf("%.0f bytes at once, which take %s on the line, every %s", size, length, gap));
    zgi_quantity(finding, "lump_bytes", size);
    zgi_quantity(finding, "every_seconds", gap_s);
}
