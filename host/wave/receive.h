/* SPDX-License-Identifier: MIT */
/* A recorded wire read as a UART reads it, and by a definition. */
#ifndef ZEUGMA_WAVE_RECEIVE_H
#define ZEUGMA_WAVE_RECEIVE_H

#include "codec/frame_reader.h"
#include "definition/definition.h"
#include "soft_uart/format.h"
#include "wave/trace.h"

/* How it is read: an asynchronous line with 32 samples a bit; or, with a pair, the data of a clock. */
struct zg_receiving {
    struct zg_uart_format format;
    double baud;
    bool is_whole;                /* the recording's last level lasts on */
    const struct zg_pair *pair;   /* NULL: asynchronous */
    const struct zg_trace *clock; /* of a pair */
};

struct zg_received {
    int64_t from_ps, to_ps; /* from its first edge to the end of its stop bits */
    uint8_t byte, errors;   /* of enum zg_line_error */
};

typedef void zg_received_function(void *data, const struct zg_received *received);

/* Reads all characters. An asynchronous trace that begins idle is read from its first edge if it was idle for a
 * character's time, or if the characters up to the next such pause are all sound, and by a plan begin with a frame;
 * any other one from the first such pause on, or, if there is none in it, from its first edge. A clock that stands
 * still for half of its pair's byte_gap ends a byte, whole or not. */
void zg_receive(const struct zg_trace *trace, const struct zg_receiving *receiving, zg_received_function *each,
                void *data);

/* What was received, counted. */
struct zg_received_counts {
    uint64_t characters, framing, parity, breaks, sound; /* the last: without any error */
    uint64_t frames, skipped_bytes, skips;
};

/* A stretch of what was received, with the times of its first and last character. */
typedef void zg_received_stretch(void *data, const struct zg_stretch *stretch, int64_t from_ps, int64_t to_ps);

/* What a signal's characters are told to; either may be NULL. */
struct zg_received_calls {
    zg_received_function *character;
    zg_received_stretch *stretch;
    void *data;
};

/* Reads all characters, and by a plan (NULL: none) the frames in them. */
struct zg_received_counts zg_receive_frames(const struct zg_trace *trace, const struct zg_receiving *receiving,
                                            const struct zg_plan *plan, const struct zg_received_calls *calls);

#endif
