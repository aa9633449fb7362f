/* SPDX-License-Identifier: MIT */
#ifndef TIDE_MAST_EXAMPLE_HOST_H
#define TIDE_MAST_EXAMPLE_HOST_H

#include "tide_mast_host.h"

struct host {
    struct tide_mast_host node;
    uint32_t readings;
    uint32_t twice; /* readings that came a second time */
    uint32_t gauges, asked, changed;
    uint32_t refused; /* settled, but not delivered */
    uint32_t downs;
    uint8_t seen[8192]; /* one bit for each number */
    double highest;     /* m */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

/* Asks for a gauge's zero; changes the interval. */
void host_ask(struct host *host, uint8_t which);
void host_change(struct host *host, uint8_t seconds);

#endif
