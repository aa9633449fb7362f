/* SPDX-License-Identifier: MIT */
#include "window.h"

#include <string.h>

bool zgi_window_fill(struct zg_decoder *decoder, struct zgi_input *input, size_t want)
{
    size_t held = decoder->filled - decoder->begin;

    if (held >= want)
        return true;
    if (decoder->begin + want > decoder->room) {
        memmove(decoder->window, decoder->window + decoder->begin, held);
        decoder->begin = 0;
        decoder->filled = held;
    }
    size_t more = want - held;
    size_t there = input->count - input->taken;
    if (more > there)
        more = there;
    if (more > 0)
        memcpy(decoder->window + decoder->filled, input->bytes + input->taken, more);
    input->taken += more;
    decoder->filled += more;
    return held + more == want;
}

void zgi_window_drop(struct zg_decoder *decoder, size_t count)
{
    decoder->begin += count;
    decoder->seen = 0;
    if (decoder->begin == decoder->filled)
        decoder->begin = decoder->filled = 0;
}

bool zgi_window_let_go(struct zg_decoder *decoder)
{
    if (decoder->state != ZGI_CONSUMED)
        return false;
    zgi_window_drop(decoder, decoder->total);
    decoder->state = ZGI_SEEKING;
    return true;
}

void zgi_window_keep(struct zg_decoder *decoder)
{
    decoder->kept = decoder->filled - decoder->begin;
    if (decoder->state == ZGI_CONSUMED)
        decoder->kept -= decoder->total;
}

/* Skips, without copying, input before the first byte that may begin an opening. */
static size_t skip_input(const struct zg_decoder *decoder, struct zgi_input *input, uint8_t first)
{
    size_t there = input->count - input->taken;

    if (decoder->filled != 0 || there == 0)
        return 0;
    const uint8_t *from = input->bytes + input->taken;
    const uint8_t *at = (const uint8_t *)memchr(from, first, there);
    size_t skipped = at ? (size_t)(at - from) : there;
    input->taken += skipped;
    return skipped;
}

bool zgi_window_seek(struct zg_decoder *decoder, struct zgi_input *input, const uint8_t *opening, size_t size,
                     enum zg_framing_event *event)
{
    bool noise = false;

    while (decoder->seen < size) {
        if (skip_input(decoder, input, opening[0]) > 0)
            noise = true;
        if (!zgi_window_fill(decoder, input, decoder->seen + 1))
            break;
        if (decoder->window[decoder->begin + decoder->seen] == opening[decoder->seen]) {
            decoder->seen++;
        } else {
            zgi_window_drop(decoder, 1);
            noise = true;
        }
    }
    if (noise)
        *event = ZG_FRAMING_NOISE;
    return !noise && decoder->seen == size;
}

static size_t smaller(size_t a, size_t b)
{
    return a < b ? a : b;
}

void zgi_window_fail(struct zg_decoder *decoder, size_t extent, const uint8_t *opening, size_t size)
{
    const uint8_t *candidate = decoder->window + decoder->begin;
    size_t at = 1;

    while (at < extent && memcmp(candidate + at, opening, smaller(size, extent - at)) != 0)
        at++;
    zgi_window_drop(decoder, at);
    decoder->state = ZGI_SEEKING;
}
