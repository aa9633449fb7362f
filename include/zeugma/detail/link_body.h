/* SPDX-License-Identifier: MIT */
/*
 * Private. What an end does with its line: sends, receives, hands on and counts frames, watches silence and peers. Of
 * the code for one protocol only what that one needs is left.
 */

#include "zeugma/detail/receiver_body.h"
#if ZGI_IN_PLACE
#include "zeugma/detail/short_cobs_body.h"
#else
#include "zeugma/detail/framing_body.h"
#endif

static inline uint32_t zgi_now(const struct zg_link *link)
{
    return link->port->now_us(link->port_context);
}

static inline void zgi_start_transmit(const struct zg_link *link)
{
    if (link->port->start_transmit)
        link->port->start_transmit(link->port_context);
}

/* Half duplex: whether the others are quiet, and none of them is to answer; one that is asked may be sent more, but by
 * those that cannot be in time. */
static inline bool zgi_line_is_free(struct zg_link *link, zg_header_word to, uint32_t now)
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

/* Half duplex: two that sent at once must not do so again after the same time. A share of `us`, 0 to 63 64ths, another
 * each time and for each node's number. */
static inline uint32_t zgi_spread(const struct zg_link *link, uint32_t us, uint16_t number)
{
    if (ZGI_PROTOCOL_OF(link)->turn_us == 0)
        return 0;
    return (us >> 6) * ((uint16_t)((uint32_t)number * (2U * (uint32_t)link->sequence + 1U)) >> 10);
}

/* Half duplex: the frame that was just sent asks a node for an answer; until it comes, or `us` are over, frames wait.
 */
static inline void zgi_await(struct zg_link *link, zg_header_word from, uint32_t us)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->turn_us == 0 || (protocol->source_bits == 0 && !protocol->awaits))
        return;
    link->asked = from;
    link->answer_ms = (uint16_t)(us < UINT32_C(65000000) ? us / 1000 + 1 : 65000);
}

/* Whether the silence that is due in front of a frame was kept: since the ring became empty, or was seen to be. */
static inline bool zgi_may_begin(struct zg_link *link, zg_header_word to)
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

/* Prepares a link, for memory whose sizes are right. */
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

/* Sends one frame to any node (zg_any_link_send()). Without a payload, that stands behind the header, and room for the
 * check behind it. */
static inline int zgi_link_send(struct zg_link *link, zg_header_word to, zg_header_word id, uint8_t *front, const uint8_t *payload,
                                size_t length)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    const struct zg_header header = { 0, id, link->sequence, 0, (zg_header_word)length, to, link->address, 0, 0 };
    size_t wire;

    if (length > protocol->max_payload)
        return ZG_ESIZE;
    if (!zgi_may_begin(link, to))
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
    return 0;
}

/* A service was asked and cannot answer. */
static inline void zgi_count_unanswered(struct zg_link *link)
{
    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(unanswered), 1);
}

/* Keeps an answer whose payload is ready, until it may be sent. */
static inline void zgi_late_begin(struct zg_late *late, zg_header_word to, zg_header_word id, size_t length)
{
    late->to = to;
    late->id = id;
    late->length = (uint16_t)length;
    late->due = true;
}

/* Sends it where it may be; `content` is as for zgi_link_send(). */
static inline void zgi_late_poll(struct zg_link *link, struct zg_late *late, uint8_t *content)
{
    if (late->due && zgi_link_send(link, late->to, late->id, content, NULL, late->length) == 0)
        late->due = false;
}

/* Sends text between frames, as many whole characters as there is room for; returns how many bytes. */
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

/* The peer that has this address. */
static inline struct zg_peer *zgi_peer(struct zg_link *link, zg_header_word address)
{
    struct zg_peer *peer = &link->peer;

    if (ZGI_PROTOCOL_OF(link)->source_bits > 0)
        while (peer && peer->address != address)
            peer = peer->next;
    return peer;
}

static inline void zgi_tell(struct zg_link *link, struct zg_peer *peer, enum zg_link_event event)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->changed)
        protocol->changed(ZGI_OWNER(ZGI_RECEIVER(link)), peer, event);
}

