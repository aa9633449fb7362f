/* SPDX-License-Identifier: MIT */
/*
 * A definition, as the runtime needs it: constant, usually generated. The caller owns what it points to.
 */
#ifndef ZEUGMA_PROTOCOL_H
#define ZEUGMA_PROTOCOL_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/check.h"
#include "zeugma/framing.h"
#include "zeugma/peer.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The largest header that a definition may have, bytes. */
#define ZG_HEADER_MAX 16

/* What a frame's header says; a role that the definition lacks is 0. */
struct zg_header {
    zg_header_word version; /* major number, modulo the role's width */
    zg_header_word id;
    zg_header_word sequence;
    zg_header_word minor;  /* minor number, modulo the role's width */
    zg_header_word length; /* as the definition counts it, bytes */
    zg_header_word destination;
    zg_header_word source;
    uint8_t ticket; /* in front of the fields of an acknowledged message, a request or a reply */
    uint8_t base;   /* behind it where the order is kept: the oldest ticket that the sender still offers */
};

/* What a callback learns beside the message. */
struct zg_frame {
    struct zg_header header;
    struct zg_peer *peer;    /* who sent it; NULL: a node that is not followed */
    enum zg_arrival arrival; /* what the sequence number tells */
    zg_header_word skipped;         /* with the service hello: numbers skipped in front of it, counted as lost */
    uint32_t at_us;          /* port's clock when the frame was complete */
    uint8_t line_errors;     /* bytes that the hardware flagged since the last frame */
};

struct zg_hello_terms;
struct zg_delivery_terms;
struct zg_text_sorter;

struct zg_protocol {
    const struct zg_framing *framing;
    const struct zg_check *check;
    size_t max_payload;       /* bytes, before stuffing */
    size_t max_frame;         /* bytes on the wire of the longest frame */
    size_t receive_room;      /* bytes of memory that the framing's decoder takes */
    size_t filled;            /* zero bytes go in front of the check up to this much content, bytes; 0: none do */
    uint32_t byte_timeout_us; /* silence inside a frame that abandons it; 0: none */
    uint32_t gap_us;          /* silence that ends a frame (framing gap); 0: it does not */
    uint32_t send_gap_us;     /* least silence in front of a frame sent; 0: none */
    uint32_t turn_us;         /* least silence after bytes received, before sending; 0: both directions at once */
    uint32_t link_timeout_us; /* without a frame a peer is down; 0: none */
    uint8_t header_size;      /* bytes */
    uint8_t version_bits;     /* 0: the header has no version, `admit` never finds another one */
    uint8_t sequence_bits;    /* 0: no sequence */
    uint8_t destination_bits; /* 0: no destination, every frame is for every node */
    uint8_t source_bits;      /* 0: no source */
    bool awaits;      /* half duplex: sends nothing while an answer is due, as a PC, whose times are coarse; else
                         only a shared line's frames to others wait */
    bool length_ends; /* the header's length tells the payload's end (in front of zero bytes) */
    /* Writes a header, header_size bytes. Only the low bits of each role are taken; header->length is the payload's. */
    void (*write_header)(void *owner, const struct zg_header *header, uint8_t *at);
    /* Reads the header of a frame that passed its check and judges it: 0; ZG_EVERSION: counted and left; ZG_EFORM: a
     * constant or the length is wrong, the candidate failed. */
    int (*admit)(void *owner, const uint8_t *content, size_t length, struct zg_header *header);
    /* Hands on an admitted frame: returns the number of bytes after the last known field, or ZG_EUNKNOWN (no such id)
     * or ZG_ESIZE (payload too short). */
    int (*deliver)(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length);
    /* Something changed about a peer; NULL: not wanted. */
    void (*changed)(void *owner, struct zg_peer *peer, enum zg_link_event event);
    const struct zg_hello_terms *hello;       /* zeugma/hello.h; NULL: without that service */
    const struct zg_delivery_terms *delivery; /* zeugma/delivery.h; NULL: without */
    /* Where text shares the line: what sorts it out (zeugma/text.h); else NULL. */
    struct zg_text_sorter *(*console)(void *owner);
};

/* The largest content of a frame, bytes. */
#define ZG_MAX_CONTENT(protocol)                                                                                       \
    ((protocol)->filled > 0 ? (protocol)->filled                                                                       \
                            : (size_t)(protocol)->header_size + (protocol)->max_payload + (protocol)->check->size)

#ifdef __cplusplus
}
#endif

#endif
