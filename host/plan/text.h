/* SPDX-License-Identifier: MIT */
/* A message's text layout: what is written, in the order of sending. */
#ifndef ZEUGMA_PLAN_TEXT_H
#define ZEUGMA_PLAN_TEXT_H

#include "plan/steps.h"

/* In a pattern a literal and the value behind it; in pairs and json a pair or member. */
struct zg_text_part {
    const char *literal; /* of a pattern; in pairs and json the key */
    size_t size;
    int step;                           /* index of the value's step; -1: none */
    const struct zg_constant *constant; /* in its place, or NULL */
};

struct zg_text {
    const struct zg_layout *layout;
    GArray *parts; /* struct zg_text_part */
    struct zg_pattern *pattern;
    size_t skipped;       /* characters of the first literal that are the message's tag */
    unsigned least, most; /* characters, without the tag */
    bool misleads;        /* some values, when written, are read as others: text may hold a separator, or look absent */
};

/* What stands for a bool; between the elements of a step, or names of flags. */
const char *zg_text_of_bool(const struct zg_step *step, bool value, enum zg_layout_kind kind);
const char *zg_text_between(const struct zg_step *step);

/* Whether a step's elements are numbers in this layout, not names; whether a number of it is within quotes in json. */
bool zg_text_is_number(const struct zg_step *step, enum zg_layout_kind kind);
bool zg_text_is_quoted(const struct zg_step *step);

/* How an enum's value is written, or NULL. */
const char *zg_text_of_value(const struct zg_enum *enumeration, union zg_raw raw);

/* The fewest and the most characters of a value, in a pattern of one that may be absent, too. */
void zg_text_value_lengths(const struct zg_step *step, enum zg_layout_kind kind, unsigned *least, unsigned *most);

static inline const struct zg_text_part *zg_text_part(const struct zg_text *text, unsigned index)
{
    return &g_array_index(text->parts, struct zg_text_part, index);
}

/* Private. The layout of a message whose block is placed; reports what cannot be told apart. Free with
 * zgi_text_free(). */
struct zg_text *zgi_text_new(const struct zg_message *message, struct zg_block *block,
                             struct zg_diagnostics *diagnostics);
void zgi_text_free(struct zg_text *text);

#endif
