/* SPDX-License-Identifier: MIT */
#ifndef PORT_TEST_EXAMPLE_DEVICE_H
#define PORT_TEST_EXAMPLE_DEVICE_H

#include "port_test_device.h"

struct device {
    struct port_test_device node;
    const struct zg_port *port; /* the board's */
    void *port_context;
    uint32_t ahead_us; /* of the board's clock */
};

/* As for any device: call device_begin() before interrupts are enabled, then device_loop() for ever. */
int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
