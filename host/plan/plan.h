/* SPDX-License-Identifier: MIT */
/*
 * The plan: where every bit of every frame lies. Made once from a definition; the interpreter, the generators, the
 * byte maps and the budget all read it, and layout arithmetic is done nowhere else. Read only; it borrows the
 * definition, which must outlive it.
 */
#ifndef ZEUGMA_PLAN_H
#define ZEUGMA_PLAN_H

#include "definition/definition.h"
#include "plan/checker.h"
#include "plan/framer.h"
#include "zeugma/protocol.h"
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

/* A message and its sizes, bytes. */
struct zg_plan_message {
    const struct zg_message *message;
    unsigned tickets;        /* in front of the fields: 0, 1 (ticket) or 2 (ticket and base) */
    struct zg_block payload; /* the fields */
    unsigned payload_least;  /* tickets included */
    unsigned payload_most;
    unsigned content;     /* header, payload, check */
    unsigned frame_least; /* on the wire, delimiter included */
    unsigned frame_most;  /* stuffed at its worst */
};

/* A variable, as it stands in the services' messages: a block with one step, "value". */
struct zg_plan_variable {
    const struct zg_variable *variable;
    char *name; /* of its block: "variable_target_tension" */
    struct zg_block block;
};

/* The header's first eight bytes as one word, lowest first, where each role stands in it in one piece: all but
 * constants and reserved bits, and where in struct zg_header they go. */
struct zg_header_word {
    bool whole; /* false: it does not */
    unsigned count;
    struct {
        uint32_t mask;
        uint8_t shift;
        uint8_t member; /* bytes */
    } roles[ZG_ROLES];
    uint64_t constants; /* the constants' bits, and what they are */
    uint64_t constant_mask;
};

struct zg_plan {
    const struct zg_definition *definition;
    struct zg_block header;
    struct zg_header_word word; /* of the header */
    GPtrArray *records;         /* struct zg_block, each after those that it holds */
    GArray *messages;           /* struct zg_plan_message, in the order of the definition */
    GArray *variables;          /* struct zg_plan_variable, likewise */
    struct zg_check check;
    struct zg_checker checker; /* what `check` points into */
    struct zg_framer framer;
    unsigned max_payload; /* bytes, before stuffing */
    unsigned max_content;
    unsigned max_frame;     /* bytes on the wire of the largest frame that max_payload allows */
    unsigned receive_room;  /* bytes of memory that the framing's decoder takes */
    unsigned filled;        /* zero bytes go in front of the check up to this much content, bytes; 0: none do */
    uint64_t gap_ns;        /* silence that ends a frame, of the framing gap; else 0 */
    uint64_t send_gap_ns;   /* least silence in front of a frame sent */
    uint64_t turn_ns;       /* half duplex: least silence after bytes received, before sending; else 0 */
    unsigned id_bits;       /* 0: the header has no id */
    unsigned sequence_bits; /* 0: none */
    unsigned version_bits;  /* 0: none */
    unsigned minor_bits;    /* 0: none */
    unsigned length_bits;   /* 0: none */
    unsigned destination_bits, source_bits; /* 0: none */
    unsigned length_more;                   /* what the role length counts beside the payload, bytes */
    uint32_t version;                       /* the major number as the header carries it, modulo its width; 0 without */
    uint32_t minor;                         /* the minor number, likewise */
};

/* Lays a definition out. Returns NULL, with diagnostics, where something does not fit. Free with zg_plan_free(). */
struct zg_plan *zg_plan_new(const struct zg_definition *definition, struct zg_diagnostics *diagnostics);
void zg_plan_free(struct zg_plan *plan);

/* The pieces of element `element` of a step of integers or floats (0 of a single value), from the place that step->byte
 * is counted from; of a step with a count, or to the end, from its first element. Returns their number. */
unsigned zg_step_pieces(const struct zg_step *step, unsigned element, struct zg_piece pieces[ZG_PIECES]);

/* The bits of such an element, of 64 at most, put together from its pieces; `at` is where step->byte is counted from.
 */
uint64_t zg_step_load(const struct zg_step *step, unsigned element, const uint8_t *at);

/* How long a node waits for the answer to a hello before its next, at first, us: a few times what both take; 0 without
 * the service. */
uint64_t zg_plan_hello_wait_us(const struct zg_plan *plan);

/* The address of everybody on a shared line; 0: the header has no destination. */
unsigned zg_plan_everybody(const struct zg_plan *plan);

/* The longest until a service has answered, from the end of the request: microseconds. */
uint64_t zg_plan_answer_us(const struct zg_plan *plan);

/* The header's step with the role length; NULL: it has none. */
const struct zg_step *zg_plan_length(const struct zg_plan *plan);

/* Where a step ends at its most, counted as step->byte is: the byte behind its last. */
unsigned zg_step_end(const struct zg_step *step);

/* What a step is. */
bool zg_step_is_bitwise(const struct zg_step *step);    /* its elements do not take whole bytes */
bool zg_step_is_string(const struct zg_step *step);     /* text or bytes */
bool zg_step_is_array(const struct zg_step *step);      /* of numbers or records */
bool zg_step_is_leb(const struct zg_step *step);        /* of LEB128 numbers */
bool zg_step_is_signed(const struct zg_step *step);     /* of signed integers, LEB128 included */
bool zg_step_is_open_count(const struct zg_step *step); /* how many elements or bytes it has is told by each payload */

/* Number `index` of a block's steps, of the plan's messages. */
const struct zg_step *zg_block_step(const struct zg_block *block, unsigned index);
const struct zg_plan_message *zg_plan_message_at(const struct zg_plan *plan, unsigned index);
const struct zg_plan_variable *zg_plan_variable_at(const struct zg_plan *plan, unsigned index);

/* The message of an id (the only one, where the header has no id), or of a name; NULL: none. */
const struct zg_plan_message *zg_plan_by_id(const struct zg_plan *plan, uint64_t id);
const struct zg_plan_message *zg_plan_by_name(const struct zg_plan *plan, const char *name);

/* Bytes on the wire of the smallest frame that there may be. */
unsigned zg_plan_least_frame(const struct zg_plan *plan);

/* The sizes and times of the protocol, framing and check, which point into the plan; the functions are left NULL. */
struct zg_protocol zg_plan_protocol(const struct zg_plan *plan);

/* The raw value that a step sends for an exact physical value. Returns false where it is outside type or range. */
bool zg_step_raw(const struct zg_step *step, const mpq_t physical, union zg_raw *raw);

/* The nearest double of a raw value's exact physical value; a float's own value. */
double zg_step_physical(const struct zg_step *step, union zg_raw raw);

/* A number as the step's float type holds it. */
double zg_step_rounded(const struct zg_step *step, double value);

/* Whether a raw value lies within the step's limits. NaN lies within a float without range. */
bool zg_step_permits(const struct zg_step *step, union zg_raw raw);

/* The double nearest to an exact number, ties to even. */
double zg_nearest_double(const mpq_t value);

#endif
