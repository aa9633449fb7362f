/* SPDX-License-Identifier: MIT */
/* Random definitions whose messages have text layouts. */
#ifndef ZEUGMA_TEST_RANDOM_TEXT_H
#define ZEUGMA_TEST_RANDOM_TEXT_H

#include "codec/payload.h"
#include "sim/random.h"

/* A sound definition with patterns, pairs and json; free with g_free(). */
char *test_random_text_definition(struct zg_random *random);

/* Random values that a text layout can write, some of the optional ones absent. */
void test_random_text_values(struct zg_random *random, const struct zg_block *block, struct zg_value *values);

#endif
