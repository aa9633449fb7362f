/* SPDX-License-Identifier: MIT */
/* Random definitions. */
#ifndef TEST_RANDOM_DEFINITION_H
#define TEST_RANDOM_DEFINITION_H

#include "sim/random.h"

/* The text of a random definition, sound by construction, that may use any part of the language. Free with g_free(). */
char *test_random_definition(struct zg_random *random);

#endif
