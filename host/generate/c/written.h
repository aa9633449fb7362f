/* SPDX-License-Identifier: MIT */
/* Messages with a text layout. */
#ifndef ZEUGMA_GENERATE_C_WRITTEN_H
#define ZEUGMA_GENERATE_C_WRITTEN_H

#include "generate/c/c.h"

/* Whether C can be generated for all text layouts of a plan; if not, `*why` is what is not known yet. */
bool zgi_c_knows_texts(const struct zg_plan *plan, const char **why);

/* Bits that the numbers of all texts take: 32 or more. */
unsigned zgi_c_spelling_bits(const struct zg_plan *plan);

/* The functions of a record within json, and of a message, behind the one that checks it. */
void zgi_c_record_written(const struct zgi_c *c, GString *text, const struct zg_block *record);
void zgi_c_written(const struct zgi_c *c, GString *text, const struct zg_plan_message *item);

#endif
