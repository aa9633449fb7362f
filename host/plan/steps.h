/* SPDX-License-Identifier: MIT */
/* The values of a block, step by step: what each is, and in which bits of which bytes. */
#ifndef ZEUGMA_STEPS_H
#define ZEUGMA_STEPS_H

#include "definition/definition.h"
#include "zeugma/scale.h"

/* A part of a value within one byte: the value's bits shift .. shift+bits-1 are the byte's bits low .. low+bits-1. */
struct zg_piece {
    unsigned byte;
    unsigned low;
    unsigned bits; /* 1 to 8 */
    unsigned shift;
};

/* The most pieces of a value: 64 bits that begin within a byte. */
#define ZG_PIECES 9

struct zg_block;

/* A value (a field, or a role of the header) and its place in its block. Places count from the block's start, or from
 * the end of the last step before it that varies in size, or from the last newer step. */
struct zg_step {
    const char *name;
    const char *code; /* its name in generated code */
    struct zg_type type;
    const struct zg_field *field;      /* NULL for a role of the header */
    const struct zg_header_role *role; /* of the header; otherwise NULL */
    bool big_endian;
    unsigned byte;       /* where it begins; for a bit-wide one, where its run begins */
    unsigned bit;        /* bits of the run before it */
    unsigned bits;       /* of one element on the wire; of bytes and text 8; 0: varies (LEB128, some records) */
    bool varies;         /* its size varies: what follows counts from its end */
    unsigned count_size; /* bytes of the count before it: 0, 1 or 2 */
    bool count_big_endian;
    unsigned count_unit; /* what the count in front counts for each element: 1, or its bytes */
    unsigned most;       /* most elements; 1 for a single value */
    unsigned least_size; /* its bytes on the wire, count included; for a bit-wide one those of the run so far */
    unsigned most_size;
    const struct zg_block *record; /* the plan of a record's fields */
    bool newer;            /* the first field of its version: a payload may end before it; places count from here */
    union zg_raw fallback; /* raw value of the field where it is missing */
    union zg_raw low;      /* raw limits of what may be sent, both inclusive (an integer's or a float's) */
    union zg_raw high;
    bool exact;            /* scale.factor, shift and divisor give every physical value exactly */
    struct zg_scale scale; /* of an integer; low and high also for a float */
    unsigned characters;   /* of every value in a pattern; 0: their number varies, or it is optional */
    /* An integer in units of the last decimal with which it is written == units_zero + raw * units_each; units_each 0:
     * these are no whole numbers of a moderate size. */
    int64_t units_zero, units_each;
};

/* A header, a record or a payload: steps in the order of the definition. */
struct zg_block {
    const char *name;
    GArray *steps;                         /* struct zg_step */
    unsigned size;                         /* bytes at least */
    unsigned most_size;                    /* bytes at most; equal to size if nothing varies */
    unsigned bits;                         /* of all values together, at most; without counts */
    const struct zg_record_length *length; /* that a record holds of itself, or NULL */
    unsigned length_byte;                  /* where it begins */
};

/* The pieces of element `element` (0 for a single value) of a step of integers or floats, relative to the place that
 * step->byte counts from; for a step with a count or up to the end, relative to its first element. Returns how many. */
unsigned zg_step_pieces(const struct zg_step *step, unsigned element, struct zg_piece pieces[ZG_PIECES]);

/* A number of up to eight whole bytes. */
uint64_t zg_bytes_load(const uint8_t *at, unsigned size, bool big_endian);

/* The bits of such an element, at most 64, combined from its pieces. `at` is where step->byte counts from. */
uint64_t zg_step_load(const struct zg_step *step, unsigned element, const uint8_t *at);

/* The value of a step's type that these bits are. */
union zg_raw zg_step_of_bits(const struct zg_step *step, uint64_t bits);

/* The byte after a step at its longest, counted like step->byte. */
unsigned zg_step_end(const struct zg_step *step);

/* What kind of step it is; inline, because it is asked for each value. */

/* Its elements do not fill whole bytes. */
static inline bool zg_step_is_bitwise(const struct zg_step *step)
{
    return step->bits % 8 != 0;
}

/* Text or bytes. */
static inline bool zg_step_is_string(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_TEXT || step->type.kind == ZG_KIND_BYTES;
}

/* Of numbers or records. */
static inline bool zg_step_is_array(const struct zg_step *step)
{
    return !zg_step_is_string(step) && step->type.extent != ZG_EXTENT_ONE;
}

/* One number: no text or bytes, no array, no record. */
static inline bool zg_step_is_number(const struct zg_step *step)
{
    return !zg_step_is_string(step) && !zg_step_is_array(step) && !step->record;
}

/* Of LEB128 numbers. */
static inline bool zg_step_is_leb(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_LEB_UNSIGNED || step->type.kind == ZG_KIND_LEB_SIGNED;
}

/* Of signed integers, LEB128 included. */
static inline bool zg_step_is_signed(const struct zg_step *step)
{
    return step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED;
}

/* Each payload says how many elements or bytes it has. */
static inline bool zg_step_is_open_count(const struct zg_step *step)
{
    return step->type.extent == ZG_EXTENT_COUNTED || step->type.extent == ZG_EXTENT_REST;
}

/* It may fill all that a payload has room for. */
static inline bool zg_step_is_unlimited(const struct zg_step *step)
{
    return step->type.extent == ZG_EXTENT_REST && step->type.count == 0;
}

/* A step of a block by its index. */
static inline const struct zg_step *zg_block_step(const struct zg_block *block, unsigned index)
{
    return &g_array_index(block->steps, struct zg_step, index);
}

/* Whether all blocks of this kind have one size. One that says itself how long it is may be longer than is known here.
 */
static inline bool zg_block_is_fixed(const struct zg_block *block)
{
    return block->size == block->most_size && !block->length;
}

/* The byte behind the length that a record holds of itself. */
static inline unsigned zg_block_length_end(const struct zg_block *block)
{
    return block->length_byte + block->length->bits / 8;
}

/* What that length says of a record of `size` bytes. */
static inline unsigned zg_block_length_of(const struct zg_block *block, unsigned size)
{
    return size - (block->length->counts_rest ? zg_block_length_end(block) : 0) + block->length->plus;
}

/* Whether a block, or a record in it, has a step for which `like` holds. */
bool zg_block_any_step(const struct zg_block *block, bool (*like)(const struct zg_step *step));

#endif
