/* SPDX-License-Identifier: MIT */
/* The desk of an organ loft: answers each command with a number, a text or a trouble. */
#include "device.h"

#include <string.h>

static const char *const names[PANEL_STOPS] = { "Gedackt 8", "Prinzipal 8", "Oktave 4",   "Flöte 4",
                                                "Quinte 2⅔", "Mixtur",      "Trompete 8", "Tremulant" };

static void answer(struct device *device, uint32_t value)
{
    const struct panel_number number = { .value = value };
    device->not_sent += panel_device_send_number(&device->node, &number) != 0;
}

static void refuse(struct device *device, panel_trouble why)
{
    const struct panel_failed failed = { .trouble = why };
    device->not_sent += panel_device_send_failed(&device->node, &failed) != 0;
}

/* What is received may be outside its range: here a digit may be missing. */
static bool is_stop(uint8_t stop)
{
    return stop >= 1 && stop <= PANEL_STOPS;
}

static void on_wind(void *context, const struct panel_read_wind *message, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)message;
    (void)frame;
    answer(device, device->wind);
}

static void on_touch(void *context, const struct panel_read_touch *message, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)message;
    (void)frame;
    answer(device, device->touch);
}

static void on_stop(void *context, const struct panel_read_stop *message, const struct zg_frame *frame)
{
    struct device *device = context;
    struct panel_text text;
    (void)frame;
    if (!is_stop(message->stop)) {
        refuse(device, PANEL_TROUBLE_NO_SUCH_STOP);
        return;
    }
    text.text_count = (uint8_t)strlen(names[message->stop - 1]);
    memcpy(text.text, names[message->stop - 1], text.text_count);
    device->not_sent += panel_device_send_text(&device->node, &text) != 0;
}

/* Draws a stop, or pushes it back; the answer is those that are drawn now. */
static void on_pull(void *context, const struct panel_pull *message, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)frame;
    if (device->locked) {
        refuse(device, PANEL_TROUBLE_LOCKED);
    } else if (!is_stop(message->stop)) {
        refuse(device, PANEL_TROUBLE_NO_SUCH_STOP);
    } else {
        device->drawn ^= UINT32_C(1) << (message->stop - 1);
        answer(device, device->drawn);
    }
}

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    static const struct panel_device_handlers handlers = {
        .read_wind = on_wind, .read_stop = on_stop, .read_touch = on_touch, .pull = on_pull
    };

    memset(device, 0, sizeof *device);
    device->wind = 780;
    return panel_device_init(&device->node, port, port_context, &handlers, device);
}

void device_loop(struct device *device)
{
    panel_device_poll(&device->node);
}
