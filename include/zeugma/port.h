/* SPDX-License-Identifier: MIT */
/*
 * What a board supplies. One constant struct a port; `context` is the port's own.
 */
#ifndef ZEUGMA_PORT_H
#define ZEUGMA_PORT_H

#include <stdint.h>

struct zg_port {
    /* A free-running microsecond counter that wraps at 2^32. Called from the loop. */
    uint32_t (*now_us)(void *context);
    /* There is something to send: see that the transmit interrupt comes. Called from the loop; may be called while
     * the transmitter runs. NULL where the loop takes the bytes itself. */
    void (*start_transmit)(void *context);
    /* Holds off the receive interrupt for a few instructions, and lets it in again. NULL where the target reads and
     * writes 32 bits in one access, or bytes come in by no interrupt. Called from the loop. */
    void (*hold)(void *context);
    void (*release)(void *context);
    /* A number that is another at each start: a count kept in memory that survives, or noise. For the service hello
     * only; else NULL. Called once, from the node's init function. */
    uint16_t (*boot_number)(void *context);
};

#endif
