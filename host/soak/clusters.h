/* SPDX-License-Identifier: MIT */
/*
 * How errors cluster in time. Where a disturbance hits several frames, they are not independent, and bounds of
 * independent trials are too narrow. The run is cut into blocks; the index of dispersion is Pearson's chi-square of the
 * errors in them over its degrees of freedom, 1 for independent errors. If it is above 1 (p < 0.01: the chi-square lies
 * 2.6 standard deviations above its mean, J. B. S. Haldane, "The exact value of the moments of the distribution of
 * chi-square, used as a test of goodness of fit, when expectations are small", Biometrika 29, 1937), errors and trials
 * count as if there were fewer of both by that index, widened by Student's t of the blocks or, if they are fewer, of
 * the disturbances.
 */
#ifndef ZEUGMA_CLUSTERS_H
#define ZEUGMA_CLUSTERS_H

#include <glib.h>

#include "soak/journal.h"

/* Fewer disturbances than this say too little about the next ones. */
enum { ZG_DISTURBANCES_ENOUGH = 10 };

struct zg_cluster {
    uint32_t blocks;       /* with trials; 0: the run is too short to tell */
    uint32_t block_s;      /* their length */
    uint32_t disturbances; /* runs of seconds with errors */
    uint32_t most;         /* errors in one of them */
    double dispersion;     /* the index */
    bool clustered;
};

/* Of one rate, from the rows of a run's seconds, struct zg_time_row. Blocks are 10 s long, in runs under 5 min a 30th
 * of it but at least 1 s, and at least ten times the median disturbance, as far as there are eight. */
struct zg_cluster zg_cluster_of(const GArray *rows, unsigned index);

/* Widens exact two-sided bounds of independent trials, at `confidence`, to those of clustered ones. If there are too
 * few disturbances: to the bounds of their number (Poisson, exact), each with at most as many errors as the greatest.
 */
void zg_cluster_widen(const struct zg_cluster *cluster, uint64_t errors, uint64_t trials, double confidence,
                      double *low, double *high);

/* By how much errors and trials count less than independent ones: 1 or more. */
double zg_cluster_weight(const struct zg_cluster *cluster);

/* The exact two-sided bounds of a Poisson mean, at `confidence`, of which `count` were seen. */
void zg_count_bounds(uint64_t count, double confidence, double *low, double *high);

/* Those of all rates, ZG_RATES of them. */
void zg_clusters_of(const GArray *rows, struct zg_cluster *clusters);

#endif
