/* SPDX-License-Identifier: MIT */
#include "zeugma/cobs.h"

#include <string.h>

#include "zeugma/error.h"

enum { FULL_BLOCK = 0xFF }; /* code of a block of 254 bytes, after which no zero is implied */

/* Writes a byte at a place of the unpublished frame, or notes that there is none. */
static void poke(struct zg_cobs_encoder *encoder, zg_index at, uint8_t byte)
{
    if (at >= encoder->room)
        encoder->overflow = true;
    else
        zg_ring_poke(encoder->ring, at, byte);
}

static void append(struct zg_cobs_encoder *encoder, uint8_t byte)
{
    poke(encoder, encoder->used, byte);
    if (!encoder->overflow)
        encoder->used++;
}

static void open_block(struct zg_cobs_encoder *encoder)
{
    encoder->code_at = encoder->used;
    encoder->code = 1;
    append(encoder, 0);
}

static void close_block(struct zg_cobs_encoder *encoder)
{
    poke(encoder, encoder->code_at, encoder->code);
}

void zg_cobs_begin(struct zg_cobs_encoder *encoder, struct zg_ring *ring)
{
    encoder->ring = ring;
    encoder->room = zg_ring_room(ring);
    encoder->used = 0;
    encoder->overflow = false;
    open_block(encoder);
}

void zg_cobs_put(struct zg_cobs_encoder *encoder, const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count && !encoder->overflow; i++) {
        if (encoder->code == 0)
            open_block(encoder);
        if (bytes[i] == 0) {
            close_block(encoder);
            open_block(encoder);
            continue;
        }
        append(encoder, bytes[i]);
        if (++encoder->code == FULL_BLOCK) {
            close_block(encoder);
            encoder->code = 0; /* the next block opens only if there is more */
        }
    }
}

int zg_cobs_end(struct zg_cobs_encoder *encoder, size_t *wire)
{
    if (encoder->code != 0)
        close_block(encoder);
    append(encoder, 0);
    if (encoder->overflow)
        return ZG_EROOM;
    *wire = encoder->used;
    zg_ring_publish(encoder->ring, encoder->used);
    return 0;
}

enum {
    EMPTY, /* after a delimiter */
    CODE,  /* the next byte is a code byte, or the end */
    DATA,  /* inside a block */
    SKIP   /* outside any candidate, until a delimiter */
};

void zg_cobs_decoder_init(struct zg_cobs_decoder *decoder, uint8_t *content, size_t room)
{
    decoder->content = content;
    decoder->room = room;
    decoder->length = 0;
    decoder->wire = 0;
    decoder->state = EMPTY;
    decoder->ended = false;
}

static enum zg_framing_event delimiter(struct zg_cobs_decoder *decoder)
{
    uint8_t state = decoder->state;
    decoder->state = EMPTY;
    switch (state) {
    case EMPTY: return ZG_FRAMING_IDLE;
    case CODE: return ZG_FRAMING_CONTENT;
    default: return ZG_FRAMING_MALFORMED;
    }
}

static enum zg_framing_event give_up(struct zg_cobs_decoder *decoder)
{
    decoder->state = SKIP;
    return ZG_FRAMING_TOO_LONG;
}

static enum zg_framing_event begin_block(struct zg_cobs_decoder *decoder, uint8_t code)
{
    bool zero_implied = decoder->state == CODE && decoder->code != FULL_BLOCK;
    decoder->code = code;
    decoder->left = (uint8_t)(code - 1U);
    decoder->state = decoder->left == 0 ? CODE : DATA;
    if (zero_implied && decoder->length == decoder->room)
        return give_up(decoder);
    if (zero_implied)
        decoder->content[decoder->length++] = 0;
    return ZG_FRAMING_MORE;
}

/* A byte that take_run() leaves: a delimiter, a code byte, or one for which there is no room. */
static enum zg_framing_event take(struct zg_cobs_decoder *decoder, uint8_t byte)
{
    decoder->wire++;
    if (byte == 0)
        return delimiter(decoder);
    return decoder->state == DATA ? give_up(decoder) : begin_block(decoder, byte);
}

/* What of an open block comes in one piece: its bytes up to a zero, to its end, or to the end of the room. */
static size_t take_run(struct zg_cobs_decoder *decoder, const uint8_t *bytes, size_t count)
{
    size_t room = decoder->room - decoder->length;
    size_t most = decoder->left < count ? decoder->left : count;

    if (most > room)
        most = room;
    const uint8_t *zero = (const uint8_t *)memchr(bytes, 0, most);
    size_t taken = zero ? (size_t)(zero - bytes) : most;
    memcpy(decoder->content + decoder->length, bytes, taken);
    decoder->length += taken;
    decoder->wire += taken;
    decoder->left = (uint8_t)(decoder->left - taken);
    if (decoder->left == 0)
        decoder->state = CODE;
    return taken;
}

size_t zg_cobs_decode(struct zg_cobs_decoder *decoder, const uint8_t *bytes, size_t count, enum zg_framing_event *event)
{
    size_t i = 0;
    *event = ZG_FRAMING_MORE;
    if (decoder->ended) {
        decoder->ended = false;
        decoder->length = 0;
        decoder->wire = 0;
    }
    if (decoder->state == SKIP) {
        while (i < count && bytes[i] != 0)
            i++;
        decoder->wire += i;
        if (i < count) {
            decoder->state = EMPTY;
            if (decoder->wire > 0)
                *event = ZG_FRAMING_NOISE;
        }
    }
    if (decoder->state != SKIP)
        while (i < count && *event == ZG_FRAMING_MORE) {
            if (decoder->state == DATA)
                i += take_run(decoder, bytes + i, count - i);
            if (i < count)
                *event = take(decoder, bytes[i++]);
        }
    decoder->ended = *event != ZG_FRAMING_MORE;
    return i;
}

bool zg_cobs_open(const struct zg_cobs_decoder *decoder)
{
    return decoder->state == CODE || decoder->state == DATA;
}

bool zg_cobs_between(const struct zg_cobs_decoder *decoder)
{
    return decoder->state == EMPTY;
}

size_t zg_cobs_pending(const struct zg_cobs_decoder *decoder)
{
    return decoder->ended ? 0 : decoder->wire;
}

size_t zg_cobs_abandon(struct zg_cobs_decoder *decoder)
{
    size_t pending = zg_cobs_pending(decoder);
    decoder->state = EMPTY;
    decoder->ended = true;
    return pending;
}
