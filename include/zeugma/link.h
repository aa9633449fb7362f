/* SPDX-License-Identifier: MIT */
/*
 * One end of a line: rings, framing, check, header, sequence, counters and dispatch. The generated code wraps it with
 * types; all memory is the caller's. Functions ending in _isr may be called from an interrupt, the others from the loop
 * only. Receive ring: producer zg_link_receive_isr, consumer zg_link_poll. Transmit ring: producer zg_link_send,
 * consumer zg_link_transmit_isr.
 */
#ifndef ZEUGMA_LINK_H
#define ZEUGMA_LINK_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/check.h"
#include "zeugma/cobs.h"
#include "zeugma/counters.h"
#include "zeugma/port.h"
#include "zeugma/ring.h"
#include "zeugma/sequence.h"

#ifdef __cplusplus
extern "C" {
#endif

/* What a frame's header says; a role that the definition lacks is 0. */
struct zg_header {
    uint32_t version; /* major number, modulo the role's width */
    uint32_t id;
    uint32_t sequence;
    uint32_t minor;  /* minor number, modulo the role's width */
    uint32_t length; /* of the payload, bytes */
    uint32_t destination;
    uint32_t source;
    uint8_t ticket; /* in front of the fields of an acknowledged message, a request or a reply */
    uint8_t base;   /* behind it where the order is kept: the oldest ticket that the sender still offers */
};

/* What a callback learns beside the message. */
struct zg_frame {
    struct zg_header header;
    enum zg_arrival arrival; /* what the sequence number tells */
    uint32_t at_us;          /* port's clock when the frame was complete */
    uint32_t line_errors;    /* bytes that the hardware flagged since the last frame */
};

/* A definition, as the link needs it: constant, usually generated. */
struct zg_protocol {
    const struct zg_check *check;
    size_t max_payload;       /* bytes, before stuffing */
    uint32_t byte_timeout_us; /* silence inside a frame that abandons it; 0: none */
    uint8_t header_size;      /* bytes */
    uint8_t sequence_bits;    /* 0: the header has no sequence */
    uint8_t destination_bits; /* 0: no destination, every frame is for every node */
    uint8_t source_bits;      /* 0: no source */
    /* Writes a header, header_size bytes. Only the low bits of each role are taken. */
    void (*write_header)(void *owner, const struct zg_header *header, uint8_t *at);
    /* Reads the header of a frame that passed its check and judges it: 0; ZG_EVERSION: counted and left; ZG_EFORM: a
     * constant or the length is wrong, the candidate failed. */
    int (*admit)(void *owner, const uint8_t *content, size_t length, struct zg_header *header);
    /* Hands on an admitted frame: returns the number of bytes after the last known field, or ZG_EUNKNOWN (no such id)
     * or ZG_ESIZE (payload too short). */
    int (*deliver)(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length);
};

/* The largest content of a frame, bytes: what the content buffer must hold. */
#define ZG_LINK_CONTENT(protocol) ((size_t)(protocol)->header_size + (protocol)->max_payload + (protocol)->check->size)

/* The largest header that a definition may have, bytes. */
#define ZG_HEADER_MAX 16

/* The caller's memory. Ring sizes are powers of two; the transmit ring must hold the longest frame on the wire. */
struct zg_link_memory {
    uint8_t *receive;
    size_t receive_size;
    uint8_t *transmit;
    size_t transmit_size;
    uint8_t *content;
    size_t content_size;
};

/* Errors of the line that a UART flags for a byte. */
enum zg_line_error { ZG_LINE_FRAMING = 1, ZG_LINE_PARITY = 2, ZG_LINE_OVERRUN = 4, ZG_LINE_BREAK = 8 };

struct zg_link {
    struct zg_counters counters; /* read only; the loop's */
    /* private */
    const struct zg_protocol *protocol;
    void *owner;
    const struct zg_port *port;
    void *port_context;
    struct zg_ring receive;
    struct zg_ring transmit;
    struct zg_cobs_decoder decoder;
    struct zg_sequence heard; /* of the peer, where frames tell their source */
    uint32_t sequence;        /* of the next frame sent */
    uint32_t address;
    uint32_t peer;
    uint32_t last_us;     /* when bytes last came in */
    uint32_t line_errors; /* since the last frame */
    uint16_t flagged[4];  /* the interrupt's: framing, parity, overrun, break; wrap */
    uint16_t flagged_seen[4];
    uint16_t dropped_seen;
};

/* Prepares a link. `owner` is handed to the protocol's functions. Returns 0, or ZG_EINVALID when a ring's size is not a
 * power of two within ZG_RING_MAX or a buffer is too small. Before the interrupts are on. */
int zg_link_init(struct zg_link *link, const struct zg_protocol *protocol, void *owner, const struct zg_port *port,
                 void *port_context, const struct zg_link_memory *memory);

/* On a shared line: this node's own address, and the peer's, to which frames go and whose sequence is followed (the PC
 * is 0; all ones is everybody). Both are 0 after zg_link_init(). Loop only. */
void zg_link_set_addresses(struct zg_link *link, uint32_t own, uint32_t peer);

/* A byte came in, with the errors flagged for it (a sum of zg_line_error, usually 0). Receive interrupt; constant time.
 * A byte that finds the ring full is dropped and counted. */
void zg_link_receive_isr(struct zg_link *link, uint8_t byte, unsigned line_errors);

/* The next byte to send. False: none, turn the transmit interrupt off. Transmit interrupt; constant time. */
bool zg_link_transmit_isr(struct zg_link *link, uint8_t *byte);

/* Sends one frame: header, payload and check go stuffed into the transmit ring. Returns 0; ZG_EROOM: the ring has no
 * room now, nothing was sent, try again later; ZG_ESIZE: the payload is longer than max_payload. Linear in `length`. */
int zg_link_send(struct zg_link *link, uint32_t id, const uint8_t *payload, size_t length);

/* Does what is due: takes received bytes apart, delivers frames, watches silence. Never waits; bounded by the bytes
 * that are in the receive ring when it is called. */
void zg_link_poll(struct zg_link *link);

/* Bytes of a candidate, or of noise, that has not ended yet: `pending` in the sum of counters.h. */
size_t zg_link_pending(const struct zg_link *link);

#ifdef __cplusplus
}
#endif

#endif
