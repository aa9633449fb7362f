/* SPDX-License-Identifier: MIT */
/* What is done around each call of a framing's decoder: here, so that it costs no call of its own. */
#ifndef ZEUGMA_DECODING_H
#define ZEUGMA_DECODING_H

#include "zeugma/framing.h"

/* All that is pending ended, but what the kind keeps. */
static inline void zgi_settle(struct zg_decoder *decoder)
{
    decoder->ended = true;
    decoder->wire = decoder->pending - decoder->kept;
    decoder->pending = decoder->kept;
}

/* zg_decoder_take() */
static inline size_t zgi_decoder_take(struct zg_decoder *decoder, const struct zg_framing *framing,
                                      const uint8_t *bytes, size_t count, enum zg_framing_event *event)
{
    if (decoder->ended)
        decoder->length = 0;
    decoder->ended = false;
    decoder->kept = 0;
    size_t taken = framing->decode(framing, decoder, bytes, count, event);
    decoder->pending += taken;
    if (*event != ZG_FRAMING_MORE)
        zgi_settle(decoder);
    return taken;
}

#endif
