/* SPDX-License-Identifier: MIT */
/*
 * Framing: how a frame's content stands on the wire, so that its begin and end are found again. Each kind has a header
 * of its own, which supplies one constant struct zg_framing; only the kind that is used is linked. An encoder writes
 * straight into a transmit ring; a decoder finds candidates in bytes that come in pieces of any size. The caller owns
 * all memory. Loop context.
 */
#ifndef ZEUGMA_FRAMING_H
#define ZEUGMA_FRAMING_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/error.h"
#include "zeugma/ring.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The most bytes of a sync, start or end mark. */
#define ZG_MARK_MAX 4

/* Private: whether frames are taken whole where they lie, if they can be; not where size counts more. */
#define ZGI_WHOLE_FRAMES (UINTPTR_MAX > 0xFFFFFFFF)

/* Writes one frame into a ring. Nothing is seen by the ring's consumer before zg_encoder_end() succeeds. */
struct zg_encoder {
    /* private */
    struct zg_ring *ring;
    zg_index room; /* bytes free in the ring when the frame began */
    zg_index used; /* bytes written so far, none published */
    bool overflow;
    bool lead;        /* the framing's */
    uint8_t code;     /* COBS: value of the open block's code byte so far; 0: no block is open */
    zg_index code_at; /* COBS: its place */
};

/* What a stretch of received bytes ended as. */
enum zg_framing_event {
    ZG_FRAMING_MORE,      /* all bytes taken; a candidate may be open */
    ZG_FRAMING_CONTENT,   /* a candidate ended: its content is ready to be checked */
    ZG_FRAMING_MALFORMED, /* a candidate failed: no sender makes such bytes */
    ZG_FRAMING_TOO_LONG,  /* a candidate outgrew the longest frame and was given up */
    ZG_FRAMING_CUT,       /* a candidate was given up by zg_decoder_pause() */
    ZG_FRAMING_NOISE,     /* bytes outside any candidate, maybe not the last of them */
    ZG_FRAMING_IDLE       /* a delimiter that neither opened nor closed a frame */
};

/* Finds candidates. What a failed one leaves unread is read again, so that a frame inside it is found. */
struct zg_decoder {
    uint8_t *content; /* read only: of the candidate so far; all of it after ZG_FRAMING_CONTENT, until the next call */
    size_t length;    /* read only: its bytes */
    size_t wire;      /* read only: bytes on the wire that the last event ended */
    size_t pending;   /* read only: bytes taken that no event has told of yet */
    /* private */
    uint8_t state;
    uint8_t code;    /* COBS: of the block in hand */
    uint8_t left;    /* COBS: bytes it still lacks */
    bool ended;      /* the last call ended a candidate: the next begins a new one */
    bool lead;       /* the framing's */
    size_t limit;    /* largest content, bytes */
    size_t kept;     /* bytes that stay pending behind the event in hand */
    uint8_t *window; /* bytes that may have to be read again: the candidate's, and what was taken behind it */
    size_t room;     /* of the window, bytes */
    size_t begin;    /* the candidate, or what may be the start of an opening, is window[begin .. filled-1] */
    size_t filled;
    size_t seen; /* bytes of the candidate, or of an opening, that were looked at */
    size_t total;
};

