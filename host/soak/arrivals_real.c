/* SPDX-License-Identifier: MIT */
/* What arrives from a real device. Only what it answers or sends shows what it has taken or sent. */
#include "soak/arrivals.h"
#include "soak/journal.h"
#include "soak/listening.h"
#include "soak/stretch.h"
#include "zeugma/error.h"

/* The place of a real device's frame among its frames, by the number in the header: that of the newest, plus or minus
 * less than half of the numbers. Without a number, as they come. */
static uint32_t place_of(struct zgi_soak *soak, uint32_t sequence)
{
    const unsigned bits = soak->plan->sequence_bits;

    if (bits == 0)
        return ++soak->newest;
    if (!soak->placed) { /* beyond all before a restart */
        soak->placed = true;
        soak->newest = bits < 32 ? (((soak->newest >> bits) + 1) << bits) | sequence : sequence;
        return soak->newest;
    }
    const uint32_t ahead = (sequence - soak->newest) << (32 - bits) >> (32 - bits);
    const bool older = bits > 1 && ahead >> (bits - 1) != 0;
    const uint32_t place = soak->newest + ahead - (older && bits < 32 ? UINT32_C(1) << bits : 0);
    if (!older)
        soak->newest = place;
    return place;
}

/* A real device answered an echo: so the echo arrived, and the answer was sent. */
static void note_answer(struct zgi_soak *soak, const struct zg_header *header, uint32_t place, const uint8_t *payload,
                        size_t length)
{
    if (length < zg_traffic_number_size(soak->plan))
        return;
    uint32_t number = zgi_number_of(soak, ZG_FLOW_ECHO_BACK, payload);
    const struct zg_ledger_entry *request = zg_ledger_find(soak->ledger, ZG_FLOW_ECHO_OUT, number);
    if (!request || request->arrived || !zgi_equals_sent(soak, ZG_FLOW_ECHO_BACK, number, payload, length))
        return;
    (void)zg_ledger_arrived(soak->ledger, ZG_FLOW_ECHO_OUT, number, soak->now_ns, UINT64_MAX);
    const struct zg_ledger_entry answer = { .sent_ns = soak->now_ns,
                                            .due_ns = soak->now_ns,
                                            .order = place,
                                            .sequence = header->sequence,
                                            .bytes = (uint32_t)length };
    zg_ledger_sent(soak->ledger, ZG_FLOW_ECHO_BACK, number, &answer);
}

/* The journal has missing frames of a stream at the time when the next one came. */
static void note_missing(struct zgi_soak *soak, uint32_t number, uint32_t next)
{
    if (number < next) { /* it was taken for one */
        zg_journal_count(soak->journal, soak->now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASSES, -1);
        zg_journal_count(soak->journal, soak->now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASS_LOST_BACK, -1);
    } else if (number > next) {
        const enum zg_class class_ = soak->after_outage ? ZG_CLASS_LOST_OUTAGE : ZG_CLASS_LOST_BACK;
        soak->lost_in_outages[HOST] += soak->after_outage ? number - next : 0;
        zg_journal_count(soak->journal, soak->now_ns, ZG_FLOW_STREAM_BACK, ZG_CLASSES, (int)(number - next));
        zg_journal_count(soak->journal, soak->now_ns, ZG_FLOW_STREAM_BACK, class_, (int)(number - next));
    }
    soak->after_outage = false;
}

