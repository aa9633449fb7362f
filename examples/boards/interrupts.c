/* SPDX-License-Identifier: MIT */
/* Two interrupts pass bytes between the UART and the node's rings; the loop may take as long as the rings last. */
#include "application.h"
#include "uart.h"

static void on_received(void)
{
    gauge_device_receive_isr(&node, uart_read(), 0); /* with the errors flagged for it, see zg_line_error */
}

static void on_can_send(void)
{
    uint8_t byte;

    if (gauge_device_transmit_isr(&node, &byte))
        uart_write(byte);
    else
        uart_interrupts.can_send = NULL; /* nothing to send: off */
}

static void start_transmit(void *context)
{
    (void)context;
    uart_interrupts.can_send = on_can_send;
}

/* On a chip that takes several accesses for 32 bits, hold and release disable and enable the receive interrupt. */
static const struct zg_port port = { .now_us = uart_now_us,
                                     .start_transmit = start_transmit,
                                     .boot_number = uart_boot_number };

int main(int argc, char **argv)
{
    uart_begin(argc > 1 ? argv[1] : "gauge.tty");
    application_begin(&port);
    uart_interrupts.received = on_received;
    for (;;) {
        application_loop();
        uart_wait();
    }
}
