/* SPDX-License-Identifier: MIT */
#include "zeugma/link.h"

#include <string.h>

#include "zeugma/clock.h"
#include "zeugma/error.h"

int zg_link_init(struct zg_link *link, const struct zg_protocol *protocol, void *owner, const struct zg_port *port,
                 void *port_context, const struct zg_link_memory *memory)
{
    if (memory->frame_size < protocol->receive_room || protocol->header_size > ZG_HEADER_MAX ||
        memory->transmit_size < protocol->max_frame || (protocol->gap_us > 0 && !memory->gaps))
        return ZG_EINVALID;
    memset(link, 0, sizeof *link);
    link->protocol = protocol;
    link->owner = owner;
    link->port = port;
    link->port_context = port_context;
    link->gaps = memory->gaps;
    if (link->gaps)
        memset(link->gaps, 0, sizeof *link->gaps);
    link->sent_us = port->now_us(port_context) - protocol->send_gap_us;
    zg_receiver_init(&link->receiver, protocol, owner, &link->counters, memory->frame);
    int error = zg_ring_init(&link->receive, memory->receive, memory->receive_size);
    return error ? error : zg_ring_init(&link->transmit, memory->transmit, memory->transmit_size);
}

void zg_link_set_addresses(struct zg_link *link, uint32_t own, uint32_t peer)
{
    link->address = own;
    link->peer = peer;
}

/* A byte is about to come in: notes its place where the silence before it ended a frame. */
static void note_gap_isr(struct zg_link *link)
{
    struct zg_link_gaps *gaps = link->gaps;
    uint32_t now = link->port->now_us(link->port_context);
    uint8_t used = (uint8_t)(gaps->head - gaps->tail);

    if (gaps->heard && used < ZG_LINK_GAPS && zg_clock_since(now, gaps->last_us) >= link->protocol->gap_us) {
        gaps->at[gaps->head % ZG_LINK_GAPS] = link->receive.head;
        gaps->head++;
    }
    gaps->heard = true;
    gaps->last_us = now;
}

void zg_link_receive_isr(struct zg_link *link, uint8_t byte, unsigned line_errors)
{
    if (link->gaps)
        note_gap_isr(link);
    (void)zg_ring_put(&link->receive, byte);
    for (unsigned i = 0; line_errors != 0; i++, line_errors >>= 1)
        if ((line_errors & 1U) != 0 && i < 4)
            link->flagged[i]++;
}

bool zg_link_transmit_isr(struct zg_link *link, uint8_t *byte)
{
    return zg_ring_get(&link->transmit, byte);
}

/* Whether the silence that is due in front of a frame was kept: since the ring became empty, or was seen to be. */
static bool may_begin(struct zg_link *link)
{
    const struct zg_protocol *protocol = link->protocol;

    if (protocol->send_gap_us == 0)
        return true;
    uint32_t now = link->port->now_us(link->port_context);
    if (zg_ring_room(&link->transmit) <= link->transmit.mask)
        return false;
    if (link->sending) {
        link->sending = false;
        link->sent_us = now;
    }
    return zg_clock_since(now, link->sent_us) >= protocol->send_gap_us;
}

/* What goes into one frame. */
struct outgoing {
    struct zg_encoder encoder;
    const struct zg_protocol *protocol;
    zg_check_word state;
};

/* Adds a part of what the check covers. */
static void put(struct outgoing *out, const uint8_t *bytes, size_t count, bool covered)
{
    const struct zg_check *check = out->protocol->check;

    zg_encoder_put(&out->encoder, out->protocol->framing, bytes, count);
    if (check->size > 0 && covered)
        out->state = check->update(check->parameters, out->state, bytes, count);
}

