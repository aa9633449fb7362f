/* SPDX-License-Identifier: MIT */
/*
 * Frames between a start and an end mark, whose bytes are kept out of the content: each byte of the marks, and the
 * escape, is sent as the escape followed by byte XOR escape_xor; or one byte, which begins both marks, is sent twice.
 * Plain marks stand around a content that never holds the end mark, such as text; a check may follow the end mark.
 * Without a start mark, or if both are the same byte, an end mark opens the next frame. The decoder's memory is
 * ZG_MARKS_ROOM(largest content, start bytes, end bytes): the content, and a frame as it is on the wire. Contents whose
 * first bytes tell their size may hold the end mark, too. Marks around contents of one size: zeugma/sized.h.
 */
#ifndef ZEUGMA_MARKS_H
#define ZEUGMA_MARKS_H

#include "zeugma/framing.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The longest frame that `content` bytes can become. */
#define ZG_MARKS_WIRE_MAX(content, start, end) (2 * (content) + (start) + (end))
#define ZG_MARKS_ROOM(content, start, end) ((content) + ZG_MARKS_WIRE_MAX(content, start, end) + 2)

/* Where an end mark of plain marks ends a frame. */
enum zg_ends {
    ZG_ENDS_ANYWHERE, /* wherever it stands: this content never holds it */
    ZG_ENDS_LATER,    /* not here: the content is longer */
    ZG_ENDS_HERE      /* only here: otherwise the candidate is no frame */
};

struct zg_end_mark {
    uint8_t size; /* bytes */
    uint8_t bytes[ZG_MARK_MAX];
};

struct zg_marks {
    uint8_t start_size; /* bytes */
    uint8_t end_size;
    uint8_t start[ZG_MARK_MAX];
    uint8_t end[ZG_MARK_MAX];
    bool doubled;                    /* in the content, `escape` is sent twice */
    uint8_t escape;                  /* not doubled: the byte before an image */
    uint8_t escape_xor;              /* image = byte XOR escape_xor */
    bool plain;                      /* no byte is escaped or doubled: the content never holds the end mark */
    uint8_t others;                  /* of plain marks: how many more end marks are taken */
    const struct zg_end_mark *other; /* those; the first mark that is complete ends a candidate */
    const struct zg_end_mark *sent;  /* the end mark that is sent; NULL: `end` */
    uint8_t trailing; /* of plain marks: the content's last bytes stand behind the end mark, whatever they are */
    /* Of plain marks: whether the end mark ends a frame that so far has this content. NULL: anywhere. */
    enum zg_ends (*ends)(const void *context, const uint8_t *content, size_t length);
    const void *context;
};

/* For `ends`, of a content that has `size` bytes in front of the end mark. */
static inline enum zg_ends zg_ends_behind(size_t size, size_t length)
{
    return length < size ? ZG_ENDS_LATER : length == size ? ZG_ENDS_HERE : ZG_ENDS_ANYWHERE;
}

/* An initialiser: the framing with `options`, a struct zg_marks. */
#define ZG_MARKS(options)                                                                                              \
    {                                                                                                                  \
        zg_marks_begin, zg_marks_put, zg_marks_end, zg_marks_reset, zg_marks_decode, zg_marks_reject, zg_marks_pause,  \
            (options), false, true, ZGI_MARKS_WHOLE                                                                    \
    }

#if ZGI_WHOLE_FRAMES
size_t zgi_marks_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       const uint8_t **content, size_t *length);
#define ZGI_MARKS_WHOLE zgi_marks_whole
#else
#define ZGI_MARKS_WHOLE NULL
#endif

/* Used by ZG_MARKS(). */
void zg_marks_begin(const struct zg_framing *framing, struct zg_encoder *encoder);
void zg_marks_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
void zg_marks_end(const struct zg_framing *framing, struct zg_encoder *encoder);
void zg_marks_reset(const struct zg_framing *framing, struct zg_decoder *decoder);
size_t zg_marks_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event);
void zg_marks_reject(const struct zg_framing *framing, struct zg_decoder *decoder);
enum zg_framing_event zg_marks_pause(const struct zg_framing *framing, struct zg_decoder *decoder);

#ifdef __cplusplus
}
#endif

#endif
