/* SPDX-License-Identifier: MIT */
#ifndef LOOM_EXAMPLE_HOST_H
#define LOOM_EXAMPLE_HOST_H

#include "loom_host.h"

struct host {
    struct loom_host node;
    uint16_t row; /* the next to load */
    uint32_t rows_loaded, rows_answered, rows_failed;
    uint32_t picks;
    uint32_t picks_missed; /* picks that never arrived */
    uint32_t last_pick;
    uint32_t stops;
    uint32_t tensions_set; /* acknowledged with the new value */
    double most_tension;   /* N */
    char console[64];
    uint8_t console_size;
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

/* Makes the loom weave at another tension, in N. */
void host_set_tension(struct host *host, double newton);

#endif
