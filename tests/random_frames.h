/* SPDX-License-Identifier: MIT */
/* Random values and frames, and damage to them. */
#ifndef TEST_RANDOM_FRAMES_H
#define TEST_RANDOM_FRAMES_H

#include <glib.h>

#include "codec/payload.h"
#include "sim/random.h"

/* A raw value for a step: often at or near its limits, otherwise any within. */
union zg_raw test_random_raw(struct zg_random *random, const struct zg_step *step);

/* Random values for all steps of a block, made by zg_values_new(). */
void test_random_values(struct zg_random *random, const struct zg_block *block, struct zg_value *values);

/* Frames of random messages with random values, numbered from 0, one after the other. */
GByteArray *test_random_frames(struct zg_random *random, const struct zg_plan *plan, unsigned count);

/* Damages a stream of bytes in about `count` places: bits flipped, bytes dropped, doubled or inserted, runs cut or
 * overwritten. Byte k of the result came from byte origin[k] of the stream, or from nowhere (-1); touched[k] says that
 * it, or what precedes it, is not as sent. */
GByteArray *test_damage(struct zg_random *random, const uint8_t *bytes, size_t length, unsigned count,
                        GByteArray **touched, GArray **origin);

#endif
