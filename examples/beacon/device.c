/* SPDX-License-Identifier: MIT */
/* The beacon: tells its state every second, and hears nothing. */
#include "device.h"

#include <string.h>

#include "zeugma/clock.h"

static const uint32_t period_us = 1000000;

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    memset(device, 0, sizeof *device);
    device->port = port;
    device->port_context = port_context;
    device->next_us = port->now_us(port_context) + period_us;
    return beacon_device_init(&device->node, port, port_context, NULL, NULL);
}

/* An hour of dusk: the lamp comes on after ten minutes, and the battery runs down a little. */
static void look(struct device *device)
{
    struct beacon_state *state = &device->state;
    const uint32_t seconds = device->told;

    state->lamp = seconds < 600 ? BEACON_LAMP_DARK : seconds % 1800 < 1790 ? BEACON_LAMP_FLASHING : BEACON_LAMP_STEADY;
    state->faults = seconds > 2400 ? BEACON_FAULTS_PANEL_DIRTY : 0;
    state->battery = (uint16_t)(13200 - seconds / 6);
    state->lens = (int8_t)(24 - (int32_t)(seconds / 300));
}

void device_loop(struct device *device)
{
    beacon_device_poll(&device->node);
    if (!zg_clock_reached(device->port->now_us(device->port_context), device->next_us))
        return;
    device->next_us += period_us;
    look(device);
    device->not_sent += beacon_device_send_state(&device->node, &device->state) != 0;
    device->told++;
}
