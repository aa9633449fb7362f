/* SPDX-License-Identifier: MIT */
/* A circular DMA receives, another DMA sends from the transmit ring: two or three interrupts a frame, not one a byte.
 */
#include "application.h"
#include "uart.h"

static uint8_t circular[64];
static size_t passed; /* up to here, bytes were passed to the node */

/* Passes what came to the node, in two pieces where the buffer begins again. Called by all three interrupts, of one
 * priority: half full and full, so that nothing is overwritten, and idle, so that the last bytes of a frame don't wait.
 */
static void pass_received(void)
{
    const size_t written = (sizeof circular - uart_receive_left()) % sizeof circular;

    if (written < passed) {
        gauge_device_receive(&node, circular + passed, sizeof circular - passed);
        passed = 0;
    }
    gauge_device_receive(&node, circular + passed, written - passed);
    passed = written;
}

static size_t sending; /* bytes that the DMA is busy with; 0: it is idle */

static void send_next(void)
{
    const uint8_t *first;

    sending = gauge_device_transmit_span(&node, &first);
    if (sending > 0)
        uart_send_from(first, sending);
}

static void on_dma_sent(void)
{
    gauge_device_transmitted(&node, sending); /* their place in the ring is free now */
    send_next();
}

/* Called after each frame; on a chip, with the DMA's interrupt disabled. */
static void start_transmit(void *context)
{
    (void)context;
    if (sending == 0)
        send_next();
}

static const struct zg_port port = { .now_us = uart_now_us,
                                     .start_transmit = start_transmit,
                                     .boot_number = uart_boot_number };

int main(int argc, char **argv)
{
    uart_begin(argc > 1 ? argv[1] : "gauge.tty");
    application_begin(&port);
    uart_interrupts.dma_received = uart_interrupts.line_is_idle = pass_received;
    uart_interrupts.dma_sent = on_dma_sent;
    uart_receive_into(circular, sizeof circular);
    for (;;) {
        application_loop();
        uart_wait();
    }
}
