/* SPDX-License-Identifier: MIT */
/*
 * Frames separated by silence on the line, or by a link that keeps packets apart; the content is sent as it is. Without
 * times, as in a file, everything is one frame. zg_decoder_pause() ends a frame. The decoder's memory is the size of
 * the largest content.
 */
#ifndef ZEUGMA_GAP_H
#define ZEUGMA_GAP_H

#include "zeugma/detail/delimited.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Private. */
void zgi_gap_nothing(const struct zg_framing *framing, struct zg_encoder *encoder);
void zgi_gap_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
size_t zgi_gap_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                      enum zg_framing_event *event);
void zgi_gap_reject(const struct zg_framing *framing, struct zg_decoder *decoder);
enum zg_framing_event zgi_gap_pause(const struct zg_framing *framing, struct zg_decoder *decoder);

static const struct zg_framing zg_gap = { zgi_gap_nothing,
                                          zgi_gap_put,
                                          zgi_gap_nothing,
                                          zgi_delimited_reset,
                                          zgi_gap_decode,
                                          zgi_gap_reject,
                                          zgi_gap_pause,
                                          NULL,
                                          false,
                                          false,
                                          NULL };

#ifdef __cplusplus
}
#endif

#endif
