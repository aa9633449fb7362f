/* SPDX-License-Identifier: MIT */
/*
 * Private. An end at work: receives bytes, hands frames on, counts them, watches for silence. It includes what it
 * builds on; the compiler drops what a protocol does not need.
 */

#include "zeugma/detail/receiver_body.h"
#if ZGI_IN_PLACE
#include "zeugma/detail/short_cobs_body.h"
#else
#include "zeugma/detail/framing_body.h"
#endif

#include "zeugma/detail/send_body.h"

#include "zeugma/detail/peers_body.h"

/* Hands on a frame, of this version or another, and counts the result. */
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
    const bool is_bare = protocol->bares > 0 && frame->header.bare > 0;
    if (peer && !is_bare)
        zgi_note_sequence(link, peer, frame);
    uint8_t counter = ZGI_COUNTER(not_for_us);
    int result = 1;
    if (is_bare || zgi_is_for_us(link, &frame->header)) {
        result = zgi_deliver(link, frame, payload, length);
        counter = ZGI_COUNTER(extra_bytes);
        if (protocol->filled > 0 && !protocol->length_ends && result > 0)
            return; /* what is left over are the zero bytes that fill the content up */
        if (result < 0) {
            counter = result == ZG_EUNKNOWN ? ZGI_COUNTER(unknown_id) : ZGI_COUNTER(bad_payload);
            result = 1;
        }
    }
    if (result != 0)
        zgi_count(ZGI_RECEIVER(link), counter, (zgi_amount)result);
}

/* Bytes that the receiver has of a candidate, or of noise, that has not ended yet. */
static inline size_t zgi_held(const struct zg_link *link)
{
#if ZGI_IN_PLACE
    return link->gathered;
#else
    return ZGI_RECEIVER(link)->decoder.pending;
#endif
}

/* Bytes of what has not ended yet. */
static inline size_t zgi_pending(const struct zg_link *link)
{
    const bool may_be_bare = ZGI_PROTOCOL_OF(link)->bares > 0 && link->outside > 1;
    return zgi_held(link) + (may_be_bare ? link->outside - 1U : 0U);
}

#if ZGI_WHOLE_FRAMES && !ZGI_IN_PLACE

/* Takes frames that are complete in `bytes`, which stay valid. Returns how many bytes they took. */
static ZGI_QUICK size_t zgi_take_whole(struct zg_link *link, const struct zg_protocol *protocol, const uint8_t *bytes,
                                       size_t count, uint32_t now)
{
    size_t taken = 0, size;
    struct zg_found found;
    struct zg_frame frame;

    if (!protocol->framing->whole || protocol->console || protocol->ignores > 0 || protocol->bares > 0)
        return 0;
    while ((size = zgi_receive_whole(ZGI_RECEIVER(link), protocol, bytes + taken, count - taken, &found,
                                     &frame.header)) > 0) {
        zgi_hand_on(link, found.outcome == ZG_OUTCOME_VERSION, &frame, found.payload, found.length, now);
        taken += size;
    }
    if (taken > 0 && protocol->hear) {
        found.outcome = ZG_OUTCOME_FRAME;
        found.wire = 0;
        protocol->hear(ZGI_OWNER(ZGI_RECEIVER(link)), NULL, 0, &found, 0);
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

/* How many bytes stand in front of the first that is dropped, or, with `dropped`, of the first that is not. */
static inline zgi_span zgi_run(const struct zg_protocol *protocol, const uint8_t *bytes, zgi_span count, bool dropped)
{
    zgi_span run = 0;

    for (; run < count; run++) {
        uint8_t i = 0;
        while (i < protocol->ignores && protocol->ignored[i] != bytes[run])
            i++;
        if ((i < protocol->ignores) != dropped)
            break;
    }
    return run;
}

/* Whether a byte, outside any frame, is the next of a message that comes there. */
static inline bool zgi_take_bare(struct zg_link *link, uint8_t byte)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    const uint8_t seen = (uint8_t)(link->outside - 1U);

    if (zgi_held(link) > 0)
        return false;
    for (uint8_t i = 0; i < protocol->bares; i++) {
        const struct zg_bare *bare = &protocol->bare[i];
        if (seen < bare->size && bare->bytes[seen] == byte &&
            memcmp(bare->bytes, protocol->bare[link->bare].bytes, seen) == 0) {
            link->bare = i;
            link->outside++;
            zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(bytes_in), 1);
            return true;
        }
    }
    return false;
}

