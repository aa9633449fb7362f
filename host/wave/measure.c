/* SPDX-License-Identifier: MIT */
#include "wave/measure.h"

#include <math.h>
#include <string.h>

#include "analysis/timing.h"

#define PS 1e12

/* --- stretches of one level */

/* Low and high, one after the other; what is not driven counts as idle. */
struct stretches {
    struct zg_trace_reader reader;
    bool idle_low;
    bool high;
    int64_t from_ps;
};

static bool is_high(enum zg_trace_level level, bool idle_low)
{
    return level == ZG_LEVEL_IS_HIGH || (level == ZG_LEVEL_IS_NONE && !idle_low);
}

static struct stretches begin(const struct zg_trace *trace, bool idle_low)
{
    return (struct stretches){ zg_trace_read(trace), idle_low, is_high(trace->first, idle_low), 0 };
}

/* The end of the present stretch, from which on the level is another. False: there is no change any more. */
static bool next_edge(struct stretches *stretches, int64_t *at_ps)
{
    enum zg_trace_level level;

    while (zg_trace_next(&stretches->reader, at_ps, &level))
        if (is_high(level, stretches->idle_low) != stretches->high) {
            stretches->high = !stretches->high;
            return true;
        }
    return false;
}

/* --- the first guess */

enum { TRIED = 200000 /* edges that are enough for a guess */ };
enum { BINS_PER_OCTAVE = 64, OCTAVES = 36, BINS = BINS_PER_OCTAVE * OCTAVES };

struct widths {
    uint64_t counts[BINS]; /* of pulses of 1 ns on, by the logarithm of their widths */
    uint64_t all;
};

static void add_width(struct widths *widths, int64_t width_ps)
{
    const double bin = log2((double)width_ps / 1000) * BINS_PER_OCTAVE;

    widths->counts[bin < 0 ? 0 : bin >= BINS ? BINS - 1 : (unsigned)bin]++;
    widths->all++;
}

/* The shortest width that is not a few strays, ps; 0: none. */
static double shortest_usual(const struct widths *widths)
{
    enum { NEAR = 6 /* bins: 6 % */ };
    const uint64_t least = MAX(widths->all / 50, widths->all < 8 ? UINT64_C(1) : UINT64_C(2));
    uint64_t near = 0;
    double sum = 0;

    for (unsigned i = 0; i < BINS; i++) {
        near += widths->counts[i];
        if (i >= NEAR)
            near -= widths->counts[i - NEAR];
        if (near < least)
            continue;
        near = 0;
        for (unsigned k = i < NEAR ? 0 : i + 1 - NEAR; k < MIN(i + NEAR, (unsigned)BINS); k++) {
            near += widths->counts[k];
            sum += (double)widths->counts[k] * (k + 0.5);
        }
        return near > 0 ? 1000 * exp2(sum / (double)near / BINS_PER_OCTAVE) : 0;
    }
    return 0;
}

/* A bit, by the shortest pulses of both levels, which late edges make longer and shorter. */
static double guess(const struct widths widths[2], double nominal_bd)
{
    const double low = shortest_usual(&widths[0]), high = shortest_usual(&widths[1]);
    double bit_ps = low <= 0                               ? high
                    : high <= 0                            ? low
                    : low / high < 2.2 && high / low < 2.2 ? (low + high) / 2
                                                           : fmin(low, high);

    for (unsigned bits = 2; bits <= 4 && nominal_bd > 0; bits++) /* no pulse is a single bit */
        if (fabs(bit_ps / bits * nominal_bd / PS - 1) < 0.06)
            return bit_ps / bits;
    return bit_ps;
}

/* --- the fit */

/* Sums over the edges of one direction in one character: their places in bits, and times. */
struct sums {
    double n, k, t, kk, kt, tt;
};

