/* SPDX-License-Identifier: MIT */
#ifndef PANEL_EXAMPLE_DEVICE_H
#define PANEL_EXAMPLE_DEVICE_H

#include "panel_device.h"

enum { PANEL_STOPS = 8 };

struct device {
    struct panel_device node;
    uint32_t touch; /* the keys held down, one bit each */
    uint32_t wind;  /* of the bellows, Pa */
    uint32_t drawn; /* the stops, one bit each */
    bool locked;
    uint32_t not_sent;
};

int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
