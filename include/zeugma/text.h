/* SPDX-License-Identifier: MIT */
/*
 * A console that shares the line with frames (console: interleaved): separates text from noise outside frames. Text is
 * tab, CR, LF, ESC, printable ASCII and complete characters of UTF-8 (RFC 3629). A failed candidate that consists of
 * text only is text, and not counted as a candidate. The caller owns all memory. Loop context.
 */
#ifndef ZEUGMA_TEXT_H
#define ZEUGMA_TEXT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "zeugma/counters.h"
#include "zeugma/receiver.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How many of `size` bytes are text, up to the first that is not. If `cut` is not NULL, it is set to whether the rest
 * begins with a character whose end is missing. Linear. */
size_t zg_text_run(const uint8_t *bytes, size_t size, bool *cut);

/* Bytes given to a receiver at a time, so that noise can be kept until it is known to be none. */
#define ZG_TEXT_PIECE 64

/* The memory that a console needs, bytes: for what a receiver has pending, and one piece. */
#define ZG_TEXT_ROOM(max_frame, receive_room)                                                                          \
    (((max_frame) > (receive_room) ? (max_frame) : (receive_room)) + ZG_TEXT_PIECE + 8)

struct zg_text_sorter {
    /* private */
    uint8_t *raw; /* what the receiver has pending, after a character that noise has cut */
    size_t room;
    size_t count; /* bytes in raw */
    size_t cut;   /* of these, counted as noise for now */
    size_t blind; /* pending bytes after those that there was no room to keep: they cannot be text */
    void (*text)(void *owner, const uint8_t *text, size_t size);
    void *owner;
};

/* Calls `text` for each piece of text, in order. `raw` is ZG_TEXT_ROOM() bytes. */
void zg_text_sorter_init(struct zg_text_sorter *sorter, uint8_t *raw, size_t room,
                         void (*text)(void *owner, const uint8_t *text, size_t size), void *owner);

/* Removes a failed candidate that was text from the counters of failed candidates. */
void zg_text_uncount(struct zg_counters *counters, const struct zg_found *found);

/* Call it after each zg_receiver_take() and zg_receiver_pause(), before a frame is handed on: `bytes` were taken,
 * `found` is the result. Moves text to bytes_console. */
void zg_text_sorter_take(struct zg_text_sorter *sorter, struct zg_counters *counters, const uint8_t *bytes,
                         size_t taken, const struct zg_found *found);

#ifdef __cplusplus
}
#endif

#endif