struct fit {
    double bit_ps, late_ps; /* the present estimate: of a bit, and of rising edges */
    bool idle_low;
    unsigned before_stop, longest; /* bits between edges, at most */
    struct sums rising, falling;   /* of the character at hand */
    double from_ps, place;         /* where it began; of its latest edge */
    double kk, kt, tt, freedom;    /* sums of all, about their means */
    double late, late_weight;
    double half_kk[2], half_kt[2]; /* of both halves of the bits */
    double half_at;                /* sum of squares at which the second one begins */
    uint64_t seen;                 /* edges */
};

static void add(struct sums *sums, double place, double at)
{
    sums->n++;
    sums->k += place;
    sums->t += at;
    sums->kk += place * place;
    sums->kt += place * at;
    sums->tt += at * at;
}

static void pool(struct fit *fit, const struct sums *sums)
{
    if (sums->n < 2)
        return;
    const double kk = sums->kk - sums->k * sums->k / sums->n, kt = sums->kt - sums->k * sums->t / sums->n;
    const unsigned half = fit->kk >= fit->half_at;

    fit->kk += kk;
    fit->kt += kt;
    fit->tt += sums->tt - sums->t * sums->t / sums->n;
    fit->freedom += sums->n - 1;
    fit->half_kk[half] += kk;
    fit->half_kt[half] += kt;
}

static void end_character(struct fit *fit)
{
    const struct sums *rising = &fit->rising, *falling = &fit->falling;

    pool(fit, rising);
    pool(fit, falling);
    if (rising->n > 0 && falling->n > 0) {
        const double weight = rising->n * falling->n / (rising->n + falling->n);
        fit->late += weight * ((rising->t - fit->bit_ps * rising->k) / rising->n -
                               (falling->t - fit->bit_ps * falling->k) / falling->n);
        fit->late_weight += weight;
    }
    memset(&fit->rising, 0, sizeof fit->rising);
    memset(&fit->falling, 0, sizeof fit->falling);
}

static void begin_character(struct fit *fit, double at_ps, bool rises)
{
    end_character(fit);
    fit->from_ps = at_ps;
    fit->place = 0;
    add(rises ? &fit->rising : &fit->falling, 0, 0);
}

/* Takes an edge. Characters begin with an edge from the idle level, behind the stop bit of the one before. */
static void take(struct fit *fit, double at_ps, double width_ps, bool rises)
{
    const double bits = (width_ps - (rises ? fit->late_ps : -fit->late_ps)) / fit->bit_ps,
                 whole = (double)(int64_t)fmin(bits + 0.5, 1e6);
    const bool from_idle = rises == fit->idle_low;

    if (whole < 1 || whole > fit->longest || fabs(bits - whole) > 0.3 ||
        (from_idle && fit->place + whole >= fit->before_stop + 0.5)) {
        begin_character(fit, at_ps, rises);
        return;
    }
    fit->place += whole;
    add(rises ? &fit->rising : &fit->falling, fit->place, at_ps - fit->from_ps);
}

/* Over so many edges, or all. */
static void run(struct fit *fit, const struct zg_trace *trace, uint64_t edges)
{
    struct stretches stretches = begin(trace, fit->idle_low);
    int64_t at_ps, before_ps = 0;

    fit->seen = 0;
    fit->kk = fit->kt = fit->tt = fit->freedom = fit->late = fit->late_weight = 0;
    memset(fit->half_kk, 0, sizeof fit->half_kk);
    memset(fit->half_kt, 0, sizeof fit->half_kt);
    memset(&fit->rising, 0, sizeof fit->rising);
    memset(&fit->falling, 0, sizeof fit->falling);
    for (; fit->seen < edges && next_edge(&stretches, &at_ps); before_ps = at_ps)
        if (fit->seen++ == 0)
            begin_character(fit, (double)at_ps, stretches.high);
        else
            take(fit, (double)at_ps, (double)(at_ps - before_ps), stretches.high);
    end_character(fit);
    if (fit->kk > 0)
        fit->bit_ps = fit->kt / fit->kk;
    if (fit->late_weight > 0)
        fit->late_ps = fit->late / fit->late_weight;
}

