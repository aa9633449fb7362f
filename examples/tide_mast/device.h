/* SPDX-License-Identifier: MIT */
#ifndef TIDE_MAST_EXAMPLE_DEVICE_H
#define TIDE_MAST_EXAMPLE_DEVICE_H

#include "tide_mast_device.h"

struct device {
    struct tide_mast_device node;
    const struct zg_port *port;
    void *port_context;
    uint32_t next_us;
    uint32_t interval_us;
    uint16_t number;    /* of the next reading */
    uint32_t delivered; /* readings that the host acknowledged */
    uint32_t given_up;  /* readings that went unacknowledged */
    uint32_t not_sent;  /* readings that found the window full */
    int16_t height;     /* mm */
};

int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
