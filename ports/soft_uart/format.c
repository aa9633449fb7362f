/* SPDX-License-Identifier: MIT */
#include "soft_uart/format.h"

#include "zeugma/link.h"

static uint8_t turned(uint8_t value, uint8_t bits)
{
    uint8_t result = 0;

    for (uint8_t i = 0; i < bits; i++)
        result = (uint8_t)((unsigned)result << 1 | ((unsigned)value >> i & 1U));
    return result;
}

/* The level of the parity bit: whether it counts as a one. */
static bool parity_of(const struct zg_uart_format *format, uint8_t value)
{
    bool odd = format->parity == 'O';

    if (format->parity == 'M' || format->parity == 'S')
        return format->parity == 'M';
    for (; value != 0; value >>= 1)
        odd ^= (value & 1U) != 0;
    return odd;
}

/* Whether a character is what most are, 8N: small processors shift by constants quickly. */
static bool is_usual(const struct zg_uart_format *format)
{
    return format->data_bits == 8 && format->parity == 'N' && !format->msb_first && !format->stop_opposite;
}

/* A one is sent as the idle level. */
uint16_t zg_uart_bits(const struct zg_uart_format *format, uint8_t value)
{
    if (is_usual(format))
        return (uint16_t)((unsigned)(uint8_t)~value << 1 | 1U);
    const uint8_t data = (uint8_t)(value & (0xFFU >> (8U - format->data_bits)));
    const uint8_t sent = format->msb_first ? turned(data, format->data_bits) : data;
    uint16_t ones = (uint16_t)((uint16_t)sent << 1);
    uint8_t count = (uint8_t)(1U + format->data_bits);

    if (format->parity != 'N')
        ones = (uint16_t)(ones | (parity_of(format, data) ? 1U : 0U) << count++);
    if (!format->stop_opposite)
        ones = (uint16_t)(ones | 1U << count);
    count++;
    return (uint16_t)(~ones & ((1U << count) - 1U));
}

uint8_t zg_uart_value(const struct zg_uart_format *format, uint16_t bits, uint8_t *errors)
{
    if (is_usual(format) && (bits & 0x200U) == 0) {
        *errors = 0;
        return (uint8_t) ~(bits >> 1);
    }
    const uint8_t before = zg_uart_before_stop(format);
    const uint16_t all = (uint16_t)((2U << before) - 1U);
    const uint8_t sent = (uint8_t)((uint16_t)(~bits & all) >> 1 & (0xFFU >> (8U - format->data_bits)));
    const uint8_t value = format->msb_first ? turned(sent, format->data_bits) : sent;
    const bool stop_active = (bits >> before & 1U) != 0;

    *errors = 0;
    if (format->parity != 'N' && ((bits >> (before - 1U) & 1U) == 0) != parity_of(format, value))
        *errors |= ZG_LINE_PARITY;
    if (stop_active != format->stop_opposite)
        *errors |= ZG_LINE_FRAMING;
    if (bits == all && !format->stop_opposite)
        *errors = ZG_LINE_FRAMING | ZG_LINE_BREAK;
    return value;
}
