/* SPDX-License-Identifier: MIT */
/* A striker: sends only when it is asked. */
#include "device.h"

static void on_strike(void *context, const struct carillon_strike *strike, const struct zg_frame *frame)
{
    (void)strike;
    (void)frame;
    ((struct device *)context)->strikes++;
}

static void on_stroke(void *context, const struct carillon_stroke *stroke, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)frame;
    device->strokes = (uint16_t)(device->strokes + (stroke->bells >> (device->node.link.address - 1) & 1U));
}

static void on_ask_bell(void *context, const struct carillon_ask_bell *ask, const struct zg_frame *frame)
{
    struct device *device = context;
    const struct carillon_bell bell = { (uint16_t)(device->strikes + device->strokes), CARILLON_CLAPPER_READY, 71 };
    (void)ask;
    (void)carillon_device_send_bell(&device->node, &bell, frame->header.ticket);
}

static const struct carillon_device_handlers handlers = { .strike = on_strike,
                                                          .stroke = on_stroke,
                                                          .ask_bell = on_ask_bell };

int device_begin(struct device *device, uint8_t address, const struct zg_port *port, void *port_context)
{
    device->strikes = device->strokes = 0;
    int error = carillon_device_init(&device->node, port, port_context, &handlers, device);
    carillon_device_set_address(&device->node, address);
    return error;
}

void device_loop(struct device *device)
{
    carillon_device_poll(&device->node);
}
