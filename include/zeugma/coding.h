/* SPDX-License-Identifier: MIT */
/*
 * Contents as hex digits, two for each byte, between the content and another framing (`coding: hex`). Digits of either
 * case are taken; anything else fails the candidate. For framings whose decoder keeps the content in memory of its own:
 * all but length, fixed and marks around contents of one size.
 */
#ifndef ZEUGMA_CODING_H
#define ZEUGMA_CODING_H

#include "zeugma/framing.h"

#ifdef __cplusplus
extern "C" {
#endif

struct zg_coding {
    const struct zg_framing *inner;
    bool upper; /* digits that are sent: A to F, or a to f */
};

/* An initialiser: the framing with `options`, a struct zg_coding whose inner framing has this `lead` and `rereads`. Its
 * decoder's largest content is twice that of the protocol. */
#define ZG_CODED(options, lead, rereads)                                                                               \
    {                                                                                                                  \
        zgi_coded_begin, zgi_coded_put, zgi_coded_end, zgi_coded_reset, zgi_coded_decode, zgi_coded_reject,            \
            zgi_coded_pause, (options), lead, rereads, NULL                                                            \
    }

/* Private. */
void zgi_coded_begin(const struct zg_framing *framing, struct zg_encoder *encoder);
void zgi_coded_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
void zgi_coded_end(const struct zg_framing *framing, struct zg_encoder *encoder);
void zgi_coded_reset(const struct zg_framing *framing, struct zg_decoder *decoder);
size_t zgi_coded_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                        size_t count, enum zg_framing_event *event);
void zgi_coded_reject(const struct zg_framing *framing, struct zg_decoder *decoder);
enum zg_framing_event zgi_coded_pause(const struct zg_framing *framing, struct zg_decoder *decoder);

#ifdef __cplusplus
}
#endif

#endif
