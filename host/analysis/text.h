/* SPDX-License-Identifier: MIT */
/* How long the same values are as text, to compare with a binary frame. */
#ifndef ZEUGMA_TEXT_H
#define ZEUGMA_TEXT_H

#include "plan/plan.h"

/* The longest line in bytes, with its line end, of a message's fields as `name=value` pairs and as bare values, both
 * comma-separated. Values are as long as at their limits, decimals as their scale requires, floats at most as their
 * shortest digits. */
void zg_text_lengths(const struct zg_plan_message *message, unsigned *pairs, unsigned *bare);

/* A message's text layout with the fields' names in angle brackets: "T=<temp>,L=<light>". Free with g_free(). */
char *zg_text_drawing(const struct zg_plan_message *item);

/* Where a field's characters are: "2-9"; "2.." if their number varies; "" if it depends on values before it. Free with
 * g_free(). */
char *zg_text_place(const struct zg_plan_message *item, unsigned step);

#endif
