/* SPDX-License-Identifier: MIT */
#include "zeugma/cobs.h"

#include "runs.h"
#include "stuffing.h"

enum { FULL_BLOCK = 0xFF }; /* code of a block of 254 bytes, after which no zero is implied */

/* Begins a block: its code byte is written when it ends. */
static void open_block(struct zg_encoder *encoder)
{
    if (encoder->used >= encoder->room) {
        encoder->overflow = true;
        return;
    }
    encoder->code_at = encoder->used++;
    encoder->code = 1;
}

void zgi_cobs_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    (void)framing;
    if (encoder->lead)
        zgi_append(encoder, 0);
    open_block(encoder);
}

/* Ends the open block; the next is begun where there was a zero, else only when there is more. */
static void close_block(struct zg_encoder *encoder, bool at_zero)
{
    zg_ring_poke(encoder->ring, encoder->code_at, encoder->code);
    encoder->code = 0;
    if (at_zero)
        open_block(encoder);
}

/* Copies what of the bytes is not zero and lies in one piece, in the open block and in the ring. */
static size_t put_run(struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    const struct zg_ring *ring = encoder->ring;
    zg_index at = (zg_index)(ring->head + encoder->used) & ring->mask;
    size_t to_end = (size_t)ring->mask + 1 - at;
    size_t room = (zg_index)(encoder->room - encoder->used);
    uint8_t most = (uint8_t)(FULL_BLOCK - encoder->code);

    if (most > count)
        most = (uint8_t)count;
    if (most > room)
        most = (uint8_t)room;
    if (most > to_end)
        most = (uint8_t)to_end;
    if (most == 0)
        encoder->overflow = true;
    return zgi_copy_run(ring->bytes + at, bytes, most);
}

void zgi_cobs_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    (void)framing;
    while (count > 0 && !encoder->overflow) {
        if (encoder->code == 0)
            open_block(encoder);
        size_t run = put_run(encoder, bytes, count);
        encoder->used = (zg_index)(encoder->used + run);
        encoder->code = (uint8_t)(encoder->code + run);
        bytes += run;
        count -= run;
        if (encoder->code == FULL_BLOCK) {
            close_block(encoder, false);
        } else if (count > 0 && *bytes == 0) {
            close_block(encoder, true);
            bytes++;
            count--;
        }
    }
}

void zgi_cobs_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    (void)framing;
    if (encoder->code != 0)
        zgi_poke(encoder, encoder->code_at, encoder->code);
    zgi_append(encoder, 0);
}

static enum zg_framing_event give_up(struct zg_decoder *decoder)
{
    decoder->state = ZGI_SKIP;
    decoder->left = 0; /* what comes next is no part of the block */
    return ZG_FRAMING_TOO_LONG;
}

/* A code byte: opens a block, which ends the one before with the zero that it stands for. */
static enum zg_framing_event open_next(struct zg_decoder *decoder, uint8_t code)
{
    bool zero = decoder->state == ZGI_DATA && decoder->code != FULL_BLOCK;

    decoder->state = ZGI_DATA;
    decoder->code = code;
    decoder->left = (uint8_t)(code - 1U);
    if (!zero)
        return ZG_FRAMING_MORE;
    if (decoder->length == decoder->limit)
        return give_up(decoder);
    decoder->content[decoder->length++] = 0;
    return ZG_FRAMING_MORE;
}

/* What of an open block comes in one piece: its bytes up to a zero, to its end, or to the end of the room. */
static size_t take_run(struct zg_decoder *decoder, const uint8_t *bytes, size_t count)
{
    size_t room = decoder->limit - decoder->length;
    uint8_t most = decoder->left;

    if (most > count)
        most = (uint8_t)count;
    if (most > room)
        most = (uint8_t)room;
    uint8_t taken = (uint8_t)zgi_copy_run(decoder->content + decoder->length, bytes, most);
    decoder->length += taken;
    decoder->left = (uint8_t)(decoder->left - taken);
    return taken;
}

/* From byte `i` on, in any state. */
static size_t decode_on(struct zg_decoder *decoder, const uint8_t *bytes, size_t count, enum zg_framing_event *event,
                        size_t i)
{
    *event = ZG_FRAMING_MORE;
    if (decoder->state == ZGI_SKIP)
        i = zgi_skip_noise(decoder, 0, bytes, count, event);
    while (i < count && *event == ZG_FRAMING_MORE) {
        if (decoder->left > 0)
            i += take_run(decoder, bytes + i, count - i);
        if (i == count)
            break;
        uint8_t byte = bytes[i++]; /* one that take_run() leaves */
        if (byte == 0)
            *event = zgi_delimiter(decoder, decoder->left == 0, i);
        else if (decoder->left > 0)
            *event = give_up(decoder);
        else
            *event = open_next(decoder, byte);
    }
    return i;
}

size_t zgi_cobs_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event)
{
    size_t i = 0;

    (void)framing;
    if (decoder->state == ZGI_EMPTY) {
        decoder->left = 0;
        decoder->code = FULL_BLOCK;
        i = zgi_copy_blocks(decoder->content, decoder->limit, &decoder->length, &decoder->code, bytes, count);
        if (i > 0 && i < count && bytes[i] == 0) { /* a whole frame */
            *event = ZG_FRAMING_CONTENT;
            return i + 1;
        }
        if (i > 0)
            decoder->state = ZGI_DATA;
    }
    return decode_on(decoder, bytes, count, event, i);
}

#if ZGI_WHOLE_FRAMES

/* Copies wire bytes to where their content stands, as far as there is room. */
static void copy_content(struct zg_decoder *decoder, size_t place, const uint8_t *bytes, size_t count)
{
    const size_t room = decoder->limit - place;

    memcpy(decoder->content + place, bytes, count < room ? count : room);
}

/* Where blocks end there is a zero in the place of the next one's code byte, or, behind a full block, nothing. */
static ZGI_RARE bool join_blocks(struct zg_decoder *decoder, const uint8_t *bytes, size_t end, size_t *length)
{
    size_t gone = 1, code = bytes[0], at = code;

    for (copy_content(decoder, 0, bytes + 1, end - 1); at < end; code = bytes[at], at += code) {
        const size_t place = at - gone;
        if (place >= decoder->limit)
            return false;
        decoder->content[place] = 0;
        if (code == FULL_BLOCK) {
            gone++;
            copy_content(decoder, place, bytes + at + 1, end - at - 1);
        }
    }
    *length = end - gone;
    return at == end && *length <= decoder->limit;
}

/* A frame of one block is its own content, and is left where it is. */
size_t zgi_cobs_whole(struct zg_decoder *decoder, const uint8_t *bytes, size_t count, const uint8_t **content,
                      size_t *length)
{
    const bool begins = decoder->state == ZGI_EMPTY && !decoder->lead;
    const size_t end = begins ? zgi_find_zero(bytes, count) : 0;

    if (end == 0 || end == count)
        return 0;
    zgi_fetch_ahead(bytes, count);
    if (bytes[0] == end && end - 1 <= decoder->limit) {
        *content = bytes + 1;
        *length = end - 1;
        return end + 1;
    }
    *content = decoder->content;
    return join_blocks(decoder, bytes, end, length) ? end + 1 : 0;
}

#endif