static void tell_rate(const struct fit *fit, struct zg_measured *measured)
{
    const double rest = fit->tt - fit->kt * fit->kt / fit->kk;
    const double variance = fit->freedom > 1 ? fmax(rest, 0) / (fit->freedom - 1) : 0;

    measured->has_rate = true;
    measured->rate_bd = PS / fit->bit_ps;
    measured->rate_error_ppm = sqrt(variance / fit->kk) / fit->bit_ps * 1e6;
    measured->jitter_s = sqrt(variance) / PS;
    measured->rise_late_s = fit->late_ps / PS;
    if (fit->half_kk[0] > 0 && fit->half_kk[1] > 0)
        measured->drift_ppm = (fit->half_kt[0] / fit->half_kk[0] / (fit->half_kt[1] / fit->half_kk[1]) - 1) * 1e6;
    measured->nearest_usual_bd = zg_timing_usual_rate(measured->rate_bd);
}

/* By the longest stretch; or, if no pause is longer than a character, as it begins and ends. */
static bool is_idle_low(const struct zg_trace *trace, double character_ps)
{
    int64_t longest_ps[3];

    memcpy(longest_ps, trace->longest_ps, sizeof longest_ps);
    longest_ps[trace->latest] = MAX(longest_ps[trace->latest], trace->end_ps - trace->last_ps);
    if ((double)MAX(longest_ps[0], longest_ps[1]) < character_ps && trace->first == trace->latest)
        return trace->first == ZG_LEVEL_IS_LOW;
    return longest_ps[ZG_LEVEL_IS_LOW] > longest_ps[ZG_LEVEL_IS_HIGH];
}

static double guess_bit(const struct zg_trace *trace, double nominal_bd)
{
    struct widths *widths = g_new0(struct widths, 2);
    struct stretches stretches = begin(trace, false);
    int64_t at_ps, before_ps = 0;

    for (unsigned edges = 0; edges < TRIED && next_edge(&stretches, &at_ps); before_ps = at_ps)
        if (edges++ > 0)
            add_width(&widths[!stretches.high], at_ps - before_ps);
    const double bit_ps = guess(widths, nominal_bd);
    g_free(widths);
    return bit_ps;
}

struct zg_measured zg_measure(const struct zg_trace *trace, unsigned before_stop, double nominal_bd)
{
    static const unsigned longest[] = { 3, 6, 12 }; /* a guess must not be off by half a bit in between */
    const double bit_ps = guess_bit(trace, nominal_bd);
    const int64_t low_ps = trace->shortest_ps[ZG_LEVEL_IS_LOW], high_ps = trace->shortest_ps[ZG_LEVEL_IS_HIGH];
    struct zg_measured measured = { .idle_low = is_idle_low(trace, (before_stop + 1) * bit_ps),
                                    .edges = trace->changes };
    struct fit fit = { .bit_ps = bit_ps, .idle_low = measured.idle_low, .before_stop = before_stop };

    measured.shortest_pulse_s =
        (double)(low_ps == 0 || high_ps == 0 ? MAX(low_ps, high_ps) : MIN(low_ps, high_ps)) / PS;
    if (!(bit_ps > 0) || measured.edges < 4)
        return measured;
    for (unsigned i = 0; i < G_N_ELEMENTS(longest); i++) {
        fit.longest = longest[i];
        fit.half_at = fit.seen > 0 ? fit.kk * (double)measured.edges / (double)fit.seen / 2 : HUGE_VAL;
        run(&fit, trace, i + 1 < G_N_ELEMENTS(longest) ? TRIED : UINT64_MAX);
    }
    if (fit.kk > 0 && fit.bit_ps > 0)
        tell_rate(&fit, &measured);
    return measured;
}