/* Tells what a frame's sequence says. */
static inline void zgi_note_sequence(struct zg_link *link, struct zg_peer *peer, struct zg_frame *frame)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    if (protocol->sequence_bits == 0)
        return;
    zg_header_word skipped;
    frame->arrival = zg_sequence_note(&peer->heard, protocol->sequence_bits, frame->header.sequence, &skipped);
    if (protocol->hello) /* to be taken back, should the frame tell of a restart */
        frame->skipped = skipped;
    if (frame->arrival == ZG_ARRIVAL_NEXT)
        zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(lost), skipped);
    else
        zgi_count(ZGI_RECEIVER(link), frame->arrival == ZG_ARRIVAL_LATE ? ZGI_COUNTER(late) : ZGI_COUNTER(repeated), 1);
}

/* A frame came from a peer that restarted: what its number seemed to tell is taken back, and its run counted anew. */
static inline void zgi_forget_sequence(struct zg_link *link, const struct zg_frame *frame)
{
    struct zg_counters *counters = &link->counters;
    zg_header_word skipped;

    zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(restarts), 1);
    if (ZGI_PROTOCOL_OF(link)->sequence_bits == 0)
        return;
    counters->lost -= frame->skipped;
    counters->late -= frame->arrival == ZG_ARRIVAL_LATE;
    counters->repeated -= frame->arrival == ZG_ARRIVAL_REPEATED;
    frame->peer->heard.seen = 0;
    (void)zg_sequence_note(&frame->peer->heard, ZGI_PROTOCOL_OF(link)->sequence_bits, frame->header.sequence, &skipped);
}

/* A frame came from a peer, of this version or not. */
static inline void zgi_note_peer(struct zg_link *link, struct zg_peer *peer, const struct zg_frame *frame, bool foreign)
{
    if (ZGI_PROTOCOL_OF(link)->turn_us > 0 && frame->header.source == link->asked)
        link->answer_ms = 0;
    if (!ZGI_PROTOCOL_OF(link)->changed)
        return;
    if (foreign && !peer->foreign)
        zgi_tell(link, peer, ZG_LINK_OTHER_VERSION);
    peer->foreign = foreign;
    if (foreign || ZGI_PROTOCOL_OF(link)->link_timeout_us == 0)
        return;
    peer->heard_us = frame->at_us;
    if (!peer->up) {
        peer->up = true;
        zgi_tell(link, peer, ZG_LINK_UP);
    }
}

/* Peers that were silent for too long are down. */
static inline void zgi_watch_peers(struct zg_link *link, uint32_t now)
{
    const uint32_t limit = ZGI_PROTOCOL_OF(link)->link_timeout_us;
    struct zg_peer *peer = &link->peer;

    if (limit == 0 || !ZGI_PROTOCOL_OF(link)->changed)
        return;
    do {
        if (peer->up && zg_clock_since(now, peer->heard_us) >= limit) {
            peer->up = false;
            zgi_tell(link, peer, ZG_LINK_DOWN);
        }
        peer = peer->next;
    } while (peer && ZGI_PROTOCOL_OF(link)->source_bits > 0);
}

/* The address of everybody. */
static inline zg_header_word zgi_everybody(const struct zg_link *link)
{
    const unsigned bits = ZGI_PROTOCOL_OF(link)->destination_bits;

    (void)link;
    return (zg_header_word)(bits == 0 ? 0 : ZG_HEADER_WORD_MAX >> (ZG_HEADER_WORD_BITS - bits));
}

/* Whether a frame is for this node: it has its address, or that of everybody. */
static inline bool zgi_is_for_us(const struct zg_link *link, const struct zg_header *header)
{
    return ZGI_PROTOCOL_OF(link)->destination_bits == 0 || header->destination == link->address ||
           header->destination == zgi_everybody(link);
}

