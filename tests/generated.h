/* SPDX-License-Identifier: MIT */
/* Generated C, compiled and loaded, with a function for each message and variable that a test can call. */
#ifndef TEST_GENERATED_H
#define TEST_GENERATED_H

#include "support.h"

/* Unpacks `in`; if that succeeds, prints all values into `text` as test_dump() does, stores what check returns, and
 * packs them again. Returns what unpack returned. Its name is "glue_" and the block's name. */
typedef int test_glue(const uint8_t *in, size_t length, char *text, int *check, uint8_t *out, size_t room, size_t *size,
                      int *packed);

/* Generates into `folder`, which the caller removes, with glue.c, which has these functions. */
void test_write_c(const struct zg_plan *plan, const char *folder);

/* The same; then compiles with all warnings as errors, and loads. Close it with dlclose(). */
void *test_build_c(const struct zg_plan *plan, const char *folder);

/* Writes into `folder`, which the caller removes, both C ends and the Python module of behaviour/loom.yaml or a
 * definition with the same messages, and builds data/generated/meet.c there, the device as the program `meet`. */
void test_build_meeting(const struct zg_plan *plan, const char *folder);

/* The path of the runtime as an archive, compiled once. */
const char *test_runtime(void);

/* A function or object by the two parts of its name; fails the test if there is none. */
void *test_symbol(void *handle, const char *prefix, const char *name);

#endif
