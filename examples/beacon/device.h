/* SPDX-License-Identifier: MIT */
#ifndef BEACON_EXAMPLE_DEVICE_H
#define BEACON_EXAMPLE_DEVICE_H

#include "beacon_device.h"

struct device {
    struct beacon_device node;
    const struct zg_port *port;
    void *port_context;
    uint32_t next_us;
    struct beacon_state state; /* as it was last told */
    uint32_t told, not_sent;
};

int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
