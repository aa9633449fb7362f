/* SPDX-License-Identifier: MIT */
#include "zeugma/link.h"

#include "zeugma/link_body.h"

int zg_link_init(struct zg_link *link, const struct zg_protocol *protocol, void *owner, const struct zg_port *port,
                 void *port_context, const struct zg_link_memory *memory)
{
    struct zg_ring like;

    if (!memory->receiver || memory->frame_size < protocol->receive_room || protocol->header_size > ZG_HEADER_MAX ||
        memory->transmit_size < protocol->max_frame || (protocol->gap_us > 0 && !memory->gaps) ||
        zg_ring_init(&like, memory->receive, memory->receive_size) != 0 ||
        zg_ring_init(&like, memory->transmit, memory->transmit_size) != 0)
        return ZG_EINVALID;
    zgi_link_begin(link, protocol, owner, port, port_context, memory);
    return 0;
}

void zg_link_set_addresses(struct zg_link *link, zg_role own, zg_role peer)
{
    link->address = own;
    link->peer.address = peer;
}

void zg_link_add_peer(struct zg_link *link, struct zg_peer *peer, zg_role address)
{
    memset(peer, 0, sizeof *peer);
    peer->address = address;
    peer->next = link->peer.next;
    link->peer.next = peer;
}

void zg_link_receive_isr(struct zg_link *link, uint8_t byte, unsigned line_errors)
{
    if (link->gaps)
        zgi_note_gap_isr(link);
    zgi_link_put_isr(link, link->receive.bytes, (size_t)link->receive.mask + 1, byte, line_errors);
}

bool zg_link_transmit_isr(struct zg_link *link, uint8_t *byte)
{
    return zg_ring_get(&link->transmit, byte);
}

int zg_link_send(struct zg_link *link, zg_role id, const uint8_t *payload, size_t length)
{
    static const uint8_t nothing = 0;
    uint8_t header[ZG_HEADER_MAX];

    return zgi_link_send(link, link->peer.address, id, header, payload ? payload : &nothing, length);
}

void zg_link_receive(struct zg_link *link, const uint8_t *bytes, size_t count)
{
    zgi_link_receive(link, ZGI_PROTOCOL_OF(link), bytes, count);
}

void zg_link_poll(struct zg_link *link)
{
    zgi_link_poll(link);
}

uint32_t zg_link_counter(const struct zg_link *link, unsigned index)
{
    zgi_hold(link);
    uint32_t value = zg_counters_get(&link->counters, index);
    zgi_release(link);
    return value;
}

void zg_link_clear_counter(struct zg_link *link, unsigned index)
{
    zgi_hold(link);
    zg_counters_clear(&link->counters, index);
    zgi_release(link);
}

size_t zg_link_pending(const struct zg_link *link)
{
    return link->receiver ? zg_receiver_pending(link->receiver) : link->gathered;
}
