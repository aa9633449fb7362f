/* SPDX-License-Identifier: MIT */
#ifndef BEACON_EXAMPLE_HOST_H
#define BEACON_EXAMPLE_HOST_H

#include "beacon_host.h"

struct host {
    struct beacon_host node;
    struct beacon_state last;
    bool is_valid;            /* whether `last` may be shown */
    uint32_t states, expired; /* how often they arrived, and were no longer valid */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

#endif
