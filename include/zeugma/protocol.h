/* SPDX-License-Identifier: MIT */
/*
 * A definition as the runtime needs it: constant, usually generated. The caller owns what it points to.
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

/* The contents of a frame's header. A role that the definition lacks is 0. */
struct zg_header {
    zg_header_number version; /* major number, modulo the role's width */
    zg_header_number id;
    zg_header_number sequence;
    zg_header_number minor;  /* minor number, modulo the role's width */
    zg_header_number length; /* as the definition counts it, bytes */
    zg_header_number destination;
    zg_header_number source;
    uint8_t ticket; /* before the fields of an acknowledged message, a request or a reply */
    uint8_t base;   /* after the ticket, if the order is kept: the oldest ticket that the sender still offers */
    uint8_t bare;   /* of what came outside frames: the message's number, from 1 on; the others are 0 */
};

/* A message that is these bytes, outside any frame: an acknowledgement, a prompt. */
struct zg_bare {
    uint8_t number; /* from 1 on */
    uint8_t size;
    uint8_t bytes[ZG_MARK_MAX];
};

/* What a handler is given besides the message. */
struct zg_frame {
    struct zg_header header;
    struct zg_peer *peer;     /* who sent it; NULL: a node that is not followed */
    enum zg_arrival arrival;  /* what the sequence number says */
    zg_header_number skipped; /* with the service hello: numbers skipped before it, counted as lost */
    uint32_t at_us;           /* the port's clock when the frame was complete */
    uint8_t line_errors;      /* bytes with line errors since the last frame */
};

struct zg_hello_terms;
struct zg_delivery_terms;
struct zg_text_sorter;
struct zg_found;

struct zg_protocol {
    const struct zg_framing *framing;
    const struct zg_check *check;
    size_t max_payload;  /* bytes, before stuffing */
    size_t max_frame;    /* bytes on the wire of the longest frame */
    size_t receive_room; /* bytes of memory that the framing's decoder takes */
    size_t filled; /* content shorter than this is filled up with zero bytes before the check, bytes; 0: it is not */
    uint32_t byte_timeout_us;   /* silence within a frame that abandons it; 0: none */
    uint32_t gap_us;            /* silence that ends a frame (framing gap); 0: it does not */
    uint32_t send_gap_us;       /* least silence before a frame that is sent; 0: none */
    uint32_t turn_us;           /* least silence after received bytes before sending; 0: both directions at once */
    uint32_t link_timeout_us;   /* without a frame for so long, a peer is down; 0: never */
    uint8_t header_size;        /* bytes */
    uint8_t version_bits;       /* 0: the header has no version, so every frame is of ours */
    uint8_t sequence_bits;      /* 0: no sequence */
    uint8_t destination_bits;   /* 0: no destination, every frame is for every node */
    uint8_t source_bits;        /* 0: no source */
    bool node;                  /* one address in both directions, the device's: destination and source are both that */
    zg_header_number everybody; /* the address that means every node */
    bool awaits; /* half duplex: sends nothing while an answer is due, like a PC, whose timing is coarse; otherwise only
                    frames to others wait, on a shared line */
    bool packets; /* the link keeps frames apart, each of which is one packet; the transmit ring holds one at a time */
    bool coded;   /* contents are hex digits on the wire (zeugma/coding.h) */
    bool halved;  /* a byte is two characters on the wire (zeugma/halves.h) */
    uint8_t ignores;            /* how many kinds of bytes are dropped as they come in, wherever they stand */
    const uint8_t *ignored;     /* those */
    uint8_t bares;              /* how many messages that are received come outside any frame */
    const struct zg_bare *bare; /* those; none begins with another */
    bool asks_bare;             /* a request without a ticket is sent outside frames */
    bool length_ends;           /* the header's length gives the payload's end (zero bytes may follow) */
    /* Writes a header of header_size bytes. Only the low bits of each role are used; header->length is the payload's.
     */
    void (*write_header)(void *owner, const struct zg_header *header, uint8_t *at);
    /* Reads the header of a frame that passed its check, and judges it: 0; ZG_EVERSION: another version, counted and
     * not delivered; ZG_EFORM: a constant or the length is wrong, so the candidate failed. */
    int (*admit)(void *owner, const uint8_t *content, size_t length, struct zg_header *header);
    /* Hands on a frame. Returns how many bytes follow the last known field, or ZG_EUNKNOWN (no message has this id) or
     * ZG_ESIZE (payload too short). */
    int (*deliver)(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length);
    /* Something changed about a peer. NULL: not wanted. */
    void (*changed)(void *owner, struct zg_peer *peer, enum zg_link_event event);
    const struct zg_hello_terms *hello;       /* zeugma/hello.h; NULL: no such service */
    const struct zg_delivery_terms *delivery; /* zeugma/delivery.h; NULL: no such service */
    /* Where console text shares the line: what separates it from frames (zeugma/text.h). Otherwise NULL. */
    struct zg_text_sorter *(*console)(void *owner);
    /* Is told of the bytes as they are taken, with what ended at the last of them, and how many taken before have not
     * ended. Frames that came whole may be left out, but for the last. NULL: not wanted. */
    void (*hear)(void *owner, const uint8_t *bytes, size_t count, const struct zg_found *found, size_t pending);
};

/* The largest content of a frame, bytes. */
#define ZG_MAX_CONTENT(protocol)                                                                                       \
    ((protocol)->filled > 0 ? (protocol)->filled                                                                       \
                            : (size_t)(protocol)->header_size + (protocol)->max_payload + (protocol)->check->size)

#ifdef __cplusplus
}
#endif

#endif
