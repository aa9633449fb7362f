/* SPDX-License-Identifier: MIT */
/*
 * Consistent Overhead Byte Stuffing: S. Cheshire, M. Baker, "Consistent Overhead Byte Stuffing", IEEE/ACM Transactions
 * on Networking 7(2), 1999. On the wire a frame is its stuffed content, then 0x00; with `lead` also a 0x00 before it. A
 * final full block of 254 is sent without a code byte after it; the decoder accepts both forms. The decoder's memory is
 * the size of the largest content.
 */
#ifndef ZEUGMA_COBS_H
#define ZEUGMA_COBS_H

#include "zeugma/detail/delimited.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The longest frame, delimiter included, that `content` bytes can become: one code byte for every 254 bytes or part of
 * them. */
#define ZG_COBS_WIRE_MAX(content) ((content) + ((content) + 253) / 254 + ((content) == 0) + 1)

/* Private. */
void zgi_cobs_begin(const struct zg_framing *framing, struct zg_encoder *encoder);
void zgi_cobs_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
void zgi_cobs_end(const struct zg_framing *framing, struct zg_encoder *encoder);
size_t zgi_cobs_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event);

#if ZGI_WHOLE_FRAMES
size_t zgi_cobs_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                      const uint8_t **content, size_t *length);
#define ZGI_COBS_WHOLE zgi_cobs_whole
#else
#define ZGI_COBS_WHOLE NULL
#endif

#define ZGI_COBS(lead)                                                                                                 \
    {                                                                                                                  \
        zgi_cobs_begin, zgi_cobs_put, zgi_cobs_end, zgi_delimited_reset, zgi_cobs_decode, zgi_delimited_reject,        \
            zgi_delimited_pause, NULL, lead, false, ZGI_COBS_WHOLE                                                     \
    }

static const struct zg_framing zg_cobs = ZGI_COBS(false);
static const struct zg_framing zg_cobs_lead = ZGI_COBS(true);

#ifdef __cplusplus
}
#endif

#endif
