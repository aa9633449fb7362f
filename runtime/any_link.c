/* SPDX-License-Identifier: MIT */
#include "zeugma/any_link.h"

#include "zeugma/detail/any_end.h"

int zg_any_link_init(struct zg_any_link *any, const struct zg_protocol *protocol, void *owner,
                     const struct zg_port *port, void *port_context, const struct zg_link_memory *memory)
{
    struct zg_ring like;

    if (!memory->receiver || memory->frame_size < protocol->receive_room || protocol->header_size > ZG_HEADER_MAX ||
        memory->transmit_size < protocol->max_frame || (protocol->gap_us > 0 && !memory->gaps) ||
        zg_ring_init(&like, memory->receive, memory->receive_size) != 0 ||
        zg_ring_init(&like, memory->transmit, memory->transmit_size) != 0)
        return ZG_EINVALID;
    any->receiver = memory->receiver;
    zgi_link_begin(&any->link, protocol, owner, port, port_context, memory);
    return 0;
}

void zg_any_link_receive(struct zg_any_link *any, const uint8_t *bytes, size_t count)
{
    zgi_link_receive(&any->link, any->receiver->protocol, bytes, count);
}

void zg_any_link_receive_packet(struct zg_any_link *any, const uint8_t *bytes, size_t size)
{
    zgi_link_receive_packet(&any->link, any->receiver->protocol, bytes, size);
}

int zg_any_link_send(struct zg_any_link *any, zg_header_number id, const uint8_t *payload, size_t length)
{
    static const uint8_t nothing = 0;
    uint8_t header[ZG_HEADER_MAX];

    return zgi_link_send(&any->link, any->link.peer.address, id, header, payload ? payload : &nothing, length);
}

void zg_any_link_poll(struct zg_any_link *any)
{
    zgi_link_poll(&any->link);
}

size_t zg_any_link_pending(const struct zg_any_link *any)
{
    return zgi_pending(&any->link);
}
