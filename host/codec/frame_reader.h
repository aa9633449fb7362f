/* SPDX-License-Identifier: MIT */
/* Finds frames in a stream of bytes, and says what every byte of it was. */
#ifndef ZEUGMA_CODEC_FRAME_READER_H
#define ZEUGMA_CODEC_FRAME_READER_H

#include "codec/payload.h"
#include "zeugma/counters.h"

enum zg_stretch_kind {
    ZG_STRETCH_FRAME,       /* a message */
    ZG_STRETCH_UNDELIVERED, /* passed its check, and is no message: see `why` */
    ZG_STRETCH_SKIPPED,     /* was no frame: see `why` */
    ZG_STRETCH_CONSOLE      /* text between frames, where a console shares the line */
};

/* What a stretch of the stream was found to be. Valid during the call that reports it. */
struct zg_stretch {
    enum zg_stretch_kind kind;
    const char *why;    /* "unknown id", "check failed", ...; NULL for a message */
    const uint8_t *raw; /* as it stood on the wire, delimiters included */
    size_t raw_length;
    size_t shared;                         /* bytes in front of raw that the frame before, or an idle one, ended with */
    uint64_t offset;                       /* of raw[0] from the stream's start, bytes */
    uint64_t after;                        /* of a frame: bytes before it, back to the last frame, that were none */
    struct zg_header header;               /* not when skipped */
    const struct zg_plan_message *message; /* of a frame */
    const struct zg_value *values;         /* of a frame, one a step */
    size_t ignored;                        /* bytes after the last known field */
    bool checked;                          /* skipped for its check: found and expected are told */
    zg_check_word expected;                /* computed from the bytes received */
    zg_check_word found;
};

/* Finds frames in a stream fed in pieces of any size. Opaque; free with zg_frame_reader_free(). Memory is bounded by
 * the largest frame save `raw` of noise, which is reported at most 4096 bytes at a time. */
struct zg_frame_reader;

typedef void (*zg_stretch_function)(const struct zg_stretch *stretch, void *data);

struct zg_frame_reader *zg_frame_reader_new(const struct zg_plan *plan, zg_stretch_function report, void *data);
void zg_frame_reader_free(struct zg_frame_reader *reader);

void zg_frame_reader_feed(struct zg_frame_reader *reader, const uint8_t *bytes, size_t count);

/* Whether bytes were fed that no stretch has told of yet. */
bool zg_frame_reader_is_open(const struct zg_frame_reader *reader);

/* The stream ends: what is open is abandoned and reported. */
void zg_frame_reader_end(struct zg_frame_reader *reader);

/* As in the link: every byte fed is in exactly one of them, or pending. */
const struct zg_counters *zg_frame_reader_counters(const struct zg_frame_reader *reader);

#endif
