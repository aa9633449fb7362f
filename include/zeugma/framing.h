/* SPDX-License-Identifier: MIT */
/*
 * Framing: how a frame's content is sent so that the receiver finds its beginning and end. Each kind has a header of
 * its own with a constant struct zg_framing; only the kind that is used is linked. An encoder writes straight into a
 * transmit ring. A decoder finds candidates in bytes that come in pieces of any size. The caller owns all memory. Loop
 * context.
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

/* Private: whether a frame that is complete in the received bytes is decoded in one step; not where size counts more.
 */
#define ZGI_WHOLE_FRAMES (UINTPTR_MAX > 0xFFFFFFFF)

/* Writes one frame into a ring. The ring's consumer sees nothing of it before zg_encoder_end() succeeds. */
struct zg_encoder {
    /* private */
    struct zg_ring *ring;
    zg_index room; /* free bytes of the ring when the frame began */
    zg_index used; /* bytes written so far, none published */
    bool overflow;
    bool lead;        /* copied from the framing */
    uint8_t code;     /* COBS: the open block's code byte so far; 0: no block is open */
    zg_index code_at; /* COBS: its place */
};

/* How a run of received bytes ended. */
enum zg_framing_event {
    ZG_FRAMING_MORE,      /* all bytes are taken; a candidate may be open */
    ZG_FRAMING_CONTENT,   /* a candidate ended: its content is ready to be checked */
    ZG_FRAMING_MALFORMED, /* a candidate failed: no sender produces such bytes */
    ZG_FRAMING_TOO_LONG,  /* a candidate exceeded the longest frame and was abandoned */
    ZG_FRAMING_CUT,       /* a candidate was abandoned by zg_decoder_pause() */
    ZG_FRAMING_NOISE,     /* bytes outside any candidate, perhaps not the last of them */
    ZG_FRAMING_IDLE       /* a delimiter that neither opened nor closed a frame */
};

/* Finds candidates. The bytes of a failed one are searched again, so that a frame inside it is found. */
struct zg_decoder {
    uint8_t *content; /* read only: the content so far; complete after ZG_FRAMING_CONTENT, until the next call */
    size_t length;    /* read only: its bytes */
    size_t wire;      /* read only: bytes on the wire that the last event accounts for */
    size_t pending;   /* read only: bytes taken that no event has accounted for yet */
    /* private */
    uint8_t state;
    uint8_t code;    /* COBS: code byte of the current block */
    uint8_t left;    /* COBS: bytes that are still missing from it */
    bool ended;      /* the last call ended a candidate: the next begins a new one */
    bool lead;       /* copied from the framing */
    size_t limit;    /* largest content, bytes */
    size_t kept;     /* bytes that stay pending after the current event */
    uint8_t *window; /* bytes that may have to be searched again: the candidate's, and those taken after it */
    size_t room;     /* size of the window, bytes */
    size_t begin;    /* the candidate, or what may be the start of an opening, is window[begin .. filled-1] */
    size_t filled;
    size_t seen; /* bytes of the candidate, or of an opening, that were examined */
    size_t total;
};

/* A framing: constant, usually generated. Its functions are called for runs of bytes, never for each byte. */
struct zg_framing {
    void (*begin)(const struct zg_framing *framing, struct zg_encoder *encoder);
    void (*put)(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
    void (*end)(const struct zg_framing *framing, struct zg_encoder *encoder);
    void (*reset)(const struct zg_framing *framing, struct zg_decoder *decoder);
    size_t (*decode)(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                     enum zg_framing_event *event);
    void (*reject)(const struct zg_framing *framing, struct zg_decoder *decoder);
    enum zg_framing_event (*pause)(const struct zg_framing *framing, struct zg_decoder *decoder);
    const void *options; /* specific to the kind, or NULL */
    bool lead;           /* a delimiter before each frame as well */
    bool rereads;        /* bytes of a failed candidate are searched again: events may come without new bytes */
    /* Private. Decodes a candidate that is complete at the start of `count` bytes: returns its bytes on the wire, with
     * its content, which is in these bytes or in the decoder's memory. 0: it must be decoded step by step. NULL: it
     * always must. */
    size_t (*whole)(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                    const uint8_t **content, size_t *length);
};

/* Begins a frame in a ring, adds content, and ends the frame. zg_encoder_end() returns 0, with the frame's length on
 * the wire in `*wire`; or ZG_EROOM: the ring had too little room and is unchanged. Linear in the bytes. */
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

/* Private: zg_decoder_init() for a decoder that is all zero. */
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

/* `limit` is the largest content, bytes; the header of each kind says how much memory it needs for that. The start of
 * the stream counts as a delimiter. */
void zg_decoder_init(struct zg_decoder *decoder, const struct zg_framing *framing, size_t limit, uint8_t *memory,
                     size_t size);

/* Private: everything pending is accounted for, except what the kind keeps. */
static inline void zgi_decoder_settle(struct zg_decoder *decoder)
{
    decoder->ended = true;
    decoder->wire = decoder->pending - decoder->kept;
    decoder->pending = decoder->kept;
}

/* Private: moves on from what the last call ended. */
static inline void zgi_decoder_go_on(struct zg_decoder *decoder)
{
    if (decoder->ended)
        decoder->length = 0;
    decoder->ended = false;
    decoder->kept = 0;
}

/* Takes bytes up to the first event, which it stores, and returns how many. Call it, with no bytes if need be, until
 * the event is ZG_FRAMING_MORE. Linear in the bytes taken and in those that are searched again. */
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

/* After ZG_FRAMING_CONTENT: the candidate is no frame, because its check failed. Its bytes are searched again from the
 * second on; `wire` becomes the bytes that this event accounts for. If it is not called, the candidate was a frame, all
 * of which is used up. */
static inline void zg_decoder_reject(struct zg_decoder *decoder, const struct zg_framing *framing)
{
    decoder->pending += decoder->wire;
    framing->reject(framing, decoder);
    zgi_decoder_settle(decoder);
}

/* The line fell silent, or the stream ended: ends or abandons what is open. Stores one event; continue as after
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
