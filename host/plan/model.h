/* SPDX-License-Identifier: MIT */
/* What a plan consists of, and look-ups in it. */
#ifndef ZEUGMA_MODEL_H
#define ZEUGMA_MODEL_H

#include "plan/checker.h"
#include "plan/framer.h"
#include "plan/steps.h"
#include "plan/text.h"
#include "zeugma/protocol.h"

enum { ZG_BARES_MOST = 8 /* messages outside frames */ };

/* Variables that a device can stream at the same time; generated code may be compiled with another number. */
enum { ZG_DEVICE_STREAMS = 4 };

/* A message and its sizes, bytes. */
struct zg_plan_message {
    const struct zg_message *message;
    unsigned tickets;        /* before the fields: 0, 1 (ticket) or 2 (ticket and base) */
    unsigned front;          /* bytes before the fields, as it is sent: those, or its tag */
    struct zg_block payload; /* the fields */
    struct zg_text *text;    /* how they are written in a text layout; NULL: binary */
    unsigned payload_least;  /* with the front */
    unsigned payload_most;
    unsigned content;     /* header, payload, check */
    bool fixed_end;       /* may hold the end mark, which counts only where it must stand */
    unsigned frame_least; /* bytes on the wire, delimiter included */
    unsigned frame_most;  /* with the worst stuffing */
};

/* A variable as the services' messages carry it: a block with one step, "value". */
struct zg_plan_variable {
    const struct zg_variable *variable;
    char *name; /* of its block: "variable_target_tension" */
    struct zg_block block;
};

/* The header's first eight bytes as one word, lowest byte first, if each role is contiguous in it: all roles except
 * constants and reserved bits, and where in struct zg_header they go. */
struct zg_header_word {
    bool whole; /* false: they are not all contiguous there */
    unsigned count;
    struct {
        uint32_t mask;
        uint8_t shift;
        uint8_t member; /* offset in struct zg_header, bytes */
    } roles[ZG_ROLES];
    uint64_t constants; /* the bits of constants, and their values */
    uint64_t constant_mask;
};

struct zg_plan {
    const struct zg_definition *definition;
    struct zg_block header;
    struct zg_header_word word; /* of the header */
    GPtrArray *records;         /* struct zg_block, each after those that it contains */
    GArray *messages;           /* struct zg_plan_message, in the order of the definition */
    GArray *variables;          /* struct zg_plan_variable, in the order of the definition */
    struct zg_check check;
    struct zg_checker checker;                           /* what `check` points into */
    struct zg_framer framer, device_framer, host_framer; /* an observer's, and those of both ends */
    unsigned max_payload;                                /* bytes, before stuffing */
    unsigned max_content;
    unsigned max_frame;    /* bytes on the wire of the largest frame that max_payload allows */
    unsigned receive_room; /* bytes of memory that the framing's decoder takes */
    bool sized;            /* plain marks around contents of one size; the end mark counts only where it must stand */
    bool packets;          /* the link keeps frames apart */
    bool searched;         /* plain marks around contents that never hold the end mark */
    unsigned filled; /* content shorter than this is filled up with zero bytes before the check, bytes; 0: it is not */
    uint64_t gap_ns; /* silence that ends a frame, with the framing gap; otherwise 0 */
    uint64_t send_gap_ns;   /* least silence before a frame that is sent */
    uint64_t turn_ns;       /* half duplex: least silence after received bytes before sending; otherwise 0 */
    unsigned id_bits;       /* 0: the header has no id */
    unsigned sequence_bits; /* 0: none */
    unsigned version_bits;  /* 0: none */
    unsigned minor_bits;    /* 0: none */
    unsigned length_bits;   /* 0: none */
    unsigned destination_bits, source_bits; /* 0: none; with the role node both have its width */
    const struct zg_header_role *node;      /* NULL: none */
    unsigned length_more;                   /* what the role length counts besides the payload, bytes */
    uint32_t version; /* the major number as the header carries it, modulo its width; 0: it does not */
    uint32_t minor;   /* the minor number, in the same way */
    struct zg_bare bares[ZG_SIDE_BOTH + 1][ZG_BARES_MOST]; /* what each side, or any, may send outside frames */
};

/* A message, or a variable, by its index in the plan. */
const struct zg_plan_message *zg_plan_message_at(const struct zg_plan *plan, unsigned index);
const struct zg_plan_variable *zg_plan_variable_at(const struct zg_plan *plan, unsigned index);

/* The message that a frame is, of those that `from` may send: told by its id, or without one in the header by the front
 * of its payload: the one with the longest tag that fits, or else the one without a tag. If both sides may have sent
 * it, and both have such a message, the first. NULL: none. */
const struct zg_plan_message *zg_plan_told(const struct zg_plan *plan, enum zg_side from, uint64_t id,
                                           const uint8_t *payload, size_t length);

/* The same, of what came with this header, in a frame or outside any. */
const struct zg_plan_message *zg_plan_heard(const struct zg_plan *plan, enum zg_side from,
                                            const struct zg_header *header, const uint8_t *payload, size_t length);

/* Lets a protocol hear what these sides may send outside any frame. */
void zg_plan_hear_bares(const struct zg_plan *plan, enum zg_side from, struct zg_protocol *protocol);

/* Private: finds those. */
void zgi_find_bares(struct zg_plan *plan);

/* The other message for which a receiver would take a payload without a tag, because it begins with one; NULL: none. */
const struct zg_plan_message *zg_plan_mistaken(const struct zg_plan *plan, const struct zg_plan_message *item,
                                               const uint8_t *payload, size_t length);

/* Whether the end mark, where it is searched, stands only behind a payload. */
bool zg_plan_carries(const struct zg_plan *plan, const struct zg_plan_message *item, const uint8_t *payload,
                     size_t length);

/* Whether any of the messages that these sides send may hold the end mark. */
bool zg_plan_has_fixed_ends(const struct zg_plan *plan, enum zg_side from);

/* Whether any message has a text layout. */
bool zg_plan_has_texts(const struct zg_plan *plan);

/* The tag that a message is sent with, or NULL. */
const struct zg_tag *zg_plan_tag(const struct zg_plan_message *item);

/* A message by name. NULL: none. */
const struct zg_plan_message *zg_plan_by_name(const struct zg_plan *plan, const char *name);

/* The header's step of a role, of several the first; NULL: there is none. */
const struct zg_step *zg_plan_role(const struct zg_plan *plan, enum zg_role role);

/* Bytes on the wire of the smallest possible frame. */
unsigned zg_plan_least_frame(const struct zg_plan *plan);

#endif
