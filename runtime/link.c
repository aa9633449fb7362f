/* SPDX-License-Identifier: MIT */
#include "zeugma/link.h"

#include <string.h>

#include "zeugma/clock.h"
#include "zeugma/error.h"

int zg_link_init(struct zg_link *link, const struct zg_protocol *protocol, void *owner, const struct zg_port *port,
                 void *port_context, const struct zg_link_memory *memory)
{
    if (memory->content_size < ZG_LINK_CONTENT(protocol) || protocol->header_size > ZG_HEADER_MAX ||
        memory->transmit_size < ZG_COBS_WIRE_MAX(ZG_LINK_CONTENT(protocol)))
        return ZG_EINVALID;
    memset(link, 0, sizeof *link);
    link->protocol = protocol;
    link->owner = owner;
    link->port = port;
    link->port_context = port_context;
    zg_cobs_decoder_init(&link->decoder, memory->content, ZG_LINK_CONTENT(protocol));
    int error = zg_ring_init(&link->receive, memory->receive, memory->receive_size);
    return error ? error : zg_ring_init(&link->transmit, memory->transmit, memory->transmit_size);
}

void zg_link_set_addresses(struct zg_link *link, uint32_t own, uint32_t peer)
{
    link->address = own;
    link->peer = peer;
}

void zg_link_receive_isr(struct zg_link *link, uint8_t byte, unsigned line_errors)
{
    (void)zg_ring_put(&link->receive, byte);
    for (unsigned i = 0; line_errors != 0; i++, line_errors >>= 1)
        if ((line_errors & 1U) != 0 && i < 4)
            link->flagged[i]++;
}

bool zg_link_transmit_isr(struct zg_link *link, uint8_t *byte)
{
    return zg_ring_get(&link->transmit, byte);
}

int zg_link_send(struct zg_link *link, uint32_t id, const uint8_t *payload, size_t length)
{
    const struct zg_protocol *protocol = link->protocol;
    const struct zg_check *check = protocol->check;
    struct zg_header header = { .id = id,
                                .sequence = link->sequence,
                                .length = (uint32_t)length,
                                .destination = link->peer,
                                .source = link->address };
    uint8_t head[ZG_HEADER_MAX];
    uint8_t tail[sizeof(zg_check_word)];
    struct zg_cobs_encoder encoder;
    size_t wire;

    if (length > protocol->max_payload)
        return ZG_ESIZE;
    protocol->write_header(link->owner, &header, head);
    zg_cobs_begin(&encoder, &link->transmit);
    zg_cobs_put(&encoder, head, protocol->header_size);
    zg_cobs_put(&encoder, payload, length);
    if (check->size > 0) {
        zg_check_word state = check->start;
        if (check->skip == 0)
            state = check->update(check->parameters, state, head, protocol->header_size);
        state = check->update(check->parameters, state, payload, length);
        zg_check_store(check, check->finish(check->parameters, state), tail);
        zg_cobs_put(&encoder, tail, check->size);
    }
    int error = zg_cobs_end(&encoder, &wire);
    if (error)
        return error;
    link->sequence++;
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

/* Hands an admitted frame on and counts what became of it. */
static void hand_on(struct zg_link *link, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    const struct zg_protocol *protocol = link->protocol;
    struct zg_counters *counters = &link->counters;

    note_sequence(link, frame);
    if (!is_for_us(link, &frame->header)) {
        counters->not_for_us++;
        return;
    }
    int result = protocol->deliver(link->owner, frame, payload, length);
    if (result == ZG_EUNKNOWN)
        counters->unknown_id++;
    else if (result < 0)
        counters->bad_payload++;
    else
        counters->extra_bytes += (uint32_t)result;
}

static void judge_candidate(struct zg_link *link, uint32_t now)
{
    const struct zg_protocol *protocol = link->protocol;
    struct zg_counters *counters = &link->counters;
    const uint8_t *content = link->decoder.content;
    size_t length = link->decoder.length;
    size_t around = (size_t)protocol->header_size + protocol->check->size;
    uint32_t wire = (uint32_t)link->decoder.wire;
    struct zg_frame frame = { .arrival = ZG_ARRIVAL_NEXT, .at_us = now, .line_errors = link->line_errors };

    uint32_t *failed = NULL;
    int verdict = 0;
    if (length < around || length == 0)
        failed = &counters->malformed;
    else if (!zg_check_passes(protocol->check, content, length))
        failed = &counters->failed_check;
    else if ((verdict = protocol->admit(link->owner, content, length, &frame.header)) == ZG_EFORM)
        failed = &counters->malformed;
    if (failed) {
        ++*failed;
        counters->bytes_failed += wire;
        return;
    }
    counters->frames_in++;
    counters->bytes_of_frames += wire;
    link->line_errors = 0;
    if (verdict != 0)
        counters->other_version++;
    else
        hand_on(link, &frame, content + protocol->header_size, length - around);
}

static void count_event(struct zg_link *link, enum zg_framing_event event, uint32_t now)
{
    struct zg_counters *counters = &link->counters;
    uint32_t wire = (uint32_t)link->decoder.wire;

    switch (event) {
    case ZG_FRAMING_CONTENT: judge_candidate(link, now); break;
    case ZG_FRAMING_MALFORMED:
        counters->malformed++;
        counters->bytes_failed += wire;
        break;
    case ZG_FRAMING_TOO_LONG:
        counters->too_long++;
        counters->bytes_failed += wire;
        break;
    case ZG_FRAMING_NOISE: counters->bytes_noise += wire; break;
    case ZG_FRAMING_IDLE: counters->bytes_idle += wire; break;
    case ZG_FRAMING_MORE: break;
    }
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

static void watch_silence(struct zg_link *link, uint32_t now)
{
    struct zg_counters *counters = &link->counters;
    uint32_t limit = link->protocol->byte_timeout_us;

    if (limit == 0 || zg_cobs_between(&link->decoder) || zg_clock_since(now, link->last_us) < limit)
        return;
    bool candidate = zg_cobs_open(&link->decoder);
    uint32_t bytes = (uint32_t)zg_cobs_abandon(&link->decoder);
    counters->timed_out += candidate;
    *(candidate ? &counters->bytes_failed : &counters->bytes_noise) += bytes;
}

void zg_link_poll(struct zg_link *link)
{
    uint32_t now = link->port->now_us(link->port_context);
    zg_index due = zg_ring_used(&link->receive);

    collect_interrupt_counts(link);
    if (due > 0)
        link->last_us = now;
    while (due > 0) {
        const uint8_t *span;
        enum zg_framing_event event;
        zg_index count = zg_ring_span(&link->receive, &span);
        if (count > due)
            count = due;
        zg_index taken = (zg_index)zg_cobs_decode(&link->decoder, span, count, &event);
        zg_ring_release(&link->receive, taken);
        due = (zg_index)(due - taken);
        link->counters.bytes_in += taken;
        count_event(link, event, now);
    }
    watch_silence(link, now);
}

size_t zg_link_pending(const struct zg_link *link)
{
    return zg_cobs_pending(&link->decoder);
}
