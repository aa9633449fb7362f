/* SPDX-License-Identifier: MIT */
/*
 * The USART's interrupts in assembler, for a static node. The compiler's version of ZG_BOARD_UART() saves ten
 * registers; these save four, two of them in the general purpose I/O registers GPIOR1 and GPIOR2, which the program
 * must not use. With ZG_AVR_OWN_REGISTERS defined they save none: r2 to r5 are theirs, and all code, including linked
 * functions of the C library, must not use these (-ffixed-r2 to -ffixed-r5, and check_registers.sh). They handle the
 * common case only. With an error flag, or a full or empty ring, they continue in the compiler's code, with nothing
 * read or changed yet.
 */
#ifndef ZEUGMA_AVR_FAST_UART_H
#define ZEUGMA_AVR_FAST_UART_H

#include "board.h"

/* Entry, with SREG and r31:r30 saved and a third register to use; and exit. */
#ifdef ZG_AVR_OWN_REGISTERS
#define ZGI_ENTER                                                                                                      \
    "in r2, __SREG__\n\t"                                                                                              \
    "movw r4, r30\n\t"
#define ZGI_LEAVE                                                                                                      \
    "movw r30, r4\n\t"                                                                                                 \
    "out __SREG__, r2\n\t"
#define ZGI_THIRD "r3"
#else
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
#define ZGI_THIRD "r24"
#endif

/* Z: the place of a byte in a ring's memory, from its index in r30. */
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
        __asm volatile(ZGI_ENTER "lds r30, %[status]\n\t"                                                              \
                                 "andi r30, %[flags]\n\t"                                                              \
                                 "brne 1f\n\t"                                                                         \
                                 "lds r30, %[head]\n\t"                                                                \
                                 "lds r31, %[tail]\n\t"                                                                \
                                 "sub r31, r30\n\t"                                                                    \
                                 "cpi r31, lo8(-(%[mask] + 1))\n\t"                                                    \
                                 "breq 1f\n\t"                                                                         \
                                 "mov r31, r30\n\t"                                                                    \
                                 "inc r31\n\t"                                                                         \
                                 "sts %[head], r31\n\t" ZGI_PLACE "lds " ZGI_THIRD ", %[data]\n\t"                     \
                                 "st Z, " ZGI_THIRD "\n\t" ZGI_LEAVE "reti\n\t"                                        \
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
                      "lds r31, %[head]\n\t"                                                                           \
                      "cp r31, r30\n\t"                                                                                \
                      "breq 1f\n\t"                                                                                    \
                      "mov r31, r30\n\t"                                                                               \
                      "inc r31\n\t"                                                                                    \
                      "sts %[tail], r31\n\t" ZGI_PLACE "ld r30, Z\n\t"                                                 \
                      "sts %[data], r30\n\t" ZGI_LEAVE "reti\n\t"                                                      \
                      "1:\n\t" ZGI_LEAVE "jmp __vector_zgi_transmit"                                                   \
            :                                                                                                          \
            : [keep24] "I"(_SFR_IO_ADDR(GPIOR1)), [keep] "I"(_SFR_IO_ADDR(GPIOR2)), [data] "n"(_SFR_MEM_ADDR(UDR0)),   \
              [head] "i"(&(node).link.transmit.head), [tail] "i"(&(node).link.transmit.tail),                          \
              [memory] "i"((node).transmit), [mask] "n"(sizeof(node).transmit - 1));                                   \
    }

#endif
