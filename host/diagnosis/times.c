/* SPDX-License-Identifier: MIT */
/* When bits came inverted: in bursts, periodically, or by themselves. */
#include <math.h>

#include "diagnosis/causes.h"
#include "diagnosis/chance.h"
#include "diagnosis/periods.h"

enum {
    BITS_LEAST = 5, /* for any cause */
    SPANS_MOST = 48 /* of distances that are tried */
};

static const double one_in = -7.6; /* ln of 1/2000: each of the tests, on each way */
static const double few = 0.12;    /* of the hits, beside a period, if they are next to it: they belong to it */
static const double near_s = 2;    /* hits closer than that may have a busy line between them */
static const double hertz_tried = 1000;

/* The distances from each hit to the next, in bytes on the line, at least; those that a busy line would have carried
 * where hits are close. */
static double distance(const struct zgi_case *of, const double *carried, guint index)
{
    const struct zgi_hit *one = zgi_hit_at(of, index), *next = zgi_hit_at(of, index + 1);
    const GArray *seconds = of->evidence->seconds[of->back];
    const double apart_s = fabs(next->at_s - one->at_s);

    if (one->mark == next->mark)
        return fmax((double)next->sent_at - one->sent_at, 0.125);
    if (isnan(apart_s) || apart_s < near_s)
        return fmax(apart_s / of->evidence->byte_s, 1);
    const guint from = (guint)MIN(one->at_s, (double)seconds->len - 1),
                to = (guint)MIN(next->at_s, (double)seconds->len - 1);
    return carried[to] - carried[from] + 1;
}

/* The bytes carried up to each second. Free with g_free(). */
static double *add_up(const GArray *seconds)
{
    double *carried = g_new(double, seconds->len + 1), sum = 0;

    for (guint i = 0; i < seconds->len; i++) {
        carried[i] = sum;
        sum += g_array_index(seconds, struct zg_evidence_second, i).carried;
    }
    carried[seconds->len] = sum;
    return carried;
}

struct bursts {
    double reach;      /* bytes within which hits belong together; 0: there are no bursts */
    double log_chance; /* ln of the chance of so many close hits */
    unsigned close, of;
};

/* How many of the distances are up to `reach`. */
static unsigned count_close(const double *distances, guint count, double reach)
{
    unsigned close = 0;

    for (guint i = 0; i < count; i++)
        close += distances[i] <= reach;
    return close;
}

/* How far bursts reach in all: as long as among the hits further apart more are within twice as far than chance has it.
 */
static double widest(const double *distances, guint gaps, double bytes, double reach)
{
    const double beyond_chance = log(0.01);

    while (reach < bytes / 4) {
        const unsigned close = count_close(distances, gaps, reach),
                       next = count_close(distances, gaps, 2 * reach) - close, rest = gaps - close;
        const double share = -expm1(-(rest + 1) * reach / bytes);
        if (next < 2 || zgi_chance_binomial(rest, share, next) > beyond_chance)
            break;
        reach *= 2;
    }
    return reach;
}

/* Whether more hits are close to each other than independent errors would be, whatever `close` is. */
static struct bursts find_bursts(const double *distances, guint bits, double bytes)
{
    struct bursts best = { .log_chance = 0 };
    const guint gaps = bits - 1;

    for (unsigned i = 0; i < SPANS_MOST; i++) {
        const double reach = 0.125 * pow(2, i);
        const unsigned close = count_close(distances, gaps, reach);
        if (reach > bytes / 4)
            break;
        const double share = -expm1(-(double)bits * reach / bytes),
                     log_chance = zgi_chance_binomial(gaps, share, close) + log(SPANS_MOST);
        if (log_chance < best.log_chance)
            best = (struct bursts){ reach, log_chance, close, gaps };
    }
    best.reach = best.log_chance < one_in ? widest(distances, gaps, bytes, best.reach) : 0;
    best.close = count_close(distances, gaps, best.reach);
    return best;
}

/* Hits that are together: first..end of the case's. */
struct cluster {
    guint first, end;
};

static GArray *clusters_of(const struct zgi_case *of, const double *distances, double reach)
{
    GArray *clusters = g_array_new(FALSE, FALSE, sizeof(struct cluster));

    for (guint first = 0, end; first < of->hits->len; first = end) {
        for (end = first + 1; end < of->hits->len && distances[end - 1] <= reach;)
            end++;
        const struct cluster cluster = { first, end };
        g_array_append_val(clusters, cluster);
    }
    return clusters;
}

/* How many of a byte's bits came inverted. */
static unsigned flips_of(const struct zgi_hit *hit)
{
    return (unsigned)__builtin_popcount((unsigned)(hit->sent ^ hit->arrived));
}

