/* SPDX-License-Identifier: MIT */
/* What tests share. */
#ifndef ZEUGMA_TEST_SUPPORT_H
#define ZEUGMA_TEST_SUPPORT_H

/* cmocka needs these four first */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>
#include <glib.h>
#include <stdbool.h>

#include "codec/payload.h"
#include "node/node.h"

/* A sound definition and its plan. */
struct test_plan {
    struct zg_definition *definition;
    struct zg_plan *plan;
};

/* From text, or from a file of tests/data. Fails the test, printing the diagnostics, if it is not sound. */
struct test_plan test_plan_of(const char *text);
struct test_plan test_plan_load(const char *name);
void test_plan_clear(struct test_plan *plan);

/* How many rounds of something random to run: `usual` (a quarter of it under the sanitizers, which are slow), times
 * ZEUGMA_TEST_ROUNDS of the environment. */
unsigned test_rounds(unsigned usual);

/* A definition with header version u3, id u5, sequence u8, CRC-16, max_payload 64 and messages `data` (id 1, from both,
 * eight bytes) and `tiny` (id 2, from both, one byte). */
extern const char test_small_definition[];

/* A port whose clock is set by assignment, and that starts nothing. */
extern uint32_t test_clock_us;
extern const struct zg_port test_port;

/* For a node without a side, whose data is a GArray of uint32_t: adds the number that each payload begins with. */
extern const struct zg_node_calls test_numbering;

/* The text of a file of tests/data; free with g_free(). */
char *test_data(const char *name);

/* Every leaf of the values as text, "path=value;": raw numbers, with the physical value of those that are scaled. */
void test_dump(GString *text, const struct zg_block *block, const struct zg_value *values);

/* Opens a pseudo-terminal, raw, so that every byte arrives as it is. Returns its own side, and the path of the other;
 * free with g_free(). */
int test_open_pty(char **path);

/* Removes a folder and everything in it. */
void test_remove_folder(const char *folder);

#endif
