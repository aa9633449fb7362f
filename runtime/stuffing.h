/* SPDX-License-Identifier: MIT */
/* What the framings share: writing a frame's bytes, and the states of those that end at a delimiter. */
#ifndef ZEUGMA_STUFFING_H
#define ZEUGMA_STUFFING_H

#include <string.h>

#include "zeugma/detail/delimited.h"

/* Writes a byte at a place of the unpublished frame, or notes that there is no room. */
static inline void zgi_poke(struct zg_encoder *encoder, zg_index at, uint8_t byte)
{
    if (at >= encoder->room)
        encoder->overflow = true;
    else
        zg_ring_poke(encoder->ring, at, byte);
}

static inline void zgi_append(struct zg_encoder *encoder, uint8_t byte)
{
    zgi_poke(encoder, encoder->used, byte);
    if (!encoder->overflow)
        encoder->used++;
}

static inline void zgi_append_all(struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
#if ZGI_WHOLE_FRAMES
    const struct zg_ring *const ring = encoder->ring;
    const zg_index at = (zg_index)(ring->head + encoder->used) & ring->mask;
    const size_t to_end = (size_t)ring->mask + 1 - at, first = count < to_end ? count : to_end;

    if (encoder->overflow || count > (size_t)(encoder->room - encoder->used)) {
        encoder->overflow = true;
        return;
    }
    memcpy(ring->bytes + at, bytes, first);
    if (first < count)
        memcpy(ring->bytes, bytes + first, count - first);
    encoder->used = (zg_index)(encoder->used + count);
#else
    for (size_t i = 0; i < count; i++)
        zgi_append(encoder, bytes[i]);
#endif
}

/* States of a decoder whose frames end at a delimiter. A kind's own states follow these. */
enum {
    ZGI_EMPTY, /* after a delimiter, or at the start */
    ZGI_SKIP,  /* outside any candidate, until a delimiter */
    ZGI_DATA   /* in a candidate */
};

/* A delimiter came, the last of `taken` bytes. It ends a candidate, with content if it is `whole`, otherwise as failed;
 * or it comes between two frames. With `lead` a delimiter that ended no frame may open the next one; it is idle if
 * another follows. */
enum zg_framing_event zgi_delimiter(struct zg_decoder *decoder, bool whole, size_t taken);

/* Outside any candidate: skips bytes up to the delimiter, which ends the noise and opens what follows. Returns how
 * many. */
size_t zgi_skip_noise(struct zg_decoder *decoder, uint8_t delimiter, const uint8_t *bytes, size_t count,
                      enum zg_framing_event *event);

#endif
