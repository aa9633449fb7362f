/* SPDX-License-Identifier: MIT */
/* The station on land: stores the readings, asks for the gauges' zeros, changes the interval. */
#include "host.h"

#include <string.h>

static void on_reading(void *context, const struct tide_mast_reading *reading, const struct zg_frame *frame)
{
    struct host *host = context;
    const uint8_t bit = (uint8_t)(1U << (reading->number & 7U));
    double height = tide_mast_reading_height_in_m(reading);
    (void)frame;
    host->readings++;
    host->twice += (host->seen[reading->number >> 3] & bit) != 0;
    host->seen[reading->number >> 3] |= bit;
    if (height > host->highest)
        host->highest = height;
}

static void on_gauge(void *context, const struct tide_mast_gauge *gauge, const struct zg_frame *frame)
{
    (void)gauge;
    (void)frame;
    ((struct host *)context)->gauges++;
}

static void on_gauge_settled(void *context, const struct tide_mast_ask_gauge *ask, enum zg_settled how)
{
    (void)ask;
    ((struct host *)context)->refused += how != ZG_DELIVERED;
}

static void on_interval_settled(void *context, const struct tide_mast_set_interval *message, enum zg_settled how)
{
    (void)message;
    ((struct host *)context)->refused += how != ZG_DELIVERED;
}

static void on_link(void *context, zg_header_number address, enum zg_link_event event)
{
    (void)address;
    ((struct host *)context)->downs += event == ZG_LINK_DOWN;
}

static const struct tide_mast_host_handlers handlers = { .reading = on_reading,
                                                         .gauge = on_gauge,
                                                         .ask_gauge_settled = on_gauge_settled,
                                                         .set_interval_settled = on_interval_settled,
                                                         .link_changed = on_link };

int host_begin(struct host *host, const struct zg_port *port, void *port_context)
{
    memset(host, 0, sizeof *host);
    return tide_mast_host_init(&host->node, port, port_context, &handlers, host);
}

void host_loop(struct host *host)
{
    tide_mast_host_poll(&host->node);
}

void host_ask(struct host *host, uint8_t which)
{
    const struct tide_mast_ask_gauge ask = { which };
    host->asked += tide_mast_host_send_ask_gauge(&host->node, &ask) == 0;
}

void host_change(struct host *host, uint8_t seconds)
{
    const struct tide_mast_set_interval message = { seconds };
    host->changed += tide_mast_host_send_set_interval(&host->node, &message) == 0;
}
