/* SPDX-License-Identifier: MIT */
/*
 * Frames whose size is known from their first bytes: sync (or start) bytes, content, end bytes. The content's size is
 * in its header (framing `length`), or is always the same (`fixed`; `marks` without escape). The decoder's memory is
 * ZG_SIZED_ROOM(largest content, sync bytes, end bytes); with more it moves fewer bytes after damage.
 */
#ifndef ZEUGMA_SIZED_H
#define ZEUGMA_SIZED_H

#include "zeugma/framing.h"

#ifdef __cplusplus
extern "C" {
#endif

#define ZG_SIZED_ROOM(content, sync, end) ((content) + (sync) + (end))

struct zg_sized {
    /* The content's size, bytes, from its first `head` bytes. 0: no sender produces these. NULL: it is always `size`.
     * Called once for each candidate. */
    size_t (*measure)(const void *context, const uint8_t *content);
    const void *context;
    size_t size;
    uint8_t head; /* bytes */
    uint8_t sync_size;
    uint8_t end_size;
    uint8_t sync[ZG_MARK_MAX];
    uint8_t end[ZG_MARK_MAX];
};

/* An initialiser: the framing with `options`, a struct zg_sized. */
#define ZG_SIZED(options)                                                                                              \
    {                                                                                                                  \
        zg_sized_begin, zg_sized_put, zg_sized_end, zg_sized_reset, zg_sized_decode, zg_sized_reject, zg_sized_pause,  \
            (options), false, true, ZGI_SIZED_WHOLE                                                                    \
    }

#if ZGI_WHOLE_FRAMES
size_t zgi_sized_whole(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       const uint8_t **content, size_t *length);
#define ZGI_SIZED_WHOLE zgi_sized_whole
#else
#define ZGI_SIZED_WHOLE NULL
#endif

/* Used by ZG_SIZED(). */
void zg_sized_begin(const struct zg_framing *framing, struct zg_encoder *encoder);
void zg_sized_put(const struct zg_framing *framing, struct zg_encoder *encoder, const uint8_t *bytes, size_t count);
void zg_sized_end(const struct zg_framing *framing, struct zg_encoder *encoder);
void zg_sized_reset(const struct zg_framing *framing, struct zg_decoder *decoder);
size_t zg_sized_decode(const struct zg_framing *framing, struct zg_decoder *decoder, const uint8_t *bytes, size_t count,
                       enum zg_framing_event *event);
void zg_sized_reject(const struct zg_framing *framing, struct zg_decoder *decoder);
enum zg_framing_event zg_sized_pause(const struct zg_framing *framing, struct zg_decoder *decoder);

#ifdef __cplusplus
}
#endif

#endif
