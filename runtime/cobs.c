/* SPDX-License-Identifier: MIT */
#include "zeugma/cobs.h"

#include "stuffing.h"
#include "zeugma/detail/runs.h"

enum { FULL_BLOCK = 0xFF }; /* code of a block of 254 bytes, after which no zero is implied */

void zgi_cobs_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    (void)framing;
    if (encoder->lead)
        zgi_append(encoder, 0);
    encoder->code_at = encoder->used;
    encoder->code = 1;
    zgi_append(encoder, 0); /* the block's code byte, set once the block ends */
}

/* Copies bytes up to a zero, as far as they fit contiguously into the open block and the ring. */
static inline uint8_t put_run(const struct zg_ring *ring, zg_index at, uint8_t code, const uint8_t *bytes, size_t count)
{
    const zg_index place = at & ring->mask;
    const size_t to_end = (size_t)ring->mask + 1 - place;
    uint8_t most = (uint8_t)(FULL_BLOCK - code);

    if (most > count)
        most = (uint8_t)count;
    if (most > to_end)
        most = (uint8_t)to_end;
    return (uint8_t)zgi_copy_run(ring->bytes + place, bytes, most);
}

/* Each byte of the content takes one byte on the wire; for a zero that is the next code byte. A full block, if content
 * follows it, takes one code byte more. */
void zgi_cobs_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    const struct zg_ring *const ring = encoder->ring;
    uint8_t *const memory = ring->bytes;
    const zg_index mask = ring->mask, head = ring->head;
    zg_index at = (zg_index)(head + encoder->used), code_at = (zg_index)(head + encoder->code_at);
    uint8_t code = encoder->code;

    (void)framing;
    while (count > 0 && !encoder->overflow) {
        const bool opens = code == 0;
        if (count + opens > (zg_index)(head + encoder->room - at)) {
            encoder->overflow = true;
            break;
        }
        if (opens) {
            code_at = at++;
            code = 1;
        }
        while (count > 0 && code != FULL_BLOCK) {
            const uint8_t run = put_run(ring, at, code, bytes, count);
            bytes += run;
            count -= run;
            at = (zg_index)(at + run);
            code = (uint8_t)(code + run);
            if (count == 0 || code == FULL_BLOCK || *bytes != 0)
                continue; /* at an end: of the bytes, the block, or the ring's memory */
            memory[code_at & mask] = code;
            code_at = at++;
            code = 1;
            bytes++;
            count--;
#if ZGI_WHOLE_FRAMES
            for (; count > 0 && *bytes == 0; bytes++, count--) { /* zeros seldom come alone */
                memory[code_at & mask] = 1;
                code_at = at++;
            }
#endif
        }
        if (code == FULL_BLOCK) {
            memory[code_at & mask] = FULL_BLOCK;
            code = 0;
        }
    }
    encoder->used = (zg_index)(at - head);
    encoder->code_at = (zg_index)(code_at - head);
    encoder->code = code;
}

void zgi_cobs_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    (void)framing;
    if (encoder->code != 0)
        zgi_poke(encoder, encoder->code_at, encoder->code);
    zgi_append(encoder, 0);
}

/* Copies what has come of a block that lacks `left` bytes, as far as there is room. */
static inline uint8_t take_run(uint8_t *to, size_t room, uint8_t left, const uint8_t *bytes, size_t count)
{
    uint8_t most = left;

    if (most > count)
        most = (uint8_t)count;
    if (most > room)
        most = (uint8_t)room;
    return (uint8_t)zgi_copy_run(to, bytes, most);
}

/* Decodes from byte `i` on, in any state. A code byte ends the block before it with the zero that it stands for, unless
 * that block was full. */
static size_t decode_on(struct zg_decoder *decoder, const uint8_t *bytes, size_t count, enum zg_framing_event *event,
                        size_t i)
{
    const uint8_t *at = bytes + i, *const end = bytes + count;
    uint8_t *to = decoder->content + decoder->length, *const full = decoder->content + decoder->limit;
    uint8_t left = decoder->left, code = decoder->code;

    while (at != end) {
        if (left > 0) {
            const uint8_t run = take_run(to, (size_t)(full - to), left, at, (size_t)(end - at));
            to += run;
            left = (uint8_t)(left - run);
            at += run;
            if (at == end)
                break;
        }
        const uint8_t byte = *at++; /* which take_run() leaves */
        if (byte == 0) {
            decoder->length = (size_t)(to - decoder->content);
            *event = zgi_delimiter(decoder, left == 0, (size_t)(at - bytes));
            return (size_t)(at - bytes);
        }
        decoder->state = ZGI_DATA;
        const bool zero = code != FULL_BLOCK;
        if ((zero || left > 0) && to == full) {
            decoder->state = ZGI_SKIP;
            *event = ZG_FRAMING_TOO_LONG;
            return (size_t)(at - bytes);
        }
        code = byte;
        left = (uint8_t)(byte - 1U);
        if (zero)
            *to++ = 0;
#if ZGI_WHOLE_FRAMES
        for (; code == 1 && at != end && *at == 1 && to != full; at++) /* zeros seldom come alone */
            *to++ = 0;
#endif
    }
    decoder->left = left;
    decoder->code = code;
    decoder->length = (size_t)(to - decoder->content);
    return count;
}

size_t zgi_cobs_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event)
{
    size_t i = 0;

    (void)framing;
    *event = ZG_FRAMING_MORE;
    if (decoder->state == ZGI_SKIP) {
        i = zgi_skip_noise(decoder, 0, bytes, count, event);
        if (*event != ZG_FRAMING_MORE)
            return i;
    }
    if (decoder->state == ZGI_EMPTY) {
        decoder->left = 0;
        decoder->code = FULL_BLOCK;
    }
    do
        i = decode_on(decoder, bytes, count, event, i);
    while (i < count && *event == ZG_FRAMING_MORE); /* after a delimiter that may open a frame */
    return i;
}

#if ZGI_WHOLE_FRAMES

/* Copies wire bytes to their place in the content, as far as there is room. */
static void copy_content(struct zg_decoder *decoder, size_t place, const uint8_t *bytes, size_t count)
{
    const size_t room = decoder->limit - place;

    memcpy(decoder->content + place, bytes, count < room ? count : room);
}

/* Between blocks, writes a zero in the place of the next one's code byte; after a full block, nothing. */
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

/* A frame of one block contains its content as it is, which stays where it is. */
size_t zgi_cobs_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                      const uint8_t **content, size_t *length)
{
    const bool begins = decoder->state == ZGI_EMPTY && !decoder->lead;
    const size_t end = begins ? zgi_find_zero(bytes, count) : 0;

    (void)framing;
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
