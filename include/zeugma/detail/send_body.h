/* SPDX-License-Identifier: MIT */
/*
 * Private. How an end sends: when it may use the line, a frame into the transmit ring, an answer that must wait, text.
 */

static inline uint32_t zgi_now(const struct zg_link *link)
{
    return link->port->now_us(link->port_context);
}

static inline void zgi_start_transmit(const struct zg_link *link)
{
    if (link->port->start_transmit)
        link->port->start_transmit(link->port_context);
}

/* Offers the packet in the transmit ring to the port. */
static inline void zgi_offer_packet(struct zg_link *link)
{
    const uint8_t *packet;
    const zg_index size = zg_ring_span(&link->transmit, &packet);

    if (size > 0 && link->port->send_packet && link->port->send_packet(link->port_context, packet, size))
        zg_ring_release(&link->transmit, size);
}

/* Whether the transmit ring has no packet. The next one is then contiguous. */
static inline bool zgi_may_pack(struct zg_link *link)
{
    if (zg_ring_used(&link->transmit) > 0)
        zgi_offer_packet(link);
    if (zg_ring_used(&link->transmit) > 0)
        return false;
    zg_ring_rewind(&link->transmit);
    return true;
}

/* Half duplex: whether the line is free for a frame to `to`. The others must be quiet, and none may be expected to
 * answer. The node that is to answer may be sent more, except by an end whose timing is too coarse for that
 * (protocol->awaits). */
static inline bool zgi_line_is_free(struct zg_link *link, zg_header_number to, uint32_t now)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (zg_ring_used(&link->receive) > 0 || zg_clock_since(now, link->last_us) < protocol->turn_us)
        return false;
    if (link->answer_ms == 0 || (to == link->asked && !protocol->awaits))
        return true;
    if (zg_clock_since(now, link->sent_us) < link->answer_ms * UINT32_C(1000))
        return false;
    link->answer_ms = 0;
    return true;
}

/* Half duplex: two ends that sent at once must not do so again after the same time. Returns a delay below `us` that
 * differs from call to call and between nodes' numbers. */
static inline uint32_t zgi_spread(const struct zg_link *link, uint32_t us, uint16_t number)
{
    if (ZGI_PROTOCOL_OF(link)->turn_us == 0)
        return 0;
    return (us >> 6) * ((uint16_t)((uint32_t)number * (2U * (uint32_t)link->sequence + 1U)) >> 10);
}

/* Half duplex: the frame just sent asks a node for an answer. Until it comes, or `us` have passed, frames wait. */
static inline void zgi_await(struct zg_link *link, zg_header_number from, uint32_t us)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->turn_us == 0 || (protocol->source_bits == 0 && !protocol->awaits))
        return;
    link->asked = from;
    link->answer_ms = (uint16_t)(us < UINT32_C(65000000) ? us / 1000 + 1 : 65000);
}

/* Whether the silence that is due before a frame has passed since the transmit ring became empty, or was seen to be. */
static inline bool zgi_may_begin(struct zg_link *link, zg_header_number to)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->send_gap_us == 0)
        return true;
    uint32_t now = zgi_now(link);
    if (zg_ring_room(&link->transmit) <= link->transmit.mask)
        return false;
    if (link->sending) {
        link->sending = false;
        link->sent_us = now;
    }
    if (protocol->turn_us > 0 && !zgi_line_is_free(link, to, now))
        return false;
    return zg_clock_since(now, link->sent_us) >= protocol->send_gap_us;
}

/* Prepares a link, with memory whose sizes are right. */
static inline void zgi_link_begin(struct zg_link *link, const struct zg_protocol *protocol, void *owner,
                                  const struct zg_port *port, void *port_context, const struct zg_link_memory *memory)
{
    memset(link, 0, sizeof *link);
    link->port = port;
    link->port_context = port_context;
    link->receive.bytes = memory->receive;
    link->receive.mask = (zg_index)(memory->receive_size - 1);
    link->transmit.bytes = memory->transmit;
    link->transmit.mask = (zg_index)(memory->transmit_size - 1);
    if (protocol->gap_us > 0) {
        link->gaps = memory->gaps;
        memset(link->gaps, 0, sizeof *link->gaps);
        link->gaps->gap_us = protocol->gap_us;
    }
    link->outside = protocol->bares > 0 ? 1 : 0;
    if (protocol->send_gap_us > 0)
        link->sent_us = zgi_now(link) - protocol->send_gap_us;
    if (protocol->turn_us > 0)
        link->last_us = zgi_now(link) - protocol->turn_us;
#if ZGI_IN_PLACE
    (void)owner;
    link->frame = memory->frame;
#else
    memset(ZGI_RECEIVER(link), 0, sizeof *ZGI_RECEIVER(link));
    zgi_receiver_begin(ZGI_RECEIVER(link), protocol, owner, &link->counters, memory->frame);
#endif
}

