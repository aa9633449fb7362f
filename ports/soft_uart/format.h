/* SPDX-License-Identifier: MIT */
/* Characters of an asynchronous line as bits: start bit, data, parity and stop bits. Freestanding; no state. */
#ifndef ZEUGMA_SOFT_UART_FORMAT_H
#define ZEUGMA_SOFT_UART_FORMAT_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

struct zg_uart_format {
    uint8_t data_bits;  /* 4 to 8 */
    char parity;        /* N E O M S: none, even, odd, mark, space */
    uint8_t half_stops; /* stop bits, doubled: 2 to 4 */
    bool msb_first;
    bool idle_low;      /* the line is inverted */
    bool stop_opposite; /* stop bits have the level that is not the idle one; a bit of that follows them */
};

/* Bits in front of the stop bits. */
static inline uint8_t zg_uart_before_stop(const struct zg_uart_format *format)
{
    return (uint8_t)(1U + format->data_bits + (format->parity != 'N' ? 1U : 0U));
}

/* Half bits from the start bit to where the next one may begin. */
static inline uint8_t zg_uart_half_bits(const struct zg_uart_format *format)
{
    return (uint8_t)(2U * zg_uart_before_stop(format) + format->half_stops + (format->stop_opposite ? 2U : 0U));
}

/* A character's bits up to its first stop bit, in the order of sending from bit 0 on; set where the line has the level
 * that is not the idle one. */
uint16_t zg_uart_bits(const struct zg_uart_format *format, uint8_t value);

/* The value of such bits as they were read. `errors`: of enum zg_line_error, or'd: framing for a wrong stop bit,
 * parity; where no bit has the idle level a break as well. */
uint8_t zg_uart_value(const struct zg_uart_format *format, uint16_t bits, uint8_t *errors);

#ifdef __cplusplus
}
#endif

#endif
