/* SPDX-License-Identifier: MIT */
/* What the device does, however it meets its UART. */
#ifndef ZEUGMA_EXAMPLE_APPLICATION_H
#define ZEUGMA_EXAMPLE_APPLICATION_H

#include "gauge_device.h"

extern struct gauge_device node;

/* Before the interrupts are enabled. */
void application_begin(const struct zg_port *port);

/* Once each time round the loop: calls the handlers, and sends a reading when one is due. */
void application_loop(void);

/* The sensor, 0.1 kPa; the alarm lamp. */
uint16_t measure_pressure(void);
void switch_lamp(bool on);

#endif
