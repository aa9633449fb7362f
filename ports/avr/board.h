/* SPDX-License-Identifier: MIT */
/*
 * The board: an ATmega328P at 16 MHz, with its USART 0 and timer 1 (ATmega328P data sheet, "USART0", "16-bit
 * Timer/Counter1 with PWM"). One UART, one node. Built with -fshort-enums, as is usual for it.
 */
#ifndef ZEUGMA_AVR_BOARD_H
#define ZEUGMA_AVR_BOARD_H

#include <avr/interrupt.h>
#include <avr/io.h>

#include "zeugma/link.h"

extern const struct zg_port zg_board_port; /* its context is NULL */

/* Starts clock, UART and interrupts. Call it after the node's init function. */
void zg_board_begin(uint32_t baud);

/* The UART's error flags, in the bits that the link expects. */
enum { ZGI_FLAGS = _BV(FE0) | _BV(DOR0) | _BV(UPE0) };

static inline uint8_t zgi_line_errors(uint8_t flags, uint8_t byte)
{
    uint8_t errors = 0;

    if ((flags & _BV(FE0)) != 0)
        errors = byte == 0 ? (uint8_t)ZG_LINE_FRAMING | (uint8_t)ZG_LINE_BREAK : (uint8_t)ZG_LINE_FRAMING;
    if ((flags & _BV(DOR0)) != 0)
        errors |= ZG_LINE_OVERRUN;
    if ((flags & _BV(UPE0)) != 0)
        errors |= ZG_LINE_PARITY;
    return errors;
}

/* Defines the UART's interrupts for a static node, `type` being its type: ZG_BOARD_UART(loom_device, device). With
 * ZG_AVR_FAST_UART defined they are those of fast_uart.h. The UART shows a byte's error flags until the byte is read,
 * so they are read first; if none is set, the usual case, they cost nothing. */
#ifdef ZG_AVR_FAST_UART
#include "fast_uart.h"
#define ZG_BOARD_UART(type, node) ZG_BOARD_FAST_UART(type, node)
#else
#define ZG_BOARD_UART(type, node)                                                                                      \
    ISR(USART_RX_vect)                                                                                                 \
    {                                                                                                                  \
        uint8_t flags = UCSR0A;                                                                                        \
        uint8_t byte = UDR0;                                                                                           \
        if (__builtin_expect((flags & ZGI_FLAGS) == 0, 1))                                                             \
            type##_receive_isr(&(node), byte, 0);                                                                      \
        else                                                                                                           \
            type##_receive_isr(&(node), byte, zgi_line_errors(flags, byte));                                           \
    }                                                                                                                  \
    ISR(USART_UDRE_vect)                                                                                               \
    {                                                                                                                  \
        uint8_t byte;                                                                                                  \
        if (type##_transmit_isr(&(node), &byte))                                                                       \
            UDR0 = byte;                                                                                               \
        else                                                                                                           \
            UCSR0B = _BV(RXCIE0) | _BV(RXEN0) | _BV(TXEN0);                                                            \
    }

#endif

#endif
