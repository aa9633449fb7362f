/* SPDX-License-Identifier: MIT */
#include "diagnosis/periods.h"

#include <math.h>
#include <stdint.h>
#include <string.h>

#include "diagnosis/chance.h"
#include "soak/statistics.h"

enum {
    OVERSAMPLED = 2, /* frequencies, over one for each window's length */
    HARMONICS = 16,
    CANDIDATES = 10,
    REFINED = 24, /* steps to both sides of a candidate */
    PARTS = 9,
    TABLED = 64, /* hits of a window, below which chances are kept */
    HITS_LEAST = 5
};

/* Windows, and how many hits are looked at with each. */
static const struct {
    double seconds;
    guint hits_most;
} windows[] = { { 10, 2000 }, { 100, 600 } };

static const double parts[PARTS] = { 1.0 / 40, 1.0 / 25, 1.0 / 18, 1.0 / 13, 1.0 / 9, 1.0 / 6, 1.0 / 4, 0.37, 0.54 };

/* Hits of one window: first..end. */
struct window {
    guint first, end;
    double begin_s;
};

struct search {
    const struct zgi_moments *moments;
    double window_s, step_hz; /* between frequencies */
    GArray *windows;          /* of struct window */
    guint longest;            /* hits in one of them */
    guint frequencies;
    float *power;   /* of each frequency: over what chance gives, in its standard deviations */
    float *tails;   /* by part, hits and hits inside, of parts as they are; NaN: not computed yet */
    double octaves; /* that are tried, each with the same share of the chance to err */
};

static double hit_at(const struct search *search, guint index)
{
    return g_array_index(search->moments->hits, double, index);
}

/* Windows with two hits or more, evenly chosen if they are too many. */
static void choose_windows(struct search *search, guint hits_most)
{
    const GArray *hits = search->moments->hits;
    guint total = 0, kept = 0, seen = 0;

    for (guint first = 0, end; first < hits->len; first = end) {
        const double begin_s = floor(hit_at(search, first) / search->window_s) * search->window_s;
        for (end = first + 1; end < hits->len && hit_at(search, end) < begin_s + search->window_s;)
            end++;
        const struct window window = { first, end, begin_s };
        if (end - first < 2)
            continue;
        g_array_append_val(search->windows, window);
        search->longest = MAX(search->longest, end - first);
        total += end - first;
    }
    const guint one_in = total / hits_most + 1;
    for (guint i = 0; i < search->windows->len; i++)
        if (seen++ % one_in == 0)
            g_array_index(search->windows, struct window, kept++) = g_array_index(search->windows, struct window, i);
    g_array_set_size(search->windows, kept);
}

/* Adds the power of a window at each frequency. */
static void add_power(struct search *search, const struct window *window, double *real, double *imaginary)
{
    const guint count = window->end - window->first;

    for (guint j = 0; j < search->frequencies; j++)
        real[j] = imaginary[j] = 0;
    for (guint i = window->first; i < window->end; i++) {
        const double angle = 2 * G_PI * search->step_hz * (hit_at(search, i) - window->begin_s);
        const double turn_real = cos(angle), turn_imaginary = sin(angle);
        double x = 1, y = 0;
        for (guint j = 0; j < search->frequencies; j++) {
            const double next = x * turn_real - y * turn_imaginary;
            y = x * turn_imaginary + y * turn_real;
            x = next;
            real[j] += x;
            imaginary[j] += y;
        }
    }
    for (guint j = 0; j < search->frequencies; j++)
        search->power[j] += (float)(2 * (real[j] * real[j] + imaginary[j] * imaginary[j]) / count - 2);
}

static void find_powers(struct search *search)
{
    g_autofree double *real = g_new(double, search->frequencies);
    g_autofree double *imaginary = g_new(double, search->frequencies);
    const float scale = (float)(1 / sqrt(search->windows->len));

    for (guint i = 0; i < search->windows->len; i++)
        add_power(search, &g_array_index(search->windows, struct window, i), real, imaginary);
    for (guint j = 0; j < search->frequencies; j++)
        search->power[j] *= scale;
}

struct candidate {
    double hertz, score;
};

