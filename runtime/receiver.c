/* SPDX-License-Identifier: MIT */
#include "zeugma/receiver.h"

#include "zeugma/receiver_body.h"

void zg_receiver_init(struct zg_receiver *receiver, const struct zg_protocol *protocol, void *owner,
                      struct zg_counters *counters, uint8_t *memory)
{
    receiver->protocol = protocol;
    receiver->owner = owner;
    receiver->counters = counters;
    zg_decoder_init(&receiver->decoder, protocol->framing, ZG_MAX_CONTENT(protocol), memory, protocol->receive_room);
    zgi_begin_check(receiver);
}

size_t zg_receiver_take(struct zg_receiver *receiver, const uint8_t *bytes, size_t count, struct zg_found *found)
{
    return zgi_receive(receiver, false, bytes, count, found);
}

void zg_receiver_pause(struct zg_receiver *receiver, struct zg_found *found)
{
    (void)zgi_receive(receiver, true, NULL, 0, found);
}

size_t zg_receiver_pending(const struct zg_receiver *receiver)
{
    return receiver->decoder.pending;
}
