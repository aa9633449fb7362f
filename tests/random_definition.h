/* SPDX-License-Identifier: MIT */
/* Definitions at random. */
#ifndef TEST_RANDOM_DEFINITION_H
#define TEST_RANDOM_DEFINITION_H

#include "sim/random.h"

/* A random definition's text, sound by construction, of all that the language has. Free with g_free(). */
char *test_random_definition(struct zg_random *random);

#endif
