/* SPDX-License-Identifier: MIT */
/*
 * The line's levels: what a receiver whose bit rate differs, or that gets slow edges, makes of the bytes that were
 * sent, computed by the bit and held against what arrived. Where a line is only just wrong, single bits tell: those at
 * the end of a character, which come as their neighbours, or those that differ from both neighbours.
 */
#include <math.h>

#include "diagnosis/causes.h"
#include "diagnosis/chance.h"
#include "sim/bits.h"

enum {
    LEAD = 8,        /* bytes before the first that was hit */
    SPAN_LEAST = 24, /* bytes that are computed: few, since a receiver that slipped goes on by chance; */
    SPAN_MOST = 96,  /* more, if they show too little */
    PHASES = 4,
    WITNESSES = 16, /* stretches by which settings are compared, if the first few are promising */
    WITNESSES_FIRST = 3,
    EACH_LEAST = 8,  /* cost of each on average: what is wrong with levels does not hit bytes one by one */
    COST_LEAST = 30, /* of what arrived without an explanation: about ten bytes */
    MARKS_MOST = 20000,
    LATE_LEAST = 10,
    ISOLATED_LEAST = 20
};

static const double one_in = -8;     /* ln of a chance that is no chance */
static const double doubt = 0.6;     /* what edges leave, of what rates do, if it is them */
static const double promising = 0.8; /* of the cost, with the first few */
static const double left_most = 0.6; /* of the cost, if a setting explains it */

/* What a line does to its levels. */
struct medium {
    double rate;  /* of the receiver, over the sender's */
    double edges; /* how much later rising edges arrive than falling ones, bits; negative: earlier */
};

static void take(void *data, const struct zg_heard *heard)
{
    if (heard->is_read)
        g_byte_array_append(data, &heard->byte, 1);
}

/* What arrives of bytes that leave one after the other; `phase` is another of the receiver's ticks. */
static GByteArray *receive(const struct zg_line *line, const struct medium *medium, const uint8_t *bytes, size_t count,
                           unsigned phase)
{
    const double bit_ps = 1e12 / (double)line->baud;
    const struct zg_uart_format format = zg_line_format(line);
    const struct zg_bits_settings settings = { .format = format,
                                               .sent_bit_ps = bit_ps,
                                               .read_bit_ps = bit_ps / medium->rate,
                                               .samples = 16,
                                               .medium = { .idle_low = format.idle_low,
                                                           .rise_ps = fmax(medium->edges, 0) * bit_ps,
                                                           .fall_ps = fmax(-medium->edges, 0) * bit_ps } };
    const uint64_t each_ps = (uint64_t)(zg_uart_half_bits(&format) * bit_ps / 2), start_ps = 4 * each_ps;
    GByteArray *arrived = g_byte_array_new();
    struct zg_bits bits;

    zg_bits_init(&bits, &settings, 1, phase, take, arrived);
    zg_bits_send(&bits, bytes, count, start_ps, each_ps, 0);
    zg_bits_settle(&bits, start_ps + (count + 8) * each_ps);
    zg_bits_clear(&bits);
    return arrived;
}

/* The bytes of a stretch around the first that was hit: the same count of bytes came before it at both ends. */
struct window {
    const uint8_t *sent, *arrived;
    gsize sent_size, arrived_size;
    bool is_whole; /* up to the end of both */
};

static struct window window_of(const struct zgi_case *of, const struct zgi_mark *mark, unsigned span)
{
    struct window window = { .is_whole = true };
    const unsigned first = zgi_step_at(of, mark->steps)->sent_at, from = first - MIN(first, (unsigned)LEAD);

    window.sent = (const uint8_t *)g_bytes_get_data(mark->stretch->sent, &window.sent_size) + from;
    window.arrived = (const uint8_t *)g_bytes_get_data(mark->stretch->arrived, &window.arrived_size) + from;
    window.sent_size -= from;
    window.arrived_size -= MIN(window.arrived_size, (gsize)from);
    if (window.sent_size > span) {
        window.sent_size = span;
        window.is_whole = false;
    }
    return window;
}

/* What it costs to make what arrived of these bytes. */
static unsigned cost_of(const struct window *window, const uint8_t *bytes, gsize count)
{
    const gsize arrived = window->is_whole ? window->arrived_size : MIN(window->arrived_size, count);
    return zg_align(bytes, count, window->arrived, arrived).cost;
}

static unsigned cost_with(const struct zgi_case *of, const struct window *window, const struct medium *medium)
{
    unsigned least = UINT_MAX;

    for (unsigned phase = 0; phase < PHASES; phase++) {
        g_autoptr(GByteArray) received =
            receive(&of->evidence->plan->definition->line, medium, window->sent, window->sent_size, phase);
        const unsigned cost = cost_of(window, received->data, received->len);
        least = MIN(least, cost);
    }
    return least;
}

