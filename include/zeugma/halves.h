/* SPDX-License-Identifier: MIT */
/*
 * Bytes as two characters of 4 data bits each, between another framing and the line (`data: 4`). On the wire each byte
 * holds one character in its low four bits; the others are 0, and ignored when received.
 *
 * While frames arrive, their halves are joined as the last frame's were. Once a candidate is no frame, its halves are
 * also joined the other way, from its second one on, and what is complete first and passes is the frame. So a lost half
 * costs one frame; with a framing whose delimiter both ends a frame and must be seen before the next, such as COBS
 * without a lead, two if it was the delimiter's.
 *
 * Counters and outcomes count characters. The caller owns all memory. Loop context.
 */
#ifndef ZEUGMA_HALVES_H
#define ZEUGMA_HALVES_H

#include "zeugma/receiver.h"

#ifdef __cplusplus
extern "C" {
#endif

struct zg_halves {
    struct zg_judging judging; /* zgi_halves_judged() */
    const struct zg_framing *inner;
    bool high_first;  /* which half goes first; otherwise the low one */
    size_t room;      /* bytes of memory that the inner framing's decoder needs */
    size_t max_frame; /* bytes of the longest frame in that framing */
};

/* An initialiser: a struct zg_halves. */
#define ZG_HALVES(inner, high_first, room, max_frame)                                                                  \
    {                                                                                                                  \
        { zgi_halves_judged }, (inner), (high_first), (room), (max_frame)                                              \
    }

/* An initialiser: the framing with `options`, a struct zg_halves whose inner framing has this `lead`. */
#define ZG_HALVED(options, lead)                                                                                       \
    {                                                                                                                  \
        zgi_halves_begin, zgi_halves_put, zgi_halves_end, zgi_halves_reset, zgi_halves_decode, zgi_halves_reject,      \
            zgi_halves_pause, (options), lead, true, NULL                                                              \
    }

/* Private: one way to join the characters, and what was found in it. */
struct zgi_half_side {
    struct zg_decoder decoder;
    size_t read; /* the next character to join, counted from the oldest that is kept */
    bool quiet;  /* the decoder needs more bytes */
};

struct zgi_half_failure {
    enum zg_outcome outcome;
    zg_check_word expected, found;
    bool unreadable;
};

struct zgi_halves {
    struct zgi_half_side side[2];
    struct zgi_half_failure failure, told;
    size_t failure_end; /* where `failure`, the last one of the lead, ended; 0: none */
    size_t kept;        /* characters that are kept */
    size_t from, to;    /* the shown content's, counted from the oldest that is kept */
    size_t due;         /* characters of the lead's first failure that is not told yet; 0: none */
    uint8_t lead;       /* the side that speaks for the stream */
    uint8_t shown;      /* the side whose content was handed up */
    uint8_t stage;      /* of that content */
    bool searching;     /* both sides are read, as a candidate of the lead failed */
};

/* Characters that may have to be read again. */
#define ZGI_HALVES_KEPT(room, max_frame) (4 * ((size_t)(room) + (size_t)(max_frame) + 8))

/* Bytes of memory that the decoder needs, for a struct zg_halves with these. */
#define ZG_HALVES_ROOM(room, max_frame)                                                                                \
    (sizeof(struct zgi_halves) + 2 * (size_t)(room) + ZGI_HALVES_KEPT(room, max_frame))

/* Private. */
void zgi_halves_begin(const struct zg_framing *framing, struct zg_encoder *encoder);
void zgi_halves_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
void zgi_halves_end(const struct zg_framing *framing, struct zg_encoder *encoder);
void zgi_halves_reset(const struct zg_framing *framing, struct zg_decoder *decoder);
size_t zgi_halves_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes,
                         size_t count, enum zg_framing_event *event);
void zgi_halves_reject(const struct zg_framing *framing, struct zg_decoder *decoder);
enum zg_framing_event zgi_halves_pause(const struct zg_framing *framing, struct zg_decoder *decoder);

/* Private. After each outcome: what it is to the stream. One that only one side has seen becomes noise of no bytes. */
void zgi_halves_judged(const struct zg_framing *framing, struct zg_decoder *decoder, struct zg_found *found);

#ifdef __cplusplus
}
#endif

#endif
