/* SPDX-License-Identifier: MIT */
/* How long the same values are as text, which is what a binary frame is chosen over. */
#ifndef ZEUGMA_TEXT_H
#define ZEUGMA_TEXT_H

#include "plan/plan.h"

/* The longest line, bytes, line end included, that the fields of a message make as `name=value` pairs and as bare
 * values, both comma-separated. Values are as long as their limits are, decimals as their scale has, floats as their
 * shortest digits at most. */
void zg_text_lengths(const struct zg_plan_message *message, unsigned *pairs, unsigned *bare);

#endif
