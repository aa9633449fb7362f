/* SPDX-License-Identifier: MIT */
#ifndef WEIGHER_EXAMPLE_HOST_H
#define WEIGHER_EXAMPLE_HOST_H

#include "weigher_host.h"

struct host {
    struct weigher_host node;
    struct weigher_weight last;
    uint32_t weights, batches, dry; /* dry: batches without moisture */
    uint32_t contradictory;         /* weights whose net is not gross less the tare */
    int32_t tare;                   /* as last ordered, 0.01 kg */
    double total;                   /* of all batches, kg */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

/* Orders a tare. */
void host_tare(struct host *host, double kg);

#endif
