/* SPDX-License-Identifier: MIT */
/* What the files of the C generator share. */
#ifndef ZEUGMA_GENERATE_C_H
#define ZEUGMA_GENERATE_C_H

#include "generate/generate.h"

/* The protocol's name as prefix of functions and types, and of constants. */
struct zgi_c {
    const struct zg_plan *plan;
    const char *prefix; /* "loom" */
    char *upper;        /* "LOOM" */
};

/* Begins a file: mark, summary, what it is. */
GString *zgi_c_file(const struct zgi_c *c, const char *what);

/* Text that may stand in a comment. Free with g_free(). */
char *zgi_c_comment(const char *text);

/* The bits of the C type that holds a step: 8, 16, 32 or 64. */
unsigned zgi_c_bits(const struct zg_step *step);

/* PREFIX_FIRST_SECOND in capitals (`second` may be NULL), the C type of a field, a raw integer as a constant of the
 * type that holds it. Free with g_free(). */
char *zgi_c_constant(const struct zgi_c *c, const char *first, const char *second);
char *zgi_c_field_type(const struct zgi_c *c, const struct zg_step *step);
char *zgi_c_literal(enum zg_kind kind, unsigned width, union zg_raw raw);

/* An expression that reads a step's raw bits from the bytes `in` (free with g_free()), and statements that write a
 * block's steps, each found at `before` + name, into the bytes `out`; a float's bits are found in bits_of_NAME. */
char *zgi_c_load(const struct zg_step *step);
void zgi_c_store(GString *text, const struct zg_block *block, const char *before);

/* The files' bodies. */
void zgi_c_types(const struct zgi_c *c, GString *text);
void zgi_c_code(const struct zgi_c *c, GString *text);
void zgi_c_node_header(const struct zgi_c *c, GString *text, enum zg_side side);
void zgi_c_node_code(const struct zgi_c *c, GString *text, enum zg_side side);

#endif
