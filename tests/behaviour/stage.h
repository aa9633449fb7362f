/* SPDX-License-Identifier: MIT */
/* A device and a host of loom.yaml on a simulated line, polled as two main loops would. */
#ifndef ZEUGMA_TEST_STAGE_H
#define ZEUGMA_TEST_STAGE_H

#include "loom_device.h"
#include "loom_host.h"
#include "sim/line.h"
#include "support.h"

/* What one end was told, newest last; each kind has numbers of its own. */
enum { STAGE_MOST = 4096 };
struct heard {
    uint32_t numbers[STAGE_MOST];
    unsigned count;
};

struct stage {
    struct zg_sim_line *line;
    struct loom_device device;
    struct loom_host host;
    bool device_off, host_off; /* not polled; what arrives is lost with its memory */
    bool cut;                  /* the line: what arrives is lost on the way */
    uint64_t now_ns;
    /* heard by the device */
    struct heard speeds, jogs, winds, rows;
    bool answers; /* answers load_row at once */
    uint8_t row_ticket;
    struct heard written;
    struct heard device_events;
    struct heard stopped_ends; /* enum zg_settled */
    /* heard by the host */
    struct heard stops, taken, picks, tensions;
    struct heard speed_ends, jog_ends, wind_ends, row_ends, write_ends, read_ends;
    struct heard failed_speeds; /* picks_per_min of those that were not delivered */
    struct heard host_events;
    struct heard matches; /* enum zg_match, of each hello */
    struct loom_hello hello;
    char console[STAGE_MOST];
    unsigned console_size;
    /* called at each step of time; NULL: nothing is done */
    void (*act)(struct stage *stage);
    /* called within each handler, after it has noted what it was told; NULL: nothing is done */
    void (*within)(struct stage *stage);
    void *context;
};

/* Both ends ready, nothing sent. `faults` may be NULL. */
void stage_begin(struct stage *stage, const struct zg_sim_faults *faults, uint64_t seed, uint32_t clock_us);
void stage_end(struct stage *stage);

/* Lets milliseconds pass in steps of 100 us. */
void stage_run(struct stage *stage, unsigned ms);

/* Starts one end afresh, as after a reset: its memory is cleared. */
void stage_restart_device(struct stage *stage);
void stage_restart_host(struct stage *stage);

/* The host sends a frame with any payload and the next sequence number, as if it had made it itself. */
void stage_send_raw(struct stage *stage, zg_header_number id, const uint8_t *payload, size_t length);

/* A frame with this header and payload, and a good check, reaches the host. */
void stage_pass_to_host(struct stage *stage, const uint8_t *content, size_t size);

/* The last number noted; fails the test if there is none. */
uint32_t stage_last(const struct heard *heard);

#endif
