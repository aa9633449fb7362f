/* SPDX-License-Identifier: MIT */
/* The sluice: lets a boat through every four minutes, and prints its state every two seconds. */
#include "device.h"

#include <string.h>

#include "zeugma/clock.h"

static const uint32_t period_us = 2000000;
static const int32_t chamber = 1640; /* mm between the two levels */

enum { CYCLE = 120, OPENING = 40, OPEN = 60, CLOSING = 100 /* in periods */ };

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    memset(device, 0, sizeof *device);
    device->port = port;
    device->port_context = port_context;
    device->next_us = port->now_us(port_context) + period_us;
    return sluice_device_init(&device->node, port, port_context, NULL, NULL);
}

/* The gate moves by 160 mm in a period; the chamber fills while it is open. */
static void move(struct device *device)
{
    struct sluice_state *state = &device->state;
    const uint32_t at = device->blocks % CYCLE;

    state->motion = at < OPENING   ? SLUICE_MOTION_SHUT
                    : at < OPEN    ? SLUICE_MOTION_OPENING
                    : at < CLOSING ? SLUICE_MOTION_OPEN
                                   : SLUICE_MOTION_CLOSING;
    state->gate = (uint16_t)(at < OPENING   ? 0
                             : at < OPEN    ? 160 * (at - OPENING)
                             : at < CLOSING ? 3200
                                            : 160 * (CYCLE - at));
    state->upper = 3120 + (int32_t)(device->blocks % 7);
    state->lower = state->upper - (at < OPENING   ? chamber
                                   : at < CLOSING ? chamber * (int32_t)(CLOSING - at) / (CLOSING - OPENING)
                                                  : 0);
    state->faults = device->blocks % 500 > 460 ? SLUICE_FAULTS_ICE | SLUICE_FAULTS_ON_BATTERY : 0;
    state->has_wind = (state->faults & SLUICE_FAULTS_ICE) == 0;
    state->wind = (uint16_t)(40 + device->blocks * 7 % 50);
}

void device_loop(struct device *device)
{
    sluice_device_poll(&device->node);
    if (!zg_clock_reached(device->port->now_us(device->port_context), device->next_us))
        return;
    device->next_us += period_us;
    move(device);
    device->not_sent += sluice_device_send_state(&device->node, &device->state) != 0;
    device->blocks++;
}
