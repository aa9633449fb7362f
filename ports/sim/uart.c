/* SPDX-License-Identifier: MIT */
#include "sim/uart.h"

static void interrupt(struct zg_sim_uart *uart, struct zg_link *link, uint8_t byte, uint8_t errors)
{
    zg_link_receive_isr(link, byte, (uint8_t)(errors | (uart->flag ? ZG_LINE_OVERRUN : 0U)));
    uart->flag = false;
}

void zg_sim_uart_take(struct zg_sim_uart *uart, struct zg_link *link, uint8_t byte, uint8_t errors)
{
    if (!uart->masked) {
        interrupt(uart, link, byte, errors);
    } else if (uart->used < uart->depth) {
        uart->errors[uart->used] = errors;
        uart->bytes[uart->used++] = byte;
    } else {
        uart->flag = true;
        uart->overrun++;
    }
}

void zg_sim_uart_mask(struct zg_sim_uart *uart, struct zg_link *link, bool masked)
{
    uart->masked = masked;
    for (unsigned i = 0; i < uart->used && !masked; i++)
        interrupt(uart, link, uart->bytes[i], uart->errors[i]);
    if (!masked)
        uart->used = 0;
}
