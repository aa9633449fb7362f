/* SPDX-License-Identifier: MIT */
/* How certain a measured rate is, and how latencies are distributed. */
#ifndef ZEUGMA_STATISTICS_H
#define ZEUGMA_STATISTICS_H

#include <stdbool.h>
#include <stdint.h>

/* The exact two-sided bounds of a rate with `errors` in `trials`, at `confidence` (0.95): C. J. Clopper, E. S. Pearson,
 * "The use of confidence or fiducial limits illustrated in the case of the binomial", Biometrika 26, 1934. Without
 * errors the lower bound is 0 and the upper one above it; without trials they are 0 and 1. */
void zg_rate_bounds(uint64_t errors, uint64_t trials, double confidence, double *low, double *high);

/* The same for errors and trials that need not be whole numbers, of which at most half are errors. */
void zg_rate_bounds_real(double errors, double trials, double confidence, double *low, double *high);

/* The value that Student's t, with these degrees of freedom, exceeds in size with probability 1 - confidence. */
double zg_student_t(double confidence, double degrees);

/* One-sided claims, exact as the bounds are: whether `errors` in `trials` show, at `confidence`, that the rate is at
 * most `limit`; that it is above. Without trials neither is shown. */
bool zg_rate_is_at_most(uint64_t errors, uint64_t trials, double limit, double confidence);
bool zg_rate_is_above(uint64_t errors, uint64_t trials, double limit, double confidence);

/* The same claims in a run that may end at any time, because of what it shows or for any other reason: over all its
 * length they are wrong with at most 1 - confidence. A nonnegative supermartingale (J. Ville, "Etude critique de la
 * notion de collectif", 1939; H. Robbins, "Statistical methods related to the law of the iterated logarithm", Ann.
 * Math. Stat. 41, 1970): the likelihood ratio of rates from Beta(1/2, 1/2), on the claimed side of the limit only, to
 * the limit. */
bool zg_rate_stays_at_most(uint64_t errors, uint64_t trials, double limit, double confidence);
bool zg_rate_stays_above(uint64_t errors, uint64_t trials, double limit, double confidence);

/* The limits at which these claims turn, each by itself at `confidence`. */
void zg_rate_bounds_always(uint64_t errors, uint64_t trials, double confidence, double *low, double *high);

/* The fewest trials with so many errors that show that the rate is at most `limit`; UINT64_MAX: none do. */
uint64_t zg_rate_trials_needed(uint64_t errors, double limit, double confidence);

/* The order of two doubles, for sorting. */
int zg_by_value(const void *one, const void *other);

/* A histogram of times with a resolution of 1/32. Zero-initialise it. */
struct zg_spread {
    uint64_t count;
    uint64_t least_ns;
    uint64_t most_ns;
    /* private */
    uint64_t bins[64 * 32];
};

/* The bin of a time, below 64 * 32, and the longest time in a bin. */
unsigned zg_spread_bin(uint64_t ns);
uint64_t zg_spread_top(unsigned bin);

void zg_spread_add(struct zg_spread *spread, uint64_t ns);
void zg_spread_add_many(struct zg_spread *spread, uint64_t ns, uint64_t count);

/* The time that `share` (0 to 1) of all entries do not exceed, to within 1/32; 0 if there are none. */
uint64_t zg_spread_at(const struct zg_spread *spread, double share);

#endif
