/* SPDX-License-Identifier: MIT */
#include "uart.h"

#include <signal.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "posix/channel.h"

struct uart_interrupts uart_interrupts;

static struct zg_channel channel;

/* A PC may stop a program for longer than a UART can wait. So that nothing is lost by it, a wait takes only so much,
 * and the other bytes wait in the terminal. */
static uint8_t received[24], to_send[256];
static size_t received_length, taken, to_send_length;

static uint8_t *circular;
static size_t circular_size, circular_at;
static bool is_dma_sending;
static volatile sig_atomic_t ends;

uint32_t uart_now_us(void *context)
{
    (void)context;
    return (uint32_t)(zg_channel_now_ns() / 1000);
}

uint16_t uart_boot_number(void *context)
{
    return (uint16_t)(uart_now_us(context) >> 4);
}

static void end(int signal)
{
    ends = signal;
}

void uart_begin(const char *path)
{
    const int error = zg_channel_open_pty(&channel, path);

    if (error) {
        (void)fprintf(stderr, "%s: %s\n", path, strerror(-error));
        exit(1);
    }
    (void)signal(SIGINT, end);
    (void)signal(SIGTERM, end);
}

unsigned uart_status(void)
{
    return (taken < received_length ? (unsigned)UART_RECEIVED : 0U) |
           (to_send_length < sizeof to_send ? (unsigned)UART_CAN_SEND : 0U);
}

uint8_t uart_read(void)
{
    return received[taken++];
}

void uart_write(uint8_t byte)
{
    to_send[to_send_length++] = byte;
}

void uart_receive_into(uint8_t *buffer, size_t size)
{
    circular = buffer;
    circular_size = size;
}

size_t uart_receive_left(void)
{
    return circular_size - circular_at;
}

void uart_send_from(const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++)
        uart_write(bytes[i]);
    is_dma_sending = true;
}

static void interrupt(void (*handler)(void))
{
    if (handler)
        handler();
}

static void send(void)
{
    while (uart_interrupts.can_send && (uart_status() & UART_CAN_SEND) != 0)
        uart_interrupts.can_send();
    do {
        (void)zg_channel_write(&channel, to_send, to_send_length); /* if nobody listens they are lost, as on a line */
        to_send_length = 0;
        if (!is_dma_sending)
            return;
        is_dma_sending = false;
        interrupt(uart_interrupts.dma_sent);
    } while (is_dma_sending);
}

static void receive_by_dma(void)
{
    while (taken < received_length) {
        circular[circular_at] = uart_read();
        circular_at = (circular_at + 1) % circular_size;
        if (circular_at % (circular_size / 2) == 0)
            interrupt(uart_interrupts.dma_received);
    }
}

void uart_wait(void)
{
    if (ends) {
        zg_channel_close(&channel); /* removes the path */
        _Exit(0);
    }
    send();
    if (taken == received_length) {
        zg_channel_wait(&channel, false, -1, 1000000);
        const long count = zg_channel_read(&channel, received, sizeof received);
        received_length = count > 0 ? (size_t)count : 0;
        taken = 0;
    }
    const bool came = taken < received_length;
    if (circular)
        receive_by_dma();
    while (uart_interrupts.received && taken < received_length)
        uart_interrupts.received();
    if (came)
        interrupt(uart_interrupts.line_is_idle);
}