/* The bits that came inverted, with their distances: a byte with several counts as often. */
static guint spread_bits(const struct zgi_case *of, guint hits, const double *distances, double *bits)
{
    guint count = 0;

    for (guint i = 0; i < hits; i++) {
        const unsigned flips = flips_of(zgi_hit_at(of, i));
        for (unsigned k = 1; k < flips; k++)
            bits[count++] = 0.125;
        if (i + 1 < hits)
            bits[count++] = distances[i];
    }
    return count + 1;
}

/* Of bytes in which many bits are inverted the alignment makes missing and inserted ones. */
static void answer_cluster(struct zgi_case *of, const struct cluster *cluster, enum zg_cause cause)
{
    for (guint i = cluster->first; i < cluster->end; i++) {
        struct zgi_mark *mark = zgi_mark_at(of, zgi_hit_at(of, i)->mark);
        const struct zg_alignment *alignment = &mark->alignment;
        const bool is_garbled =
            alignment->missing > 0 && alignment->missing == alignment->inserted + alignment->doubled;
        zgi_answer(mark, cause, ZGI_WHY_FLIPS | (is_garbled ? ZGI_WHY_SINGLES | ZGI_WHY_GAP : 0));
    }
}

static unsigned bits_of(const struct zgi_case *of, const struct cluster *cluster)
{
    unsigned bits = 0;

    for (guint i = cluster->first; i < cluster->end; i++)
        bits += flips_of(zgi_hit_at(of, i));
    return bits;
}

/* --- periods */

/* The hits whose time is known. */
struct timed {
    GArray *moments; /* of double, s */
    GArray *owners;  /* of guint: which hit each is */
    GArray *whole;   /* of double: the moments before some damages are left out */
};

static struct timed timed_hits(const struct zgi_case *of)
{
    const struct timed timed = { g_array_new(FALSE, FALSE, sizeof(double)), g_array_new(FALSE, FALSE, sizeof(guint)),
                                 g_array_new(FALSE, FALSE, sizeof(double)) };

    for (guint i = 0; i < of->hits->len; i++) {
        const double at_s = zgi_hit_at(of, i)->at_s;
        if (isnan(at_s))
            continue;
        g_array_append_val(timed.moments, at_s);
        g_array_append_val(timed.owners, i);
        if (at_s < of->evidence->whole_until_s[of->back])
            g_array_append_val(timed.whole, at_s);
    }
    return timed;
}

/* `how` it was found, in words. Returns whether what is left may belong to it. */
static bool name_period(struct zgi_case *of, const struct timed *timed, const struct zgi_period *period,
                        const char *how)
{
    const guint count = timed->moments->len, outside = count - period->inside;

    for (guint i = 0; i < count; i++)
        if (period->is_inside[i])
            zgi_answer(zgi_mark_at(of, zgi_hit_at(of, g_array_index(timed->owners, guint, i))->mark), ZG_CAUSE_PERIODIC,
                       ZGI_WHY_FLIPS);
    g_autofree char *width = zgi_duration(period->part / period->hertz);
    of->period = (struct zgi_period){ .hertz = period->hertz, .part = period->part };
    struct zg_finding *finding =
        zgi_find(of, ZG_CAUSE_PERIODIC,
                 g_strdup_printf("%.4g Hz: %u of %u bytes hit are within %s of each period (chance: 1e%.0f; %s)",
                                 period->hertz, period->inside, count, width, period->log_chance / G_LN10, how));
    zgi_quantity(finding, "hertz", period->hertz);
    zgi_quantity(finding, "width_seconds", period->part / period->hertz);
    zgi_quantity(finding, "inside", period->inside);
    zgi_quantity(finding, "of", count);
    zgi_quantity(finding, "log10_chance", period->log_chance / G_LN10);
    zgi_drop_answered_hits(of);
    return outside < few * count && 2 * period->beside >= outside;
}

/* Returns whether what is left may belong to the period found. */
static bool find_period(struct zgi_case *of)
{
    const double most = fmin(hertz_tried, 0.25 / fmax(of->evidence->resolution_s, 1e-9));
    const struct timed timed = timed_hits(of);
    const struct zgi_moments tried = { timed.whole, of->evidence->picked[of->back], most };
    g_autofree char *how = g_strdup_printf("up to %.0f Hz tried", most);
    struct zgi_period period;
    bool is_rest = false;

    if (zgi_find_period(&tried, &period))
        of->diagnosis->hertz_most[of->back] = most;
    if (period.hertz > 0 && period.log_chance >= one_in && of->known) { /* perhaps enough to see a known one */
        g_free(period.is_inside);
        (void)zgi_test_period(&tried, of->known, &period);
        g_free(how);
        how = g_strdup("as the other way");
    }
    if (period.hertz > 0 && period.log_chance < one_in) {
        if (timed.whole->len < timed.moments->len)
            zgi_mark_inside(timed.moments, &period);
        is_rest = name_period(of, &timed, &period, how);
    }
    g_free(period.is_inside);
    g_array_unref(timed.moments);
    g_array_unref(timed.owners);
    g_array_unref(timed.whole);
    return is_rest;
}

/* --- bursts */

