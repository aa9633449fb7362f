/* SPDX-License-Identifier: MIT */
/*
 * One end of a line: rings, addresses, counters. The code that finds and sends frames is compiled for one protocol, by
 * generated code (PROTOCOL_device.h, PROTOCOL_host.h), or for any (zeugma/any_link.h); both begin with this struct. The
 * caller owns all memory. Functions that end in _isr may be called from an interrupt, the others from the loop only.
 * Receive ring: producer zg_link_receive_isr(), consumer the end's poll function. Transmit ring: producer the end's
 * send functions, consumer zg_link_transmit_isr().
 */
#ifndef ZEUGMA_LINK_H
#define ZEUGMA_LINK_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/clock.h"
#include "zeugma/counters.h"
#include "zeugma/peer.h"
#include "zeugma/port.h"
#include "zeugma/receiver.h"
#include "zeugma/ring.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The most gaps that are kept between two polls. */
#define ZG_LINK_GAPS 8

/* Where frames begin that are separated by silence: places in the receive ring. Producer zg_link_receive_isr(),
 * consumer the end's poll function. If more gaps come between two polls than there is room for, two frames run
 * together, and their check fails. */
struct zg_link_gaps {
    /* private */
    zg_index at[ZG_LINK_GAPS];
    uint8_t head;     /* written by the producer; places used == head - tail, modulo 256 */
    uint8_t tail;     /* written by the consumer */
    bool heard;       /* the interrupt's: a byte came in */
    uint32_t last_us; /* when the last one did */
    uint32_t gap_us;
};

/* The caller's memory. Ring sizes are powers of two. The transmit ring must hold the longest frame on the wire. */
struct zg_link_memory {
    uint8_t *receive;
    size_t receive_size;
    uint8_t *transmit;
    size_t transmit_size;
    uint8_t *frame;
    size_t frame_size;            /* at least protocol->receive_room */
    struct zg_receiver *receiver; /* for a struct zg_any_link */
    struct zg_link_gaps *gaps;    /* if protocol->gap_us is not 0, otherwise NULL */
};

/* A service's answer that waits for the line: where silence is due before each frame, none can be sent from a handler.
 */
struct zg_late {
    /* private */
    zg_header_number id;
    zg_header_number to;
    uint16_t length; /* of the payload */
    bool due;
};

/* Line errors that a UART flags for a byte. */
enum zg_line_error { ZG_LINE_FRAMING = 1, ZG_LINE_PARITY = 2, ZG_LINE_OVERRUN = 4, ZG_LINE_BREAK = 8 };
#define ZG_LINE_ERRORS 15U /* all of them */

/* The first member of each end. */
struct zg_link {
    /* private */
    const struct zg_port *port;
    void *port_context;
    uint8_t waiting;           /* polls that must find silence before it counts; 0: nothing is open */
    bool sending;              /* the transmit ring was not seen empty since the last frame was written */
    uint8_t flagged;           /* the interrupt's: bytes with a line error, modulo 256 */
    uint8_t flagged_seen;      /* `flagged` at the last frame */
    uint8_t outside;           /* behind a frame, delimiter or silence: 1 and the bytes seen of `bare`; 0: elsewhere */
    uint8_t bare;              /* index of what may be coming outside a frame */
    zg_header_number sequence; /* of the next frame sent */
    zg_header_number address;
    zg_header_number asked; /* half duplex, shared line: the node whose answer is awaited */
    uint16_t answer_ms;     /* for at most so long after the frame that asked has left; 0: no answer is awaited */
    uint32_t last_us;       /* when bytes last came in */
    uint32_t sent_us;       /* when the transmit ring was last seen to become empty */
    struct zg_peer peer;    /* the first of the list */
    struct zg_ring receive;
    struct zg_ring transmit;
    /* of an end that gathers the bytes of short COBS frames */
    uint8_t *frame;
    uint8_t gathered; /* gathered bytes */
    bool letting_go;  /* the frame was too long: its bytes are skipped */
    struct zg_link_gaps *gaps;
    /* read only. Updated by the loop, except bytes_dropped and line_*, which the interrupt updates. On targets that
     * take several accesses for 32 bits, read those with zg_link_counter(). */
    struct zg_counters counters;
};