/* After a byte of it came: hands on what came outside a frame, if it is complete. */
static inline void zgi_end_bare(struct zg_link *link, uint32_t now)
{
    const struct zg_bare *bare = &ZGI_PROTOCOL_OF(link)->bare[link->bare];
    struct zg_frame frame;

    if (link->outside <= bare->size)
        return;
    memset(&frame.header, 0, sizeof frame.header);
    frame.header.bare = bare->number;
    zgi_count_outcome(ZGI_RECEIVER(link), ZG_OUTCOME_FRAME, 0, bare->size);
    link->outside = 1;
    zgi_hand_on(link, false, &frame, bare->bytes, bare->size, now);
}

/* Notes whether what comes next stands outside any frame. */
static inline void zgi_note_outside(struct zg_link *link, bool silent, bool taken, enum zg_outcome outcome)
{
    if (outcome == ZG_OUTCOME_FRAME || outcome == ZG_OUTCOME_VERSION || outcome == ZG_OUTCOME_IDLE ||
        (silent && outcome == ZG_OUTCOME_OPEN))
        link->outside = 1;
    else if (taken || outcome != ZG_OUTCOME_OPEN)
        link->outside = 0;
}

/* Takes bytes up to the first at which something ends, and hands a frame on. Bytes of the ring are released before the
 * handler is called, because it may be slow. */
static ZGI_QUICK zgi_span zgi_take_framed(struct zg_link *link, bool silent, const uint8_t *bytes, zgi_span count,
                                          bool from_ring, uint32_t now, enum zg_outcome *outcome)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    struct zg_found found;
    struct zg_frame frame;
    ZGI_WRITTEN(frame.header); /* the header, if it was a frame */
    const zgi_span taken = zgi_receive(ZGI_RECEIVER(link), silent, bytes, count, &found, &frame.header);

    if (protocol->bares > 0) {
        frame.header.bare = 0;
        zgi_note_outside(link, silent, taken > 0, found.outcome);
    }
    if (protocol->console)
        zg_text_sorter_take(protocol->console(ZGI_OWNER(ZGI_RECEIVER(link))), &link->counters, bytes, taken, &found);
    if (protocol->hear)
        protocol->hear(ZGI_OWNER(ZGI_RECEIVER(link)), bytes, taken, &found, zgi_pending(link));
    if (from_ring)
        zg_ring_release(&link->receive, (zg_index)taken);
    const bool foreign = found.outcome == ZG_OUTCOME_VERSION && protocol->version_bits > 0;
    if (found.outcome == ZG_OUTCOME_FRAME || foreign)
        zgi_hand_on(link, foreign, &frame, zgi_content(ZGI_RECEIVER(link)) + protocol->header_size,
                    protocol->check->form
                        ? found.length
                        : zgi_payload_length(protocol, zgi_content_length(ZGI_RECEIVER(link), &found), &frame.header),
                    now);
    *outcome = found.outcome;
    return taken;
}

/* What seemed to come outside a frame is something else: those of its bytes that came are received like others. */
static inline void zgi_bare_is_none(struct zg_link *link, uint32_t now)
{
    const uint8_t *bytes = ZGI_PROTOCOL_OF(link)->bare[link->bare].bytes;
    enum zg_outcome outcome = ZG_OUTCOME_OPEN;
    uint8_t left = (uint8_t)(link->outside - 1U);

    link->outside = 0;
    link->counters.bytes_in -= left; /* they are counted again */
    while (left > 0 || outcome != ZG_OUTCOME_OPEN) {
        const zgi_span taken =
            zgi_take_framed(link, false, bytes, outcome == ZG_OUTCOME_OPEN ? 1 : 0, false, now, &outcome);
        bytes += taken;
        left = (uint8_t)(left - taken);
    }
}

/* Takes some of the bytes: those that are dropped, one that stands outside frames, or as zgi_take_framed(). */
static ZGI_QUICK zgi_span zgi_take_some(struct zg_link *link, bool silent, const uint8_t *bytes, zgi_span count,
                                        bool from_ring, uint32_t now, enum zg_outcome *outcome)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);

    *outcome = ZG_OUTCOME_OPEN;
    if (protocol->ignores > 0 && !silent && count > 0) {
        const zgi_span dropped = zgi_run(protocol, bytes, count, true);
        if (dropped > 0) {
            zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(bytes_in), dropped);
            zgi_count(ZGI_RECEIVER(link), ZGI_COUNTER(bytes_idle), dropped);
            if (from_ring)
                zg_ring_release(&link->receive, (zg_index)dropped);
            return dropped;
        }
        count = zgi_run(protocol, bytes, count, false);
    }
    if (protocol->bares > 0 && link->outside > 0 && (silent || count > 0)) {
        if (!silent && zgi_take_bare(link, bytes[0])) {
            if (from_ring)
                zg_ring_release(&link->receive, 1);
            zgi_end_bare(link, now);
            return 1;
        }
        if (link->outside > 1)
            zgi_bare_is_none(link, now);
    }
    return zgi_take_framed(link, silent, bytes, count, from_ring, now, outcome);
}