/* The H test's best sum of harmonics, each of which costs 2 beyond what chance gives. power[j] is of (j + 1) steps. */
static double score_of(const struct search *search, double steps)
{
    double sum = 0, best = -INFINITY;

    for (unsigned k = 1; k <= HARMONICS && k * steps < search->frequencies; k++) {
        sum += search->power[(guint)(k * steps + 0.5) - 1] - (k > 1 ? 2 : 0);
        best = fmax(best, sum);
    }
    return best;
}

/* The frequencies with the best scores, none of which is next to another. */
static unsigned find_candidates(const struct search *search, struct candidate *best)
{
    const double least = 2 * OVERSAMPLED; /* periods in a window */
    unsigned count = 0;

    for (double steps = least; steps < search->frequencies;
         steps += 1 / fmin(HARMONICS, search->frequencies / steps)) { /* as fine as its highest harmonic needs */
        const struct candidate one = { steps * search->step_hz, score_of(search, steps) };
        unsigned at = count;
        for (unsigned i = 0; i < count; i++)
            if (one.hertz - best[i].hertz < 2 * search->step_hz)
                at = i;
        if (at < count && best[at].score >= one.score)
            continue;
        if (at < count) /* it takes the place of its neighbour */
            for (count--; at < count; at++)
                best[at] = best[at + 1];
        for (at = count; at > 0 && best[at - 1].score < one.score; at--)
            if (at < CANDIDATES)
                best[at] = best[at - 1];
        if (at < CANDIDATES)
            best[at] = one;
        count = MIN(count + 1, (unsigned)CANDIDATES);
    }
    return count;
}

static double phase_of(double at_s, double begin_s, double hertz)
{
    const double turns = (at_s - begin_s) * hertz;
    return turns - floor(turns);
}

/* Where a part of the period begins that holds most of these ascending phases, and how many. */
static unsigned fullest(const double *phases, guint count, double part, double *begin)
{
    unsigned best = 0;

    for (guint i = 0, end = 0; i < count; i++) {
        end = MAX(end, i);
        while (end - i < count && phases[end % count] + (end >= count ? 1 : 0) <= phases[i] + part)
            end++;
        if (end - i > best) {
            best = end - i;
            *begin = phases[i];
        }
    }
    return best;
}

/* The share of what could have been hit that lies in this part of the period. */
static void count_picked(const GArray *picked, const struct window *window, double window_s, double hertz, double begin,
                         double part, double counts[2])
{
    guint low = 0, high = picked->len;

    while (low < high) {
        const guint middle = (low + high) / 2;
        if (g_array_index(picked, double, middle) < window->begin_s)
            low = middle + 1;
        else
            high = middle;
    }
    for (; low < picked->len && g_array_index(picked, double, low) < window->begin_s + window_s; low++) {
        const double off = phase_of(g_array_index(picked, double, low), window->begin_s, hertz) - begin;
        counts[0] += off - floor(off) <= part;
        counts[1]++;
    }
}

/* The phases of hits first..end, ascending, of each period's hits one, chosen without regard to its phase: those that
 * come together for another reason are no evidence. Returns how many. */
static guint take_phases(const GArray *hits, guint first, guint end, double begin_s, double hertz, double *phases)
{
    guint count = 0;

    for (guint from = first, to; from < end; from = to) {
        const double period = floor((g_array_index(hits, double, from) - begin_s) * hertz);
        for (to = from + 1; to < end && floor((g_array_index(hits, double, to) - begin_s) * hertz) <= period;)
            to++;
        const guint chosen = from + (from * 2654435761U >> 16) % (to - from);
        phases[count++] = phase_of(g_array_index(hits, double, chosen), begin_s, hertz);
    }
    qsort(phases, count, sizeof *phases, zg_by_value);
    return count;
}

/* ln of the chance that `most` of so many hits lie in any one part that is `share` of all that could be hit. */
static double tail_of(const struct search *search, unsigned part, double share, guint count, guint most)
{
    float *known =
        count < TABLED && share <= parts[part] ? &search->tails[(part * TABLED + count) * TABLED + most] : NULL;

    if (known && !isnan(*known))
        return *known;
    const double tail = fmin(log(count) + zgi_chance_binomial(count - 1, share, most - 1), 0);
    if (known)
        *known = (float)tail;
    return tail;
}