/* Sends a message that is bytes outside any frame: 0, or ZG_EROOM. */
static inline int zgi_link_send_bare(struct zg_link *link, const uint8_t *bytes, uint8_t size)
{
    if (!zgi_may_begin(link, 0) || zg_ring_room(&link->transmit) < size)
        return ZG_EROOM;
    for (uint8_t i = 0; i < size; i++)
        zg_ring_poke(&link->transmit, i, bytes[i]);
    zg_ring_publish(&link->transmit, size);
    if (ZGI_PROTOCOL_OF(link)->send_gap_us > 0)
        link->sending = true;
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(frames_out), 1);
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(bytes_out), size);
    zgi_start_transmit(link);
    return 0;
}

/* Sends one frame to any node, as zg_any_link_send(). If `payload` is NULL the payload follows the header in memory,
 * and there is room for the check after it. */
static inline int zgi_link_send(struct zg_link *link, zg_header_number to, zg_header_number id, uint8_t *front,
                                const uint8_t *payload, size_t length)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    const struct zg_header header = { 0, id, link->sequence, 0, (zg_header_number)length, to, link->address, 0, 0, 0 };
    size_t wire;

    if (length > protocol->max_payload)
        return ZG_ESIZE;
    if (!zgi_may_begin(link, to) || (protocol->packets && !zgi_may_pack(link)))
        return ZG_EROOM;
    ZGI_KNOW_RING(link, transmit);
    zgi_write_header(link, &header, front);
    int error = zgi_write_frame(&link->transmit, protocol, front, payload, length, &wire);
    if (error)
        return error;
    link->sequence++;
    if (protocol->send_gap_us > 0)
        link->sending = true;
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(frames_out), 1);
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(bytes_out), (zgi_amount)wire);
    zgi_start_transmit(link);
    if (protocol->packets)
        zgi_offer_packet(link);
    return 0;
}

/* Whether the bytes before `end` have left the transmit ring. */
static inline bool zgi_has_left(const struct zg_link *link, zg_index end)
{
    const struct zg_ring *ring = &link->transmit;
    return (zg_index)(ring->head - end) >= (zg_index)(ring->head - zgi_load_acquire(&ring->tail));
}

/* A service was asked and cannot answer. */
static inline void zgi_count_unanswered(struct zg_link *link)
{
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(unanswered), 1);
}

/* Keeps an answer, whose payload is in its place, until it may be sent. */
static inline void zgi_late_begin(struct zg_late *late, zg_header_number to, zg_header_number id, size_t length)
{
    late->to = to;
    late->id = id;
    late->length = (uint16_t)length;
    late->due = true;
}

/* Sends the kept answer if the line allows; `content` is as for zgi_link_send(). */
static inline void zgi_late_poll(struct zg_link *link, struct zg_late *late, uint8_t *content)
{
    if (late->due && zgi_link_send(link, late->to, late->id, content, NULL, late->length) == 0)
        late->due = false;
}

/* Sends text between frames: as many whole characters as there is room for. Returns how many bytes. */
static inline size_t zgi_link_print(struct zg_link *link, const char *text, size_t size)
{
    const size_t room = zg_ring_room(&link->transmit);

    if (size > room)
        for (size = room; size > 0 && ((uint8_t)text[size] & 0xC0U) == 0x80;)
            size--;
    if (size == 0 || !zgi_may_begin(link, link->peer.address))
        return 0;
    for (size_t i = 0; i < size; i++)
        zg_ring_poke(&link->transmit, (zg_index)i, (uint8_t)text[i]);
    zg_ring_publish(&link->transmit, (zg_index)size);
    if (ZGI_PROTOCOL_OF(link)->send_gap_us > 0)
        link->sending = true;
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(bytes_out), (zgi_amount)size);
    zgi_start_transmit(link);
    return size;
}
