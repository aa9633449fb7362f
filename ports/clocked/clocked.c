/* SPDX-License-Identifier: MIT */
#include "clocked/clocked.h"

void zg_clocked_sender_init(struct zg_clocked_sender *sender, const struct zg_clocked_format *format, uint8_t gap)
{
    sender->format = *format;
    sender->gap = gap;
    sender->clock = format->idle_high;
    sender->data = false;
    sender->byte = 0;
    sender->halves = 0;
}

bool zg_clocked_next(struct zg_clocked_sender *sender, struct zg_link *link)
{
    const struct zg_clocked_format *format = &sender->format;
    const uint8_t pause = (uint8_t)(2U * sender->gap);

    if (sender->halves == 0) {
        if (!zg_link_transmit_isr(link, &sender->byte))
            return false;
        sender->halves = (uint8_t)(16U + pause);
    }
    sender->halves--;
    if (sender->halves < pause) { /* between bytes */
        sender->clock = format->idle_high;
        sender->data = false;
        return true;
    }
    if ((((unsigned)sender->halves - pause) & 1U) != 0) { /* the first half of a bit */
        sender->data = (sender->byte & (format->lsb_first ? 0x01U : 0x80U)) != 0;
        sender->byte = (uint8_t)(format->lsb_first ? sender->byte >> 1 : sender->byte << 1);
        sender->clock = !format->samples_rising;
    } else
        sender->clock = format->samples_rising;
    return true;
}

void zg_clocked_receiver_init(struct zg_clocked_receiver *receiver, const struct zg_clocked_format *format,
                              uint16_t pause)
{
    receiver->format = *format;
    receiver->pause = pause;
    receiver->last = 0;
    receiver->byte = 0;
    receiver->bits = 0;
}

void zg_clocked_idle(struct zg_clocked_receiver *receiver, uint16_t tick)
{
    if ((uint16_t)(tick - receiver->last) >= receiver->pause) {
        receiver->bits = 0;
        receiver->last = (uint16_t)(tick - receiver->pause); /* so that it stays so when the timer wraps */
    }
}

void zg_clocked_edge(struct zg_clocked_receiver *receiver, struct zg_link *link, uint16_t tick, bool data)
{
    if ((uint16_t)(tick - receiver->last) >= receiver->pause)
        receiver->bits = 0;
    receiver->last = tick;
    if (receiver->format.lsb_first)
        receiver->byte = (uint8_t)((unsigned)receiver->byte >> 1 | (data ? 0x80U : 0U));
    else
        receiver->byte = (uint8_t)((unsigned)receiver->byte << 1 | (data ? 1U : 0U));
    receiver->bits++;
    if (receiver->bits == 8) {
        receiver->bits = 0;
        zg_link_receive_isr(link, receiver->byte, 0);
    }
}
