/* SPDX-License-Identifier: MIT */
/* Values of a block, step by step: what each is, and in which bits of which bytes it lies. */
#ifndef ZEUGMA_STEPS_H
#define ZEUGMA_STEPS_H

#include "definition/definition.h"
#include "zeugma/scale.h"

/* A part of a value that lies in one byte: its bits shift .. shift+bits-1 are the byte's bits low .. low+bits-1. */
struct zg_piece {
    unsigned byte;
    unsigned low;
    unsigned bits; /* 1 to 8 */
    unsigned shift;
};

/* The most pieces that a value has: 64 bits that begin within a byte. */
#define ZG_PIECES 9

struct zg_block;

/* A value (a field, or a role of the header) and its place in its block. Places are counted from the block's start, or
 * from the end of the last step before it whose size varies, or from the last newer step. */
struct zg_step {
    const char *name;
    struct zg_type type;
    const struct zg_field *field;      /* NULL for a role of the header */
    const struct zg_header_role *role; /* of the header, else NULL */
    bool big_endian;
    unsigned byte;       /* where it begins; of a bit-wide one, where its run begins */
    unsigned bit;        /* bits of the run before it */
    unsigned bits;       /* of one element on the wire; of bytes and text 8; 0: varies (LEB128, some records) */
    bool varies;         /* its size does: what follows is counted from its end */
    unsigned count_size; /* bytes of the count in front: 0, 1 or 2 */
    bool count_big_endian;
    unsigned most;       /* elements at most; 1 of a single value */
    unsigned least_size; /* bytes of it on the wire, count included; of a bit-wide one, with the run so far */
    unsigned most_size;
    const struct zg_block *record; /* the plan of a record's fields */
    bool newer;                    /* the first of its since: a payload may end before it; places count from here */
    union zg_raw fallback;         /* raw value of a field that is missing */
    union zg_raw low;              /* raw limits of what may be sent, both included (an integer's or a float's) */
    union zg_raw high;
    bool exact;            /* scale.factor, shift and divisor give every physical value to the last bit */
    struct zg_scale scale; /* of an integer; low and high also of a float */
};

/* A header, a record or a payload: steps in the order of the definition. */
struct zg_block {
    const char *name;
    GArray *steps;      /* struct zg_step */
    unsigned size;      /* bytes, least */
    unsigned most_size; /* bytes, most; as size where nothing varies */
    unsigned bits;      /* of all values together, at their most; counts not included */
};

/* The pieces of element `element` of a step of integers or floats (0 of a single value), from the place that step->byte
 * is counted from; of a step with a count, or to the end, from its first element. Returns their number. */
unsigned zg_step_pieces(const struct zg_step *step, unsigned element, struct zg_piece pieces[ZG_PIECES]);

/* The bits of such an element, of 64 at most, put together from its pieces; `at` is where step->byte is counted from.
 */
uint64_t zg_step_load(const struct zg_step *step, unsigned element, const uint8_t *at);

/* Where a step ends at its most, counted as step->byte is: the byte behind its last. */
unsigned zg_step_end(const struct zg_step *step);

/* What a step is. */
bool zg_step_is_bitwise(const struct zg_step *step);    /* its elements do not take whole bytes */
bool zg_step_is_string(const struct zg_step *step);     /* text or bytes */
bool zg_step_is_array(const struct zg_step *step);      /* of numbers or records */
bool zg_step_is_leb(const struct zg_step *step);        /* of LEB128 numbers */
bool zg_step_is_signed(const struct zg_step *step);     /* of signed integers, LEB128 included */
bool zg_step_is_open_count(const struct zg_step *step); /* how many elements or bytes it has is told by each payload */

/* Number `index` of a block's steps. */
const struct zg_step *zg_block_step(const struct zg_block *block, unsigned index);

#endif
