/* SPDX-License-Identifier: MIT */
/*
 * The board: ARM's MPS2 with the Cortex-M3 image AN385 at 25 MHz, with its CMSDK UART 0 and SysTick (Application Note
 * AN385; Cortex-M System Design Kit Technical Reference Manual, "APB UART"). One UART, one node.
 */
#ifndef ZEUGMA_CORTEX_M3_BOARD_H
#define ZEUGMA_CORTEX_M3_BOARD_H

#include "zeugma/link.h"

enum {
    ZGI_UART_TX_FULL = 1, /* STATE */
    ZGI_UART_RX_OVERRUN = 8,
    ZGI_UART_TX_DONE = 1, /* INTCLEAR */
    ZGI_UART_RX_CAME = 2
};

struct zgi_uart {
    volatile uint32_t data, state, control, interrupt, divisor;
};

#define ZGI_UART ((struct zgi_uart *)0x40004000)

extern const struct zg_port zg_board_port; /* its context is NULL */

/* Starts clock, UART and interrupts. Call it after the node's init function. */
void zg_board_begin(uint32_t baud);

/* Defines the UART's interrupts for a static node, `type` being its type: ZG_BOARD_UART(loom_device, device). */
#define ZG_BOARD_UART(type, node)                                                                                      \
    void zg_board_receive_isr(void)                                                                                    \
    {                                                                                                                  \
        unsigned errors = (ZGI_UART->state & ZGI_UART_RX_OVERRUN) != 0 ? ZG_LINE_OVERRUN : 0U;                         \
        ZGI_UART->interrupt = ZGI_UART_RX_CAME;                                                                        \
        if (errors != 0)                                                                                               \
            ZGI_UART->state = ZGI_UART_RX_OVERRUN;                                                                     \
        type##_receive_isr(&(node), (uint8_t)ZGI_UART->data, errors);                                                  \
    }                                                                                                                  \
    void zg_board_transmit_isr(void)                                                                                   \
    {                                                                                                                  \
        uint8_t byte;                                                                                                  \
        ZGI_UART->interrupt = ZGI_UART_TX_DONE;                                                                        \
        if ((ZGI_UART->state & ZGI_UART_TX_FULL) == 0 && type##_transmit_isr(&(node), &byte))                          \
            ZGI_UART->data = byte;                                                                                     \
    }

void zg_board_receive_isr(void);
void zg_board_transmit_isr(void);

#endif
