/* SPDX-License-Identifier: MIT */
/*
 * Whether one run is worse than another: each kind of error by a test of its own, one-sided, all of them together at 5
 * % (S. Holm, "A simple sequentially rejective multiple test procedure", Scandinavian Journal of Statistics 6, 1979).
 * Where errors cluster in neither run, R. A. Fisher's exact test, which takes the sum of errors as given; where they
 * do, a permutation of blocks of time between the runs.
 */
#ifndef ZEUGMA_COMPARE_H
#define ZEUGMA_COMPARE_H

#include "codec/json.h"
#include "store/stored.h"

enum { ZG_COMPARED_MOST = 7 };

struct zg_compared {
    const char *key, *of;          /* "lost_out"; what the trials are */
    uint64_t errors[2], trials[2]; /* of the run (0), of the one it is held against (1) */
    bool clustered;                /* in either */
    double chance; /* of so much or more in the run, or so little or less, if both were alike, or as bad as allowed */
    double level;  /* that it has to fall below, after Holm */
    double ratio_low, ratio_high; /* of the run's rate to the other's, each one-sided at `level`; where errors
                                     cluster, with so many fewer. INFINITY: there is none */
    double shown_from;            /* the smallest ratio that these data would have shown; INFINITY: none */
    bool empty;                   /* neither run has errors: nothing is asked */
    bool shown;                   /* that it is worse; or, if that is asked, no worse */
};

struct zg_comparison {
    struct zg_compared rows[ZG_COMPARED_MOST];
    unsigned count;
    double
        allowed; /* the ratio of which is asked whether it is not exceeded; 0: it is asked whether the run is worse */
    bool passed; /* nothing is shown to be worse; or everything is shown to be no worse */
};

/* Whether a kind is looked at in these runs: where it is not known of any of them on which way frames were lost, losses
 * are looked at together; otherwise each way by itself. */
bool zg_compared_fits(const struct zg_stored *const *runs, unsigned count, unsigned kind);

/* The errors and trials of a kind in a run, whose word is returned; by how much its errors count less, because they
 * cluster. */
const char *zg_compared_count(const struct zg_stored *run, unsigned kind, uint64_t *errors, uint64_t *trials);
double zg_compared_weight(const struct zg_stored *run, unsigned kind);

/* What of the settings differs, but for seeds, links and lengths; NULL: nothing. Free with g_free(). */
char *zg_compare_settings(const struct zg_stored *run, const struct zg_stored *other);

struct zg_comparison zg_compare_runs(const struct zg_stored *run, const struct zg_stored *other, double allowed);

/* The ratio of a row's rates; NaN where neither has errors, INFINITY where only the run has. */
double zg_compared_ratio(const struct zg_compared *row);

/* What is said of a kind, and of them all. */
const char *zg_compared_said(const struct zg_comparison *comparison, const struct zg_compared *row);
const char *zg_comparison_said(const struct zg_comparison *comparison);

/* As lines for a terminal of 100 columns; as a member "comparison" of an object. */
void zg_comparison_to_text(const struct zg_comparison *comparison, const struct zg_stored *other, GString *text);
void zg_comparison_to_json(const struct zg_comparison *comparison, const struct zg_stored *other, struct zg_json *json);

#endif
