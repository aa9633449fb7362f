/* SPDX-License-Identifier: MIT */
#ifndef DOSING_EXAMPLE_DEVICE_H
#define DOSING_EXAMPLE_DEVICE_H

#include "dosing_device.h"

/* Its registers. */
enum { RATE, STROKES, PRESSURE, FAULTS, SETPOINT, LIMIT, REGISTERS };

/* What it answers once the silence before a frame is over. */
enum answer { ANSWER_NONE, ANSWER_REGISTERS, ANSWER_WRITTEN, ANSWER_ALL_WRITTEN, ANSWER_REFUSED };

struct device {
    struct dosing_device node;
    const struct zg_port *port;
    void *port_context;
    uint16_t registers[REGISTERS];
    uint32_t strokes_us;
    uint32_t reads, writes, refusals;
    enum answer answer;
    uint8_t refused; /* the request's id */
    dosing_fault why;
    uint16_t first, count;
};

int device_begin(struct device *device, uint8_t address, const struct zg_port *port, void *port_context);
void device_loop(struct device *device);

#endif
