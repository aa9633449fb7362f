/* SPDX-License-Identifier: MIT */
/*
 * A pair of wires, data and clock, without a UART: both roles. The end that sends drives the clock; full duplex is a
 * pair for each direction. The engineer writes two pins from a timer, or calls in from a pin's interrupt:
 *
 * - Sending: twice a clock, from a timer. First write the levels, then compute the next ones:
 *       pin_write(CLOCK, sender.clock); pin_write(DATA, sender.data);
 *       if (!zg_clocked_next(&sender, &link)) timer_stop();
 * - Receiving: zg_clocked_edge() at each sampling edge of the clock, with the level of the data and the tick of a
 * timer; and zg_clocked_idle() from the main loop, so that a long pause counts as one though the timer wraps.
 *
 * Data changes half a clock before the edge at which it is sampled. Between bytes there is a pause of `gap` clocks or
 * more; a receiver gives up a byte after half of it without an edge, so that a lost or extra edge costs one frame.
 */
#ifndef ZEUGMA_CLOCKED_H
#define ZEUGMA_CLOCKED_H

#include "zeugma/link.h"

#ifdef __cplusplus
extern "C" {
#endif

/* How bits are sent, as `pair` in a definition says. */
struct zg_clocked_format {
    bool samples_rising; /* or at the falling edge */
    bool lsb_first, idle_high;
};

struct zg_clocked_sender {
    struct zg_clocked_format format;
    uint8_t gap;      /* clocks between bytes, at least: 4 to 100 */
    bool clock, data; /* the levels to write now */
    /* private */
    uint8_t byte, halves; /* half clocks left of the byte and the pause behind it */
};

void zg_clocked_sender_init(struct zg_clocked_sender *sender, const struct zg_clocked_format *format, uint8_t gap);

/* Computes the levels of the next half clock. False: there is nothing to send, and the pause is over; the timer may
 * stop. */
bool zg_clocked_next(struct zg_clocked_sender *sender, struct zg_link *link);

struct zg_clocked_receiver {
    struct zg_clocked_format format;
    uint16_t pause; /* ticks without an edge after which a byte is given up: half of the pause between bytes */
    /* private */
    uint16_t last; /* the tick of the latest edge */
    uint8_t byte, bits;
};

void zg_clocked_receiver_init(struct zg_clocked_receiver *receiver, const struct zg_clocked_format *format,
                              uint16_t pause);

/* A sampling edge of the clock, and the level of the data at it. */
void zg_clocked_edge(struct zg_clocked_receiver *receiver, struct zg_link *link, uint16_t tick, bool data);

/* Gives up a byte that was not completed in time. At least every 65535 ticks less the pause; with zg_clocked_edge()
 * held off. */
void zg_clocked_idle(struct zg_clocked_receiver *receiver, uint16_t tick);

#ifdef __cplusplus
}
#endif

#endif
