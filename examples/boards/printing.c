/* SPDX-License-Identifier: MIT */
/* printf() to the console: its text goes between the messages, in frames of its own, and `zeugma watch` shows it. */
#include <stdio.h>

#include "application.h"
#include "uart.h"

static void serve_uart(void)
{
    uint8_t byte;

    while ((uart_status() & UART_RECEIVED) != 0)
        gauge_device_receive_isr(&node, uart_read(), 0);
    while ((uart_status() & UART_CAN_SEND) != 0 && gauge_device_transmit_isr(&node, &byte))
        uart_write(byte);
}

/* Sends text, and waits while the transmit ring is full. Not from an interrupt. */
static void print(const char *text, size_t length)
{
    while (length > 0) {
        const size_t count = gauge_device_print(&node, text, length);
        text += count;
        length -= count;
        if (count == 0) {
            serve_uart();
            uart_wait();
        }
    }
}

/* The place where the C library writes. newlib calls _write(); avr-libc a function given to FDEV_SETUP_STREAM(); the
 * PC's library one given to fopencookie(). */
#if defined(__NEWLIB__)
int _write(int file, const char *text, int length);
int _write(int file, const char *text, int length)
{
    (void)file;
    print(text, (size_t)length);
    return length;
}
static void begin_printing(void)
{
}
#else
static ssize_t write_text(void *cookie, const char *text, size_t length)
{
    (void)cookie;
    print(text, length);
    return (ssize_t)length;
}
static void begin_printing(void)
{
    stdout = fopencookie(NULL, "w", (cookie_io_functions_t){ .write = write_text });
    (void)setvbuf(stdout, NULL, _IOLBF, 128); /* one write a line */
}
#endif

static const struct zg_port port = { .now_us = uart_now_us, .boot_number = uart_boot_number };

int main(int argc, char **argv)
{
    unsigned rounds = 0;

    uart_begin(argc > 1 ? argv[1] : "gauge.tty");
    application_begin(&port);
    begin_printing();
    for (;;) {
        serve_uart();
        application_loop();
        if (++rounds % 256 == 0)
            printf("round %u: the ring has dropped %u bytes so far\r\n", rounds,
                   (unsigned)node.link.counters.bytes_dropped);
        uart_wait();
    }
}
