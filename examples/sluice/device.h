/* SPDX-License-Identifier: MIT */
#ifndef SLUICE_EXAMPLE_DEVICE_H
#define SLUICE_EXAMPLE_DEVICE_H

#include "sluice_device.h"

struct device {
    struct sluice_device node;
    const struct zg_port *port;
    void *port_context;
    uint32_t next_us;
    struct sluice_state state; /* as it was last printed */
    uint32_t blocks, not_sent;
};

int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
