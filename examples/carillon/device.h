/* SPDX-License-Identifier: MIT */
#ifndef CARILLON_EXAMPLE_DEVICE_H
#define CARILLON_EXAMPLE_DEVICE_H

#include "carillon_device.h"

struct device {
    struct carillon_device node;
    uint16_t strikes; /* requested of this bell alone */
    uint16_t strokes; /* of chords that include it */
};

/* `address` is 1 to 8. */
int device_begin(struct device *device, uint8_t address, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
