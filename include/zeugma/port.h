/* SPDX-License-Identifier: MIT */
/*
 * What a board supplies: one constant struct. `context` is the port's own.
 */
#ifndef ZEUGMA_PORT_H
#define ZEUGMA_PORT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct zg_port {
    /* A free-running microsecond counter that wraps at 2^32. Called from the loop. */
    uint32_t (*now_us)(void *context);
    /* There is something to send: enables the transmit interrupt. Called from the loop, also while the transmitter
     * runs. NULL if the loop takes the bytes itself. */
    void (*start_transmit)(void *context);
    /* Disables the receive interrupt for a few instructions, and enables it again. NULL if the target reads and writes
     * 32 bits in one access, or if bytes do not come in by interrupt. Called from the loop. */
    void (*hold)(void *context);
    void (*release)(void *context);
    /* A number that differs at each start: a count kept in memory that survives a reset, or noise. Needed by the
     * service hello only; otherwise NULL. Called once, from the node's init function. */
    uint16_t (*boot_number)(void *context);
    /* Where the link keeps packets apart (framing packet): takes one, whole, to send it; the bytes are valid during the
     * call. False: busy; the end's poll function tries again. NULL elsewhere. Called from the loop. */
    bool (*send_packet)(void *context, const uint8_t *bytes, size_t size);
};

#endif