/* ln of the chance that so many lie in such parts, in each window, for each of the parts, which is by itself `shares`
 * of all that could be hit. */
static void chances_of(const struct search *search, double hertz, const double shares[PARTS], double log_chances[PARTS])
{
    g_autofree double *phases = g_new(double, search->longest);
    double fisher[PARTS] = { 0 }, begin = 0;
    unsigned combined = 0;

    for (guint i = 0; i < search->windows->len; i++) {
        const struct window *window = &g_array_index(search->windows, struct window, i);
        const guint count =
            take_phases(search->moments->hits, window->first, window->end, window->begin_s, hertz, phases);
        if (count < 2)
            continue;
        combined++;
        for (unsigned k = 0; k < PARTS; k++) {
            const unsigned most = fullest(phases, count, parts[k], &begin);
            fisher[k] -= 2 * tail_of(search, k, shares[k], count, most);
        }
    }
    for (unsigned k = 0; k < PARTS; k++)
        log_chances[k] = zgi_chance_chi_square(fisher[k], 2 * combined);
}

/* The part of the period that traffic fills of itself: more than its size only where that is beyond chance. */
static double share_of_traffic(const struct search *search, double hertz, double part)
{
    g_autofree double *phases = g_new(double, search->longest);
    double counts[2] = { 0, 0 }, begin = 0;

    for (guint i = 0; i < search->windows->len; i++) {
        const struct window *window = &g_array_index(search->windows, struct window, i);
        const guint count =
            take_phases(search->moments->hits, window->first, window->end, window->begin_s, hertz, phases);
        (void)fullest(phases, count, part, &begin);
        count_picked(search->moments->picked, window, search->window_s, hertz, begin, part, counts);
    }
    const double share = counts[1] > 0 ? counts[0] / counts[1] : part;
    const bool is_more = counts[1] > 0 && share > part + 3 * sqrt(part * (1 - part) / counts[1]);
    return is_more ? fmin(share, 1) : part;
}

/* What has to be added for all that was tried: octaves, the frequencies and places of a part within each, and parts. */
static double log_tried(const struct search *search, double hertz, double part)
{
    return log(fmax(hertz * search->window_s * G_LN2, 1) / part * search->octaves * PARTS * G_N_ELEMENTS(windows));
}

/* Looks around a candidate for the frequency and the part that chance explains least. */
static void refine(const struct search *search, double around_hz, struct zgi_period *best)
{
    for (int i = -REFINED; i <= REFINED; i++) {
        const double hertz = around_hz + search->step_hz * i / REFINED;
        double chances[PARTS], shares[PARTS], with_traffic[PARTS];
        if (hertz <= 0)
            continue;
        memcpy(shares, parts, sizeof shares);
        chances_of(search, hertz, shares, chances);
        for (unsigned k = 0; k < PARTS; k++) {
            const double tried = log_tried(search, hertz, parts[k]);
            if (chances[k] + tried >= best->log_chance)
                continue;
            shares[k] = share_of_traffic(search, hertz, parts[k]);
            if (shares[k] > parts[k]) {
                chances_of(search, hertz, shares, with_traffic);
                chances[k] = with_traffic[k];
            }
            if (chances[k] + tried < best->log_chance)
                *best = (struct zgi_period){
                    .hertz = hertz, .part = parts[k], .window_s = search->window_s, .log_chance = chances[k] + tried
                };
        }
    }
}

/* Which hits lie in the part found, a little widened, in all windows. */
void zgi_mark_inside(const GArray *hits, struct zgi_period *period)
{
    const double wide = fmin(period->part * 1.25, 1), edge = (wide - period->part) / 2;

    g_free(period->is_inside);
    period->is_inside = g_new0(bool, hits->len);
    period->inside = period->beside = 0;
    for (guint first = 0, end; first < hits->len; first = end) {
        const double begin_s = floor(g_array_index(hits, double, first) / period->window_s) * period->window_s;
        for (end = first + 1; end < hits->len && g_array_index(hits, double, end) < begin_s + period->window_s;)
            end++;
        g_autofree double *phases = g_new(double, end - first);
        const guint count = take_phases(hits, first, end, begin_s, period->hertz, phases);
        double begin = 0;
        (void)fullest(phases, count, period->part, &begin);
        for (guint k = first; k < end; k++) {
            const double off = phase_of(g_array_index(hits, double, k), begin_s, period->hertz) - begin + edge;
            period->is_inside[k] = off - floor(off) <= wide;
            period->inside += period->is_inside[k];
            period->beside +=
                !period->is_inside[k] && (off - floor(off) <= 1.5 * wide || off - floor(off) >= 1 - 0.5 * wide);
        }
    }
}

