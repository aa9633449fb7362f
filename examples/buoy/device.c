/* SPDX-License-Identifier: MIT */
/* The buoy: reports the sea at the pace that was set. A report that finds the radio busy is left out. */
#include "device.h"

#include <string.h>

#include "zeugma/clock.h"

static void set_pace(struct device *device, uint16_t seconds)
{
    device->seconds = seconds;
    device->next_us = device->port->now_us(device->port_context) + seconds * UINT32_C(1000000);
}

static void on_pace(void *context, const struct buoy_pace *message, const struct zg_frame *frame)
{
    (void)frame;
    if (buoy_pace_check(message) == 0) /* what is received may be outside its range */
        set_pace(context, message->seconds);
}

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    static const struct buoy_device_handlers handlers = { .pace = on_pace };

    memset(device, 0, sizeof *device);
    device->port = port;
    device->port_context = port_context;
    set_pace(device, 5);
    return buoy_device_init(&device->node, port, port_context, &handlers, device);
}

/* A slow swell, and a battery that the sun charges. Raw values: 0.05 degC, 0.01 g/kg, 0.02 m, 0.5 s, 0.02 V over 8. */
static struct buoy_sea sea(uint32_t number)
{
    const uint16_t swell = (uint16_t)(number % 60 < 30 ? number % 60 : 60 - number % 60);
    const struct buoy_sea sea = { .water = (int16_t)(224 + swell / 4),
                                  .salinity = (uint16_t)(3480 + number % 11),
                                  .waves = (uint16_t)(40 + 2 * swell),
                                  .period = (uint8_t)(10 + swell / 5),
                                  .battery = (uint8_t)(200 + swell) };
    return sea;
}

void device_loop(struct device *device)
{
    buoy_device_poll(&device->node);
    if (!zg_clock_reached(device->port->now_us(device->port_context), device->next_us))
        return;
    const struct buoy_sea report = sea(device->reported++);
    device->next_us += device->seconds * UINT32_C(1000000);
    device->busy += buoy_device_send_sea(&device->node, &report) != 0;
}
