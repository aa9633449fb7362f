/* SPDX-License-Identifier: MIT */
/*
 * A link for any protocol, chosen at run time. Generated ends have a link of their own, which is smaller and faster.
 * The caller owns all memory. Loop context, except the functions of zeugma/link.h that end in _isr.
 */
#ifndef ZEUGMA_ANY_LINK_H
#define ZEUGMA_ANY_LINK_H

#include "zeugma/link.h"
#include "zeugma/protocol.h"
#include "zeugma/receiver.h"

#ifdef __cplusplus
extern "C" {
#endif

struct zg_any_link {
    struct zg_link link; /* for use with zeugma/link.h */
    /* private */
    struct zg_receiver *receiver;
};

/* Prepares a link. `owner` is passed to the protocol's functions. Returns 0, or ZG_EINVALID if a ring's size is not a
 * power of two up to ZG_RING_MAX, a buffer is too small, or other memory is missing. Call it before interrupts are
 * enabled. */
int zg_any_link_init(struct zg_any_link *any, const struct zg_protocol *protocol, void *owner,
                     const struct zg_port *port, void *port_context, const struct zg_link_memory *memory);

/* Takes many bytes at once, as a host reads them from its system, and delivers frames from within the call. Such a link
 * does not use its receive ring. Where silence ends a frame, the times of the calls show it. Where silence abandons a
 * frame (byte_timeout), the second poll that finds it does so, since bytes for a slow host may be waiting in its
 * system: read between polls. Linear in `count`. */
void zg_any_link_receive(struct zg_any_link *any, const uint8_t *bytes, size_t count);

/* Where the link keeps packets apart: takes one, whole, which is a frame or none; delivers it from within the call.
 * Linear in `size`. */
void zg_any_link_receive_packet(struct zg_any_link *any, const uint8_t *bytes, size_t size);

/* Sends one frame to the first peer: header, payload and check go, stuffed, into the transmit ring. Returns 0;
 * ZG_EROOM: the ring has no room now, or the silence due before a frame is not over; nothing was sent, try again later;
 * ZG_ESIZE: the payload is longer than max_payload (with marks without escape: not exactly that long). Linear in
 * `length`. */
int zg_any_link_send(struct zg_any_link *any, zg_header_number id, const uint8_t *payload, size_t length);

/* Does what is due: decodes received bytes, delivers frames, watches for silence. Never waits. Bounded by the bytes in
 * the receive ring at the time of the call and, after damage, by those that are read again (zeugma/receiver.h). */
void zg_any_link_poll(struct zg_any_link *any);

/* Bytes of a candidate, or of noise, that has not ended yet: `pending` in the sum of zeugma/counters.h. */
size_t zg_any_link_pending(const struct zg_any_link *any);

#ifdef __cplusplus
}
#endif

#endif
