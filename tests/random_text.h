/* SPDX-License-Identifier: MIT */
/* Random definitions whose messages have text layouts. */
#ifndef ZEUGMA_TEST_RANDOM_TEXT_H
#define ZEUGMA_TEST_RANDOM_TEXT_H

#include "codec/payload.h"
#include "sim/random.h"

/* A sound definition with patterns, pairs and json; perhaps with one binary message, that may hold the end mark. Free
 * with g_free(). */
char *test_random_text_definition(struct zg_random *random);

/* The index of any message with a text layout. */
unsigned test_random_text_message(struct zg_random *random, const struct zg_plan *plan);

/* Random values that a text layout can write, some of the optional ones absent. */
void test_random_text_values(struct zg_random *random, const struct zg_block *block, struct zg_value *values);

/* A copy of a text with a character replaced, put in or left out, or cut; free with g_string_free(). */
GString *test_damaged_text(struct zg_random *random, const GString *text);

/* Lines of texts, each behind its tag, half of them damaged, some with an unknown pair. */
GByteArray *test_random_lines(struct zg_random *random, const struct zg_plan *plan, unsigned count);

#endif
