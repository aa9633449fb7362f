/* SPDX-License-Identifier: MIT */
/*
 * What a UART set to another speed reads on a line: it waits for a falling edge, samples the middle of each of its own
 * bits, and flags a low stop bit as a framing error. The caller owns the memory.
 */
#ifndef ZEUGMA_SIM_RESAMPLE_H
#define ZEUGMA_SIM_RESAMPLE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

enum { ZG_RESAMPLE_KEPT = 64 }; /* bytes on the line that may still be sampled */

struct zg_resampler {
    /* set by the caller */
    double sent_bit_ns, read_bit_ns;
    unsigned data_bits;
    bool parity; /* there is a parity bit; it is always sent high */
    /* private */
    double free_ns; /* when the line is idle again */
    double look_ns; /* where the receiver next looks for an edge */
    double starts[ZG_RESAMPLE_KEPT];
    uint8_t bytes[ZG_RESAMPLE_KEPT];
    unsigned first, count;
};

/* Sends a byte, at `now_ns` or as soon as the one before has left. Returns how many bytes the receiver has read by
 * then, at most `room`; `framing` counts those of them whose stop bit was low. */
size_t zg_resample_send(struct zg_resampler *line, double now_ns, uint8_t byte, uint8_t *read, size_t room,
                        unsigned *framing);

/* The line was idle up to `now_ns`: the same for what can be read until then. */
size_t zg_resample_idle(struct zg_resampler *line, double now_ns, uint8_t *read, size_t room, unsigned *framing);

#endif
