/* SPDX-License-Identifier: MIT */
/* Counts instructions on the emulated Cortex-M3: with -icount shift=0 an instruction takes a nanosecond; SysTick counts
 * 25 a microsecond, so in steps of 40. A block is sent, and its bytes come back through the receive interrupt's
 * function. Prints one JSON object on the UART, and stops in a loop. */
#include "board.h"
#include "duplex_device.h"

enum { BLOCKS = 400, STEP = 40, WRAP = 1 << 24 };

#define SYSTICK ((volatile uint32_t *)0xE000E010)

static struct duplex_device device;
static struct duplex_block block;
static uint32_t taken;

ZG_BOARD_UART(duplex_device, device)

static void on_block(void *context, const struct duplex_block *message, const struct zg_frame *frame)
{
    (void)context;
    (void)message;
    (void)frame;
    taken++;
}

static uint32_t now(void)
{
    return SYSTICK[2];
}

static uint32_t now_us(void *context)
{
    (void)context;
    return now() / 25;
}

static void start_transmit(void *context)
{
    (void)context;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit };

static void print(const char *text)
{
    for (; *text != 0; text++) {
        while ((ZGI_UART->state & ZGI_UART_TX_FULL) != 0)
            ;
        ZGI_UART->data = (uint8_t)*text;
    }
}

/* A number given in hundredths. */
static void print_figure(const char *name, uint32_t hundredths)
{
    char digits[16];
    unsigned at = sizeof digits;

    digits[--at] = 0;
    for (unsigned i = 0; i < 3 || hundredths > 0; i++) {
        if (i == 2)
            digits[--at] = '.';
        digits[--at] = (char)('0' + hundredths % 10);
        hundredths /= 10;
    }
    print(name);
    print(digits + at);
}

/* The time of each function in ticks, and the longest poll. */
static uint32_t send, poll, receive, transmit, longest, bytes;

static uint32_t since(uint32_t then)
{
    return (then - now()) & (WRAP - 1);
}

__attribute__((noinline)) static void run_block(uint32_t number)
{
    uint8_t wire[64];
    unsigned count = 0;
    uint32_t then;

    for (unsigned i = 0; i < sizeof block.data; i++)
        block.data[i] = (uint8_t)(number * 151 + i * 37 + 1);
    block.taken = number;
    then = now();
    (void)duplex_device_send_block(&device, &block);
    send += since(then);
    then = now();
    while (duplex_device_transmit_isr(&device, &wire[count]))
        count++;
    transmit += since(then);
    then = now();
    for (unsigned i = 0; i < count; i++)
        duplex_device_receive_isr(&device, wire[i], 0);
    receive += since(then);
    then = now();
    duplex_device_poll(&device);
    uint32_t took = since(then);
    poll += took;
    longest = took > longest ? took : longest;
    bytes += count;
}

static uint32_t a_byte(uint32_t ticks)
{
    return (uint32_t)((uint64_t)ticks * STEP * 100 / bytes);
}

int main(void)
{
    static const struct duplex_device_handlers handlers = { on_block };

    ZGI_UART->divisor = 16;
    ZGI_UART->control = 1;
    SYSTICK[1] = WRAP - 1;
    SYSTICK[0] = 5;
    if (duplex_device_init(&device, &port, 0, &handlers, 0) != 0)
        print("not initialised\n");
    for (uint32_t i = 0; i < BLOCKS; i++)
        run_block(i);
    if (taken != BLOCKS)
        print("blocks were lost\n");
    print_figure("{\"poll_a_byte\": ", a_byte(poll));
    print_figure(", \"send_a_byte\": ", a_byte(send));
    print_figure(", \"receive_isr_a_byte\": ", a_byte(receive));
    print_figure(", \"transmit_isr_a_byte\": ", a_byte(transmit));
    print_figure(", \"longest_poll\": ", longest * STEP * 100);
    print("}\n");
    for (;;)
        ;
}
