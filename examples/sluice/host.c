/* SPDX-License-Identifier: MIT */
/* The lock-keeper's PC: only listens. */
#include "host.h"

#include <string.h>

static void on_state(void *context, const struct sluice_state *message, const struct zg_frame *frame)
{
    struct host *host = context;
    (void)frame;
    host->blocks++;
    host->last = *message;
    if (!message->has_wind)
        host->iced++;
    else if (sluice_state_wind_in_m_per_s(message) > host->highest)
        host->highest = sluice_state_wind_in_m_per_s(message);
}

static const struct sluice_host_handlers handlers = { .state = on_state };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    memset(host, 0, sizeof *host);
    return sluice_host_init(&host->node, port, port_context, &handlers, host);
}

void host_loop(struct host *host)
{
    sluice_host_poll(&host->node);
}
