/* SPDX-License-Identifier: MIT */
#include "application.h"

#include <stdio.h>

#include "zeugma/clock.h"

struct gauge_device node;

static const struct zg_port *board;
static uint32_t next_us;
static uint16_t number;

uint16_t measure_pressure(void)
{
    static uint16_t value = 1000;

    return value = (uint16_t)(value < 1100 ? value + 3 : 1000);
}

void switch_lamp(bool on)
{
    printf("the lamp is %s\n", on ? "on" : "off");
    (void)fflush(stdout);
}

static void on_lamp(void *context, const struct gauge_lamp *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    switch_lamp(message->on);
}

static const struct gauge_device_handlers handlers = { .lamp = on_lamp };

void application_begin(const struct zg_port *port)
{
    board = port;
    (void)gauge_device_init(&node, port, NULL, &handlers, NULL);
    node.variables.interval.value = 100;
    next_us = port->now_us(NULL);
}

void application_loop(void)
{
    gauge_device_poll(&node);
    if (zg_clock_reached(board->now_us(NULL), next_us)) {
        const struct gauge_reading reading = { .number = ++number, .pressure = measure_pressure() };
        next_us += node.variables.interval.value * UINT32_C(1000);
        (void)gauge_device_send_reading(&node, &reading); /* an error: the line is full, this reading is lost */
    }
}