/* Hands a frame on, of this version or another, and counts what became of it. */
static inline void zgi_hand_on(struct zg_link *link, bool foreign, struct zg_frame *frame, const uint8_t *payload,
                               size_t length, uint32_t now)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    struct zg_peer *const peer = zgi_peer(link, frame->header.source);
    const uint8_t flagged = *(volatile uint8_t *)&link->flagged;

    frame->peer = peer;
    frame->arrival = ZG_ARRIVAL_NEXT;
    if (protocol->hello)
        frame->skipped = 0;
    frame->at_us = now;
    frame->line_errors = (uint8_t)(flagged - link->flagged_seen);
    link->flagged_seen = flagged;
    if (peer)
        zgi_note_peer(link, peer, frame, foreign);
    if (foreign)
        return;
    if (peer)
        zgi_note_sequence(link, peer, frame);
    uint8_t counter = ZGI_COUNTER(not_for_us);
    int result = 1;
    if (zgi_is_for_us(link, &frame->header)) {
        result = zgi_deliver(link, frame, payload, length);
        counter = ZGI_COUNTER(extra_bytes);
        if (protocol->filled > 0 && !protocol->length_ends && result > 0)
            return; /* they are zero bytes */
        if (result < 0) {
            counter = result == ZG_EUNKNOWN ? ZGI_COUNTER(unknown_id) : ZGI_COUNTER(bad_payload);
            result = 1;
        }
    }
    if (result != 0)
        zgi_count(ZGI_RECEIVER(link), counter, (zgi_amount)result);
}

#if ZGI_WHOLE_FRAMES && !ZGI_IN_PLACE

/* Takes frames that lie whole in bytes which stay where they are, and returns how many bytes. */
static ZGI_QUICK size_t zgi_take_whole(struct zg_link *link, const struct zg_protocol *protocol, const uint8_t *bytes,
                                       size_t count, uint32_t now)
{
    size_t taken = 0, size;
    struct zg_found found;
    struct zg_frame frame;

    if (!protocol->framing->whole || protocol->console)
        return 0;
    while ((size = zgi_receive_whole(ZGI_RECEIVER(link), protocol, bytes + taken, count - taken, &found,
                                     &frame.header)) > 0) {
        zgi_hand_on(link, found.outcome == ZG_OUTCOME_VERSION, &frame, found.payload, found.length, now);
        taken += size;
    }
    return taken;
}

#else

static inline size_t zgi_take_whole(struct zg_link *link, const struct zg_protocol *protocol, const uint8_t *bytes,
                                    size_t count, uint32_t now)
{
    (void)link;
    (void)protocol;
    (void)bytes;
    (void)count;
    (void)now;
    return 0;
}

#endif

/* Takes bytes up to the first that something ends at, and hands a frame on. Bytes of the ring are given back before a
 * handler is called, which may take its time. */
static ZGI_QUICK zgi_span zgi_take_some(struct zg_link *link, bool silent, const uint8_t *bytes, zgi_span count,
                                        bool from_ring, uint32_t now, enum zg_outcome *outcome)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    struct zg_found found;
    struct zg_frame frame;
    ZGI_WRITTEN(frame.header); /* where it is a frame's */
    const zgi_span taken = zgi_receive(ZGI_RECEIVER(link), silent, bytes, count, &found, &frame.header);

    if (protocol->console)
        zg_text_sorter_take(protocol->console(ZGI_OWNER(ZGI_RECEIVER(link))), &link->counters, bytes, taken, &found);
    if (from_ring)
        zg_ring_release(&link->receive, (zg_index)taken);
    const bool foreign = found.outcome == ZG_OUTCOME_VERSION && protocol->version_bits > 0;
    if (found.outcome == ZG_OUTCOME_FRAME || foreign)
        zgi_hand_on(link, foreign, &frame, zgi_content(ZGI_RECEIVER(link)) + protocol->header_size,
                    zgi_payload_length(protocol, zgi_content_length(ZGI_RECEIVER(link), &found), &frame.header), now);
    *outcome = found.outcome;
    return taken;
}

/* Takes bytes, all of them, and what becomes complete by them. Without `known` they are the ring's; else they stay, and
 * `known` is as for zgi_receive_whole(). Where the line was silent, what is open ends, or is given up and read again.
 */
static ZGI_QUICK void zgi_take(struct zg_link *link, bool silent, const uint8_t *bytes, size_t count,
                               const struct zg_protocol *known, uint32_t now)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    const bool rereads = protocol->framing->rereads;
    enum zg_outcome outcome;
    bool telling = silent;

    for (;;) {
        if (known) {
            size_t whole = zgi_take_whole(link, known, bytes, count, now);
            bytes += whole;
            count -= whole;
        }
        const size_t piece = protocol->console && count > ZG_TEXT_PIECE ? ZG_TEXT_PIECE : count;
        const size_t taken = zgi_take_some(link, telling, bytes, (zgi_span)piece, !known, now, &outcome);
        bytes += taken;
        count -= taken;
        if (!rereads && count == 0)
            return; /* no event comes without bytes */
        if (!rereads || outcome != ZG_OUTCOME_OPEN || count > 0) {
            telling = false;
        } else {
            if (telling == silent)
                return;
            telling = true;
        }
    }
}

