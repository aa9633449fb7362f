/* SPDX-License-Identifier: MIT */
#ifndef CARILLON_EXAMPLE_HOST_H
#define CARILLON_EXAMPLE_HOST_H

#include "carillon_host.h"

enum { BELLS = 8, EVERYBODY = 15 };

struct bell {
    uint32_t strikes, struck, missed; /* sent; acknowledged; not acknowledged */
    uint32_t asked, answered;
    uint16_t blows; /* according to its last report */
    uint32_t downs, ups;
};

struct host {
    struct carillon_host node;
    const struct zg_port *port;
    void *port_context;
    uint32_t next_strike_us, next_stroke_us, next_ask_us;
    uint32_t strokes, strokes_late; /* sent; sent after waiting for the line */
    bool stroke_due;
    uint8_t melody;
    struct bell bells[BELLS];
};

int host_begin(struct host *host, const struct zg_port *port, void *port_context);
void host_loop(struct host *host);

#endif
