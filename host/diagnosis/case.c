/* SPDX-License-Identifier: MIT */
#include "diagnosis/case.h"

#include <math.h>

/* What its bytes ask, and its hits. */
static void look_at_bytes(struct zgi_case *of, struct zgi_mark *mark)
{
    const struct zg_evidence_stretch *stretch = mark->stretch;
    gsize sent_size, arrived_size;
    const uint8_t *sent = g_bytes_get_data(stretch->sent, &sent_size);
    const uint8_t *arrived = g_bytes_get_data(stretch->arrived, &arrived_size);
    const struct zg_alignment *alignment = &mark->alignment;

    mark->alignment = zg_align_steps(sent, sent_size, arrived, arrived_size, of->steps);
    mark->steps_end = of->steps->len;
    const double span_s = stretch->hit_to_s - stretch->hit_from_s,
                 span = (double)MAX(alignment->hit_to - alignment->hit_from, 1);
    for (guint i = mark->steps; i < mark->steps_end; i++) {
        const struct zg_align_step step = *zgi_step_at(of, i);
        if (step.what == ZG_ALIGN_MISSING)
            mark->longest_gap = MAX(mark->longest_gap, step.count);
        if (step.what != ZG_ALIGN_CHANGED || alignment->hit_bytes == 0)
            continue;
        const struct zgi_hit hit = {
            of->marks->len,     stretch->hit_from_s + span_s * (step.arrived_at - alignment->hit_from) / span,
            step.sent_at,       step.arrived_at,
            sent[step.sent_at], arrived[step.arrived_at]
        };
        g_array_append_val(of->hits, hit);
        for (unsigned bit = 0; bit < 8; bit++)
            of->diagnosis->bits[of->back][bit] += (unsigned)(hit.sent ^ hit.arrived) >> bit & 1;
    }
    if (stretch->frames == 1 && mark->steps_end > mark->steps)
        of->diagnosis->places[of->back][MIN(zgi_step_at(of, mark->steps)->sent_at, ZG_PLACES - 1U)]++;
    if (alignment->held > 0)
        mark->longest_gap = MAX(mark->longest_gap, alignment->held);
    mark->asks |= alignment->hit_bytes > 0 ? ZGI_WHY_FLIPS : 0;
    mark->asks |= alignment->doubled + alignment->inserted > 0 ? ZGI_WHY_SINGLES : 0;
    if (alignment->missing > 0)
        mark->asks |= mark->longest_gap > 1 ? ZGI_WHY_GAP : ZGI_WHY_SINGLES;
    mark->asks |= alignment->held > 0 ? ZGI_WHY_GAP : 0;
}

static void look_at(struct zgi_case *of, struct zg_evidence_stretch *stretch)
{
    struct zgi_mark mark = { .stretch = stretch, .steps = of->steps->len, .steps_end = of->steps->len };

    stretch->causes = 0;
    mark.is_known = stretch->sent && stretch->arrived;
    if (mark.is_known)
        look_at_bytes(of, &mark);
    mark.asks |= stretch->accepted > 0 ? ZGI_WHY_ACCEPTED : 0;
    if (mark.asks == 0)
        mark.asks = ZGI_WHY_NOTHING;
    of->diagnosis->looked_at[of->back] += mark.is_known;
    g_array_append_val(of->marks, mark);
}

struct zgi_case zgi_case_of(struct zg_evidence *evidence, struct zg_diagnosis *diagnosis, bool back)
{
    struct zgi_case of = { .evidence = evidence, .diagnosis = diagnosis, .back = back };

    of.marks = g_array_new(FALSE, FALSE, sizeof(struct zgi_mark));
    of.steps = g_array_new(FALSE, FALSE, sizeof(struct zg_align_step));
    of.hits = g_array_new(FALSE, FALSE, sizeof(struct zgi_hit));
    for (guint i = 0; i < evidence->stretches->len; i++) {
        struct zg_evidence_stretch *stretch = &g_array_index(evidence->stretches, struct zg_evidence_stretch, i);
        if (stretch->back == back)
            look_at(&of, stretch);
    }
    for (guint i = 0; i < evidence->seconds[back]->len; i++)
        of.bytes += g_array_index(evidence->seconds[back], struct zg_evidence_second, i).carried;
    diagnosis->damages[back] = of.marks->len;
    return of;
}

void zgi_case_clear(struct zgi_case *of)
{
    g_array_unref(of->marks);
    g_array_unref(of->steps);
    g_array_unref(of->hits);
}

void zgi_answer(struct zgi_mark *mark, enum zg_cause cause, unsigned answered)
{
    if ((mark->asks & answered) == 0)
        return;
    mark->answered |= answered;
    mark->stretch->causes |= UINT32_C(1) << cause;
}

void zgi_drop_answered_hits(struct zgi_case *of)
{
    guint kept = 0;

    for (guint i = 0; i < of->hits->len; i++)
        if (!(zgi_mark_at(of, zgi_hit_at(of, i)->mark)->answered & ZGI_WHY_FLIPS))
            *zgi_hit_at(of, kept++) = *zgi_hit_at(of, i);
    g_array_set_size(of->hits, kept);
}

uint64_t zgi_explained_by(const struct zgi_case *of, enum zg_cause cause)
{
    uint64_t count = 0;

    for (guint i = 0; i < of->marks->len; i++)
        count += zgi_mark_at(of, i)->stretch->causes >> cause & 1;
    return count;
}

struct zg_finding *zgi_find(struct zgi_case *of, enum zg_cause cause, char *evidence)
{
    const struct zg_finding finding = {
        .cause = cause, .back = of->back, .damages = zgi_explained_by(of, cause), .evidence = evidence
    };

    g_array_append_val(of->diagnosis->findings, finding);
    return &g_array_index(of->diagnosis->findings, struct zg_finding, of->diagnosis->findings->len - 1);
}

void zgi_quantity(struct zg_finding *finding, const char *key, double value)
{
    for (unsigned i = 0; i < ZG_QUANTITIES; i++)
        if (!finding->quantities[i].key) {
            finding->quantities[i].key = key;
            finding->quantities[i].value = value;
            return;
        }
}

void zgi_find_frames(struct zgi_case *of, enum zg_cause cause, uint64_t frames, const char *words)
{
    if (frames > 0)
        zgi_quantity(zgi_find(of, cause, g_strdup_printf("%" G_GUINT64_FORMAT " %s", frames, words)), "frames",
                     (double)frames);
}

char *zgi_duration(double seconds)
{
    static const struct {
        double least, scale;
        const char *unit;
    } units[] = { { 1, 1, "s" }, { 1e-3, 1e3, "ms" }, { 1e-6, 1e6, "us" }, { 0, 1e9, "ns" } };
    unsigned i = 0;

    while (seconds < units[i].least)
        i++;
    return g_strdup_printf("%.3g %s", seconds * units[i].scale, units[i].unit);
}
