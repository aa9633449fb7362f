/* SPDX-License-Identifier: MIT */
/* Finds frames in a stream of bytes, and reports what every byte was. */
#ifndef ZEUGMA_CODEC_FRAME_READER_H
#define ZEUGMA_CODEC_FRAME_READER_H

#include "codec/payload.h"
#include "zeugma/counters.h"

enum zg_stretch_kind {
    ZG_STRETCH_FRAME,       /* a message */
    ZG_STRETCH_UNDELIVERED, /* passed its check, but is no message: see `why` */
    ZG_STRETCH_SKIPPED,     /* no frame: see `why` */
    ZG_STRETCH_CONSOLE      /* console text between frames */
};

/* What a stretch of the stream was found to be. Valid during the call that reports it. */
struct zg_stretch {
    enum zg_stretch_kind kind;
    const char *why;    /* "unknown id", "check failed", ...; NULL for a message */
    const uint8_t *raw; /* as it was on the wire, with delimiters */
    size_t raw_length;
    size_t shared;                         /* bytes before `raw` that this frame shares with the one before */
    uint64_t offset;                       /* of raw[0] from the stream's start, bytes */
    uint64_t after;                        /* of a frame: bytes since the last frame that were no frame */
    struct zg_header header;               /* not if skipped */
    const struct zg_plan_message *message; /* of a frame */
    const struct zg_plan_message *also;    /* the other side's, which it may be as well; or NULL */
    const struct zg_value *values;         /* of a frame, one for each step */
    size_t ignored;                        /* bytes after the last known field */
    const uint8_t *payload;                /* of a frame, and of what is not delivered but for its version */
    size_t payload_length;
    bool checked;           /* skipped because of its check: expected and found are set */
    zg_check_word expected; /* computed from the received bytes */
    zg_check_word found;
};

/* Finds frames in a stream that is fed in pieces of any size. Opaque; free with zg_frame_reader_free(). Memory is
 * bounded by the largest frame, plus noise, which is reported in pieces of at most 4096 bytes. */
struct zg_frame_reader;

typedef void (*zg_stretch_function)(const struct zg_stretch *stretch, void *data);

struct zg_frame_reader *zg_frame_reader_new(const struct zg_plan *plan, zg_stretch_function report, void *data);

/* This side sends what is to be read: its end mark ends a frame, the other's does not, and a frame that either may have
 * sent is its own. Before any byte. */
void zg_frame_reader_hear(struct zg_frame_reader *reader, enum zg_side from);
void zg_frame_reader_free(struct zg_frame_reader *reader);

/* Takes bytes of the stream; where the link keeps packets apart, one packet. */
void zg_frame_reader_feed(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count);

/* Whether bytes were fed that no stretch contained yet. */
bool zg_frame_reader_is_open(const struct zg_frame_reader *reader);

/* The stream ends: what is open is abandoned and reported. */
void zg_frame_reader_end(struct zg_frame_reader *reader);

/* As in the link: every byte fed is counted in exactly one of them, or pending. */
const struct zg_counters *zg_frame_reader_counters(const struct zg_frame_reader *reader);

#endif
