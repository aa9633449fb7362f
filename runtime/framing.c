/* SPDX-License-Identifier: MIT */
#include "zeugma/framing.h"

#include <string.h>

#include "decoding.h"
#include "zeugma/error.h"

void zg_encoder_begin(struct zg_encoder *encoder, const struct zg_framing *framing, struct zg_ring *ring)
{
    encoder->ring = ring;
    encoder->room = zg_ring_room(ring);
    encoder->used = 0;
    encoder->overflow = false;
    framing->begin(framing, encoder);
}

void zg_encoder_put(struct zg_encoder *encoder, const struct zg_framing *framing, const uint8_t *bytes, size_t count)
{
    framing->put(framing, encoder, bytes, count);
}

int zg_encoder_end(struct zg_encoder *encoder, const struct zg_framing *framing, size_t *wire)
{
    framing->end(framing, encoder);
    if (encoder->overflow)
        return ZG_EROOM;
    *wire = encoder->used;
    zg_ring_publish(encoder->ring, encoder->used);
    return 0;
}

void zg_decoder_init(struct zg_decoder *decoder, const struct zg_framing *framing, size_t limit, uint8_t *memory,
                     size_t size)
{
    memset(decoder, 0, sizeof *decoder);
    decoder->limit = limit;
    decoder->content = memory;
    decoder->window = memory;
    decoder->room = size;
    framing->reset(framing, decoder);
}

size_t zg_decoder_take(struct zg_decoder *decoder, const struct zg_framing *framing, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event)
{
    return zgi_decoder_take(decoder, framing, bytes, count, event);
}

void zg_decoder_reject(struct zg_decoder *decoder, const struct zg_framing *framing)
{
    decoder->pending += decoder->wire;
    framing->reject(framing, decoder);
    zgi_settle(decoder);
}

void zg_decoder_pause(struct zg_decoder *decoder, const struct zg_framing *framing, enum zg_framing_event *event)
{
    decoder->kept = 0;
    *event = framing->pause(framing, decoder);
    if (*event != ZG_FRAMING_MORE)
        zgi_settle(decoder);
}
