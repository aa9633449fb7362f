/* SPDX-License-Identifier: MIT */
#include "zeugma/receiver.h"

#include <string.h>

#include "zeugma/detail/any_end.h"

void zg_receiver_init(struct zg_receiver *receiver, const struct zg_protocol *protocol, void *owner,
                      struct zg_counters *counters, uint8_t *memory)
{
    memset(receiver, 0, sizeof *receiver);
    zgi_receiver_begin(receiver, protocol, owner, counters, memory);
}

size_t zg_receiver_take(struct zg_receiver *receiver, const uint8_t *bytes, size_t count, struct zg_found *found,
                        struct zg_header *header)
{
    return zgi_receive(receiver, false, bytes, count, found, header);
}

void zg_receiver_pause(struct zg_receiver *receiver, struct zg_found *found, struct zg_header *header)
{
    (void)zgi_receive(receiver, true, NULL, 0, found, header);
}

size_t zg_receiver_pending(const struct zg_receiver *receiver)
{
    return receiver->decoder.pending;
}
