/* SPDX-License-Identifier: MIT */
/* What a change of a text layout does. */
#ifndef ZEUGMA_COMPARE_TEXTS_H
#define ZEUGMA_COMPARE_TEXTS_H

#include "analysis/changes.h"

/* Compares two messages of which at least one has a text layout. */
void zgi_compare_texts(struct zgi_comparison *comparison, const struct zg_plan_message *before,
                       const struct zg_plan_message *after);

#endif