/* Takes all bytes, and handles whatever they complete. If `known` is NULL the bytes are the ring's; otherwise they stay
 * valid, and `known` is as for zgi_receive_whole(). If the line was silent, an open candidate ends, or is abandoned and
 * its bytes are searched again. */
static ZGI_QUICK void zgi_take(struct zg_link *link, bool silent, const uint8_t *bytes, size_t count,
                               const struct zg_protocol *known, uint32_t now)
{
    const struct zg_protocol *protocol = ZGI_PROTOCOL_OF(link);
    const bool rereads = protocol->framing->rereads;
    enum zg_outcome outcome = ZG_OUTCOME_OPEN;
    bool end_open = silent;

    for (;;) {
        if (known) {
            size_t whole = zgi_take_whole(link, known, bytes, count, now);
            bytes += whole;
            count -= whole;
        }
        size_t piece = protocol->console && count > ZG_TEXT_PIECE ? ZG_TEXT_PIECE : count;
        if (protocol->bares > 0) /* nothing behind a frame is taken with it, or before what ended is examined again */
            piece = count > 0 && outcome == ZG_OUTCOME_OPEN ? 1 : 0;
        const size_t taken = zgi_take_some(link, end_open, bytes, (zgi_span)piece, !known, now, &outcome);
        bytes += taken;
        count -= taken;
        if (!rereads && count == 0)
            return; /* nothing can end without bytes */
        if (!rereads || outcome != ZG_OUTCOME_OPEN || count > 0) {
            end_open = false;
        } else {
            if (end_open == silent)
                return;
            end_open = true;
        }
    }
}

/* Whether the receive interrupt was quiet for the gap that ends a frame. The ring was empty before this call. */
static inline bool zgi_gap_came(struct zg_link *link)
{
    zgi_hold(link);
    uint32_t last = link->gaps->last_us;
    zgi_release(link);
    return zg_clock_since(zgi_now(link), last) >= ZGI_PROTOCOL_OF(link)->gap_us;
}

/* Whether the receiver must be told of silence in which no byte came. */
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

/* How many of `due` bytes come before the next place where silence ended a frame. 0: it is here. */
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

/* Takes what was in the receive ring at the time of the call, and notices silence. */
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
        else /* the rest follows with the next turn */
            count = (zg_index)zgi_take_some(link, count == 0, span, count, true, now, &outcome);
        due = (zg_index)(due - count);
    } while (due > 0);
    if (protocol->gap_us > 0 && zg_ring_used(&link->receive) == 0 && zgi_is_silent(link, now)) {
        link->waiting = 0;
        zgi_take(link, true, link->receive.bytes, 0, NULL, now);
    }
}

/* zg_any_link_receive(); `known` is as for zgi_receive_whole(). A poll that finds silence may itself be late, with
 * bytes waiting that were not read yet. So silence counts only if a second poll finds it, with no bytes in between. */
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

/* zg_any_link_receive_packet(); `known` is as for zgi_receive_whole(). */
static ZGI_QUICK void zgi_link_receive_packet(struct zg_link *link, const struct zg_protocol *known,
                                              const uint8_t *bytes, size_t size)
{
    const uint32_t now = zgi_now(link);

    link->last_us = now;
    for (size_t piece; size > 0; bytes += piece, size -= piece) {
        piece = size < ZG_RING_MAX ? size : ZG_RING_MAX;
        zgi_take(link, false, bytes, piece, known, now);
    }
    zgi_take(link, true, bytes, 0, known, now);
}

/* zg_any_link_poll() */
static inline void zgi_link_poll(struct zg_link *link)
{
    uint32_t now = zgi_now(link);

    if (ZGI_PROTOCOL_OF(link)->packets)
        zgi_offer_packet(link);
    else
        zgi_take_received(link, now);
    zgi_watch_peers(link, now);
    (void)zgi_may_begin(link, 0); /* notes when the transmit ring became empty */
}
