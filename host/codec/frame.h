/* SPDX-License-Identifier: MIT */
/* One frame's bytes, made from its header and payload. */
#ifndef ZEUGMA_CODEC_FRAME_H
#define ZEUGMA_CODEC_FRAME_H

#include "codec/payload.h"

/* The bytes on the wire of one frame, delimiter included; the header's version and length are set. `length` is at most
 * the plan's max_payload. Free with g_byte_array_unref(). */
GByteArray *zg_frame_make(const struct zg_plan *plan, const struct zg_header *header, const uint8_t *payload,
                          size_t length);

#endif
