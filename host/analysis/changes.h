/* SPDX-License-Identifier: MIT */
/* Changes between two versions of a definition, and how they are judged. */
#ifndef ZEUGMA_CHANGES_H
#define ZEUGMA_CHANGES_H

#include "plan/plan.h"

/* SAME: no byte and no meaning differs. COMPATIBLE: what both know is understood both ways; what is new is dropped or
 * marked until the other end is updated. BREAKING: something is lost, refused or misread. */
enum zg_verdict { ZG_SAME, ZG_COMPATIBLE, ZG_BREAKING };

struct zg_change {
    enum zg_verdict verdict;
    unsigned first; /* of a compatible change: the sides (a sum of enum zg_side) to update first; 0: in any order */
    struct zg_place before, after; /* in the old file and in the new one; line 0: not in that file */
    char *text;
};

/* The worst of all verdicts; and in `*first` the sides that some change requires to be updated first, 0 if the verdict
 * is breaking. */
enum zg_verdict zg_compare_verdict(const GPtrArray *changes, unsigned *first);

/* "same", "compatible", "breaking". */
const char *zg_verdict_name(enum zg_verdict verdict);

/* --- for the comparison */

struct zgi_comparison {
    const struct zg_plan *before, *after;
    GPtrArray *changes;
    GHashTable *noted;   /* the changes, by place and text */
    GHashTable *records; /* pairs of records that were compared, each with who sends them */
};

/* Notes a change. If it was noted before, because a type is used in several places, it stays one change, for all its
 * senders. */
void zgi_changed(struct zgi_comparison *comparison, enum zg_verdict verdict, unsigned first, struct zg_place before,
                 struct zg_place after, const char *format, ...) G_GNUC_PRINTF(6, 7);
GPtrArray *zgi_changes_new(void);

#endif
