/* SPDX-License-Identifier: MIT */
#ifndef DOSING_EXAMPLE_HOST_H
#define DOSING_EXAMPLE_HOST_H

#include "dosing_host.h"

enum { PUMPS = 3 };

struct pump {
    uint32_t asked, answered, refused, given_up;
    uint16_t registers[8];
};

struct host {
    struct dosing_host node;
    struct pump pumps[PUMPS];
    unsigned turn; /* what is asked next */
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

#endif
