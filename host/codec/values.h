/* SPDX-License-Identifier: MIT */
/* Values of a block's steps, as the interpreter has them. */
#ifndef ZEUGMA_VALUES_H
#define ZEUGMA_VALUES_H

#include <string.h>

#include "plan/plan.h"

/* The value of a step. A single integer, float or bool is in `raw`; text and bytes are `count` bytes; an array is
 * `count` items; a record is one item for each step of its block. */
struct zg_value {
    union zg_raw raw;
    unsigned count;
    uint8_t *bytes;
    struct zg_value *items;
    bool absent; /* of an optional field */
};

/* One value for each step of a block, all zero, with as many items as are fixed. Free with zg_values_free(). */
struct zg_value *zg_values_new(const struct zg_block *block);
void zg_values_free(const struct zg_block *block, struct zg_value *values);

/* Whether bytes are UTF-8; U+0000 is a character like any other. */
bool zg_is_utf8(const uint8_t *bytes, size_t count);

/* Whether bytes are text of a step's type: UTF-8, or 20 to 7E alone. */
bool zg_is_text_of(const struct zg_step *step, const uint8_t *bytes, size_t count);

/* Sets how many items a step has, or how many bytes text and bytes have, at most step->most. New ones are zero. */
void zg_value_resize(const struct zg_step *step, struct zg_value *value, unsigned count);

/* Sets text or bytes, at most step->most. */
void zg_value_set_bytes(struct zg_value *value, const uint8_t *bytes, unsigned count);

/* Sets what a sender of an older version lacks to its default: empty or zeros, unless it is a number with another. */
void zg_value_set_default(const struct zg_step *step, struct zg_value *value);

/* Whether all values are within their ranges. Otherwise the paths of those that are not ("a[2]", "p.x") are added to
 * `paths`, unless it is NULL; free each with g_free(). */
bool zg_block_permits(const struct zg_block *block, const struct zg_value *values, GPtrArray *paths);

#endif