int zg_link_send(struct zg_link *link, uint32_t id, const uint8_t *payload, size_t length)
{
    static const uint8_t zero = 0;
    const struct zg_protocol *protocol = link->protocol;
    const struct zg_check *check = protocol->check;
    struct zg_header header = { .id = id,
                                .sequence = link->sequence,
                                .length = (uint32_t)length,
                                .destination = link->peer,
                                .source = link->address };
    struct outgoing out = { .protocol = protocol, .state = check->start };
    uint8_t head[ZG_HEADER_MAX];
    uint8_t tail[sizeof(zg_check_word)];
    size_t wire;

    if (length > protocol->max_payload)
        return ZG_ESIZE;
    if (!may_begin(link))
        return ZG_EROOM;
    protocol->write_header(link->owner, &header, head);
    zg_encoder_begin(&out.encoder, protocol->framing, &link->transmit);
    put(&out, head, protocol->header_size, check->skip == 0);
    put(&out, payload, length, true);
    for (size_t size = protocol->header_size + length + check->size; size < protocol->filled; size++)
        put(&out, &zero, 1, true);
    if (check->size > 0) {
        zg_check_store(check, check->finish(check->parameters, out.state), tail);
        put(&out, tail, check->size, false);
    }
    int error = zg_encoder_end(&out.encoder, protocol->framing, &wire);
    if (error)
        return error;
    link->sequence++;
    link->sending = true;
    link->counters.frames_out++;
    link->counters.bytes_out += (uint32_t)wire;
    link->port->start_transmit(link->port_context);
    return 0;
}

/* Tells what a frame's sequence says, as far as one node's numbers are followed: the peer's. */
static void note_sequence(struct zg_link *link, struct zg_frame *frame)
{
    const struct zg_protocol *protocol = link->protocol;
    struct zg_counters *counters = &link->counters;
    uint32_t skipped;

    if (protocol->sequence_bits == 0 || (protocol->source_bits > 0 && frame->header.source != link->peer))
        return;
    frame->arrival = zg_sequence_note(&link->heard, protocol->sequence_bits, frame->header.sequence, &skipped);
    counters->lost += skipped;
    counters->repeated += frame->arrival == ZG_ARRIVAL_REPEATED;
    counters->late += frame->arrival == ZG_ARRIVAL_LATE;
}

/* Whether a frame is for this node: it has its address, or that of everybody. */
static bool is_for_us(const struct zg_link *link, const struct zg_header *header)
{
    unsigned bits = link->protocol->destination_bits;
    return bits == 0 || header->destination == link->address || header->destination == UINT32_MAX >> (32 - bits);
}

/* Hands a frame on and counts what became of it. */
static void hand_on(struct zg_link *link, struct zg_found *found, uint32_t now)
{
    const struct zg_protocol *protocol = link->protocol;
    struct zg_counters *counters = &link->counters;
    struct zg_frame *frame = &found->frame;

    frame->arrival = ZG_ARRIVAL_NEXT;
    frame->at_us = now;
    frame->line_errors = link->line_errors;
    link->line_errors = 0;
    if (found->outcome == ZG_OUTCOME_VERSION)
        return;
    note_sequence(link, frame);
    if (!is_for_us(link, &frame->header)) {
        counters->not_for_us++;
        return;
    }
    int result = protocol->deliver(link->owner, frame, found->payload, found->length);
    if (result == ZG_EUNKNOWN)
        counters->unknown_id++;
    else if (result < 0)
        counters->bad_payload++;
    else if (protocol->filled == 0 || protocol->length_ends) /* else they are zero bytes */
        counters->extra_bytes += (uint32_t)result;
}

/* Takes bytes, all of them, and what becomes complete by them. Those of a ring are given back before a handler is
 * called, which may take its time. */
static void take(struct zg_link *link, const uint8_t *bytes, size_t count, struct zg_ring *from, uint32_t now)
{
    struct zg_found found;

    do {
        size_t taken = zg_receiver_take(&link->receiver, bytes, count, &found);
        if (from)
            zg_ring_release(from, (zg_index)taken);
        bytes += taken;
        count -= taken;
        if (found.outcome == ZG_OUTCOME_FRAME || found.outcome == ZG_OUTCOME_VERSION)
            hand_on(link, &found, now);
    } while (found.outcome != ZG_OUTCOME_OPEN);
}

