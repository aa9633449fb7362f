/* SPDX-License-Identifier: MIT */
/*
 * A simulated device for any definition. It sends the definition's messages with plausible values, answers requests,
 * holds variables and prints on its console, at the line's speed. The caller provides the time.
 */
#ifndef ZEUGMA_SIMULATED_H
#define ZEUGMA_SIMULATED_H

#include "node/node.h"
#include "sim/damage.h"
#include "sim/uart.h"

struct zg_simulated_settings {
    uint64_t seed;                    /* of values and faults */
    uint64_t baud;                    /* of its line; 0: the definition's */
    struct zg_sim_faults out;         /* in what it sends */
    struct zg_sim_faults in;          /* in what it receives; latency is ignored in both */
    zg_header_number address;         /* on a shared line; 0: 1 */
    bool busy;                        /* sends as much as the line carries, whatever the periods */
    struct zg_spell restarts;         /* at random; their length is not used */
    struct zg_spell blackouts, masks; /* its loop stands still; its interrupts are masked: all of the same length */
    unsigned fifo;                    /* room in its UART while they are; 0: ZG_SIM_UART_DEPTH */
    uint64_t restart_ns;              /* restarts repeatedly after this time; 0: never */
};

/* The bytes and frames of all its runs. */
struct zg_simulated_totals {
    uint64_t frames_out, frames_in, bytes_out, bytes_in;
    uint64_t restarts;
};

/* Opaque; free with zg_simulated_free(). */
struct zg_simulated;

/* The plan must outlive it. It starts at `now_ns`. */
struct zg_simulated *zg_simulated_new(const struct zg_plan *plan, const struct zg_simulated_settings *settings,
                                      uint64_t now_ns);
void zg_simulated_free(struct zg_simulated *device);

/* Bytes from the host arrived, or one packet where the link keeps them apart. */
void zg_simulated_give(struct zg_simulated *device, uint64_t now_ns, const uint8_t *bytes, size_t count);

/* Does what is due, and appends the bytes that have left since the last call; of packets at most one. Call it about
 * every millisecond. */
void zg_simulated_run(struct zg_simulated *device, uint64_t now_ns, GByteArray *left);

/* Sets the speed of the host's UART. If it differs from the device's, each reads something else than the other sent. 0:
 * unknown, taken to be the same. */
void zg_simulated_set_host_baud(struct zg_simulated *device, uint64_t baud);

/* Resets the device: its memory is lost, and for a while it sends nothing. */
void zg_simulated_restart(struct zg_simulated *device);

struct zg_simulated_totals zg_simulated_totals(const struct zg_simulated *device);

#endif
