/* SPDX-License-Identifier: MIT */
/* A host that chooses whom it sends to, on a line whose frames do not say from whom; and ends without handlers or
 * without a transmitter to start. */
#include <stdio.h>

#include "aimed_device.h"
#include "aimed_host.h"

static uint32_t now_us(void *context)
{
    (void)context;
    return 0;
}

static const struct zg_port port = { .now_us = now_us };

static struct aimed_host host;
static struct aimed_device devices[3];

static void on_lift(void *context, const struct aimed_lift *message, const struct zg_frame *frame)
{
    (void)frame;
    printf("device %u: %u\n", (unsigned)((struct aimed_device *)context)->link.address, message->n);
}

int main(void)
{
    static struct aimed_device_handlers handlers;
    uint8_t byte;

    handlers.lift = on_lift;
    (void)aimed_host_init(&host, &port, NULL, NULL, NULL);
    for (unsigned i = 0; i < 3; i++) {
        (void)aimed_device_init(&devices[i], &port, NULL, i < 2 ? &handlers : NULL, &devices[i]);
        aimed_device_set_address(&devices[i], (zg_header_number)(i + 1));
    }
    for (uint8_t i = 0; i < 4; i++) {
        const struct aimed_lift lift = { i };
        aimed_host_set_peer(&host, i < 3 ? i + 1U : 15);
        (void)aimed_host_send_lift(&host, &lift);
        while (aimed_host_transmit_isr(&host, &byte))
            for (unsigned k = 0; k < 3; k++)
                aimed_device_receive_isr(&devices[k], byte, 0);
        for (unsigned k = 0; k < 3; k++)
            aimed_device_poll(&devices[k]);
    }
    for (unsigned i = 0; i < 3; i++)
        printf("device %u: %u frames, %u not for it\n", i + 1, (unsigned)devices[i].link.counters.frames_in,
               (unsigned)devices[i].link.counters.not_for_us);
    return 0;
}
