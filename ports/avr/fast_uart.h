/* SPDX-License-Identifier: MIT */
/*
 * The USART's interrupts by hand, for a static node: what the compiler makes of ZG_BOARD_UART() saves ten registers,
 * these save four, two of them in the general purpose I/O registers GPIOR1 and GPIOR2, which the program leaves to
 * them. Only the common case is here: with an error flag, a full or an empty ring they go on in the compiler's code,
 * with nothing read or changed yet.
 */
#ifndef ZEUGMA_AVR_FAST_UART_H
#define ZEUGMA_AVR_FAST_UART_H

#include "board.h"

/* In, with r24 and SREG saved; and out. */
#define ZGI_ENTER                                                                                                      \
    "out %[keep24], r24\n\t"                                                                                           \
    "in r24, __SREG__\n\t"                                                                                             \
    "out %[keep], r24\n\t"                                                                                             \
    "push r30\n\t"                                                                                                     \
    "push r31\n\t"
#define ZGI_LEAVE                                                                                                      \
    "pop r31\n\t"                                                                                                      \
    "pop r30\n\t"                                                                                                      \
    "in r24, %[keep]\n\t"                                                                                              \
    "out __SREG__, r24\n\t"                                                                                            \
    "in r24, %[keep24]\n\t"

/* Z: a byte's place in a ring's memory, from its index in r30. */
#define ZGI_PLACE                                                                                                      \
    "andi r30, %[mask]\n\t"                                                                                            \
    "ldi r31, 0\n\t"                                                                                                   \
    "subi r30, lo8(-(%[memory]))\n\t"                                                                                  \
    "sbci r31, hi8(-(%[memory]))\n\t"

#define ZG_BOARD_FAST_UART(type, node)                                                                                 \
    ISR(__vector_zgi_receive)                                                                                          \
    {                                                                                                                  \
        uint8_t flags = UCSR0A;                                                                                        \
        uint8_t byte = UDR0;                                                                                           \
        type##_receive_isr(&(node), byte, zgi_line_errors(flags, byte));                                               \
    }                                                                                                                  \
    ISR(__vector_zgi_transmit)                                                                                         \
    {                                                                                                                  \
        UCSR0B = _BV(RXCIE0) | _BV(RXEN0) | _BV(TXEN0);                                                                \
    }                                                                                                                  \
    ISR(USART_RX_vect, ISR_NAKED)                                                                                      \
    {                                                                                                                  \
        __asm volatile(ZGI_ENTER "lds r24, %[status]\n\t"                                                              \
                                 "andi r24, %[flags]\n\t"                                                              \
                                 "brne 1f\n\t"                                                                         \
                                 "lds r30, %[head]\n\t"                                                                \
                                 "lds r31, %[tail]\n\t"                                                                \
                                 "mov r24, r30\n\t"                                                                    \
                                 "sub r24, r31\n\t"                                                                    \
                                 "cpi r24, %[mask] + 1\n\t"                                                            \
                                 "brsh 1f\n\t"                                                                         \
                                 "mov r24, r30\n\t"                                                                    \
                                 "inc r24\n\t"                                                                         \
                                 "sts %[head], r24\n\t" ZGI_PLACE "lds r24, %[data]\n\t"                               \
                                 "st Z, r24\n\t" ZGI_LEAVE "reti\n\t"                                                  \
                                 "1:\n\t" ZGI_LEAVE "jmp __vector_zgi_receive"                                         \
                       :                                                                                               \
                       : [keep24] "I"(_SFR_IO_ADDR(GPIOR1)), [keep] "I"(_SFR_IO_ADDR(GPIOR2)),                         \
                         [status] "n"(_SFR_MEM_ADDR(UCSR0A)), [data] "n"(_SFR_MEM_ADDR(UDR0)), [flags] "n"(ZGI_FLAGS), \
                         [head] "i"(&(node).link.receive.head), [tail] "i"(&(node).link.receive.tail),                 \
                         [memory] "i"((node).receive), [mask] "n"(sizeof(node).receive - 1));                          \
    }                                                                                                                  \
    ISR(USART_UDRE_vect, ISR_NAKED)                                                                                    \
    {                                                                                                                  \
        __asm volatile(                                                                                                \
            ZGI_ENTER "lds r30, %[tail]\n\t"                                                                           \
                      "lds r24, %[head]\n\t"                                                                           \
                      "cp r24, r30\n\t"                                                                                \
                      "breq 1f\n\t"                                                                                    \
                      "mov r24, r30\n\t"                                                                               \
                      "inc r24\n\t"                                                                                    \
                      "sts %[tail], r24\n\t" ZGI_PLACE "ld r24, Z\n\t"                                                 \
                      "sts %[data], r24\n\t" ZGI_LEAVE "reti\n\t"                                                      \
                      "1:\n\t" ZGI_LEAVE "jmp __vector_zgi_transmit"                                                   \
            :                                                                                                          \
            : [keep24] "I"(_SFR_IO_ADDR(GPIOR1)), [keep] "I"(_SFR_IO_ADDR(GPIOR2)), [data] "n"(_SFR_MEM_ADDR(UDR0)),   \
              [head] "i"(&(node).link.transmit.head), [tail] "i"(&(node).link.transmit.tail),                          \
              [memory] "i"((node).transmit), [mask] "n"(sizeof(node).transmit - 1));                                   \
    }

#endif