/* A real device sent a frame of its stream; its entry begins with that, in the order of the numbers. */
static void note_stream(struct zgi_soak *soak, const struct zg_header *header, const uint8_t *payload, size_t length)
{
    if (length < zg_traffic_number_size(soak->plan))
        return;
    const uint32_t number = zgi_number_of(soak, ZG_FLOW_STREAM_BACK, payload);
    const uint32_t next = zg_ledger_next(soak->ledger, ZG_FLOW_STREAM_BACK);
    if (zg_ledger_find(soak->ledger, ZG_FLOW_STREAM_BACK, number) || number + ZGI_SOAK_WINDOW <= next ||
        !zgi_equals_sent(soak, ZG_FLOW_STREAM_BACK, number, payload, length))
        return;
    note_missing(soak, number, next);
    const struct zg_ledger_entry frame = { .sent_ns = soak->now_ns,
                                           .due_ns = soak->now_ns,
                                           .order = number,
                                           .sequence = header->sequence,
                                           .bytes = (uint32_t)length };
    zg_ledger_sent(soak->ledger, ZG_FLOW_STREAM_BACK, number, &frame);
    zg_ledger_skip_to(soak->ledger, ZG_FLOW_STREAM_BACK, MAX(next, number + 1));
}

/* Whether this end's own frame came back to it, as on two wires whose receiver stays on while its end sends. What the
 * device's stream would hold, too, is the device's: short frames of both hold little more than their number. */
static bool is_own_echo(struct zgi_soak *soak, const struct zg_header *header, const uint8_t *payload, size_t length)
{
    const bool is_request = soak->ids.echo && header->id == soak->ids.echo_request,
               is_stream = header->id == soak->ids.stream || !soak->ids.echo;
    const enum zg_flow flow = is_request ? ZG_FLOW_ECHO_OUT : ZG_FLOW_STREAM_OUT;

    if (!is_request && !is_stream) /* what only this end may send */
        return zg_plan_heard(soak->plan, ZG_SIDE_HOST, header, payload, length) &&
               !zg_plan_heard(soak->plan, ZG_SIDE_DEVICE, header, payload, length);
    if (length < zg_traffic_number_size(soak->plan))
        return false;
    const uint32_t number = zgi_number_of(soak, flow, payload);
    return number < zg_ledger_next(soak->ledger, flow) && zgi_equals_sent(soak, flow, number, payload, length) &&
           (is_request || !zgi_equals_sent(soak, ZG_FLOW_STREAM_BACK, zgi_number_of(soak, ZG_FLOW_STREAM_BACK, payload),
                                           payload, length));
}

int zgi_take_from_device(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_soak *soak = end->soak;
    const enum zg_flow flow = zgi_flow_of(end, frame->header.id);
    const uint32_t place = place_of(soak, frame->header.sequence);
    const bool is_stream = flow == ZG_FLOW_STREAM_BACK && soak->streams_back;

    if (is_own_echo(soak, &frame->header, payload, length)) {
        soak->result->own_echoes++;
        zg_ledger_other(soak->ledger, true, ZG_CLASS_UNEXPECTED, 1);
        zg_journal_other(soak->journal, soak->now_ns, true, ZG_CLASS_UNEXPECTED, 1);
        return 0;
    }

    if (flow != ZG_FLOW_ECHO_BACK && !is_stream &&
        zg_plan_heard(soak->plan, ZG_SIDE_DEVICE, &frame->header, payload, length)) {
        zgi_stretch_intact(end->stretch, 0);
        soak->take_own(soak, frame, payload, length);
        return 0;
    }
    if (flow == ZG_FLOW_ECHO_BACK)
        note_answer(soak, &frame->header, place, payload, length);
    else if (flow == ZG_FLOW_STREAM_BACK)
        note_stream(soak, &frame->header, payload, length);
    if (is_stream && soak->awaits_stream && !zgi_entry_of(soak, flow, &frame->header, payload, length)) {
        soak->result->own++; /* of an earlier run */
        return 0;
    }
    return zgi_take(end, frame, payload, length);
}

int zgi_take_listening(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_soak *soak = end->soak;

    zgi_stretch_intact(end->stretch, 0);
    soak->result->guessed += zgi_listening_take(soak->listening, &frame->header, soak->now_ns);
    return zg_plan_heard(soak->plan, ZG_SIDE_DEVICE, &frame->header, payload, length) ? 0 : ZG_EUNKNOWN;
}