static void name_bursts(struct zgi_case *of, const struct bursts *bursts, const GArray *clusters)
{
    double count = 0, bits = 0, length_s = 0;
    guint single = 0;

    for (guint i = 0; i < clusters->len; i++) {
        const struct cluster *cluster = &g_array_index(clusters, struct cluster, i);
        const unsigned here = bits_of(of, cluster);
        if (here < 2) {
            single++;
            continue;
        }
        const double span_s = zgi_hit_at(of, cluster->end - 1)->at_s - zgi_hit_at(of, cluster->first)->at_s;
        count++;
        bits += here;
        length_s += isnan(span_s) ? 0 : span_s;
        answer_cluster(of, cluster, ZG_CAUSE_BURSTS);
    }
    if (count == 0)
        return;
    for (guint i = 0; i < clusters->len && 2 * single <= count; i++) /* short ones, not errors of another kind */
        answer_cluster(of, &g_array_index(clusters, struct cluster, i), ZG_CAUSE_BURSTS);
    g_autofree char *length = zgi_duration(fmax(length_s / count, of->evidence->byte_s / 10));
    struct zg_finding *finding = zgi_find(
        of, ZG_CAUSE_BURSTS,
        g_strdup_printf("%.0f bursts of %.3g inverted bits in %s on average; %u of %u bits follow another within "
                        "%.3g bytes (chance: 1e%.0f)",
                        count, bits / count, length, bursts->close, bursts->of, bursts->reach,
                        bursts->log_chance / G_LN10));
    zgi_quantity(finding, "bursts", count);
    zgi_quantity(finding, "bits", bits / count);
    zgi_quantity(finding, "mean_seconds", length_s / count);
    zgi_quantity(finding, "reach_bytes", bursts->reach);
    zgi_quantity(finding, "log10_chance", bursts->log_chance / G_LN10);
    zgi_drop_answered_hits(of);
}

/* --- what is left */

static void name_rest(struct zgi_case *of)
{
    const struct cluster all = { 0, of->hits->len };
    const double bits = bits_of(of, &all);

    if (bits < BITS_LEAST)
        return;
    for (guint i = 0; i < of->hits->len; i++)
        zgi_answer(zgi_mark_at(of, zgi_hit_at(of, i)->mark), ZG_CAUSE_BITS, ZGI_WHY_FLIPS);
    /* where damages are left out, as many of the others' bits were inverted */
    const double known = isinf(of->evidence->whole_until_s[of->back])
                             ? 1
                             : (double)of->diagnosis->looked_at[of->back] / (double)of->diagnosis->damages[of->back];
    const double rate = bits / fmax(8 * of->bytes, 1) / known;
    struct zg_finding *finding =
        zgi_find(of, ZG_CAUSE_BITS,
                 g_strdup_printf("%.0f inverted bits, %.2e of those carried; they do not cluster%s", bits, rate,
                                 of->diagnosis->hertz_most[of->back] > 0 ? " and have no period" : ""));
    zgi_quantity(finding, "bits", bits);
    zgi_quantity(finding, "bit_error_rate", rate);
}

static gint by_time(gconstpointer a, gconstpointer b)
{
    const struct zgi_hit *one = a, *other = b;
    if (one->mark != other->mark)
        return (one->mark > other->mark) - (one->mark < other->mark);
    return (one->sent_at > other->sent_at) - (one->sent_at < other->sent_at);
}

/* How many hits there are, from the first on, before some are left out. */
static guint count_whole(const struct zgi_case *of)
{
    guint hits = 0;

    while (hits < of->hits->len && !(zgi_hit_at(of, hits)->at_s >= of->evidence->whole_until_s[of->back]))
        hits++;
    return hits;
}

/* Bursts among the hits there are now. Where some are left out, how close they are says nothing. */
static void look_for_bursts(struct zgi_case *of)
{
    g_autofree double *carried = add_up(of->evidence->seconds[of->back]);
    g_autofree double *distances = g_new(double, of->hits->len + 1);
    g_autofree double *bits = g_new(double, 8 * (gsize)of->hits->len + 1);

    for (guint i = 0; i + 1 < of->hits->len; i++)
        distances[i] = distance(of, carried, i);
    const guint hits = count_whole(of);
    const guint count = spread_bits(of, hits, distances, bits);
    const double until = fmin(of->evidence->whole_until_s[of->back], of->evidence->seconds[of->back]->len);
    const struct bursts bursts = find_bursts(bits, count, fmax(carried[(guint)until], 1));
    if (bursts.reach <= 0)
        return;
    g_autoptr(GArray) clusters = clusters_of(of, distances, bursts.reach);
    name_bursts(of, &bursts, clusters);
}

void zgi_look_for_times(struct zgi_case *of)
{
    zgi_drop_answered_hits(of);
    g_array_sort(of->hits, by_time);
    if (of->hits->len == 0 || find_period(of) || of->hits->len == 0)
        return;
    look_for_bursts(of);
    name_rest(of);
}
