/* SPDX-License-Identifier: MIT */
/* The device of behaviour/loom.yaml for a host in another language. Each line on standard input is a turn of its loop:
 * the time in us, the bytes received as hex or "-", and what else happens: restart, pick N, stop N, tension N, print
 * TEXT. Each line printed is what it sends, as hex or "-", and what its handlers saw. */
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "loom_device.h"

static struct loom_device device;
static uint32_t clock_us;
static char told[4096];

static uint32_t now_us(void *context)
{
    (void)context;
    return clock_us;
}

static void start_transmit(void *context)
{
    (void)context;
}

static uint16_t boot_number(void *context)
{
    static uint16_t starts;
    (void)context;
    return (uint16_t)(++starts * 1000);
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number };

static void tell(const char *what, unsigned number)
{
    size_t size = strlen(told);
    snprintf(told + size, sizeof told - size, " %s=%u", what, number);
}

static void on_speed(void *context, const struct loom_set_speed *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    tell("speed", message->picks_per_min);
}

static void on_wind(void *context, const struct loom_wind *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    tell("wind", message->turn);
}

static void on_row(void *context, const struct loom_load_row *message, const struct zg_frame *frame)
{
    struct loom_row_taken taken = { 0 };
    (void)context;
    taken.row = message->row;
    taken.room = message->lifts_count;
    tell("row", message->row);
    (void)loom_device_send_row_taken(&device, &taken, frame->header.ticket);
}

static void on_console(void *context, const struct loom_console *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    tell("console", message->text_count);
}

static void on_stopped_settled(void *context, const struct loom_stopped *message, enum zg_settled how)
{
    (void)context;
    (void)message;
    tell("stopped", how);
}

static void on_written(void *context, uint8_t index)
{
    (void)context;
    tell("written", index);
}

static void begin(void)
{
    static struct loom_device_handlers handlers;

    handlers.set_speed = on_speed;
    handlers.wind = on_wind;
    handlers.load_row = on_row;
    handlers.console = on_console;
    handlers.stopped_settled = on_stopped_settled;
    handlers.variable_written = on_written;
    (void)loom_device_init(&device, &port, NULL, &handlers, NULL);
    memcpy(device.variables.title.value, "pick", 4);
    device.variables.title.value_count = 4;
}

static void receive(const char *hex)
{
    unsigned byte;

    for (; sscanf(hex, "%2x", &byte) == 1 && hex[0] != '-'; hex += 2)
        loom_device_receive_isr(&device, (uint8_t)byte, 0);
}

static void act(const char *what, const char *argument)
{
    const unsigned number = (unsigned)strtoul(argument, NULL, 10);
    const struct loom_pick pick = { number };
    const struct loom_stopped stopped = { number };

    if (strcmp(what, "restart") == 0)
        begin();
    else if (strcmp(what, "pick") == 0)
        (void)loom_device_send_pick(&device, &pick);
    else if (strcmp(what, "stop") == 0)
        tell("kept", loom_device_send_stopped(&device, &stopped) == 0);
    else if (strcmp(what, "tension") == 0)
        device.variables.target_tension.value = (int16_t)number;
    else if (strcmp(what, "print") == 0)
        (void)loom_device_print(&device, argument, strlen(argument));
}

int main(void)
{
    static char line[4096], hex[4096];
    char what[20], argument[80];
    uint8_t byte;

    begin();
    while (fgets(line, sizeof line, stdin)) {
        told[0] = what[0] = argument[0] = '\0';
        if (sscanf(line, "%" SCNu32 " %4095s %19s %79s", &clock_us, hex, what, argument) < 2)
            return 1;
        receive(hex);
        act(what, argument);
        loom_device_poll(&device);
        if (!loom_device_transmit_isr(&device, &byte))
            putchar('-');
        else
            do
                printf("%02x", byte);
            while (loom_device_transmit_isr(&device, &byte));
        printf("%s tension=%d\n", told, device.variables.target_tension.value);
        fflush(stdout);
    }
    return 0;
}
