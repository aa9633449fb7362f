/* SPDX-License-Identifier: MIT */
#include "zeugma/cobs.h"

#include "runs.h"
#include "stuffing.h"

enum { FULL_BLOCK = 0xFF }; /* code of a block of 254 bytes, after which no zero is implied */

static void open_block(struct zg_encoder *encoder)
{
    encoder->code_at = encoder->used;
    encoder->code = 1;
    zgi_append(encoder, 0);
}

static void close_block(struct zg_encoder *encoder)
{
    zgi_poke(encoder, encoder->code_at, encoder->code);
}

static void begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    if (framing->lead)
        zgi_append(encoder, 0);
    open_block(encoder);
}

static void put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    (void)framing;
    for (size_t i = 0; i < count && !encoder->overflow; i++) {
        if (encoder->code == 0)
            open_block(encoder);
        if (bytes[i] == 0) {
            close_block(encoder);
            open_block(encoder);
            continue;
        }
        zgi_append(encoder, bytes[i]);
        if (++encoder->code == FULL_BLOCK) {
            close_block(encoder);
            encoder->code = 0; /* the next block opens only if there is more */
        }
    }
}

static void end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    (void)framing;
    if (encoder->code != 0)
        close_block(encoder);
    zgi_append(encoder, 0);
}

enum {
    EMPTY = ZGI_EMPTY,
    SKIP = ZGI_SKIP,
    CODE = ZGI_DATA, /* the next byte is a code byte, or the end */
    DATA             /* inside a block */
};

static enum zg_framing_event give_up(struct zg_decoder *decoder)
{
    decoder->state = SKIP;
    return ZG_FRAMING_TOO_LONG;
}

static enum zg_framing_event begin_block(struct zg_decoder *decoder, uint8_t code)
{
    bool zero_implied = decoder->state == CODE && decoder->code != FULL_BLOCK;
    decoder->code = code;
    decoder->left = (uint8_t)(code - 1U);
    decoder->state = decoder->left == 0 ? CODE : DATA;
    if (zero_implied && decoder->length == decoder->limit)
        return give_up(decoder);
    if (zero_implied)
        decoder->content[decoder->length++] = 0;
    return ZG_FRAMING_MORE;
}

/* What of an open block comes in one piece: its bytes up to a zero, to its end, or to the end of the room. */
static size_t take_run(struct zg_decoder *decoder, const uint8_t *bytes, size_t count)
{
    size_t room = decoder->limit - decoder->length;
    size_t most = decoder->left < count ? decoder->left : count;

    if (most > room)
        most = room;
    size_t taken = zgi_copy_run(decoder->content + decoder->length, bytes, most);
    decoder->length += taken;
    decoder->left = (uint8_t)(decoder->left - taken);
    if (decoder->left == 0)
        decoder->state = CODE;
    return taken;
}

/* From byte `i` on, in any state. */
static size_t decode_on(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                        size_t count, enum zg_framing_event *event, size_t i)
{
    *event = ZG_FRAMING_MORE;
    if (decoder->state == SKIP)
        i = zgi_skip_noise(decoder, 0, bytes, count, event);
    while (i < count && *event == ZG_FRAMING_MORE) {
        if (decoder->state == DATA)
            i += take_run(decoder, bytes + i, count - i);
        if (i == count)
            break;
        uint8_t byte = bytes[i++]; /* one that take_run() leaves */
        if (byte == 0)
            *event = zgi_delimiter(framing, decoder, i);
        else
            *event = decoder->state == DATA ? give_up(decoder) : begin_block(decoder, byte);
    }
    return i;
}

static size_t decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                     enum zg_framing_event *event)
{
    uint8_t code = FULL_BLOCK;

    if (decoder->state != EMPTY)
        return decode_on(framing, decoder, bytes, count, event, 0);
    size_t taken = zgi_copy_blocks(decoder->content, decoder->limit, &decoder->length, &code, bytes, count);
    if (taken > 0 && taken < count && bytes[taken] == 0) { /* a whole frame */
        *event = ZG_FRAMING_CONTENT;
        return taken + 1;
    }
    if (taken > 0) {
        decoder->state = CODE;
        decoder->code = code;
    }
    return decode_on(framing, decoder, bytes, count, event, taken);
}

#define COBS(lead)                                                                                                     \
    {                                                                                                                  \
        begin, put, end, zgi_delimited_reset, decode, zgi_delimited_reject, zgi_delimited_pause, NULL, lead            \
    }

const struct zg_framing zg_cobs = COBS(false);
const struct zg_framing zg_cobs_lead = COBS(true);
