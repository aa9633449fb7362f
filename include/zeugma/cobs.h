/* SPDX-License-Identifier: MIT */
/*
 * Consistent Overhead Byte Stuffing: S. Cheshire, M. Baker, "Consistent Overhead Byte Stuffing", IEEE/ACM Transactions
 * on Networking 7(2), 1999. On the wire a frame is its stuffed content, then 0x00. A final full block of 254 has no
 * code byte after it; the decoder takes both forms. The caller owns all memory. Loop context.
 */
#ifndef ZEUGMA_COBS_H
#define ZEUGMA_COBS_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/ring.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The longest frame, delimiter included, that `content` bytes can become: one code byte for each started 254. */
#define ZG_COBS_WIRE_MAX(content) ((content) + ((content) + 253) / 254 + ((content) == 0) + 1)

/* Stuffs straight into a ring. Nothing is seen by the ring's consumer before zg_cobs_end() succeeds. */
struct zg_cobs_encoder {
    /* private */
    struct zg_ring *ring;
    zg_index room;    /* bytes free in the ring when the frame began */
    zg_index used;    /* bytes written so far, none published */
    zg_index code_at; /* place of the open block's code byte */
    uint8_t code;     /* its value so far: 1 + bytes in the block; 0: no block is open */
    bool overflow;
};

void zg_cobs_begin(struct zg_cobs_encoder *encoder, struct zg_ring *ring);
void zg_cobs_put(struct zg_cobs_encoder *encoder, const uint8_t *bytes, size_t count);

/* Ends the frame and shows it to the consumer. Returns 0 and its length on the wire in `*wire`, or ZG_EROOM: the ring
 * had not enough room and is as it was. */
int zg_cobs_end(struct zg_cobs_encoder *encoder, size_t *wire);

/* What a stretch of received bytes ended as. */
enum zg_framing_event {
    ZG_FRAMING_MORE,      /* all bytes taken; a candidate may be open */
    ZG_FRAMING_CONTENT,   /* a candidate ended: its content is ready to be checked */
    ZG_FRAMING_MALFORMED, /* a candidate ended that no sender makes */
    ZG_FRAMING_TOO_LONG,  /* a candidate outgrew the content buffer and was given up */
    ZG_FRAMING_NOISE,     /* bytes outside any candidate ended (at a delimiter that is still to come) */
    ZG_FRAMING_IDLE       /* a delimiter that neither opened nor closed a frame */
};

/* Takes stuffed bytes apart, in pieces of any size, into one buffer. */
struct zg_cobs_decoder {
    uint8_t *content; /* read only: the content after ZG_FRAMING_CONTENT, until the next call */
    size_t length;    /* read only: its bytes */
    size_t wire;      /* read only: bytes on the wire of the stretch that the event ended, or of the open one */
    /* private */
    size_t room;
    uint8_t code; /* of the block in hand */
    uint8_t left; /* bytes it still lacks */
    uint8_t state;
    bool ended; /* the last call ended a stretch: the next begins a new one */
};

/* `room` is the largest content, bytes. The start of the stream counts as a delimiter. */
void zg_cobs_decoder_init(struct zg_cobs_decoder *decoder, uint8_t *content, size_t room);

/* Takes bytes up to the first event, which it stores, and returns their number. Bounded by `count`. */
size_t zg_cobs_decode(struct zg_cobs_decoder *decoder, const uint8_t *bytes, size_t count,
                      enum zg_framing_event *event);

/* Whether a candidate is open: begun and neither ended nor given up. */
bool zg_cobs_open(const struct zg_cobs_decoder *decoder);

/* Whether nothing is open, neither a candidate nor noise: the last byte taken was a delimiter, or none was. */
bool zg_cobs_between(const struct zg_cobs_decoder *decoder);

/* Bytes taken that no event has told of yet. */
size_t zg_cobs_pending(const struct zg_cobs_decoder *decoder);

/* Gives up whatever is open, as silence or the end of a file does; what follows counts as after a delimiter. Returns
 * the pending bytes given up. */
size_t zg_cobs_abandon(struct zg_cobs_decoder *decoder);

#ifdef __cplusplus
}
#endif

#endif
