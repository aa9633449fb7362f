/* SPDX-License-Identifier: MIT */
/* A device that sends and receives two messages, with more and more services, to find the size of each. TAKES and SENDS
 * say in which direction `block` goes; TICKETS, that it is acknowledged. */
#include "duplex_device.h"

static volatile uint8_t byte;
static struct duplex_device device;
static struct duplex_block block;
static struct duplex_note note;
static const struct zg_port port;

static void on_note(void *context, const struct duplex_note *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    note = *message;
}

#if TAKES
static void on_block(void *context, const struct duplex_block *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    block = *message;
}
#endif

#if TICKETS && SENDS
static void on_settled(void *context, const struct duplex_block *message, enum zg_settled how)
{
    (void)context;
    (void)message;
    byte = (uint8_t)how;
}
#endif

int main(void)
{
    static const struct duplex_device_handlers handlers = {
        .note = on_note,
#if TAKES
        .block = on_block,
#endif
#if TICKETS && SENDS
        .block_settled = on_settled,
#endif
    };
    uint8_t next = 0;

    if (duplex_device_init(&device, &port, 0, &handlers, 0) != 0)
        return 1;
    for (;;) {
        duplex_device_receive_isr(&device, byte, byte);
        if (duplex_device_transmit_isr(&device, &next))
            byte = next;
        duplex_device_poll(&device);
        (void)duplex_device_send_note(&device, &note);
#if SENDS
        (void)duplex_device_send_block(&device, &block);
#endif
    }
}
