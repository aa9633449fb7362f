/* SPDX-License-Identifier: MIT */
#ifndef LOOM_EXAMPLE_HOST_H
#define LOOM_EXAMPLE_HOST_H

#include "loom_host.h"

struct host {
    struct loom_host node;
    const struct zg_port *port;
    void *port_context;
    uint16_t row; /* the one being loaded */
    bool waiting; /* for its reply */
    uint32_t row_sent_us;
    uint32_t rows_acknowledged;
    uint32_t rows_again; /* sent once more, because no reply came */
    uint32_t picks;
    uint32_t picks_missed; /* numbers that never came */
    uint32_t last_pick;
    uint32_t stops;
    double most_tension; /* N */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

#endif