/* A framing: constant, usually generated. Its functions are called for stretches of bytes, never for each. */
struct zg_framing {
    void (*begin)(const struct zg_framing *framing, struct zg_encoder *encoder);
    void (*put)(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
    void (*end)(const struct zg_framing *framing, struct zg_encoder *encoder);
    void (*reset)(const struct zg_framing *framing, struct zg_decoder *decoder);
    size_t (*decode)(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                     enum zg_framing_event *event);
    void (*reject)(const struct zg_framing *framing, struct zg_decoder *decoder);
    enum zg_framing_event (*pause)(const struct zg_framing *framing, struct zg_decoder *decoder);
    const void *options; /* the kind's own, or NULL */
    bool lead;           /* a delimiter in front of each frame, too */
    bool rereads;        /* bytes of a failed candidate are read again: events may come without new bytes */
    /* Private. A candidate that lies whole at the start of `count` bytes: its bytes on the wire, with its content,
     * which stands in them or in the decoder's memory. 0: it must be decoded. NULL: it always must. */
    size_t (*whole)(struct zg_decoder *decoder, const uint8_t *bytes, size_t count, const uint8_t **content,
                    size_t *length);
};

/* Begins a frame in a ring, adds content, and ends it. zg_encoder_end() returns 0 and the frame's length on the wire in
 * `*wire`, or ZG_EROOM: the ring had not enough room and is as it was. Linear in the bytes. */
static inline void zg_encoder_begin(struct zg_encoder *encoder, const struct zg_framing *framing, struct zg_ring *ring)
{
    encoder->ring = ring;
    encoder->room = zg_ring_room(ring);
    encoder->used = 0;
    encoder->overflow = false;
    encoder->lead = framing->lead;
    framing->begin(framing, encoder);
}

static inline void zg_encoder_put(struct zg_encoder *encoder, const struct zg_framing *framing, const uint8_t *bytes,
                                  size_t count)
{
    framing->put(framing, encoder, bytes, count);
}

static inline int zg_encoder_end(struct zg_encoder *encoder, const struct zg_framing *framing, size_t *wire)
{
    framing->end(framing, encoder);
    if (encoder->overflow)
        return ZG_EROOM;
    *wire = encoder->used;
    zg_ring_publish(encoder->ring, encoder->used);
    return 0;
}

/* Private: zg_decoder_init() for one that is all zero. */
static inline void zgi_decoder_begin(struct zg_decoder *decoder, const struct zg_framing *framing, size_t limit,
                                     uint8_t *memory, size_t size)
{
    decoder->limit = limit;
    decoder->lead = framing->lead;
    decoder->content = memory;
    decoder->window = memory;
    decoder->room = size;
    framing->reset(framing, decoder);
}

/* `limit` is the largest content, bytes; how much memory each kind takes for it is said in the kind's header. The start
 * of the stream counts as a delimiter. */
void zg_decoder_init(struct zg_decoder *decoder, const struct zg_framing *framing, size_t limit, uint8_t *memory,
                     size_t size);

/* Private: all that is pending ended, but what the kind keeps. */
static inline void zgi_decoder_settle(struct zg_decoder *decoder)
{
    decoder->ended = true;
    decoder->wire = decoder->pending - decoder->kept;
    decoder->pending = decoder->kept;
}

/* Private: what the last call ended is over. */
static inline void zgi_decoder_go_on(struct zg_decoder *decoder)
{
    if (decoder->ended)
        decoder->length = 0;
    decoder->ended = false;
    decoder->kept = 0;
}

/* Takes bytes up to the first event, which it stores, and returns their number. Call it, with no bytes if need be,
 * until the event is ZG_FRAMING_MORE. Linear in the bytes taken and in those that are read again. */
static inline size_t zg_decoder_take(struct zg_decoder *decoder, const struct zg_framing *framing, const uint8_t *bytes,
                                     size_t count, enum zg_framing_event *event)
{
    zgi_decoder_go_on(decoder);
    size_t taken = framing->decode(framing, decoder, bytes, count, event);
    decoder->pending += taken;
    if (*event != ZG_FRAMING_MORE)
        zgi_decoder_settle(decoder);
    return taken;
}

/* After ZG_FRAMING_CONTENT: the candidate is no frame (its check failed). Its bytes are read again from the second on;
 * `wire` becomes the bytes that end with it. Not called, the candidate was a frame and is consumed whole. */
static inline void zg_decoder_reject(struct zg_decoder *decoder, const struct zg_framing *framing)
{
    decoder->pending += decoder->wire;
    framing->reject(framing, decoder);
    zgi_decoder_settle(decoder);
}

/* The line fell silent, or the stream ended: ends or gives up what is open. Stores one event; go on as after
 * zg_decoder_take() until nothing is pending. What follows counts as after a delimiter. */
static inline void zg_decoder_pause(struct zg_decoder *decoder, const struct zg_framing *framing,
                                    enum zg_framing_event *event)
{
    zgi_decoder_go_on(decoder);
    *event = framing->pause(framing, decoder);
    if (*event != ZG_FRAMING_MORE)
        zgi_decoder_settle(decoder);
}

#ifdef __cplusplus
}
#endif

#endif
