/* SPDX-License-Identifier: MIT */
/*
 * A UART in software, on two pins. The engineer gives a timer and writes a pin, and calls in from interrupts:
 *
 * - Sending: once a bit, from a timer. First write the level, then compute the next one, so that it comes on time:
 *       pin_write(sender.high); if (!zg_soft_uart_next(&sender, &link)) timer_stop();
 *   The timer is started by the link's start_transmit(). With `sender.carrier` a low level is to be sent as the
 * carrier.
 * - Receiving from edges, with a timer that notes when they come (input capture): zg_soft_uart_edge() for each, and
 *   zg_soft_uart_quiet() when the compare value that it gives is reached.
 * - Or receiving from a timer three or more times a bit: zg_soft_uart_sample() with the pin's level.
 *
 * Characters go to the link as those of a hardware UART do, with their flags. An end is used by one interrupt, or by
 * several that do not interrupt each other. No allocation; times are those of a timer of 16 bits, which wraps.
 */
#ifndef ZEUGMA_SOFT_UART_H
#define ZEUGMA_SOFT_UART_H

#include "soft_uart/format.h"
#include "zeugma/link.h"

#ifdef __cplusplus
extern "C" {
#endif

/* --- sending */

struct zg_soft_uart_sender {
    struct zg_uart_format format;
    bool carrier;
    bool high; /* the level to write now */
    /* private */
    uint16_t bits;
    uint8_t left;
};

/* The line is idle until the first zg_soft_uart_next(). 1.5 stop bits are sent as 2, which every receiver takes. */
void zg_soft_uart_sender_init(struct zg_soft_uart_sender *sender, const struct zg_uart_format *format);

/* Private: begins the next byte. */
ZGI_RARE bool zgi_soft_uart_load(struct zg_soft_uart_sender *sender, struct zg_link *link);

/* Computes the level of the next bit, of the next byte of the link's if one is over. False: there is none, and the line
 * was idle for a bit already; the timer may stop. */
static inline bool zg_soft_uart_next(struct zg_soft_uart_sender *sender, struct zg_link *link)
{
    if (sender->left == 0 && !zgi_soft_uart_load(sender, link)) {
        sender->high = !sender->format.idle_low;
        return false;
    }
    sender->high = ((sender->bits & 1U) != 0) == sender->format.idle_low;
    sender->bits >>= 1;
    sender->left--;
    return true;
}

/* --- receiving from edges */

/* A bit in ticks of the timer, in 256ths: zg_soft_uart_bit(16000000 / 8, 9600). A character must take under 65536
 * ticks, and a bit 4 or more. */
static inline uint32_t zg_soft_uart_bit(uint32_t timer_hz, uint32_t baud)
{
    return (uint32_t)(((uint64_t)timer_hz * 256U + baud / 2U) / baud);
}

struct zg_soft_uart_edges {
    struct zg_uart_format format;
    uint32_t bit; /* in ticks, in 256ths */
    /* private */
    uint32_t middle; /* of the next bit, since the start bit's edge, in the same unit */
    uint16_t began;  /* at which tick */
    uint16_t bits;   /* those read */
    uint8_t read;    /* how many; 0: it waits for a start bit */
    uint8_t last;    /* which bit is the stop bit */
    bool active;     /* the level is not the idle one */
    bool broken;     /* the stop bit was wrong: the line must be idle first */
};

void zg_soft_uart_edges_init(struct zg_soft_uart_edges *edges, const struct zg_uart_format *format, uint32_t bit);

/* The level changed at this tick, and is `high` now. What is complete goes to the link. Returns whether a character
 * begins with it: then set a compare interrupt for zg_soft_uart_due(). */
bool zg_soft_uart_edge(struct zg_soft_uart_edges *edges, struct zg_link *link, uint16_t tick, bool high);

/* Whether a character is being read, and at which tick it is complete, though no edge comes. That stays so to its
 * end. */
bool zg_soft_uart_due(const struct zg_soft_uart_edges *edges, uint16_t *tick);

/* Until this tick no edge has come. */
void zg_soft_uart_quiet(struct zg_soft_uart_edges *edges, struct zg_link *link, uint16_t tick);

/* --- receiving from samples */

struct zg_soft_uart_samples {
    struct zg_uart_format format;
    uint8_t a_bit; /* samples a bit, 3 to 32 */
    /* private */
    uint8_t wait; /* samples until the middle of the next bit */
    uint8_t read, last;
    uint16_t bits;
    bool broken; /* the line must be idle before a start bit counts */
};

void zg_soft_uart_samples_init(struct zg_soft_uart_samples *samples, const struct zg_uart_format *format,
                               uint8_t a_bit);

/* Private: a sample that may matter. */
ZGI_RARE void zgi_soft_uart_decide(struct zg_soft_uart_samples *samples, struct zg_link *link, bool active);

/* A sample of the pin. Most of them lie between bits' middles, or on an idle line, and take a few instructions. */
static inline void zg_soft_uart_sample(struct zg_soft_uart_samples *samples, struct zg_link *link, bool high)
{
    const bool active = high == samples->format.idle_low;

    if (samples->wait > 1)
        samples->wait--;
    else if (active || samples->read > 0 || samples->broken)
        zgi_soft_uart_decide(samples, link, active);
}

#ifdef __cplusplus
}
#endif

#endif
