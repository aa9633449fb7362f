/* SPDX-License-Identifier: MIT */
/*
 * Delimited by one byte that an escape keeps out of the content: SLIP (RFC 1055, "A Nonstandard for Transmission of IP
 * Datagrams over Serial Lines", 1988) and the octet stuffing of HDLC (RFC 1662, "PPP in HDLC-like Framing", 1994,
 * section 4). The decoder's memory is the largest content.
 */
#ifndef ZEUGMA_ESCAPED_H
#define ZEUGMA_ESCAPED_H

#include "zeugma/framing.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The longest frame that `content` bytes can become, both delimiters included. */
#define ZG_ESCAPED_WIRE_MAX(content) (2 * (content) + 2)

/* SLIP with END at both ends, and behind the frame only. What follows an escape and is none of its two images fails. */
extern const struct zg_framing zg_slip;
extern const struct zg_framing zg_slip_trailing;

/* HDLC; one flag may close a frame and open the next; an escape before a flag aborts. zg_hdlc_control also escapes 0x00
 * to 0x1F when it sends; both receive them either way. */
extern const struct zg_framing zg_hdlc;
extern const struct zg_framing zg_hdlc_control;

#ifdef __cplusplus
}
#endif

#endif
