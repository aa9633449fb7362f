/* SPDX-License-Identifier: MIT */
#include "soft_uart/soft_uart.h"

/* --- sending */

void zg_soft_uart_sender_init(struct zg_soft_uart_sender *sender, const struct zg_uart_format *format)
{
    sender->format = *format;
    sender->high = !format->idle_low;
    sender->bits = 0;
    sender->left = 0;
}

/* The next byte's bits, the first in bit 0, set where the line is not idle. */
bool zgi_soft_uart_load(struct zg_soft_uart_sender *sender, struct zg_link *link)
{
    const struct zg_uart_format *format = &sender->format;
    uint8_t byte;

    if (!zg_link_transmit_isr(link, &byte))
        return false;
    const uint8_t before = zg_uart_before_stop(format), stops = (uint8_t)((format->half_stops + 1U) / 2U);
    sender->bits = zg_uart_bits(format, byte);
    if (format->stop_opposite && stops > 1)
        sender->bits |= (uint16_t)(2U << before);
    sender->left = (uint8_t)((unsigned)before + stops + (format->stop_opposite ? 1U : 0U));
    return true;
}

/* --- receiving: what both ways share */

/* All bits are there. Returns whether the stop bit was wrong. */
static ZGI_RARE bool deliver(const struct zg_uart_format *format, struct zg_link *link, uint16_t bits)
{
    uint8_t errors;
    const uint8_t value = zg_uart_value(format, bits, &errors);

    zg_link_receive_isr(link, value, errors);
    return (errors & ZG_LINE_FRAMING) != 0;
}

/* --- from edges */

void zg_soft_uart_edges_init(struct zg_soft_uart_edges *edges, const struct zg_uart_format *format, uint32_t bit)
{
    edges->format = *format;
    edges->bit = bit;
    edges->middle = 0;
    edges->began = 0;
    edges->bits = 0;
    edges->read = 0;
    edges->last = zg_uart_before_stop(format);
    edges->active = false;
    edges->broken = false;
}

/* Reads the bits whose middles have passed at the present level. */
static void catch_up(struct zg_soft_uart_edges *edges, struct zg_link *link, uint16_t tick)
{
    const uint32_t now = (uint32_t)(uint16_t)(tick - edges->began) << 8;

    while (edges->read > 0 && edges->middle <= now) {
        const uint8_t bit = (uint8_t)(edges->read - 1U);
        if (bit == 0 && !edges->active) { /* the start bit was too short to be one */
            edges->read = 0;
            return;
        }
        edges->bits = (uint16_t)((uint16_t)(edges->bits >> 1) | (edges->active ? 0x8000U : 0U)); /* the latest on top */
        edges->middle += edges->bit;
        edges->read++;
        if (bit == edges->last) {
            edges->read = 0;
            edges->broken = deliver(&edges->format, link, (uint16_t)(edges->bits >> (15U - bit)));
        }
    }
}

bool zg_soft_uart_edge(struct zg_soft_uart_edges *edges, struct zg_link *link, uint16_t tick, bool high)
{
    const bool active = high == edges->format.idle_low;

    catch_up(edges, link, tick);
    edges->active = active;
    if (!active) {
        edges->broken = false;
        return false;
    }
    if (edges->read > 0 || edges->broken)
        return false;
    edges->began = tick;
    edges->middle = edges->bit / 2;
    edges->bits = 0;
    edges->read = 1;
    return true;
}

bool zg_soft_uart_due(const struct zg_soft_uart_edges *edges, uint16_t *tick)
{
    if (edges->read == 0)
        return false;
    const uint8_t bits = (uint8_t)(edges->last - (edges->read - 1U));
    *tick = (uint16_t)(edges->began + (uint16_t)((edges->middle + (uint32_t)bits * edges->bit + 255U) >> 8));
    return true;
}

void zg_soft_uart_quiet(struct zg_soft_uart_edges *edges, struct zg_link *link, uint16_t tick)
{
    catch_up(edges, link, tick);
}

/* --- from samples */

void zg_soft_uart_samples_init(struct zg_soft_uart_samples *samples, const struct zg_uart_format *format, uint8_t a_bit)
{
    samples->format = *format;
    samples->a_bit = a_bit;
    samples->wait = 0;
    samples->read = 0;
    samples->last = zg_uart_before_stop(format);
    samples->bits = 0;
    samples->broken = true; /* until it was idle */
}

void zgi_soft_uart_decide(struct zg_soft_uart_samples *samples, struct zg_link *link, bool active)
{
    if (samples->read == 0) {
        if (active && !samples->broken) { /* the first sample of a start bit */
            samples->read = 1;
            samples->bits = 0;
            samples->wait = (uint8_t)((samples->a_bit - 1U) / 2U);
        }
        samples->broken = samples->broken && active;
        return;
    }
    const uint8_t bit = (uint8_t)(samples->read - 1U);
    samples->wait = samples->a_bit;
    samples->read++;
    samples->bits = (uint16_t)((uint16_t)(samples->bits >> 1) | (active ? 0x8000U : 0U)); /* the latest on top */
    if (bit == 0 && !active) {
        samples->read = 0;
        samples->wait = 0;
    } else if (bit == samples->last) {
        samples->read = 0;
        samples->wait = 0;
        samples->broken = deliver(&samples->format, link, (uint16_t)(samples->bits >> (15U - bit))) || active;
    }
}
