/* SPDX-License-Identifier: MIT */
/* The harbour's end: takes the reports, and sets their pace. */
#include "host.h"

#include <string.h>

static void on_sea(void *context, const struct buoy_sea *message, const struct zg_frame *frame)
{
    struct host *host = context;
    host->reports++;
    host->last = *message;
    host->arrival = frame->arrival;
}

static void on_pace_settled(void *context, const struct buoy_pace *message, enum zg_settled how)
{
    struct host *host = context;
    (void)message;
    host->settled += how == ZG_DELIVERED;
    host->given_up += how != ZG_DELIVERED;
}

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    static const struct buoy_host_handlers handlers = { .sea = on_sea, .pace_settled = on_pace_settled };

    memset(host, 0, sizeof *host);
    return buoy_host_init(&host->node, port, port_context, &handlers, host);
}

bool host_set_pace(struct host *host, uint16_t seconds)
{
    const struct buoy_pace pace = { .seconds = seconds };
    return buoy_host_send_pace(&host->node, &pace) == 0;
}

void host_loop(struct host *host)
{
    buoy_host_poll(&host->node);
}
