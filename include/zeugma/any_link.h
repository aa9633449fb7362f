/* SPDX-License-Identifier: MIT */
/*
 * A link for any protocol, of which only the running program knows which. Generated ends have their own, which is
 * smaller and faster. The caller owns all memory. Loop context, except for the functions of zeugma/link.h ending in
 * _isr.
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
    struct zg_link link; /* for the functions of zeugma/link.h */
    /* private */
    struct zg_receiver *receiver;
};

/* Prepares a link. `owner` is handed to the protocol's functions. Returns 0, or ZG_EINVALID when a ring's size is not a
 * power of two within ZG_RING_MAX, a buffer is too small or other memory is missing. Before the interrupts are on. */
int zg_any_link_init(struct zg_any_link *any, const struct zg_protocol *protocol, void *owner,
                     const struct zg_port *port, void *port_context, const struct zg_link_memory *memory);

/* Many bytes came in at once, as a host reads them from its system: they are taken apart and delivered at once, without
 * the receive ring, which such a link does not use. Where silence ends a frame it is told from the times of the
 * calls; where it gives one up, by the second poll that finds it, since a slow host's bytes may wait in its system:
 * read between polls. Linear in `count`. */
void zg_any_link_receive(struct zg_any_link *any, const uint8_t *bytes, size_t count);

/* Sends one frame to the first peer: header, payload and check go stuffed into the transmit ring. Returns 0; ZG_EROOM:
 * the ring has no room now, or the silence in front of a frame is not over; nothing was sent, try again later;
 * ZG_ESIZE: the payload is longer than max_payload (with marks without escape it is to be just as long). Linear in
 * `length`. */
int zg_any_link_send(struct zg_any_link *any, zg_header_word id, const uint8_t *payload, size_t length);

/* Does what is due: takes received bytes apart, delivers frames, watches silence. Never waits; bounded by the bytes
 * that are in the receive ring when it is called, and after damage by those that are read again (zeugma/receiver.h). */
void zg_any_link_poll(struct zg_any_link *any);

/* Bytes of a candidate, or of noise, that has not ended yet: `pending` in the sum of zeugma/counters.h. */
size_t zg_any_link_pending(const struct zg_any_link *any);

#ifdef __cplusplus
}
#endif

#endif
