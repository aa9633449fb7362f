/* SPDX-License-Identifier: MIT */
#include "zeugma/sized.h"

#include <string.h>

#include "stuffing.h"
#include "window.h"
#include "zeugma/detail/runs.h"

static const struct zg_sized *sized_of(const struct zg_framing *framing)
{
    return (const struct zg_sized *)framing->options;
}

void zg_sized_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_sized *sized = sized_of(framing);
    zgi_append_all(encoder, sized->sync, sized->sync_size);
}

void zg_sized_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    (void)framing;
    zgi_append_all(encoder, bytes, count);
}

void zg_sized_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    const struct zg_sized *sized = sized_of(framing);
    zgi_append_all(encoder, sized->end, sized->end_size);
}

void zg_sized_reset(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    (void)framing;
    decoder->state = ZGI_SEEKING;
}

static enum zg_framing_event fail(const struct zg_sized *sized, struct zg_decoder *decoder, size_t extent,
                                  enum zg_framing_event event)
{
    zgi_window_fail(decoder, extent, sized->sync, sized->sync_size);
    return event;
}

/* Finds the candidate's size from its first `head` bytes. */
static enum zg_framing_event measure(const struct zg_sized *sized, struct zg_decoder *decoder, size_t head)
{
    size_t size = sized->size;

    if (sized->measure) {
        size = sized->measure(sized->context, decoder->window + decoder->begin + sized->sync_size);
        if (size == 0)
            return fail(sized, decoder, head, ZG_FRAMING_MALFORMED);
    }
    if (size > decoder->limit)
        return fail(sized, decoder, head, ZG_FRAMING_TOO_LONG);
    decoder->total = sized->sync_size + size + sized->end_size;
    return ZG_FRAMING_MORE;
}

/* Shows how much of the content has come. */
static void show_content(const struct zg_sized *sized, struct zg_decoder *decoder)
{
    size_t around = (size_t)sized->sync_size + sized->end_size;
    size_t held = decoder->filled - decoder->begin;

    decoder->content = decoder->window + decoder->begin + sized->sync_size;
    decoder->length = decoder->total - around;
    if (held < decoder->length + sized->sync_size)
        decoder->length = held > sized->sync_size ? held - sized->sync_size : 0;
}

static enum zg_framing_event take(const struct zg_sized *sized, struct zg_decoder *decoder, struct zgi_input *input)
{
    size_t head = (size_t)sized->sync_size + (sized->measure ? sized->head : 0U);

    if (decoder->total == 0) {
        if (!zgi_window_fill(decoder, input, head))
            return ZG_FRAMING_MORE;
        enum zg_framing_event event = measure(sized, decoder, head);
        if (event != ZG_FRAMING_MORE)
            return event;
    }
    bool whole = zgi_window_fill(decoder, input, decoder->total);
    show_content(sized, decoder);
    if (!whole)
        return ZG_FRAMING_MORE;
    if (memcmp(decoder->content + decoder->length, sized->end, sized->end_size) != 0)
        return fail(sized, decoder, decoder->total, ZG_FRAMING_MALFORMED);
    decoder->state = ZGI_CONSUMED;
    return ZG_FRAMING_CONTENT;
}

size_t zg_sized_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event)
{
    const struct zg_sized *sized = sized_of(framing);
    struct zgi_input input = { bytes, count, 0 };

    *event = ZG_FRAMING_MORE;
    (void)zgi_window_let_go(decoder);
    if (decoder->state == ZGI_SEEKING && zgi_window_seek(decoder, &input, sized->sync, sized->sync_size, event)) {
        decoder->state = ZGI_OPEN;
        decoder->total = 0;
    }
    if (decoder->state == ZGI_OPEN)
        *event = take(sized, decoder, &input);
    zgi_window_keep(decoder);
    return input.taken;
}

void zg_sized_reject(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    (void)fail(sized_of(framing), decoder, decoder->total, ZG_FRAMING_MALFORMED);
    zgi_window_keep(decoder);
}

enum zg_framing_event zg_sized_pause(const struct zg_framing *framing, struct zg_decoder *decoder)
{
    enum zg_framing_event event = ZG_FRAMING_NOISE;

    (void)zgi_window_let_go(decoder);
    size_t held = decoder->filled - decoder->begin;
    if (held == 0)
        event = ZG_FRAMING_MORE;
    else if (decoder->state == ZGI_OPEN)
        event = fail(sized_of(framing), decoder, held, ZG_FRAMING_CUT);
    else
        zgi_window_drop(decoder, held);
    zgi_window_keep(decoder);
    return event;
}

#if ZGI_WHOLE_FRAMES

/* A frame contains its content as it is, which stays where it is. */
size_t zgi_sized_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       const uint8_t **content, size_t *length)
{
    const struct zg_sized *sized = sized_of(framing);
    const size_t sync = sized->sync_size, head = sync + (sized->measure ? sized->head : 0U);

    if (!zgi_window_is_clear(decoder) || decoder->state == ZGI_OPEN || count < head ||
        memcmp(bytes, sized->sync, sync) != 0)
        return 0;
    const size_t size = sized->measure ? sized->measure(sized->context, bytes + sync) : sized->size;
    if (size == 0 || size > decoder->limit || count < sync + size + sized->end_size ||
        memcmp(bytes + sync + size, sized->end, sized->end_size) != 0)
        return 0;
    zgi_fetch_ahead(bytes, count);
    *content = bytes + sync;
    *length = size;
    return sync + size + sized->end_size;
}

#endif
