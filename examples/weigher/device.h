/* SPDX-License-Identifier: MIT */
#ifndef WEIGHER_EXAMPLE_DEVICE_H
#define WEIGHER_EXAMPLE_DEVICE_H

#include "weigher_device.h"

struct device {
    struct weigher_device node;
    const struct zg_port *port;
    void *port_context;
    uint32_t next_us;
    int32_t tare;                /* 0.01 kg */
    struct weigher_weight shown; /* the last that was sent */
    uint16_t batches;
    uint32_t weights, tares, zeros, not_sent;
};

int device_begin(struct device *device, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
