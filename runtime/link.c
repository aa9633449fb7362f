/* SPDX-License-Identifier: MIT */
#include "zeugma/link.h"

#include <string.h>

#include "zeugma/link_body.h"

int zg_link_init(struct zg_link *link, const struct zg_protocol *protocol, void *owner, const struct zg_port *port,
                 void *port_context, const struct zg_link_memory *memory)
{
    if (memory->frame_size < protocol->receive_room || protocol->header_size > ZG_HEADER_MAX ||
        memory->transmit_size < protocol->max_frame || (protocol->gap_us > 0 && !memory->gaps))
        return ZG_EINVALID;
    memset(link, 0, sizeof *link);
    link->port = port;
    link->port_context = port_context;
    link->gaps = memory->gaps;
    if (link->gaps)
        memset(link->gaps, 0, sizeof *link->gaps);
    link->sent_us = zgi_now(link) - protocol->send_gap_us;
    zg_receiver_init(&link->receiver, protocol, owner, &link->counters, memory->frame);
    int error = zg_ring_init(&link->receive, memory->receive, memory->receive_size);
    return error ? error : zg_ring_init(&link->transmit, memory->transmit, memory->transmit_size);
}

void zg_link_set_addresses(struct zg_link *link, zg_role own, zg_role peer)
{
    link->address = own;
    link->peer = peer;
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

    return zgi_link_send(link, id, header, payload ? payload : &nothing, length);
}

void zg_link_receive(struct zg_link *link, const uint8_t *bytes, size_t count)
{
    zgi_link_receive(link, bytes, count);
}

void zg_link_poll(struct zg_link *link)
{
    zgi_link_poll(link);
}

size_t zg_link_pending(const struct zg_link *link)
{
    return zg_receiver_pending(&link->receiver);
}
