/* SPDX-License-Identifier: MIT */
/* Private. What an end notes about its peers: sequence numbers, versions, silence; and which frames are for it. */

/* The peer with this address, or NULL. */
static inline struct zg_peer *zgi_peer(struct zg_link *link, zg_header_number address)
{
    struct zg_peer *peer = &link->peer;

    if (ZGI_PROTOCOL_OF(link)->source_bits > 0)
        while (peer && peer->address != address)
            peer = peer->next;
    return peer;
}

static inline void zgi_notify(struct zg_link *link, struct zg_peer *peer, enum zg_link_event event)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->changed)
        protocol->changed(ZGI_OWNER(ZGI_RECEIVER(link)), peer, event);
}

/* Notes a frame's sequence number, and counts what it says about lost, repeated and late frames. */
static inline void zgi_note_sequence(struct zg_link *link, struct zg_peer *peer, struct zg_frame *frame)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->sequence_bits == 0)
        return;
    zg_header_number skipped;
    frame->arrival = zg_sequence_note(&peer->heard, protocol->sequence_bits, frame->header.sequence, &skipped);
    if (protocol->hello) /* undone if the frame turns out to be a restarted peer's hello */
        frame->skipped = skipped;
    if (frame->arrival == ZG_ARRIVAL_NEXT)
        zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(lost), skipped);
    else
        zgi_count(ZGI_RECEIVER(link), frame->arrival == ZG_ARRIVAL_LATE ? ZGI_COUNTER(late) : ZGI_COUNTER(repeated), 1);
}

/* A frame came from a peer that restarted: undoes what its number was counted as, and starts counting anew. */
static inline void zgi_forget_sequence(struct zg_link *link, const struct zg_frame *frame)
{
    struct zg_counters *counters = &link->counters;
    zg_header_number skipped;

    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(restarts), 1);
    if (ZGI_PROTOCOL_OF(link)->sequence_bits == 0)
        return;
    counters->lost -= frame->skipped;
    counters->late -= frame->arrival == ZG_ARRIVAL_LATE;
    counters->repeated -= frame->arrival == ZG_ARRIVAL_REPEATED;
    frame->peer->heard.seen = 0;
    (void)zg_sequence_note(&frame->peer->heard, ZGI_PROTOCOL_OF(link)->sequence_bits, frame->header.sequence, &skipped);
}

/* A frame came from a peer, of this version or another. */
static inline void zgi_note_peer(struct zg_link *link, struct zg_peer *peer, const struct zg_frame *frame, bool foreign)
{
    if (ZGI_PROTOCOL_OF(link)->turn_us > 0 && frame->header.source == link->asked)
        link->answer_ms = 0;
    if (!ZGI_PROTOCOL_OF(link)->changed)
        return;
    if (foreign && !peer->foreign)
        zgi_notify(link, peer, ZG_LINK_OTHER_VERSION);
    peer->foreign = foreign;
    if (foreign || ZGI_PROTOCOL_OF(link)->link_timeout_us == 0)
        return;
    peer->heard_us = frame->at_us;
    if (!peer->up) {
        peer->up = true;
        zgi_notify(link, peer, ZG_LINK_UP);
    }
}

/* Reports peers as down that were silent for too long. */
static inline void zgi_watch_peers(struct zg_link *link, uint32_t now)
{
    const uint32_t limit = ZGI_PROTOCOL_OF(link)->link_timeout_us;
    struct zg_peer *peer = &link->peer;

    if (limit == 0 || !ZGI_PROTOCOL_OF(link)->changed)
        return;
    do {
        if (peer->up && zg_clock_since(now, peer->heard_us) >= limit) {
            peer->up = false;
            zgi_notify(link, peer, ZG_LINK_DOWN);
        }
        peer = peer->next;
    } while (peer && ZGI_PROTOCOL_OF(link)->source_bits > 0);
}

/* The address that means every node. */
static inline zg_header_number zgi_everybody(const struct zg_link *link)
{
    (void)link;
    return ZGI_PROTOCOL_OF(link)->everybody;
}

/* Whether a device can have this address. The PC is 0. */
static inline bool zgi_is_address(const struct zg_link *link, zg_header_number address)
{
    const unsigned bits = ZGI_PROTOCOL_OF(link)->destination_bits;

    return address != 0 && address != zgi_everybody(link) &&
           (bits == 0 || address <= ZG_HEADER_NUMBER_MAX >> (ZG_HEADER_NUMBER_BITS - bits));
}

/* Whether a frame is for this node: it has its address, or the one of every node. */
static inline bool zgi_is_for_us(const struct zg_link *link, const struct zg_header *header)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    return protocol->destination_bits == 0 || (protocol->node && link->address == 0) ||
           header->destination == link->address || header->destination == protocol->everybody;
}
