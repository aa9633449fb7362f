/* SPDX-License-Identifier: MIT */
/* The weigher: shows its weight five times a second, and says what each batch weighed when the hopper is emptied. */
#include "device.h"

#include <string.h>

#include "zeugma/clock.h"

static const uint32_t period_us = 200000;
static const int32_t full = 5000, falling = 37, resting = 10; /* 0.01 kg, and periods */

static void on_tare(void *context, const struct weigher_tare *message, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)frame;
    device->tare = message->weight;
    device->tares++;
}

static void on_zero(void *context, const struct weigher_zero *message, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)message;
    (void)frame;
    device->tare = device->shown.gross;
    device->zeros++;
}

static const struct weigher_device_handlers handlers = { .tare = on_tare, .zero = on_zero };

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    memset(device, 0, sizeof *device);
    device->port = port;
    device->port_context = port_context;
    device->next_us = port->now_us(port_context) + period_us;
    return weigher_device_init(&device->node, port, port_context, &handlers, device);
}

static void send_batch(struct device *device)
{
    static const char sort[] = "\"late\" oats";
    struct weigher_batch batch = { .number = ++device->batches, .total = (uint32_t)device->shown.gross };

    batch.has_moisture = device->batches % 3 != 0; /* its probe is not always in the grain */
    batch.moisture = 27;
    batch.sort_count = (uint8_t)(sizeof sort - 1);
    memcpy(batch.sort, sort, sizeof sort);
    device->not_sent += weigher_device_send_batch(&device->node, &batch) != 0;
}

void device_loop(struct device *device)
{
    weigher_device_poll(&device->node);
    if (!zg_clock_reached(device->port->now_us(device->port_context), device->next_us))
        return;
    device->next_us += period_us;
    const int32_t phase = (int32_t)(device->weights++ % (uint32_t)(full / falling + resting));
    if (phase == 0 && device->weights > 1)
        send_batch(device);
    device->shown.gross = (phase < full / falling ? phase : full / falling) * falling - 4;
    device->shown.net = device->shown.gross - device->tare;
    device->shown.motion = phase < full / falling ? WEIGHER_MOTION_MOVING : WEIGHER_MOTION_STEADY;
    device->not_sent += weigher_device_send_weight(&device->node, &device->shown) != 0;
}
