/* SPDX-License-Identifier: MIT */
/* The mast: sends a reading at an interval that the host may change, and counts what became of each. */
#include "device.h"

#include "zeugma/clock.h"

static void on_reading_settled(void *context, const struct tide_mast_reading *reading, enum zg_settled how)
{
    struct device *device = context;
    (void)reading;
    if (how == ZG_DELIVERED)
        device->delivered++;
    else
        device->given_up++; /* a real mast would keep it and send it later */
}

static void on_set_interval(void *context, const struct tide_mast_set_interval *message, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)frame;
    device->interval_us = message->seconds * UINT32_C(1000000);
}

static void on_ask_gauge(void *context, const struct tide_mast_ask_gauge *ask, const struct zg_frame *frame)
{
    struct device *device = context;
    const struct tide_mast_gauge gauge = { ask->which, (int16_t)(100 * ask->which) };
    (void)tide_mast_device_send_gauge(&device->node, &gauge, frame->header.ticket);
}

static const struct tide_mast_device_handlers handlers = { .reading_settled = on_reading_settled,
                                                           .set_interval = on_set_interval,
                                                           .ask_gauge = on_ask_gauge };

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    *device = (struct device){ .port = port, .port_context = port_context, .interval_us = 5000000 };
    device->next_us = port->now_us(port_context) + device->interval_us;
    return tide_mast_device_init(&device->node, port, port_context, &handlers, device);
}

void device_loop(struct device *device)
{
    tide_mast_device_poll(&device->node);
    if (!zg_clock_reached(device->port->now_us(device->port_context), device->next_us))
        return;
    device->next_us += device->interval_us;
    device->height = (int16_t)(device->height + (device->number % 700 < 350 ? 3 : -3)); /* the tide */
    const struct tide_mast_reading reading = { device->number++, device->height, 12, 124 };
    device->not_sent += tide_mast_device_send_reading(&device->node, &reading) != 0;
}
