/* SPDX-License-Identifier: MIT */
#ifndef BUOY_EXAMPLE_DEVICE_H
#define BUOY_EXAMPLE_DEVICE_H

#include "buoy_device.h"

struct device {
    struct buoy_device node;
    const struct zg_port *port;
    void *port_context;
    uint32_t next_us;
    uint16_t seconds;  /* between two reports */
    uint32_t reported; /* also reports that found the radio busy */
    uint32_t busy;
};

int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
