/* SPDX-License-Identifier: MIT */
/* One frame's bytes, made from its header and payload. */
#ifndef ZEUGMA_CODEC_FRAME_H
#define ZEUGMA_CODEC_FRAME_H

#include "codec/payload.h"

/* Header, payload and check of one frame, as they are before framing, into plan->max_content bytes. Returns how many
 * there are. */
size_t zg_content_make(const struct zg_plan *plan, const struct zg_header *header, const uint8_t *payload,
                       size_t length, uint8_t *content);

/* The bytes on the wire of one frame, delimiter included; the header's version and length are set. `length` is at most
 * the plan's max_payload. Free with g_byte_array_unref(). */
GByteArray *zg_frame_make(const struct zg_plan *plan, const struct zg_header *header, const uint8_t *payload,
                          size_t length);

/* The same of a message, as one who sends it ends it: the device, if it may. */
GByteArray *zg_frame_of(const struct zg_plan *plan, const struct zg_plan_message *item, const struct zg_header *header,
                        const uint8_t *payload, size_t length);

#endif
