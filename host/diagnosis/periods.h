/* SPDX-License-Identifier: MIT */
/*
 * Whether moments are periodic. Frequencies are searched by the H test (O. C. de Jager, B. C. Raubenheimer, J. W. H.
 * Swanepoel, "A powerful test for weak periodic signals with unknown light curve shape in sparse data", Astronomy and
 * Astrophysics 221, 1989), on windows whose phases may differ, since no source of interference keeps its frequency for
 * long. The chance of what it finds does not follow from that test, which is too hopeful where moments are few, but
 * from how many of them lie in one part of the period: of n moments, k or more lie in any part of this size with a
 * chance of at most n P(Bin(n - 1, part) >= k - 1), in each window; windows are combined by R. A. Fisher's method, and
 * all frequencies and parts that were tried count (C. E. Bonferroni), each octave as much as any other.
 */
#ifndef ZEUGMA_PERIODS_H
#define ZEUGMA_PERIODS_H

#include <glib.h>
#include <stdbool.h>

struct zgi_moments {
    const GArray *hits; /* of double, s, ascending */
    const GArray
        *picked;       /* of those at which something could have been hit, chosen at random: of double, s, ascending */
    double hertz_most; /* frequencies up to this are tried */
};

struct zgi_period {
    double hertz;
    double part;       /* of the period in which the hits lie */
    double window_s;   /* in which the phase is taken to be one */
    double log_chance; /* ln of the chance that this, or more, comes about at any frequency tried */
    unsigned inside;   /* hits in that part, a little widened, */
    unsigned beside;   /* and next to it, in as much again */
    bool *is_inside;   /* of each hit; those of windows with a single one are. Free with g_free() */
};

/* Finds out which of more hits lie in the part of a period. */
void zgi_mark_inside(const GArray *hits, struct zgi_period *period);

/* The period that chance explains least. False: there are too few moments for any. */
bool zgi_find_period(const struct zgi_moments *moments, struct zgi_period *period);

/* The same with the frequency and part of a period that is known from elsewhere: nothing is searched, so that fewer
 * moments suffice. */
bool zgi_test_period(const struct zgi_moments *moments, const struct zgi_period *known, struct zgi_period *period);

#endif
