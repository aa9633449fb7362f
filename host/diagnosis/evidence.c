/* SPDX-License-Identifier: MIT */
#include "diagnosis/evidence.h"

#include <math.h>

static void clear_stretch(void *data)
{
    struct zg_evidence_stretch *stretch = data;

    g_clear_pointer(&stretch->sent, g_bytes_unref);
    g_clear_pointer(&stretch->arrived, g_bytes_unref);
}

struct zg_evidence *zg_evidence_new(void)
{
    struct zg_evidence *evidence = g_new0(struct zg_evidence, 1);

    evidence->stretches = g_array_new(FALSE, FALSE, sizeof(struct zg_evidence_stretch));
    g_array_set_clear_func(evidence->stretches, clear_stretch);
    for (unsigned way = 0; way < 2; way++) {
        evidence->seconds[way] = g_array_new(FALSE, TRUE, sizeof(struct zg_evidence_second));
        evidence->picked[way] = g_array_new(FALSE, FALSE, sizeof(double));
        evidence->whole_until_s[way] = INFINITY;
    }
    evidence->restarts = g_array_new(FALSE, FALSE, sizeof(double));
    evidence->outages = g_array_new(FALSE, FALSE, sizeof(double));
    return evidence;
}

void zg_evidence_free(struct zg_evidence *evidence)
{
    if (!evidence)
        return;
    g_array_unref(evidence->stretches);
    for (unsigned way = 0; way < 2; way++) {
        g_array_unref(evidence->seconds[way]);
        g_array_unref(evidence->picked[way]);
    }
    g_array_unref(evidence->restarts);
    g_array_unref(evidence->outages);
    g_free(evidence);
}

void zg_evidence_hits(const struct zg_damage_found *stretch, const struct zg_alignment *alignment, double *from_s,
                      double *to_s)
{
    *from_s = *to_s = NAN;
    if (zg_alignment_name(alignment) == ZG_DAMAGE_NONE || !stretch->times || stretch->times->len == 0)
        return;
    *from_s = (double)zg_damage_time_ns(stretch, alignment->hit_from) * 1e-9;
    *to_s = (double)zg_damage_time_ns(stretch, alignment->hit_to) * 1e-9;
}

void zg_evidence_add_second(struct zg_evidence *evidence, bool back, uint32_t at,
                            const struct zg_evidence_second *second, const GArray *picked_us)
{
    GArray *seconds = evidence->seconds[back];

    if (at >= seconds->len)
        g_array_set_size(seconds, at + 1);
    g_array_index(seconds, struct zg_evidence_second, at) = *second;
    for (guint i = 0; picked_us && i < picked_us->len; i++) {
        const double at_s = at + g_array_index(picked_us, uint32_t, i) * 1e-6;
        g_array_append_val(evidence->picked[back], at_s);
    }
}

void zg_evidence_set_events(struct zg_evidence *evidence, const GArray *events)
{
    g_array_set_size(evidence->restarts, 0);
    g_array_set_size(evidence->outages, 0);
    for (guint i = 0; i < events->len; i++) {
        const struct zg_event *event = &g_array_index(events, struct zg_event, i);
        const double at_s = (double)event->at_ns * 1e-9;
        if (event->kind == ZG_EVENT_RESTART)
            g_array_append_val(evidence->restarts, at_s);
        else if (event->kind == ZG_EVENT_OUTAGE)
            g_array_append_val(evidence->outages, at_s);
    }
}

void zg_evidence_set_sums(struct zg_evidence *evidence, const struct zg_ledger_sums *sums)
{
    for (unsigned end = 0; end < 2; end++) {
        evidence->repeated[end] = sums->arrivals[end][ZG_CLASS_REPEATED];
        evidence->out_of_order[end] = sums->arrivals[end][ZG_CLASS_OUT_OF_ORDER];
        evidence->unexpected[end] = sums->arrivals[end][ZG_CLASS_UNEXPECTED];
    }
}

static void take_second(const struct zg_second *second, void *data)
{
    for (unsigned way = 0; way < 2 && second->held_ms == 0; way++) { /* at the device (0) arrives what goes out */
        const double came = (double)MAX(second->came[way], 1);
        const struct zg_evidence_second taken = { (double)second->carried[!way], (double)second->came[way],
                                                  (double)second->lump_bytes[way] / came,
                                                  (double)second->lump_us[way] / came };
        zg_evidence_add_second(data, way == 1, second->at, &taken, second->picked[way]);
    }
}

static void take_stretch(struct zg_evidence *evidence, const struct zg_damage_found *found)
{
    struct zg_evidence_stretch stretch = { .from_s = (double)found->from_ns * 1e-9,
                                           .to_s = (double)found->to_ns * 1e-9,
                                           .hit_from_s = NAN,
                                           .hit_to_s = NAN,
                                           .back = found->at_host,
                                           .frames = found->frames,
                                           .accepted = found->accepted };

    for (unsigned i = 0; i < ZG_FLAGS; i++)
        stretch.flagged[i] = found->flagged[i];
    if (found->sent && found->arrived) {
        gsize sent_size, arrived_size;
        const uint8_t *sent = g_bytes_get_data(found->sent, &sent_size);
        const uint8_t *arrived = g_bytes_get_data(found->arrived, &arrived_size);
        const struct zg_alignment alignment = zg_align(sent, sent_size, arrived, arrived_size);
        zg_evidence_hits(found, &alignment, &stretch.hit_from_s, &stretch.hit_to_s);
        stretch.sent = g_bytes_ref(found->sent);
        stretch.arrived = g_bytes_ref(found->arrived);
    }
    g_array_append_val(evidence->stretches, stretch);
}

void zg_evidence_take(struct zg_evidence *evidence, struct zg_journal *journal)
{
    g_autoptr(GArray) stretches = zg_journal_take_stretches(journal);

    for (guint i = 0; i < stretches->len; i++)
        take_stretch(evidence, &g_array_index(stretches, struct zg_damage_found, i));
    zg_journal_take(journal, take_second, evidence);
    zg_evidence_set_events(evidence, zg_journal_events(journal));
}
