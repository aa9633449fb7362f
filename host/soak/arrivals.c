/* SPDX-License-Identifier: MIT */
#include "soak/arrivals.h"

#include <string.h>

#include "soak/journal.h"
#include "soak/stretch.h"
#include "zeugma/error.h"

enum zg_flow zgi_flow_of(const struct zgi_end *end, uint32_t id)
{
    const struct zg_traffic_ids *ids = &end->soak->ids;

    if (!ids->echo || id == ids->stream)
        return end->is_host ? ZG_FLOW_STREAM_BACK : ZG_FLOW_STREAM_OUT;
    if (id == ids->echo_reply && end->is_host)
        return ZG_FLOW_ECHO_BACK;
    if (id == ids->echo_request && !end->is_host)
        return ZG_FLOW_ECHO_OUT;
    return ZG_FLOWS;
}

bool zgi_equals_sent(struct zgi_soak *soak, enum zg_flow flow, uint32_t number, const uint8_t *payload, size_t length)
{
    size_t sent;
    const uint8_t *expected = zgi_soak_payload(soak, flow, number, &sent);

    return sent == length && memcmp(expected, payload, length) == 0;
}

uint32_t zgi_number_of(const struct zgi_soak *soak, enum zg_flow flow, const uint8_t *payload)
{
    const enum zg_flow counted = flow == ZG_FLOW_ECHO_BACK ? ZG_FLOW_ECHO_OUT : flow;
    const uint32_t first = soak->stream_first[flow];
    return first + zg_traffic_number(soak->plan, flow, payload, zg_ledger_next(soak->ledger, counted) - first);
}

const struct zg_ledger_entry *zgi_entry_of(struct zgi_soak *soak, enum zg_flow flow, const struct zg_header *header,
                                           const uint8_t *payload, size_t length)
{
    unsigned bits = soak->plan->sequence_bits;

    if (flow == ZG_FLOWS || length < zg_traffic_number_size(soak->plan))
        return NULL;
    uint32_t number = zgi_number_of(soak, flow, payload);
    const struct zg_ledger_entry *entry = zg_ledger_find(soak->ledger, flow, number);
    if (!entry || !zgi_equals_sent(soak, flow, number, payload, length))
        return NULL;
    if (bits > 0 && !entry->arrived && ((entry->sequence ^ header->sequence) & (UINT32_MAX >> (32 - bits))) != 0)
        return NULL; /* its header was hit */
    return entry;
}

/* A frame that passed the check and is in no ledger, or not as it arrived. */
static void take_other(const struct zgi_end *end, const uint8_t *payload, size_t length)
{
    zgi_stretch_unknown(end->stretch, payload, length);
}

static void take_sent(struct zgi_end *end, enum zg_flow flow, uint32_t number, const struct zg_ledger_entry *entry)
{
    struct zgi_soak *soak = end->soak;
    const uint64_t now = soak->now_ns;
    const uint64_t late_ns =
        soak->take_own ? UINT64_MAX : soak->settings->late_ns; /* a real link shows no single way */

    zgi_stretch_intact(end->stretch, entry->position);
    if (zg_ledger_arrived(soak->ledger, flow, number, now, late_ns) == ZG_CLASS_REPEATED)
        return;
    if (flow != ZG_FLOW_ECHO_BACK && !soak->take_own)
        zg_journal_latency(soak->journal, entry->due_ns, flow, now - entry->due_ns);
    if (flow == ZG_FLOW_ECHO_OUT) {
        g_array_append_val(soak->replies, number);
    } else if (flow == ZG_FLOW_ECHO_BACK) {
        const struct zg_ledger_entry *request = zg_ledger_find(soak->ledger, ZG_FLOW_ECHO_OUT, number);
        if (request)
            zgi_note_trip(soak->result, soak->settings, flow, request, now);
        if (now - soak->answered_ns > soak->settings->slow_ns)
            soak->silent_from_ns = soak->answered_ns;
        soak->answered_ns = now;
    }
}

int zgi_take(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    const enum zg_flow flow = zgi_flow_of(end, frame->header.id);
    const struct zg_ledger_entry *entry = zgi_entry_of(end->soak, flow, &frame->header, payload, length);

    if (entry)
        take_sent(end, flow, zgi_number_of(end->soak, flow, payload), entry);
    else
        take_other(end, payload, length);
    return flow == ZG_FLOWS && !zg_plan_heard(end->soak->plan, end->is_host ? ZG_SIDE_DEVICE : ZG_SIDE_HOST,
                                              &frame->header, payload, length)
               ? ZG_EUNKNOWN
               : 0;
}

int zgi_take_loopback(struct zgi_end *end, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_soak *soak = end->soak;
    const bool is_ours = !soak->ids.echo || frame->header.id == soak->ids.stream;
    const enum zg_flow flow = is_ours ? ZG_FLOW_STREAM_OUT : ZG_FLOWS;
    const struct zg_ledger_entry *entry = zgi_entry_of(soak, flow, &frame->header, payload, length);

    if (!entry) {
        take_other(end, payload, length);
        return 0;
    }
    if (!entry->arrived)
        zgi_note_trip(soak->result, soak->settings, flow, entry, soak->now_ns);
    take_sent(end, flow, zgi_number_of(soak, flow, payload), entry);
    return 0;
}

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_end *end = data;

    if (length == 0 || !zg_strikes(&end->behinds))
        return end->soak->take(end, frame, payload, length);
    g_autofree uint8_t *damaged = g_memdup2(payload, length); /* in the receiver's memory, after the check */
    const uint64_t bit = zg_random_below(&end->behinds.random, 8 * length);
    damaged[bit / 8] ^= (uint8_t)(1U << bit % 8);
    return end->soak->take(end, frame, damaged, length);
}

static void left(void *data, const struct zg_header *header, const uint8_t *payload, size_t length)
{
    (void)header;
    take_other(data, payload, length);
}

const struct zg_node_calls zgi_soak_node_calls = { .deliver = deliver, .left = left };
