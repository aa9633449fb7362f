/* SPDX-License-Identifier: MIT */
#ifndef LOOM_EXAMPLE_DEVICE_H
#define LOOM_EXAMPLE_DEVICE_H

#include "loom_device.h"

struct device {
    struct loom_device node;
    const struct zg_port *port;
    void *port_context;
    struct loom_pick pick;
    uint32_t next_pick_us;
    uint32_t stops;
    uint32_t stops_told; /* acknowledged */
    uint32_t send_failures;
};

/* Call once, before interrupts are enabled; then device_loop() for ever. Bytes come in through
 * loom_device_receive_isr(&device->node, ...). */
int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
