/* SPDX-License-Identifier: MIT */
/* Values as a user reads them: JSON and text. */
#ifndef ZEUGMA_CODEC_AS_TEXT_H
#define ZEUGMA_CODEC_AS_TEXT_H

#include "codec/json.h"
#include "codec/payload.h"

/* Writes all values of a block as members of the open object. */
void zg_block_to_json(const struct zg_block *block, const struct zg_value *values, struct zg_json *json);

/* Appends a value as text, without its unit: 12.34, weaving, true, [1 2 3], {x=1 y=2}, "text". */
void zg_value_to_text(const struct zg_step *step, const struct zg_value *value, GString *text);

/* The same for a single raw number. */
void zg_raw_to_text(const struct zg_step *step, union zg_raw raw, GString *text);

/* Appends what a code means, from the summaries of its enum or flags: " (on its way up)", " (ice on the sill; the mains
 * are off)". Nothing, where there is no summary. */
void zg_append_meaning(const struct zg_step *step, const struct zg_value *value, GString *text);

#endif
