/* SPDX-License-Identifier: MIT */
/*
 * A simulated device for any definition: it sends the definition's messages with plausible values, answers requests,
 * holds variables and prints on its console, at the line's speed. Time is the caller's.
 */
#ifndef ZEUGMA_SIMULATED_H
#define ZEUGMA_SIMULATED_H

#include "node/node.h"
#include "sim/damage.h"

struct zg_simulated_settings {
    uint64_t seed;            /* of values and faults */
    uint64_t baud;            /* at which its bytes pass; 0: the definition's */
    struct zg_sim_faults out; /* of what it sends, */
    struct zg_sim_faults in;  /* of what reaches it; latency counts in neither */
    zg_header_number address;          /* on a shared line; 0: 1 */
    bool busy;                /* sends as fast as the line takes it, period or not */
    uint64_t restart_ns;      /* restarts again and again after this time; 0: does not */
};

/* What it did, bytes and frames: of all its runs. */
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

/* Bytes of the host reached it. */
void zg_simulated_give(struct zg_simulated *device, uint64_t now_ns, const uint8_t *bytes, size_t count);

/* What is due by now; appends the bytes that have left it since the last call. To be called every millisecond or so. */
void zg_simulated_run(struct zg_simulated *device, uint64_t now_ns, GByteArray *left);

/* The speed that the host's UART is set to; where it is another than the device's, both read something else than was
 * sent. 0: not known, taken for the same. */
void zg_simulated_set_host_baud(struct zg_simulated *device, uint64_t baud);

/* A reset: what it had in memory is gone, and for a while nothing of it is heard. */
void zg_simulated_restart(struct zg_simulated *device);

struct zg_simulated_totals zg_simulated_totals(const struct zg_simulated *device);

#endif
