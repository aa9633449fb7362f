/* SPDX-License-Identifier: MIT */
/* A UART with two DMAs, as a chip has them. Here it is on the PC: its line is a pseudo-terminal, which others open like
 * a serial port, and its interrupts come while the program waits for one. */
#ifndef ZEUGMA_EXAMPLE_UART_H
#define ZEUGMA_EXAMPLE_UART_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

enum uart_status {
    UART_RECEIVED = 1, /* a byte waits in the receive register */
    UART_CAN_SEND = 2  /* the transmit register is empty */
};

/* Begins, with the path of the pseudo-terminal; ends the program if it cannot. */
void uart_begin(const char *path);

/* Registers. */
unsigned uart_status(void);
uint8_t uart_read(void);
void uart_write(uint8_t byte);

/* A circular DMA from the receive register, and how many bytes it writes before it begins again at the front. */
void uart_receive_into(uint8_t *buffer, size_t size);
size_t uart_receive_left(void);

/* A DMA to the transmit register. The bytes must stay until it is done. */
void uart_send_from(const uint8_t *bytes, size_t count);

/* The interrupts. NULL: disabled. */
extern struct uart_interrupts {
    void (*received)(void);     /* a byte waits; with the DMA, not used */
    void (*can_send)(void);     /* again and again while it is enabled and the register is empty */
    void (*dma_received)(void); /* the DMA's buffer is half full, or full */
    void (*line_is_idle)(void); /* no byte followed the last one */
    void (*dma_sent)(void);     /* all bytes were sent */
} uart_interrupts;

/* Sleeps until the next interrupt, 1 ms at most. */
void uart_wait(void);

/* A free-running timer, and a number that differs at each start; both as a port wants them. */
uint32_t uart_now_us(void *context);
uint16_t uart_boot_number(void *context);

#ifdef __cplusplus
}
#endif

#endif
