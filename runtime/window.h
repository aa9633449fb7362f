/* SPDX-License-Identifier: MIT */
/*
 * For framings whose frames may begin inside a failed candidate: keeps the bytes that may have to be searched again,
 * and searches for what opens a candidate. The window is decoder->window[begin .. filled-1].
 */
#ifndef ZEUGMA_WINDOW_H
#define ZEUGMA_WINDOW_H

#include "zeugma/framing.h"

enum { ZGI_SEEKING, ZGI_OPEN, ZGI_CONSUMED /* a frame whose bytes the next call drops */ };

/* The bytes given to one call. */
struct zgi_input {
    const uint8_t *bytes;
    size_t count;
    size_t taken;
};

/* Fills the window from the input up to `want` bytes, which must be within the room. False: there were too few. */
bool zgi_window_fill(struct zg_decoder *decoder, struct zgi_input *input, size_t want);

/* Searches for an opening, and drops what comes before it. True: it is at the window's beginning; an empty opening is
 * found anywhere. Stores ZG_FRAMING_NOISE if bytes were dropped; then call again. */
bool zgi_window_seek(struct zg_decoder *decoder, struct zgi_input *input, const uint8_t *opening, size_t size,
                     enum zg_framing_event *event);

/* The candidate failed after `extent` bytes: drops what comes before the next opening, or beginning of one, after its
 * first byte. */
void zgi_window_fail(struct zg_decoder *decoder, size_t extent, const uint8_t *opening, size_t size);

/* Drops the frame that the last call ended. True: there was one. */
bool zgi_window_let_go(struct zg_decoder *decoder);

/* Whether nothing is held of a candidate or an opening, besides a frame that the last call ended. */
static inline bool zgi_window_is_clear(const struct zg_decoder *decoder)
{
    return decoder->filled - decoder->begin == (decoder->state == ZGI_CONSUMED ? decoder->total : 0);
}

/* Sets what stays pending: the whole window, except a frame that this call ends. */
void zgi_window_keep(struct zg_decoder *decoder);

/* Drops `count` bytes at the beginning. */
void zgi_window_drop(struct zg_decoder *decoder, size_t count);

#endif
