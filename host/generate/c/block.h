/* SPDX-License-Identifier: MIT */
/*
 * What block_check.c, block_put.c and block_get.c share: the functions of a message or record that check, measure,
 * write and read its fields. A block is cut into segments, runs of steps whose places are counted from the same byte: a
 * segment ends with a step that varies in size, and before a step that older senders lack.
 */
#ifndef ZEUGMA_GENERATE_C_BLOCK_H
#define ZEUGMA_GENERATE_C_BLOCK_H

#include "generate/c/c.h"

/* A limit of a float as a constant of its type. */
void zgi_c_append_float_limit(GString *text, const struct zg_step *step, double limit);

/* The number of elements of an array, as an expression. Free with g_free(). */
char *zgi_c_count(const struct zg_step *step);

/* The head of a loop over an array's elements. It copies their number first: otherwise the compiler must assume that
 * the bytes stored in the loop change it. */
void zgi_c_print_loop(GString *text, const struct zg_step *step);

/* The first step after the segment that begins with `first`. */
unsigned zgi_c_segment_end(const struct zg_block *block, unsigned first);

/* Bytes of a segment that are always there: those before the elements of its last step, if that varies. */
unsigned zgi_c_segment_bytes(const struct zg_block *block, unsigned first, unsigned end);

/* Whether an array's elements are the same bytes in memory and on the wire. */
bool zgi_c_is_bytes(const struct zg_step *step);

/* Appends what `print` prints for a block, tidied and with the protocol's names in the place of @p and @P. */
void zgi_c_emit_block(const struct zgi_c *c, GString *text, const struct zg_block *block,
                      void (*print)(const struct zgi_c *c, GString *text, const struct zg_block *block));

#endif
