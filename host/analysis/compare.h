/* SPDX-License-Identifier: MIT */
/* Compares two versions of a definition: what changed, and whether ends built from one and from the other understand
 * each other. */
#ifndef ZEUGMA_COMPARE_H
#define ZEUGMA_COMPARE_H

#include "analysis/changes.h"

/* All changes, in the order of the new file, then those of what only the old one has. An array of struct zg_change;
 * free with g_ptr_array_unref(). */
GPtrArray *zg_compare(const struct zg_plan *before, const struct zg_plan *after);

#endif
