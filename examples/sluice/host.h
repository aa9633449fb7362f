/* SPDX-License-Identifier: MIT */
#ifndef SLUICE_EXAMPLE_HOST_H
#define SLUICE_EXAMPLE_HOST_H

#include "sluice_host.h"

struct host {
    struct sluice_host node;
    struct sluice_state last;
    uint32_t blocks, iced; /* iced: without wind */
    double highest;        /* wind, m/s */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

#endif
