/* SPDX-License-Identifier: MIT */
/* Generated C, compiled and loaded, with a function for each message and variable that a test can call. */
#ifndef TEST_GENERATED_H
#define TEST_GENERATED_H

#include "support.h"

/* Unpacks `in`; where that succeeds, prints all values into `text` as test_dump() does, tells what check says, and
 * packs them again. Returns what unpack returned. Named "glue_" and the block's name. */
typedef int test_glue(const uint8_t *in, size_t length, char *text, int *check, uint8_t *out, size_t room, size_t *size,
                      int *packed);

/* Generates into `folder`, the caller's to remove, with glue.c, which has the functions. */
void test_write_c(const struct zg_plan *plan, const char *folder);

/* The same, compiles with all warnings as errors, and loads; dlclose() it. */
void *test_build_c(const struct zg_plan *plan, const char *folder);

/* The path of the runtime as an archive, compiled once. */
const char *test_runtime(void);

/* A function or object by its name in two parts; fails the test where there is none. */
void *test_symbol(void *handle, const char *prefix, const char *name);

#endif
