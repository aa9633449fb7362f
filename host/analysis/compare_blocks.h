/* SPDX-License-Identifier: MIT */
#ifndef ZEUGMA_COMPARE_BLOCKS_H
#define ZEUGMA_COMPARE_BLOCKS_H

#include "analysis/changes.h"

/* Compares the fields of two blocks, sent by the sides `from`. `owner` names them ("pick"), `at` are their places. */
void zgi_compare_blocks(struct zgi_comparison *comparison, const char *owner, const struct zg_block *before,
                        const struct zg_block *after, enum zg_side from, struct zg_place at_before,
                        struct zg_place at_after);

#endif
