/* SPDX-License-Identifier: MIT */
/* A loop that polls the UART. It must come round before the UART's own buffer is full. */
#include "application.h"
#include "uart.h"

static const struct zg_port port = { .now_us = uart_now_us, .boot_number = uart_boot_number };

static void serve_uart(void)
{
    uint8_t byte;

    while ((uart_status() & UART_RECEIVED) != 0)
        gauge_device_receive_isr(&node, uart_read(), 0); /* with the errors flagged for it, see zg_line_error */
    while ((uart_status() & UART_CAN_SEND) != 0 && gauge_device_transmit_isr(&node, &byte))
        uart_write(byte);
}

int main(int argc, char **argv)
{
    uart_begin(argc > 1 ? argv[1] : "gauge.tty");
    application_begin(&port);
    for (;;) {
        serve_uart();
        application_loop();
        uart_wait(); /* only to save power */
    }
}
