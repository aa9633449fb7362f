/* SPDX-License-Identifier: MIT */
#include "zeugma/cobs.h"

#include "runs.h"
#include "stuffing.h"

enum { FULL_BLOCK = 0xFF }; /* code of a block of 254 bytes, after which no zero is implied */

/* Begins a block: its code byte is written when it ends. */
static void open_block(struct zg_encoder *encoder)
{
    encoder->code_at = encoder->used;
    encoder->code = 1;
    zgi_append(encoder, 0);
}

void zgi_cobs_begin(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    if (framing->lead)
        zgi_append(encoder, 0);
    open_block(encoder);
}

void zgi_cobs_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count)
{
    struct zg_ring *ring = encoder->ring;
    zg_index used = encoder->used;
    uint8_t code = encoder->code;

    (void)framing;
    for (; count > 0; count--) {
        uint8_t byte = *bytes++;
        if ((zg_index)(encoder->room - used) < 2) { /* the delimiter comes, too */
            encoder->overflow = true;
            break;
        }
        if (code == 0) { /* a full block ended: the next opens only if there is more */
            encoder->code_at = used++;
            code = 1;
        }
        if (byte != 0) {
            zg_ring_poke(ring, used++, byte);
            if (++code != FULL_BLOCK)
                continue;
        }
        zg_ring_poke(ring, encoder->code_at, code);
        encoder->code_at = used;
        used = (zg_index)(used + (byte == 0));
        code = byte == 0;
    }
    encoder->used = used;
    encoder->code = code;
}

void zgi_cobs_end(const struct zg_framing *framing, struct zg_encoder *encoder)
{
    (void)framing;
    if (encoder->code != 0)
        zgi_poke(encoder, encoder->code_at, encoder->code);
    zgi_append(encoder, 0);
}

/* A candidate is open: its content may end where the open block has no bytes left. */
static enum zg_framing_event give_up(struct zg_decoder *decoder)
{
    decoder->state = ZGI_SKIP;
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

size_t zgi_cobs_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event)
{
    size_t i = 0;

    *event = ZG_FRAMING_MORE;
    if (decoder->state == ZGI_EMPTY) {
        decoder->left = 0;
        decoder->code = FULL_BLOCK;
        i = zgi_copy_blocks(decoder->content, decoder->limit, &decoder->length, &decoder->code, bytes, count);
        if (i > 0)
            decoder->state = ZGI_DATA;
    } else if (decoder->state == ZGI_SKIP) {
        i = zgi_skip_noise(decoder, 0, bytes, count, event);
    }
    while (i < count && *event == ZG_FRAMING_MORE) {
        i += take_run(decoder, bytes + i, count - i);
        if (i == count)
            break;
        uint8_t byte = bytes[i++]; /* one that take_run() leaves */
        if (byte == 0)
            *event = zgi_delimiter(framing, decoder, decoder->left == 0, i);
        else if (decoder->left > 0)
            *event = give_up(decoder);
        else
            *event = open_next(decoder, byte);
    }
    return i;
}
