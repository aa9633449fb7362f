/* SPDX-License-Identifier: MIT */
/*
 * The link's counters, in the same fixed order on device and host. Each wraps at 2^32. Loop context. Every received
 * byte is counted in exactly one of the parts of
 *
 *     bytes_in == bytes_of_frames + bytes_failed + bytes_noise + bytes_console + bytes_idle + pending
 * where `pending` are the bytes of a candidate that is still open. Every candidate, too, is counted exactly once: in
 * frames_in, failed_check, malformed, too_long or timed_out.
 */
#ifndef ZEUGMA_COUNTERS_H
#define ZEUGMA_COUNTERS_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

struct zg_counters {
    /* bytes */
    uint32_t bytes_in;        /* taken from the receive ring */
    uint32_t bytes_out;       /* put into the transmit ring */
    uint32_t bytes_of_frames; /* of frames that passed their check, with delimiters and stuffing */
    uint32_t bytes_failed;    /* of candidates that failed */
    uint32_t bytes_noise;     /* outside any candidate */
    uint32_t bytes_console;   /* console text between frames */
    uint32_t bytes_idle;      /* delimiters that neither opened nor closed a frame */
    uint32_t bytes_dropped;   /* arrived while the receive ring was full; not in bytes_in */
    /* frames */
    uint32_t frames_in;     /* that passed their check */
    uint32_t frames_out;    /* sent */
    uint32_t failed_check;  /* candidates whose check was wrong */
    uint32_t malformed;     /* candidates with stuffing or a length that no sender produces */
    uint32_t too_long;      /* candidates longer than the largest frame */
    uint32_t timed_out;     /* candidates abandoned after silence */
    uint32_t not_for_us;    /* frames for another node */
    uint32_t other_version; /* frames of another major version */
    uint32_t unknown_id;    /* frames whose id no message has */
    uint32_t bad_payload;   /* frames whose payload is too short for their message */
    uint32_t extra_bytes;   /* bytes after the last known field, ignored */
    uint32_t lost;          /* skipped sequence numbers */
    uint32_t repeated;      /* frames whose sequence number was seen before */
    uint32_t late;     /* frames whose sequence number was counted as lost before; late answers to what was given up */
    uint32_t restarts; /* restarts of the other end */
    /* line errors that the hardware flagged */
    uint32_t line_framing;
    uint32_t line_parity;
    uint32_t line_overrun;
    uint32_t line_break;
    /* delivery */
    uint32_t resent;
    uint32_t given_up;
    uint32_t refused;
    /* services */
    uint32_t unanswered; /* requests of echo and counters left unanswered, for lack of room or of a turn on the line */
};

#define ZG_COUNTERS (sizeof(struct zg_counters) / sizeof(uint32_t))

/* The index of the counter with this name. */
#define ZG_COUNTER_INDEX(name) (offsetof(struct zg_counters, name) / sizeof(uint32_t))

/* The counters' names, in their order. */
extern const char *const zg_counter_names[ZG_COUNTERS];

/* The counter with this index, 0 to ZG_COUNTERS - 1. */
uint32_t zg_counters_get(const struct zg_counters *counters, unsigned index);

/* Sets it to 0. */
void zg_counters_clear(struct zg_counters *counters, unsigned index);

#ifdef __cplusplus
}
#endif

#endif