/* The line was silent: what is open ends, or is given up and read again. */
static void take_silence(struct zg_link *link, uint32_t now)
{
    struct zg_found found;

    link->waiting = false;
    do {
        zg_receiver_pause(&link->receiver, &found);
        if (found.outcome == ZG_OUTCOME_FRAME || found.outcome == ZG_OUTCOME_VERSION)
            hand_on(link, &found, now);
        take(link, link->receive.bytes, 0, NULL, now);
    } while (found.outcome != ZG_OUTCOME_OPEN);
}

/* Fetches what the receive interrupt counted: each counter is 16 bits and wraps. */
static void collect_interrupt_counts(struct zg_link *link)
{
    const struct zg_port *port = link->port;
    struct zg_counters *counters = &link->counters;
    uint32_t *const line[4] = { &counters->line_framing, &counters->line_parity, &counters->line_overrun,
                                &counters->line_break };

    if (port->hold)
        port->hold(link->port_context);
    uint16_t dropped = (uint16_t)(link->receive.dropped - link->dropped_seen);
    link->dropped_seen = link->receive.dropped;
    for (unsigned i = 0; i < 4; i++) {
        uint16_t flagged = *(volatile uint16_t *)&link->flagged[i];
        uint16_t fresh = (uint16_t)(flagged - link->flagged_seen[i]);
        link->flagged_seen[i] = flagged;
        *line[i] += fresh;
        link->line_errors += fresh;
    }
    if (port->release)
        port->release(link->port_context);
    counters->bytes_dropped += dropped;
}

/* Whether the receive interrupt has been quiet for the gap that ends a frame. The ring was empty before this call. */
static bool gap_came(struct zg_link *link)
{
    const struct zg_port *port = link->port;

    if (port->hold)
        port->hold(link->port_context);
    uint32_t last = link->gaps->last_us;
    if (port->release)
        port->release(link->port_context);
    return zg_clock_since(port->now_us(link->port_context), last) >= link->protocol->gap_us;
}

static void watch_silence(struct zg_link *link, uint32_t now)
{
    uint32_t limit = link->protocol->byte_timeout_us;

    if (!link->waiting || zg_ring_used(&link->receive) > 0)
        return;
    if (link->gaps ? gap_came(link) : limit > 0 && zg_clock_since(now, link->last_us) >= limit)
        take_silence(link, now);
}

/* How many of `due` bytes come before the next place where silence ended a frame; at such a place it is told. */
static zg_index before_gap(struct zg_link *link, zg_index due, uint32_t now)
{
    struct zg_link_gaps *gaps = link->gaps;

    while (gaps->tail != *(volatile uint8_t *)&gaps->head) {
        zg_index ahead = (zg_index)(gaps->at[gaps->tail % ZG_LINK_GAPS] - link->receive.tail);
        if (ahead > 0)
            return ahead < due ? ahead : due;
        gaps->tail++;
        take_silence(link, now);
        link->waiting = true;
    }
    return due;
}

static void take_received(struct zg_link *link, uint32_t now)
{
    zg_index due = zg_ring_used(&link->receive);

    if (due == 0)
        return;
    link->last_us = now;
    link->waiting = true;
    while (due > 0) {
        const uint8_t *span;
        zg_index most = link->gaps ? before_gap(link, due, now) : due;
        zg_index count = zg_ring_span(&link->receive, &span);
        if (count > most)
            count = most;
        take(link, span, count, &link->receive, now);
        due = (zg_index)(due - count);
    }
}

void zg_link_receive(struct zg_link *link, const uint8_t *bytes, size_t count)
{
    uint32_t now = link->port->now_us(link->port_context);

    if (link->gaps && link->waiting && zg_clock_since(now, link->gaps->last_us) >= link->protocol->gap_us)
        take_silence(link, now);
    if (link->gaps)
        link->gaps->last_us = now;
    link->last_us = now;
    link->waiting = true;
    take(link, bytes, count, NULL, now);
}

void zg_link_poll(struct zg_link *link)
{
    uint32_t now = link->port->now_us(link->port_context);

    collect_interrupt_counts(link);
    take_received(link, now);
    watch_silence(link, now);
    (void)may_begin(link); /* notes when the transmit ring became empty */
}

size_t zg_link_pending(const struct zg_link *link)
{
    return zg_receiver_pending(&link->receiver);
}
