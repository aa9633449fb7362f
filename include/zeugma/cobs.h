/* SPDX-License-Identifier: MIT */
/*
 * Consistent Overhead Byte Stuffing: S. Cheshire, M. Baker, "Consistent Overhead Byte Stuffing", IEEE/ACM Transactions
 * on Networking 7(2), 1999. On the wire a frame is its stuffed content, then 0x00; with `lead` also a 0x00 in front. A
 * final full block of 254 has no code byte after it; the decoder takes both forms. The decoder's memory is the largest
 * content.
 */
#ifndef ZEUGMA_COBS_H
#define ZEUGMA_COBS_H

#include "zeugma/framing.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The longest frame, delimiter included, that `content` bytes can become: one code byte for each started 254. */
#define ZG_COBS_WIRE_MAX(content) ((content) + ((content) + 253) / 254 + ((content) == 0) + 1)

extern const struct zg_framing zg_cobs;
extern const struct zg_framing zg_cobs_lead;

#ifdef __cplusplus
}
#endif

#endif
