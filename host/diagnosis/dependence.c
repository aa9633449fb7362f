/* SPDX-License-Identifier: MIT */
/* Which bits are hit more often than their share, and whether long frames are. */
#include <math.h>

#include "codec/frame_reader.h"
#include "diagnosis/causes.h"
#include "diagnosis/chance.h"

enum {
    FRAMES_MOST = 3 /* what loses more asks for none of them */,
    LEAST = 50 /* bits, or frames */,
    CLEAR_LEAST = 10 /* frames, where lengths do not overlap */
};

static const double one_in = -8; /* ln of a chance that is no chance */

/* --- data */

/* Of the inverted bits, how many were in each place and had each value; how often the bytes hit had it. */
struct bits {
    uint64_t flips, places[8], ones;
    double share_of_ones;
};

static struct bits count_bits(const struct zgi_case *of, const GArray *hits)
{
    struct bits bits = { 0 };

    for (guint i = 0; i < hits->len; i++) {
        const struct zgi_hit *hit = &g_array_index(hits, struct zgi_hit, i);
        const unsigned flipped = hit->sent ^ hit->arrived;
        for (unsigned bit = 0; bit < 8; bit++) {
            bits.places[bit] += flipped >> bit & 1;
            bits.ones += flipped >> bit & hit->sent >> bit & 1;
            bits.flips += flipped >> bit & 1;
        }
    }
    double ones = 0, all = 0;
    for (guint i = 0; i < of->marks->len; i++) {
        const struct zgi_mark *mark = zgi_mark_at(of, i);
        gsize size = 0;
        const uint8_t *sent = mark->is_known ? g_bytes_get_data(mark->stretch->sent, &size) : NULL;
        for (gsize k = 0; k < size; k++)
            ones += __builtin_popcount(sent[k]);
        all += 8.0 * (double)size;
    }
    bits.share_of_ones = all > 0 ? ones / all : 0;
    return bits;
}

void zgi_look_for_data(struct zgi_case *of)
{
    const struct bits bits = count_bits(of, of->hits);
    g_autofree char *polarity = NULL, *place = NULL;
    unsigned most = 0;

    if (bits.flips < LEAST)
        return;
    for (unsigned i = 1; i < 8; i++)
        most = bits.places[i] > bits.places[most] ? i : most;
    const uint64_t zeros = bits.flips - bits.ones;
    const double from_one = zgi_chance_binomial(bits.flips, bits.share_of_ones, bits.ones),
                 from_zero = zgi_chance_binomial(bits.flips, 1 - bits.share_of_ones, zeros);
    if (fmin(from_one, from_zero) < one_in)
        polarity = g_strdup_printf("%.0f %% of the inverted bits were sent as %d, of all bits %.0f %%",
                                   100.0 * (double)MAX(bits.ones, zeros) / (double)bits.flips, from_one < from_zero,
                                   100 * (from_one < from_zero ? bits.share_of_ones : 1 - bits.share_of_ones));
    if (zgi_chance_binomial(bits.flips, 1.0 / 8, bits.places[most]) + log(8) < one_in)
        place = g_strdup_printf("%.0f %% of the inverted bits are bit %u of their byte, by chance 12.5 %%",
                                100.0 * (double)bits.places[most] / (double)bits.flips, most);
    if (!polarity && !place)
        return;
    for (guint i = 0; i < of->hits->len; i++)
        zgi_mark_at(of, zgi_hit_at(of, i)->mark)->stretch->causes |= UINT32_C(1) << ZG_CAUSE_DATA;
    struct zg_finding *finding = zgi_find(
        of, ZG_CAUSE_DATA,
        g_strdup_printf("%s%s%s", polarity ? polarity : "", polarity && place ? "; " : "", place ? place : ""));
    zgi_quantity(finding, "bits", (double)bits.flips);
    zgi_quantity(finding, "sent_as_one", (double)bits.ones);
    zgi_quantity(finding, "share_of_ones", bits.share_of_ones);
    zgi_quantity(finding, "most_hit_bit", most);
    zgi_quantity(finding, "of_that_bit", (double)bits.places[most]);
}

/* --- length */

struct lengths {
    GArray *damaged, *intact; /* of double, bytes on the wire */
    GArray *marks;            /* of each damaged one: guint */
    const struct zgi_case *of;
    guint mark;
    unsigned at_frame;
};

/* The frames of what was sent, whose last one arrived intact. Of others it is known only if something was done to them.
 */
static void take_frame(const struct zg_stretch *stretch, void *data)
{
    struct lengths *lengths = data;
    const struct zgi_mark *mark = zgi_mark_at(lengths->of, lengths->mark);
    const double length = (double)stretch->raw_length;
    const uint64_t end = stretch->offset + stretch->raw_length;
    bool hit = false;

    if (stretch->kind != ZG_STRETCH_FRAME && stretch->kind != ZG_STRETCH_UNDELIVERED)
        return;
    for (guint i = mark->steps; i < mark->steps_end && !hit; i++) {
        const struct zg_align_step *step = zgi_step_at(lengths->of, i);
        hit = step->sent_at < end && step->sent_at + step->count > stretch->offset;
    }
    if (hit) {
        g_array_append_val(lengths->damaged, length);
        g_array_append_val(lengths->marks, lengths->mark);
    } else if (end + 1 >= g_bytes_get_size(mark->stretch->sent)) {
        g_array_append_val(lengths->intact, length);
    }
}