/* A stretch that asks for more than bytes that are missing. */
static bool is_open(const struct zgi_mark *mark)
{
    const struct zg_alignment *alignment = &mark->alignment;
    return mark->is_known && mark->steps_end > mark->steps &&
           (mark->asks & ~mark->answered & (ZGI_WHY_FLIPS | ZGI_WHY_SINGLES | ZGI_WHY_GAP)) != 0 &&
           alignment->hit_bytes + alignment->inserted + alignment->doubled > 0;
}

/* So many bytes of so many stretches. */
struct trial {
    unsigned span, witnesses;
};

/* Computes a setting for a few stretches, whose number it may store. */
static unsigned try_medium(const struct zgi_case *of, const struct medium *medium, const struct trial *trial,
                           unsigned least, unsigned *stretches)
{
    unsigned cost = 0, witnesses = 0;

    for (guint i = 0; i < of->marks->len && witnesses < trial->witnesses && cost < least; i++) {
        const struct zgi_mark *mark = zgi_mark_at(of, i);
        if (!is_open(mark))
            continue;
        const struct window window = window_of(of, mark, trial->span);
        cost += medium ? cost_with(of, &window, medium) : cost_of(&window, window.sent, window.sent_size);
        witnesses++;
    }
    if (stretches)
        *stretches = witnesses;
    return cost;
}

/* The setting that explains most. Returns what is left then. */
static unsigned find_medium(const struct zgi_case *of, const struct trial *trial, struct medium *best)
{
    struct medium edges = { .rate = 1 };
    unsigned least = UINT_MAX, least_edges = UINT_MAX;

    for (int sign = -1; sign <= 1; sign += 2) {
        for (int i = 10; i <= 100; i++) {
            const struct medium medium = { .rate = 1 + sign * i * 1e-3 };
            const unsigned cost = try_medium(of, &medium, trial, least, NULL);
            *best = cost < least ? medium : *best;
            least = MIN(cost, least);
        }
        for (int i = 6; i <= 20; i++) {
            const struct medium medium = { 1, sign * i * 0.05 };
            const unsigned cost = try_medium(of, &medium, trial, least_edges, NULL);
            edges = cost < least_edges ? medium : edges;
            least_edges = MIN(cost, least_edges);
        }
    }
    if (least_edges >= doubt * least) /* a receiver that slips may look like anything */
        return least;
    *best = edges;
    return least_edges;
}

static char *medium_text(const struct medium *medium, unsigned before, unsigned after)
{
    const int share = (int)(100.0 * (before - after) / before);

    if (medium->edges == 0)
        return g_strdup_printf(
            "a receiver that is about %.2g %% too %s reads what was sent as what arrived: computed by "
            "the bit, this explains %d %% of the difference",
            fabs(medium->rate - 1) * 100, medium->rate > 1 ? "fast" : "slow", share);
    return g_strdup_printf("%s edges that arrive %.2g bits later than the others make what was sent what arrived: "
                           "computed by the bit, this explains %d %% of the difference",
                           medium->edges > 0 ? "rising" : "falling", fabs(medium->edges), share);
}

static bool look_by_the_bit(struct zgi_case *of, unsigned span)
{
    struct medium best = { .rate = 1 };
    unsigned stretches;
    const struct trial few = { span, WITNESSES_FIRST }, all = { span, WITNESSES };
    const unsigned before = try_medium(of, NULL, &all, UINT_MAX, &stretches);

    if (before < COST_LEAST || before < EACH_LEAST * stretches)
        return false;
    if (find_medium(of, &few, &best) > promising * try_medium(of, NULL, &few, UINT_MAX, NULL))
        return false;
    const unsigned after = find_medium(of, &all, &best);
    if (after > left_most * before)
        return false;
    const enum zg_cause cause = best.edges == 0 ? ZG_CAUSE_RATE : ZG_CAUSE_EDGES;
    for (guint i = 0, done = 0; i < of->marks->len && done < MARKS_MOST; i++) {
        struct zgi_mark *mark = zgi_mark_at(of, i);
        if (!is_open(mark))
            continue;
        const struct window window = window_of(of, mark, span);
        if (cost_with(of, &window, &best) <= left_most * cost_of(&window, window.sent, window.sent_size))
            zgi_answer(mark, cause, ZGI_WHYS);
        done++;
    }
    struct zg_finding *finding = zgi_find(of, cause, medium_text(&best, before, after));
    zgi_quantity(finding, cause == ZG_CAUSE_RATE ? "rate" : "edge_bits",
                 cause == ZG_CAUSE_RATE ? best.rate - 1 : best.edges);
    zgi_quantity(finding, "explained_share", (double)(before - after) / before);
    zgi_quantity(finding, "framing_errors", (double)of->evidence->framing_errors[of->back]);
    return true;
}

/* --- single bits */

/* Bits of a character from the start bit (0) to the stop bit (9). */
static unsigned character(uint8_t byte)
{
    return (unsigned)byte << 1 | 0x200U;
}