/* On a shared line: sets this node's own address, and that of its first peer, to which it sends (the PC is 0). Both are
 * 0 at first. Loop only. */
void zg_link_set_addresses(struct zg_link *link, zg_header_number own, zg_header_number peer);

/* Follows one more node on a shared line. `peer` must outlive the link. Loop only. */
void zg_link_add_peer(struct zg_link *link, struct zg_peer *peer, zg_header_number address);

/* A byte came in, with the errors flagged for it (a sum of zg_line_error, usually 0). If the ring is full the byte is
 * dropped and counted. Where silence ends a frame, this reads the port's clock. Receive interrupt; constant time. */
void zg_link_receive_isr(struct zg_link *link, uint8_t byte, unsigned line_errors);

/* The next byte to send. False: there is none, disable the transmit interrupt. Transmit interrupt; constant time. */
bool zg_link_transmit_isr(struct zg_link *link, uint8_t *byte);

/* The counter with this index, read consistently, also if the receive interrupt updates it. Loop only. */
uint32_t zg_link_counter(const struct zg_link *link, unsigned index);

/* Sets the counter with this index to 0. Loop only. */
void zg_link_clear_counter(struct zg_link *link, unsigned index);

/* Private. Between the two, a receive interrupt changes nothing. */
static inline void zgi_hold(const struct zg_link *link)
{
    if (link->port->hold)
        link->port->hold(link->port_context);
}

static inline void zgi_release(const struct zg_link *link)
{
    if (link->port->release)
        link->port->release(link->port_context);
}

/* Private. The parts of zg_link_receive_isr(), for generated code: the first notes the byte's place if the silence
 * before it ended a frame, the second puts the byte into the ring. */
static ZGI_INLINE void zgi_note_gap_isr(struct zg_link *link)
{
    struct zg_link_gaps *gaps = link->gaps;
    uint32_t now = link->port->now_us(link->port_context);
    uint8_t used = (uint8_t)(gaps->head - gaps->tail);

    if (gaps->heard && used < ZG_LINK_GAPS && zg_clock_since(now, gaps->last_us) >= gaps->gap_us) {
        gaps->at[gaps->head % ZG_LINK_GAPS] = link->receive.head;
        gaps->head++;
    }
    gaps->heard = true;
    gaps->last_us = now;
}

/* One byte at a time on 8-bit processors: an interrupt must save each register that it uses. */
static ZGI_INLINE void zgi_increment_isr(uint32_t *counter)
{
#if UINTPTR_MAX <= 0xFFFF && defined(__BYTE_ORDER__) && __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__
    uint8_t *byte = (uint8_t *)(void *)counter, left = sizeof *counter;

    while (++*byte++ == 0 && --left != 0)
        ;
#else
    ++*counter;
#endif
}

static ZGI_INLINE void zgi_link_put_isr(struct zg_link *link, uint8_t *memory, size_t size, uint8_t byte,
                                        unsigned line_errors)
{
    struct zg_counters *counters = &link->counters;

    if (!zgi_ring_put(&link->receive, memory, size, byte))
        zgi_increment_isr(&counters->bytes_dropped);
    if (line_errors == 0)
        return;
    link->flagged++;
    uint32_t *counter = &counters->line_framing; /* they are in the order of zg_line_error */
    for (uint8_t left = line_errors & ZG_LINE_ERRORS; left != 0; counter++, left >>= 1)
        if ((left & 1U) != 0)
            zgi_increment_isr(counter);
}

#ifdef __cplusplus
}
#endif

#endif
