/* SPDX-License-Identifier: MIT */
/* The interpreter: values to the bytes of a block and back, by the plan. */
#ifndef ZEUGMA_BLOCK_CODEC_H
#define ZEUGMA_BLOCK_CODEC_H

#include "codec/values.h"

/* How many bytes the values take on the wire; and writes them to `at`, which has room for them. Every value must be
 * within its type. */
size_t zg_block_size(const struct zg_block *block, const struct zg_value *values);
void zg_block_pack(const struct zg_block *block, const struct zg_value *values, uint8_t *at);

/* Shortens open-ended values until they fit into the frame with those before them. */
void zg_block_fit(const struct zg_block *block, struct zg_value *values);

/* Where each step's bytes are once the values are packed; bit-wide steps share theirs. One span for each step. */
struct zg_span {
    size_t first;
    size_t size;
};
void zg_block_spans(const struct zg_block *block, const struct zg_value *values, struct zg_span *spans);

/* Reads `length` bytes into values. Missing fields, from an older sender, take their defaults; `*ignored` is set to how
 * many bytes follow the last field. False: there are too few bytes, a count is too large, a LEB128 number is not in its
 * shortest form or too wide, or text is not UTF-8. */
bool zg_block_unpack(const struct zg_block *block, const uint8_t *at, size_t length, struct zg_value *values,
                     size_t *ignored);

/* Private: writes the bits of an element into bytes that are zero, or hold its neighbours. */
void zgi_step_store(const struct zg_step *step, unsigned element, uint64_t bits, uint8_t *at);

#endif