/* Whether the last data bits, from one on, came as their neighbours, on the same side all, and the others as sent. */
static bool is_late(uint8_t sent, uint8_t arrived)
{
    const unsigned bits = character(sent);

    for (unsigned first = 1; first < 8; first++) {
        const uint8_t same = (uint8_t)((1U << first) - 1);
        const uint8_t before = (uint8_t)((sent & same) | ((bits & ~1U & 0x1FFU) & (uint8_t)~same & 0xFFU)),
                      after = (uint8_t)((sent & same) | ((bits >> 2 & 0xFFU) & (uint8_t)~same));
        if (sent != arrived && (arrived == before || arrived == after))
            return true;
    }
    return false;
}

/* Of all ways to flip as many bits of a byte, the share that is late. */
static double share_late(uint8_t sent, unsigned flips)
{
    unsigned late = 0, all = 0;

    for (unsigned mask = 1; mask < 256; mask++) {
        if ((unsigned)__builtin_popcount(mask) != flips)
            continue;
        all++;
        late += is_late(sent, (uint8_t)(sent ^ mask));
    }
    return (double)late / all;
}

/* Data bits that differ from both neighbours. */
static uint8_t isolated(uint8_t byte)
{
    const unsigned bits = character(byte);
    return (uint8_t)((((bits ^ bits << 1) & (bits ^ bits >> 1)) >> 1) & 0xFFU);
}

/* Counts against what chance would give. */
struct tally {
    double count, of, expected, variance;
};

static void add(struct tally *tally, bool yes, double share)
{
    tally->count += yes;
    tally->of++;
    tally->expected += share;
    tally->variance += share * (1 - share);
}

static bool is_more_than_chance(const struct tally *tally, unsigned least, double share)
{
    return tally->of >= least && tally->count >= share * tally->of &&
           zgi_chance_normal((tally->count - tally->expected - 0.5) / sqrt(fmax(tally->variance, 0.5))) < one_in;
}

static void answer_hits(struct zgi_case *of, enum zg_cause cause, bool late)
{
    for (guint i = 0; i < of->hits->len; i++) {
        const struct zgi_hit *hit = zgi_hit_at(of, i);
        const uint8_t flipped = hit->sent ^ hit->arrived;
        if (late ? is_late(hit->sent, hit->arrived) : (flipped & (uint8_t)~isolated(hit->sent)) == 0)
            zgi_answer(zgi_mark_at(of, hit->mark), cause, ZGI_WHY_FLIPS | (late ? ZGI_WHY_SINGLES | ZGI_WHY_GAP : 0));
    }
    zgi_drop_answered_hits(of);
}

static void look_by_single_bits(struct zgi_case *of)
{
    struct tally late = { 0 }, alone = { 0 };

    for (guint i = 0; i < of->hits->len; i++) {
        const struct zgi_hit *hit = zgi_hit_at(of, i);
        const unsigned flipped = hit->sent ^ hit->arrived, flips = (unsigned)__builtin_popcount(flipped);
        const double share = __builtin_popcount(isolated(hit->sent)) / 8.0;
        add(&late, is_late(hit->sent, hit->arrived), share_late(hit->sent, flips));
        for (unsigned bit = 0; bit < 8; bit++)
            if (flipped >> bit & 1)
                add(&alone, isolated(hit->sent) >> bit & 1, share);
    }
    if (is_more_than_chance(&late, LATE_LEAST, 0.8)) {
        answer_hits(of, ZG_CAUSE_RATE, true);
        zgi_quantity(
            zgi_find(of, ZG_CAUSE_RATE,
                     g_strdup_printf("in %.0f of %.0f bytes the last bits came as their neighbours (by chance: "
                                     "%.0f)",
                                     late.count, late.of, late.expected)),
            "bytes", late.count);
    } else if (is_more_than_chance(&alone, ISOLATED_LEAST, 0.9)) {
        answer_hits(of, ZG_CAUSE_EDGES, false);
        zgi_quantity(
            zgi_find(of, ZG_CAUSE_EDGES,
                     g_strdup_printf("%.0f of %.0f inverted bits differ from both neighbours (by chance: %.0f)",
                                     alone.count, alone.of, alone.expected)),
            "bits", alone.count);
    }
}

void zgi_look_for_levels(struct zgi_case *of)
{
    const struct zg_plan *plan = of->evidence->plan;
    const bool by_bits = plan && !plan->packets && !plan->definition->line.is_clocked &&
                         plan->definition->line.baud > 0 && plan->definition->line.carrier_hz <= 0;

    bool found = false;
    for (unsigned span = SPAN_LEAST; by_bits && !found && span <= SPAN_MOST; span *= 2)
        found = look_by_the_bit(of, span);
    zgi_drop_answered_hits(of);
    look_by_single_bits(of);
}