/* The lengths of frames in stretches of up to so many frames; with `causes`, only of those that one of these explains.
 */
static void measure(struct zgi_case *of, unsigned frames_most, uint32_t causes, struct lengths *lengths)
{
    g_array_set_size(lengths->damaged, 0);
    g_array_set_size(lengths->intact, 0);
    g_array_set_size(lengths->marks, 0);
    for (guint i = 0; i < of->marks->len; i++) {
        const struct zgi_mark *mark = zgi_mark_at(of, i);
        gsize size;
        if (!mark->is_known || mark->stretch->frames > frames_most || mark->steps_end == mark->steps)
            continue;
        if (causes != 0 && (mark->stretch->causes & causes) == 0)
            continue;
        struct zg_frame_reader *reader = zg_frame_reader_new(of->evidence->plan, take_frame, lengths);
        const uint8_t *sent = g_bytes_get_data(mark->stretch->sent, &size);
        lengths->mark = i;
        zg_frame_reader_hear(reader, of->back ? ZG_SIDE_DEVICE : ZG_SIDE_HOST);
        zg_frame_reader_feed(reader, sent, size);
        zg_frame_reader_end(reader);
        zg_frame_reader_free(reader);
    }
}

static double extreme(const GArray *values, int sign)
{
    double found = -INFINITY;

    for (guint i = 0; i < values->len; i++)
        found = fmax(found, sign * g_array_index(values, double, i));
    return sign * found;
}

/* Whether damaged frames are longer than those that errors hit by their length: its mean, weighted by the length, and
 * the variance of that. */
static double surplus(const struct lengths *lengths)
{
    double one = 0, two = 0, three = 0, mean = 0;

    for (guint i = 0; i < lengths->intact->len; i++) {
        const double length = g_array_index(lengths->intact, double, i);
        one += length;
        two += length * length;
        three += length * length * length;
    }
    for (guint i = 0; i < lengths->damaged->len; i++)
        mean += g_array_index(lengths->damaged, double, i) / lengths->damaged->len;
    const double expected = two / one, variance = three / one - expected * expected;
    return variance > 0 ? (mean - expected) / sqrt(variance / lengths->damaged->len + variance / lengths->intact->len)
                        : 0;
}

static struct lengths lengths_new(const struct zgi_case *of)
{
    return (struct lengths){ .damaged = g_array_new(FALSE, FALSE, sizeof(double)),
                             .intact = g_array_new(FALSE, FALSE, sizeof(double)),
                             .marks = g_array_new(FALSE, FALSE, sizeof(guint)),
                             .of = of };
}

static void lengths_clear(struct lengths *lengths)
{
    g_array_unref(lengths->damaged);
    g_array_unref(lengths->intact);
    g_array_unref(lengths->marks);
}

static void find_length(struct zgi_case *of, char *evidence, const struct lengths *lengths)
{
    struct zg_finding *finding = zgi_find(of, ZG_CAUSE_LENGTH, evidence);

    zgi_quantity(finding, "frames", lengths->damaged->len);
    zgi_quantity(finding, "longest_intact_bytes", extreme(lengths->intact, 1));
    zgi_quantity(finding, "shortest_damaged_bytes", extreme(lengths->damaged, -1));
}

void zgi_look_for_limit(struct zgi_case *of)
{
    struct lengths lengths = lengths_new(of), all = lengths_new(of);

    if (of->evidence->plan)
        measure(of, FRAMES_MOST, 0, &lengths);
    const double shortest = extreme(lengths.damaged, -1), longest = extreme(lengths.intact, 1);
    if (MIN(lengths.damaged->len, lengths.intact->len) >= CLEAR_LEAST && shortest > longest) {
        measure(of, UINT_MAX, 0, &all);
        for (guint i = 0; i < all.marks->len; i++)
            if (g_array_index(all.damaged, double, i) > longest)
                zgi_answer(zgi_mark_at(of, g_array_index(all.marks, guint, i)), ZG_CAUSE_LENGTH, ZGI_WHYS);
        find_length(of,
                    g_strdup_printf("%u frames of %.0f bytes and more were damaged, and none of up to %.0f bytes of %u "
                                    "that came between",
                                    lengths.damaged->len, shortest, longest, lengths.intact->len),
                    &lengths);
    }
    lengths_clear(&lengths);
    lengths_clear(&all);
}

void zgi_look_for_length(struct zgi_case *of)
{
    struct lengths lengths = lengths_new(of);

    if (of->evidence->plan)
        measure(of, FRAMES_MOST, UINT32_C(1) << ZG_CAUSE_BITS | UINT32_C(1) << ZG_CAUSE_BYTES, &lengths);
    if (MIN(lengths.damaged->len, lengths.intact->len) >= LEAST && zgi_chance_normal(surplus(&lengths)) < one_in) {
        for (guint i = 0; i < lengths.marks->len; i++)
            zgi_mark_at(of, g_array_index(lengths.marks, guint, i))->stretch->causes |= UINT32_C(1) << ZG_CAUSE_LENGTH;
        find_length(
            of,
            g_strdup_printf("damaged frames are longer than errors that hit every byte alike would make them, by "
                            "%.1f standard deviations",
                            surplus(&lengths)),
            &lengths);
    }
    lengths_clear(&lengths);
}
