/* SPDX-License-Identifier: MIT */
/*
 * Frames delimited by one byte, which an escape keeps out of the content: SLIP (RFC 1055, "A Nonstandard for
 * Transmission of IP Datagrams over Serial Lines", 1988) and the octet stuffing of HDLC (RFC 1662, "PPP in HDLC-like
 * Framing", 1994, section 4). The decoder's memory is the size of the largest content.
 */
#ifndef ZEUGMA_ESCAPED_H
#define ZEUGMA_ESCAPED_H

#include "zeugma/detail/delimited.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The longest frame that `content` bytes can become, both delimiters included. */
#define ZG_ESCAPED_WIRE_MAX(content) (2 * (content) + 2)

/* Private. */
struct zgi_escapes;
extern const struct zgi_escapes zgi_slip, zgi_hdlc, zgi_hdlc_control;
void zgi_escaped_begin(const struct zg_framing *framing, struct zg_encoder *encoder);
void zgi_escaped_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
void zgi_escaped_end(const struct zg_framing *framing, struct zg_encoder *encoder);
size_t zgi_escaped_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                          size_t count, enum zg_framing_event *event);

#if ZGI_WHOLE_FRAMES
size_t zgi_escaped_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                         size_t count, const uint8_t **content, size_t *length);
#define ZGI_ESCAPED_WHOLE zgi_escaped_whole
#else
#define ZGI_ESCAPED_WHOLE NULL
#endif

#define ZGI_ESCAPED(options, lead)                                                                                     \
    {                                                                                                                  \
        zgi_escaped_begin, zgi_escaped_put, zgi_escaped_end, zgi_delimited_reset, zgi_escaped_decode,                  \
            zgi_delimited_reject, zgi_delimited_pause, options, lead, false, ZGI_ESCAPED_WHOLE                         \
    }

/* SLIP with END before and after each frame, and after it only. A byte after an escape that is neither of the two
 * images makes the candidate fail. */
static const struct zg_framing zg_slip = ZGI_ESCAPED(&zgi_slip, true);
static const struct zg_framing zg_slip_trailing = ZGI_ESCAPED(&zgi_slip, false);

/* HDLC. One flag may close a frame and open the next; an escape before a flag aborts a frame. zg_hdlc_control also
 * escapes 0x00 to 0x1F when it sends. Both receive either form. */
static const struct zg_framing zg_hdlc = ZGI_ESCAPED(&zgi_hdlc, true);
static const struct zg_framing zg_hdlc_control = ZGI_ESCAPED(&zgi_hdlc_control, true);

#ifdef __cplusplus
}
#endif

#endif
