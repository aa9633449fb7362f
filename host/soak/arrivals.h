/* SPDX-License-Identifier: MIT */
/* What arrives at the two ends of a soak: each frame is looked up in the ledger, or belongs to a stretch with damage.
 * The takers return what a node's `deliver` does. */
#ifndef ZEUGMA_ARRIVALS_H
#define ZEUGMA_ARRIVALS_H

#include "soak/ends.h"

/* On the simulated line, where both ends are known. */
int zgi_take(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length);

/* From a real device, which may also send messages of its own; and while this end only listens. */
int zgi_take_from_device(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length);
int zgi_take_listening(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length);

/* Its own, by a wire from TX to RX. */
int zgi_take_loopback(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length);

/* The flow that an id belongs to at this end. ZG_FLOWS: none. */
enum zg_flow zgi_flow_of(const struct zgi_end *end, uint32_t id);

/* The number of a flow's frame, and whether it is as it was sent. Echoes back have the numbers of their echoes out. The
 * payload contains the bytes of the number. */
uint32_t zgi_number_of(const struct zgi_soak *soak, enum zg_flow flow, const uint8_t *payload);
bool zgi_equals_sent(struct zgi_soak *soak, enum zg_flow flow, uint32_t number, const uint8_t *payload, size_t length);

/* A frame's entry in the ledger, if it arrived exactly as sent; otherwise NULL. */
const struct zg_ledger_entry *zgi_entry_of(struct zgi_soak *soak, enum zg_flow flow, const struct zg_header *header,
                                           const uint8_t *payload, size_t length);

#endif
