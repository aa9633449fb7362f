/* SPDX-License-Identifier: MIT */
/*
 * For the kinds whose frames may begin inside a failed candidate: the bytes that may have to be read again, and the
 * search for what opens a candidate. The window is decoder->window[begin .. filled-1].
 */
#ifndef ZEUGMA_WINDOW_H
#define ZEUGMA_WINDOW_H

#include "zeugma/framing.h"

enum { ZGI_SEEKING, ZGI_OPEN, ZGI_CONSUMED /* a frame whose bytes the next call lets go */ };

/* The bytes given to one call. */
struct zgi_input {
    const uint8_t *bytes;
    size_t count;
    size_t taken;
};

/* Whether the window holds `want` bytes now, taken from the input where it held fewer. `want` is within the room. */
bool zgi_window_fill(struct zg_decoder *decoder, struct zgi_input *input, size_t want);

/* Looks for an opening, letting go what comes before it. True: it stands at the window's begin. An empty one stands
 * everywhere. Stores ZG_FRAMING_NOISE where bytes were let go; then call again. */
bool zgi_window_seek(struct zg_decoder *decoder, struct zgi_input *input, const uint8_t *opening, size_t size,
                     enum zg_framing_event *event);

/* The candidate failed after `extent` bytes: lets go what stands before the next place behind its first byte where an
 * opening, or as much of it as there is, stands. */
void zgi_window_fail(struct zg_decoder *decoder, size_t extent, const uint8_t *opening, size_t size);

/* Lets go of the frame that the last call ended; true: there was one. */
bool zgi_window_let_go(struct zg_decoder *decoder);

/* Sets what stays pending: all of the window but a frame that this call ends. */
void zgi_window_keep(struct zg_decoder *decoder);

/* Lets go of bytes in front. */
void zgi_window_drop(struct zg_decoder *decoder, size_t count);

#endif
