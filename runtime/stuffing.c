/* SPDX-License-Identifier: MIT */
#include "stuffing.h"

enum zg_framing_event zgi_delimiter(struct zg_decoder *decoder, bool whole, size_t taken)
{
    uint8_t state = decoder->state;

    decoder->state = ZGI_EMPTY;
    if (state == ZGI_DATA && whole)
        return ZG_FRAMING_CONTENT;
    if (state == ZGI_EMPTY && decoder->lead && decoder->pending + taken == 1)
        return ZG_FRAMING_MORE; /* it may open a frame */
    decoder->kept = decoder->lead;
    return state == ZGI_EMPTY ? ZG_FRAMING_IDLE : ZG_FRAMING_MALFORMED;
}

void zgi_delimited_reset(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    (void)framing;
    decoder->state = ZGI_EMPTY;
}

void zgi_delimited_reject(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    (void)framing;
    decoder->kept = decoder->lead; /* the delimiter that closed it may open the next */
}

enum zg_framing_event zgi_delimited_pause(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    uint8_t state = decoder->state;

    (void)framing;
    decoder->state = ZGI_EMPTY;
    if (state == ZGI_EMPTY || state == ZGI_SKIP)
        return decoder->pending > 0 ? ZG_FRAMING_IDLE : ZG_FRAMING_MORE;
    return ZG_FRAMING_CUT;
}

size_t zgi_skip_noise(struct zg_decoder *decoder, uint8_t delimiter, const uint8_t *bytes, size_t count,
                      enum zg_framing_event *event)
{
    size_t taken = 0;

    while (taken < count && bytes[taken] != delimiter)
        taken++;
    if (taken < count)
        decoder->state = ZGI_EMPTY;
    if (taken > 0)
        *event = ZG_FRAMING_NOISE;
    return taken;
}