/* Whether the receive interrupt has been quiet for the gap that ends a frame. The ring was empty before this call. */
static inline bool zgi_gap_came(struct zg_link *link)
{
    zgi_hold(link);
    uint32_t last = link->gaps->last_us;
    zgi_release(link);
    return zg_clock_since(zgi_now(link), last) >= ZGI_PROTOCOL_OF(link)->gap_us;
}

/* Whether silence in which nothing came is to be told. */
static inline bool zgi_is_silent(struct zg_link *link, uint32_t now)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    uint32_t limit = protocol->byte_timeout_us;

    if (link->waiting == 0)
        return false;
    if (protocol->gap_us > 0)
        return zgi_gap_came(link);
    if (limit == 0 || zg_clock_since(now, link->last_us) < limit)
        return false;
#if ZGI_FED_AT_ONCE
    if (link->waiting > 1) {
        link->waiting--;
        return false;
    }
#endif
    return true;
}

/* How many of `due` bytes come before the next place where silence ended a frame; 0: here is one. */
static inline zg_index zgi_before_gap(struct zg_link *link, zg_index due)
{
    struct zg_link_gaps *gaps = link->gaps;

    if (gaps->tail == *(volatile uint8_t *)&gaps->head)
        return due;
    zg_index ahead = (zg_index)(gaps->at[gaps->tail % ZG_LINK_GAPS] - link->receive.tail);
    if (ahead == 0)
        gaps->tail++;
    return ahead < due ? ahead : due;
}

/* Takes what was in the receive ring when it was called, and tells silence. */
static inline void zgi_take_received(struct zg_link *link, uint32_t now)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    zg_index due = zg_ring_used(&link->receive);
    enum zg_outcome outcome;

    if (due > 0) {
        link->waiting = 1;
        link->last_us = now;
    } else if (zgi_is_silent(link, now)) {
        link->waiting = 0;
    } else {
        return;
    }
    do {
        const uint8_t *span;
        ZGI_KNOW_RING(link, receive);
        zg_index count = zgi_ring_span(&link->receive, due, &span);
        if (protocol->gap_us > 0)
            count = zgi_before_gap(link, count);
        if (protocol->framing->rereads || protocol->console)
            zgi_take(link, count == 0, span, count, NULL, now);
        else /* the rest comes with the next turn */
            count = (zg_index)zgi_take_some(link, count == 0, span, count, true, now, &outcome);
        due = (zg_index)(due - count);
    } while (due > 0);
    if (protocol->gap_us > 0 && zg_ring_used(&link->receive) == 0 && zgi_is_silent(link, now)) {
        link->waiting = 0;
        zgi_take(link, true, link->receive.bytes, 0, NULL, now);
    }
}

/* zg_any_link_receive(); `known` as for zgi_receive_whole(). The first poll that finds silence may itself be late, and
 * bytes have come since the last reading: it takes a second one, with no bytes read in between. */
static ZGI_QUICK void zgi_link_receive(struct zg_link *link, const struct zg_protocol *known, const uint8_t *bytes,
                                       size_t count)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    const uint32_t now = zgi_now(link);
    bool silent = false;

    if (count == 0)
        return;
    if (protocol->gap_us > 0) {
        silent = link->waiting && zg_clock_since(now, link->gaps->last_us) >= protocol->gap_us;
        link->gaps->last_us = now;
    }
    link->last_us = now;
    link->waiting = 2;
    zgi_take(link, silent, bytes, count, known, now);
}

/* zg_any_link_poll() */
static inline void zgi_link_poll(struct zg_link *link)
{
    uint32_t now = zgi_now(link);

    zgi_take_received(link, now);
    zgi_watch_peers(link, now);
    (void)zgi_may_begin(link, 0); /* notes when the transmit ring became empty */
}

/* Bytes of a candidate, or of noise, that has not ended yet. */
static inline size_t zgi_pending(const struct zg_link *link)
{
#if ZGI_IN_PLACE
    return link->gathered;
#else
    return ZGI_RECEIVER(link)->decoder.pending;
#endif
}
