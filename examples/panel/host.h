/* SPDX-License-Identifier: MIT */
#ifndef PANEL_EXAMPLE_HOST_H
#define PANEL_EXAMPLE_HOST_H

#include "panel_host.h"

struct host {
    struct panel_host node;
    uint32_t asked, answered, given_up;
    uint32_t numbers, texts, refusals;
    uint32_t touch; /* the last one answered */
    bool is_touch;  /* whether the open request asks for that */
    char name[64];  /* of the stop last asked for */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

#endif
