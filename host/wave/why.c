/* SPDX-License-Identifier: MIT */
#include "wave/why.h"

#include <math.h>

enum { EDGES = 40000, LISTED = 5 };

/* A way to read it, and what that finds. */
struct candidate {
    struct zg_receiving as;
    bool swapped;
    unsigned changes; /* how much is other than it was */
    struct zg_received_counts counts;
};

static void clear(void *data)
{
    g_free(((struct zg_explanation *)data)->as);
}

static double share(const struct zg_received_counts *counts)
{
    return counts->characters > 0 ? (double)counts->sound / (double)counts->characters : 0;
}

/* Better ones first. Reading at a wrong rate finds fewer characters or more, so that shares of them count, too. */
static int by_worth(const void *a, const void *b)
{
    const struct candidate *left = a, *right = b;
    const double sound = share(&right->counts) - share(&left->counts);

    if (left->counts.frames != right->counts.frames)
        return left->counts.frames > right->counts.frames ? -1 : 1;
    if (fabs(sound) > 0.001)
        return sound < 0 ? -1 : 1;
    return (left->changes > right->changes) - (left->changes < right->changes);
}

static char *text_of(const struct candidate *candidate, const struct zg_receiving *usual)
{
    static const char *const stops[] = { "1", "1.5", "2" };
    const struct zg_uart_format *format = &candidate->as.format;
    const double nearest = floor(candidate->as.baud + 0.5);
    GString *text = g_string_new(NULL);

    if (candidate->swapped)
        return g_string_free(g_string_append(text, "clock and data swapped"), FALSE);
    g_string_append_printf(text, "%.0f %u%c%s", nearest, format->data_bits, format->parity,
                           stops[format->half_stops - 2]);
    if (format->msb_first)
        g_string_append(text, " msb first");
    if (format->idle_low != usual->format.idle_low)
        g_string_append(text, " inverted");
    return g_string_free(text, FALSE);
}

static void try_all(GArray *candidates, const struct zg_receiving *as, const struct zg_measured *measured,
                    bool has_plan)
{
    static const char parities[] = { 'N', 'E', 'O' };
    const double rates[] = { as->baud, measured->has_rate ? measured->rate_bd : as->baud };
    const bool has_other = fabs(rates[1] / rates[0] - 1) > 0.01;

    for (unsigned i = 0; i < 2U * 2U * 2U * 2U * G_N_ELEMENTS(parities); i++) {
        struct candidate candidate = { .as = *as };
        struct zg_uart_format *format = &candidate.as.format;
        const bool other_rate = i & 1U;
        format->idle_low = format->idle_low != ((i >> 1 & 1U) != 0);
        format->msb_first = format->msb_first != ((i >> 2 & 1U) != 0);
        format->data_bits = !(i >> 3 & 1U) ? as->format.data_bits : as->format.data_bits == 8 ? 7 : 8;
        format->parity = parities[i >> 4];
        candidate.as.baud = rates[other_rate];
        candidate.changes = 0U + other_rate + (format->idle_low != as->format.idle_low) +
                            (format->msb_first != as->format.msb_first) + (format->data_bits != as->format.data_bits) +
                            (format->parity != as->format.parity);
        if (candidate.changes > 0 && (!other_rate || has_other) &&
            (has_plan || format->msb_first == as->format.msb_first))
            g_array_append_val(candidates, candidate);
    }
}

GArray *zg_explain_wire(const struct zg_trace *trace, const struct zg_receiving *as, const struct zg_measured *measured,
                        const struct zg_plan *plan)
{
    GArray *explanations = g_array_new(FALSE, FALSE, sizeof(struct zg_explanation));
    g_autoptr(GArray) candidates = g_array_new(FALSE, FALSE, sizeof(struct candidate));
    const struct zg_received_calls calls = { 0 };
    struct zg_trace *head = zg_trace_head(trace, EDGES);
    struct zg_trace *clock = as->pair ? zg_trace_head(as->clock, EDGES) : NULL;
    struct zg_receiving usual = *as;

    g_array_set_clear_func(explanations, clear);
    usual.clock = clock;
    usual.is_whole = as->is_whole && head->changes == trace->changes;
    const struct candidate defined = { .as = usual, .counts = zg_receive_frames(head, &usual, plan, &calls) };
    if (as->pair) {
        struct candidate swapped = { .as = usual, .swapped = true, .changes = 1 };
        g_array_append_val(candidates, swapped);
    } else
        try_all(candidates, &usual, measured, plan != NULL);
    for (guint i = 0; i < candidates->len; i++) {
        struct candidate *candidate = &g_array_index(candidates, struct candidate, i);
        candidate->as.clock = candidate->swapped ? head : clock;
        candidate->counts = zg_receive_frames(candidate->swapped ? clock : head, &candidate->as, plan, &calls);
    }
    g_array_sort(candidates, by_worth);
    for (guint i = 0; i < candidates->len && explanations->len < LISTED; i++) {
        const struct candidate *candidate = &g_array_index(candidates, struct candidate, i);
        const struct zg_received_counts *counts = &candidate->counts;
        const double best = share(&g_array_index(candidates, struct candidate, 0).counts);
        if (counts->characters == 0 || (counts->frames == 0 && counts->sound == 0) ||
            counts->frames < defined.counts.frames || share(counts) < best - 0.05 ||
            (counts->frames == defined.counts.frames && share(counts) <= share(&defined.counts) + 0.001))
            continue;
        const struct zg_explanation explanation = { text_of(candidate, &usual), counts->frames, counts->sound,
                                                    counts->characters };
        g_array_append_val(explanations, explanation);
    }
    zg_trace_free(clock);
    zg_trace_free(head);
    return explanations;
}
