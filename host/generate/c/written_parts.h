/* SPDX-License-Identifier: MIT */
/* What the files that print text layouts share. */
#ifndef ZEUGMA_GENERATE_C_WRITTEN_PARTS_H
#define ZEUGMA_GENERATE_C_WRITTEN_PARTS_H

#include "generate/c/written.h"

/* A message with a text layout, or a record within json, being printed. */
struct zgi_writing {
    const struct zgi_c *c;
    GString *text;
    const struct zg_block *block;
    const struct zg_text *parts;        /* NULL: a record */
    const struct zg_plan_message *item; /* NULL: a record */
};

enum zg_layout_kind zgi_c_layout_of(const struct zgi_writing *writing);

/* Text as a string of C; "P_zgi_M_F_what"; what text is quoted with, as a character of C. */
char *zgi_c_quoted(const char *text);
char *zgi_c_own_name(const struct zgi_writing *writing, const struct zg_step *step, const char *what);
char *zgi_c_quote_of(const struct zg_step *step);

/* Whether a step's values are words. */
bool zgi_c_has_words(const struct zg_step *step, enum zg_layout_kind kind);

/* The size of text or bytes, an expression. */
char *zgi_c_size_of(const struct zg_step *step, const char *value);

/* The beginning of a loop over all elements of an array, by `i`. */
void zgi_c_each_element(const struct zgi_writing *writing, const struct zg_step *step, const char *indent);

/* A statement that keeps `size`, of text or bytes that differ in size. */
void zgi_c_keep_size(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                     const char *indent);

/* A statement that writes a number, or bytes. Statements that take what a call reads into `bits`, that take a number
 * from the characters between two expressions, each or return `failed`, and that end what was taken of a text. */
void zgi_c_put_number(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                      const char *indent);
void zgi_c_put_bytes(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                     const char *indent);
void zgi_c_take_bits(const struct zgi_writing *writing, const struct zg_step *step, const char *value, const char *call,
                     const char *failed, const char *indent);
void zgi_c_take_number(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                       const char *between, const char *failed, const char *indent);
void zgi_c_end_text(const struct zgi_writing *writing, const struct zg_step *step, const char *value,
                    const char *failed, const char *indent);

/* A statement that gives a value that nothing sent its default. */
void zgi_c_missing(const struct zgi_writing *writing, const struct zg_step *step, const char *indent);

/* Whether a name is used in code. */
bool zgi_c_uses(const GString *text, const char *name);

/* The static functions that write a pattern or pairs, and read them; the same for json, and for a record in it. */
void zgi_c_put_written(const struct zgi_writing *writing);
void zgi_c_take_written(const struct zgi_writing *writing);
void zgi_c_json(const struct zgi_writing *writing);

#endif
