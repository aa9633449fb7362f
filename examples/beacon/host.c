/* SPDX-License-Identifier: MIT */
/* The shore's end: only listens. After five seconds without a frame it no longer takes what it knows for valid. */
#include "host.h"

#include <string.h>

static void on_state(void *context, const struct beacon_state *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->last = *message;
    host->is_valid = true;
    host->states++;
}

static void on_change(void *context, zg_header_number address, enum zg_link_event event)
{
    struct host *host = context;
    (void)address;
    if (event != ZG_LINK_DOWN)
        return;
    host->is_valid = false;
    host->expired++;
}

static const struct beacon_host_handlers handlers = { .state = on_state, .link_changed = on_change };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    memset(host, 0, sizeof *host);
    return beacon_host_init(&host->node, port, port_context, &handlers, host);
}

void host_loop(struct host *host)
{
    beacon_host_poll(&host->node);
}
