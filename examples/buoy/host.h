/* SPDX-License-Identifier: MIT */
#ifndef BUOY_EXAMPLE_HOST_H
#define BUOY_EXAMPLE_HOST_H

#include "buoy_host.h"

struct host {
    struct buoy_host node;
    uint32_t reports, settled, given_up;
    struct buoy_sea last;
    enum zg_arrival arrival; /* of the last report */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);

/* Asks for another pace. False: not now. */
bool host_set_pace(struct host *host, uint16_t seconds);
void host_loop(struct host *host);

#endif
