/* SPDX-License-Identifier: MIT */
/* Two versions of a definition, held against each other: what changed, and whether ends built from the one and from the
 * other understand each other. */
#ifndef ZEUGMA_COMPARE_H
#define ZEUGMA_COMPARE_H

#include "plan/plan.h"

/* SAME: no byte and no meaning differs. COMPATIBLE: what both know is understood both ways; what is new is dropped or
 * marked until the other end is updated. BREAKING: something is lost, refused or misread. */
enum zg_verdict { ZG_SAME, ZG_COMPATIBLE, ZG_BREAKING };

struct zg_change {
    enum zg_verdict verdict;
    unsigned first; /* of a compatible one: the sides (a sum of enum zg_side) to be updated first, 0 for any order */
    struct zg_place before, after; /* in the old file and in the new; line 0: it is in the other only */
    char *text;
};

/* All changes, in the order of the new file, then what only the old one has. An array of struct zg_change; free with
 * g_ptr_array_unref(). */
GPtrArray *zg_compare(const struct zg_plan *before, const struct zg_plan *after);

/* The worst verdict of all, and in `*first` the sides that some change wants updated first; 0 where it is breaking. */
enum zg_verdict zg_compare_verdict(const GPtrArray *changes, unsigned *first);

/* "same", "compatible", "breaking". */
const char *zg_verdict_name(enum zg_verdict verdict);

/* --- between the files of the comparison */

struct zgi_comparison {
    const struct zg_plan *before, *after;
    GPtrArray *changes;
    GHashTable *seen; /* types compared before: name -> GPtrArray of their changes */
};

/* Adds a change. */
struct zg_change *zgi_changed(struct zgi_comparison *comparison, enum zg_verdict verdict, unsigned first,
                              struct zg_place before, struct zg_place after, const char *format, ...)
    G_GNUC_PRINTF(6, 7);

/* Compares the fields of two blocks, sent by the sides `from`. `owner` names them ("pick"), `at` are their places. */
void zgi_compare_blocks(struct zgi_comparison *comparison, const char *owner, const struct zg_block *before,
                        const struct zg_block *after, enum zg_side from, struct zg_place at_before,
                        struct zg_place at_after);

/* Who receives what the sides `from` send. */
unsigned zgi_receivers(enum zg_side from);

#endif
