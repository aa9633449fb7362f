/* SPDX-License-Identifier: MIT */
/* The board's side of the port test: the board's port, with a clock that can be set. Echo and counters are services. */
#include "device.h"

static uint32_t now_us(void *context)
{
    const struct device *device = context;
    return device->port->now_us(device->port_context) + device->ahead_us;
}

static void start_transmit(void *context)
{
    const struct device *device = context;
    device->port->start_transmit(device->port_context);
}

static void hold(void *context)
{
    const struct device *device = context;
    if (device->port->hold)
        device->port->hold(device->port_context);
}

static void release(void *context)
{
    const struct device *device = context;
    if (device->port->release)
        device->port->release(device->port_context);
}

static const struct zg_port port_with_clock = {
    .now_us = now_us, .start_transmit = start_transmit, .hold = hold, .release = release
};

static void on_set_clock(void *context, const struct port_test_set_clock *message, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)frame;
    device->ahead_us += message->us - now_us(device);
}

static void on_clock_request(void *context, const struct port_test_clock_request *message, const struct zg_frame *frame)
{
    struct device *device = context;
    const struct port_test_clock clock = { now_us(device) };
    (void)message;
    (void)frame;
    (void)port_test_device_send_clock(&device->node, &clock); /* the PC will ask again */
}

static void on_deafen(void *context, const struct port_test_deafen *message, const struct zg_frame *frame)
{
    (void)frame;
    hold(context);
    for (volatile uint32_t turns = message->turns; turns > 0; turns--)
        ;
    release(context);
}

static const struct port_test_device_handlers handlers = { .set_clock = on_set_clock,
                                                           .clock_request = on_clock_request,
                                                           .deafen = on_deafen };

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    device->port = port;
    device->port_context = port_context;
    device->ahead_us = 0;
    return port_test_device_init(&device->node, &port_with_clock, device, &handlers, device);
}

void device_loop(struct device *device)
{
    port_test_device_poll(&device->node);
}
