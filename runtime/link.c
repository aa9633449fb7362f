/* SPDX-License-Identifier: MIT */
#include "zeugma/link.h"

#include <string.h>

void zg_link_set_addresses(struct zg_link *link, zg_header_number own, zg_header_number peer)
{
    link->address = own;
    link->peer.address = peer;
}

void zg_link_add_peer(struct zg_link *link, struct zg_peer *peer, zg_header_number address)
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
