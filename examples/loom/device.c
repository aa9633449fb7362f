/* SPDX-License-Identifier: MIT */
/* The loom's head: a pick every 80 ms, a stop every 250 picks, a reply to each load_row. It announces itself on the
 * console, and weaves at the tension that it is told to. The same file runs on any port. */
#include "device.h"

#include <string.h>

#include "zeugma/clock.h"

enum { PICK_US = 80000, STOP_US = 2000000, PICKS_TO_STOP = 250 };

static void on_load_row(void *context, const struct loom_load_row *row, const struct zg_frame *frame)
{
    struct device *device = context;
    const struct loom_row_taken taken = { row->row, 16 };
    device->node.variables.rows_woven.value++;
    device->send_failures += loom_device_send_row_taken(&device->node, &taken, frame->header.ticket) != 0;
}

static void on_set_speed(void *context, const struct loom_set_speed *speed, const struct zg_frame *frame)
{
    struct device *device = context;
    (void)frame;
    device->pick.locked = speed->picks_per_min == 0;
}

static void on_stop_settled(void *context, const struct loom_stop *stop, enum zg_settled how)
{
    struct device *device = context;
    (void)stop;
    device->stops_told += how == ZG_DELIVERED;
}

static void on_link(void *context, zg_header_number address, enum zg_link_event event)
{
    static const char hello[] = "loom head, 16 shafts\r\n";
    struct device *device = context;
    (void)address;
    if (event == ZG_LINK_MET || event == ZG_LINK_RESTARTED)
        (void)loom_device_print(&device->node, hello, strlen(hello));
}

static const struct loom_device_handlers handlers = {
    .load_row = on_load_row, .set_speed = on_set_speed, .stop_settled = on_stop_settled, .link_changed = on_link
};

int device_begin(struct device *device, const struct zg_port *port, void *port_context)
{
    *device = (struct device){ .port = port, .port_context = port_context };
    int error = loom_device_init(&device->node, port, port_context, &handlers, device);
    device->node.variables.target_tension.value = 1200; /* 12.00 N */
    device->pick = (struct loom_pick){ .state = LOOM_HEAD_STATE_WEAVING, .drive_temp = 61, .sag = 0.25F };
    device->next_pick_us = port->now_us(port_context) + PICK_US;
    return error;
}

static void weave(struct device *device)
{
    struct loom_pick *pick = &device->pick;

    pick->number++;
    pick->tension =
        (int16_t)(device->node.variables.target_tension.value + (int16_t)(pick->number % 37)); /* plus a little */
    device->send_failures += loom_device_send_pick(&device->node, pick) != 0;
    device->next_pick_us += PICK_US;
    if (pick->number % PICKS_TO_STOP == 0) {
        const struct loom_stop stop = { pick->number, LOOM_STOP_CAUSE_WEFT_BREAK };
        device->stops++;
        device->send_failures += loom_device_send_stop(&device->node, &stop) != 0;
        device->next_pick_us += STOP_US;
    }
}

void device_loop(struct device *device)
{
    loom_device_poll(&device->node);
    if (zg_clock_reached(device->port->now_us(device->port_context), device->next_pick_us))
        weave(device);
}