/* A search in windows of this size; end it with end_search(). */
static struct search begin_search(const struct zgi_moments *moments, double window_s, guint hits_most)
{
    struct search search = { .moments = moments,
                             .window_s = window_s,
                             .step_hz = 1 / (OVERSAMPLED * window_s),
                             .windows = g_array_new(FALSE, FALSE, sizeof(struct window)),
                             .frequencies = (guint)(moments->hertz_most * OVERSAMPLED * window_s),
                             .octaves = log2(fmax(moments->hertz_most * window_s, 2)),
                             .tails = g_new(float, PARTS *TABLED *TABLED) };

    choose_windows(&search, hits_most);
    for (unsigned i = 0; i < PARTS * TABLED * TABLED; i++)
        search.tails[i] = NAN;
    return search;
}

static void end_search(struct search *search)
{
    g_free(search->power);
    g_free(search->tails);
    g_array_unref(search->windows);
}

static void search_windows(const struct zgi_moments *moments, double window_s, guint hits_most, struct zgi_period *best)
{
    struct candidate candidates[CANDIDATES + 1];
    struct search search = begin_search(moments, window_s, hits_most);

    if (search.windows->len > 0 && search.frequencies > 0) {
        search.power = g_new0(float, search.frequencies);
        find_powers(&search);
        const unsigned count = find_candidates(&search, candidates);
        for (unsigned i = 0; i < count; i++)
            refine(&search, candidates[i].hertz, best);
    }
    end_search(&search);
}

/* The chance of a known period with windows of one size. */
static void test_windows(const struct zgi_moments *moments, double window_s, guint hits_most,
                         const struct zgi_period *known, struct zgi_period *best)
{
    struct search search = begin_search(moments, window_s, hits_most);
    double shares[PARTS], chances[PARTS];
    unsigned part = 0;

    while (part + 1 < PARTS && parts[part] != known->part)
        part++;
    if (search.windows->len > 0) {
        memcpy(shares, parts, sizeof shares);
        shares[part] = share_of_traffic(&search, known->hertz, parts[part]);
        chances_of(&search, known->hertz, shares, chances);
        const double log_chance = chances[part] + log(G_N_ELEMENTS(windows));
        if (log_chance < best->log_chance)
            *best = (struct zgi_period){
                .hertz = known->hertz, .part = parts[part], .window_s = window_s, .log_chance = log_chance
            };
    }
    end_search(&search);
}

bool zgi_test_period(const struct zgi_moments *moments, const struct zgi_period *known, struct zgi_period *period)
{
    *period = (struct zgi_period){ .log_chance = 0 };
    if (moments->hits->len < HITS_LEAST)
        return false;
    for (size_t i = 0; i < G_N_ELEMENTS(windows); i++)
        test_windows(moments, windows[i].seconds, windows[i].hits_most, known, period);
    if (period->hertz > 0)
        zgi_mark_inside(moments->hits, period);
    return period->hertz > 0;
}

bool zgi_find_period(const struct zgi_moments *moments, struct zgi_period *period)
{
    const GArray *hits = moments->hits;

    *period = (struct zgi_period){ .log_chance = 0 };
    if (hits->len < HITS_LEAST)
        return false;
    const double span_s = g_array_index(hits, double, hits->len - 1) - g_array_index(hits, double, 0);
    for (size_t i = 0; i < G_N_ELEMENTS(windows); i++)
        if (i == 0 || (span_s > windows[i - 1].seconds && hits->len * windows[i - 1].seconds < 30 * span_s))
            search_windows(moments, windows[i].seconds, windows[i].hits_most, period);
    if (period->hertz > 0)
        zgi_mark_inside(moments->hits, period);
    return period->hertz > 0;
}
