/* SPDX-License-Identifier: MIT */
/* Nodes of a protocol `p` with one message `m`. `relay send`: payloads in hex, one on each line, become frames, also
 * lines of hex. `relay receive`: bytes arrive in pieces, then silence; prints the numbers of the messages, then the
 * counters. */
#include <stdio.h>
#include <string.h>

#include "p_device.h"
#include "p_host.h"

static uint32_t clock_us;

static uint32_t now_us(void *context)
{
    (void)context;
    return clock_us;
}

static void start_transmit(void *context)
{
    (void)context;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit };

static void on_m(void *context, const struct p_m *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    printf("%lu ", (unsigned long)message->n);
}

static int send_all(void)
{
    static struct p_device device;
    struct p_device_handlers handlers = { 0 };
    char line[1000];

    if (p_device_init(&device, &port, NULL, &handlers, NULL) != 0)
        return 1;
    while (fgets(line, sizeof line, stdin)) {
        uint8_t payload[100], byte;
        size_t length = 0, ignored;
        unsigned value;
        struct p_m message = { 0 };
        for (; sscanf(line + 2 * length, "%2x", &value) == 1; length++)
            payload[length] = (uint8_t)value;
        if (p_m_unpack(&message, payload, length, &ignored) != 0 || ignored > 0 ||
            p_device_send_m(&device, &message) != 0)
            return 1;
        while (zg_link_transmit_isr(&device.link, &byte))
            printf("%02x", byte);
        printf("\n");
        p_device_poll(&device);
        clock_us += 100000;
    }
    return 0;
}

static int receive_all(void)
{
    static struct p_host host;
    struct p_host_handlers handlers = { 0 };
    int byte;
    unsigned count = 0, due = 1;

    handlers.m = on_m;
    if (p_host_init(&host, &port, NULL, &handlers, NULL) != 0)
        return 1;
    while ((byte = getchar()) != EOF) {
        zg_link_receive_isr(&host.link, (uint8_t)byte, 0);
        if (++count == due) { /* pieces of 1 to 97 bytes, if there is room */
            p_host_poll(&host);
            due = 1 + (due * 7 + 3) % (P_HOST_RECEIVE_RING < 98 ? P_HOST_RECEIVE_RING - 1 : 97);
            count = 0;
        }
    }
    p_host_poll(&host);
    clock_us += 100000;
    p_host_poll(&host);
    printf("\n");
    for (unsigned i = 0; i < ZG_COUNTERS; i++)
        printf("%s=%lu ", zg_counter_names[i], (unsigned long)zg_counters_get(&host.link.counters, i));
    printf("\n");
    return 0;
}

int main(int argc, char **argv)
{
    return argc > 1 && strcmp(argv[1], "send") == 0 ? send_all() : receive_all();
}
