/* SPDX-License-Identifier: MIT */
/*
 * A simulated serial line between two links, byte by byte or bit by bit, in virtual time. Frames take the time that
 * their bits take.
 * Random numbers are drawn only where a fault strikes; one seed always gives the same run. Times are nanoseconds since
 * the start. One thread. The line owns its memory; the links are the caller's.
 */
#ifndef ZEUGMA_SIM_LINE_H
#define ZEUGMA_SIM_LINE_H

#include <stdint.h>

#include "sim/bits.h"
#include "sim/damage.h"
#include "sim/uart.h"
#include "zeugma/link.h"

/* The two ends of an asynchronous line that is computed by the bit. */
struct zg_sim_bits {
    struct zg_uart_format format;
    double carrier_hz; /* 0: none */
    struct {
        double rate;      /* the end's, over the nominal one */
        unsigned samples; /* of its receiver, a bit: 16 or 8 */
    } ends[2];
};

struct zg_sim_settings {
    uint32_t baud;
    unsigned data_bits;             /* of a byte; 0: 8 */
    unsigned half_bits;             /* bit times of a byte, doubled: 20 for 8N1; */
    uint64_t byte_gap_ns;           /* and a pause behind each */
    unsigned read_16ths;            /* of a bit, from a byte's beginning until it is read; 0: all of it */
    const struct zg_sim_bits *bits; /* how the ends send and sample bits; NULL: the line is computed by the byte */
    struct zg_sim_faults faults[2]; /* in what each end sends */
    uint64_t seed;
    uint32_t clock_us; /* what the ends' clocks show at the start; near 2^32 they wrap during the run */
};

struct zg_sim_line;

struct zg_sim_line *zg_sim_line_new(const struct zg_sim_settings *settings);
void zg_sim_line_free(struct zg_sim_line *line);

/* The port for the link at `end` (0 or 1): initialise the link with zg_sim_port and this context, then attach it. */
extern const struct zg_port zg_sim_port;
void *zg_sim_context(struct zg_sim_line *line, unsigned end);
void zg_sim_attach(struct zg_sim_line *line, unsigned end, struct zg_link *link);

/* Makes the line keep packets apart in what arrives at one end: the transmit ring of the other holds one at a time
 * (zg_protocol.packets), and `take` is called with each as it arrives. */
void zg_sim_keep_packets(struct zg_sim_line *line, unsigned end,
                         void (*take)(void *data, const uint8_t *bytes, size_t size), void *data);

/* Advances time to `until_ns`: bytes leave and arrive as by interrupts. Poll the links between such steps. */
void zg_sim_advance(struct zg_sim_line *line, uint64_t until_ns);

/* For long runs in small steps. The link at `end` acts upon nothing that comes but the byte `mark`, and silence behind
 * other bytes, unless more than `most` of them come in a row: then what comes may stay on the way until there is
 * something to act upon, and a link to which a step brought nothing need not be polled. Before an end sends frames of
 * up to `room` bytes, or, with SIZE_MAX, what it has sent is asked for, it is to be settled. Nothing else shows a
 * difference: the same bytes arrive at the same times. */
void zg_sim_defer(struct zg_sim_line *line, unsigned end, uint8_t mark, size_t most);
uint64_t zg_sim_wake_ns(const struct zg_sim_line *line); /* a step to before that brings nothing to either */
bool zg_sim_brought(const struct zg_sim_line *line, unsigned end);
void zg_sim_settle(struct zg_sim_line *line, unsigned end, size_t room);

/* Calls functions with the bytes that leave one end, before anything happens to them, and with those that the ring of
 * its link took, the last of them at a time, each `each_ns` after the one before. Either may be NULL. */
struct zg_sim_ears {
    void (*sent)(void *data, const uint8_t *bytes, size_t count);
    void (*received)(void *data, const uint8_t *bytes, size_t count, uint64_t last_ns, uint64_t each_ns);
    void *data;
};
void zg_sim_listen(struct zg_sim_line *line, unsigned end, const struct zg_sim_ears *ears);

/* Calls a function for each byte of one end to which something happens, as struct zg_damage has it. */
void zg_sim_watch(struct zg_sim_line *line, unsigned end, void (*touched)(void *data, uint64_t place, unsigned touches),
                  void *data);

/* Other faults, from now on, in what one end sends. */
void zg_sim_change(struct zg_sim_line *line, unsigned end, const struct zg_sim_faults *faults);

/* Masks one end's interrupts, or no longer: nothing is sent meanwhile, and what arrives waits in the UART's buffer of
 * `depth` bytes, up to ZG_SIM_UART_MOST; beyond that it is overrun, which is flagged. Bytes lost so. */
void zg_sim_mask(struct zg_sim_line *line, unsigned end, unsigned depth, bool masked);
uint64_t zg_sim_overrun(const struct zg_sim_line *line, unsigned end);

/* One end restarts: its transmitter and its UART's buffer are empty. Attach its new link. Returns how many bytes were
 * in the buffer. */
unsigned zg_sim_stop(struct zg_sim_line *line, unsigned end);

/* The last `count` bytes that are in an end's transmit ring now never leave, as if a driver had cut a write short. They
 * count as dropped. */
void zg_sim_omit_last(struct zg_sim_line *line, unsigned end, size_t count);

uint64_t zg_sim_now(const struct zg_sim_line *line);
uint64_t zg_sim_byte_ns(const struct zg_sim_line *line);
const struct zg_sim_totals *zg_sim_totals(const struct zg_sim_line *line, unsigned end);

#endif
