/* SPDX-License-Identifier: MIT */
#include "zeugma/gap.h"

#include <string.h>

#include "stuffing.h"

void zgi_gap_nothing(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    (void)framing;
    (void)encoder;
}

void zgi_gap_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    (void)framing;
    zgi_append_all(encoder, bytes, count);
}

size_t zgi_gap_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                      enum zg_framing_event *event)
{
    size_t room;

    (void)framing;
    *event = ZG_FRAMING_MORE;
    if (count == 0)
        return 0;
    if (decoder->state == ZGI_SKIP) {
        *event = ZG_FRAMING_NOISE;
        return count;
    }
    decoder->state = ZGI_DATA;
    room = decoder->limit - decoder->length;
    if (count > room) {
        decoder->state = ZGI_SKIP;
        *event = ZG_FRAMING_TOO_LONG;
        return room + 1;
    }
    memcpy(decoder->content + decoder->length, bytes, count);
    decoder->length += count;
    return count;
}

void zgi_gap_reject(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    (void)framing;
    (void)decoder; /* only silence opens a candidate: none can begin inside another */
}

enum zg_framing_event zgi_gap_pause(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    bool open = decoder->state == ZGI_DATA;

    (void)framing;
    decoder->state = ZGI_EMPTY;
    return open ? ZG_FRAMING_CONTENT : ZG_FRAMING_MORE;
}
