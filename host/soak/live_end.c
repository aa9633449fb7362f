/* SPDX-License-Identifier: MIT */
/* The end of a soak of a real link: what its device counted, and whether it adds up. */
#include "soak/journal.h"
#include "soak/live.h"

void zgi_live_note_restart(struct zgi_live *live, bool said)
{
    zgi_note_restart(live->soak.result, live->soak.journal, live->begin_ns, live->soak.now_ns, said,
                     said ? "the device restarted" : "the device restarted, as its counters show");
}

static void balance(struct zgi_live *live)
{
    struct zg_soak_result *result = live->soak.result;
    const struct zg_ledger_sums *sums = &result->sums;
    const struct zg_counters *host = &result->counters[HOST];
    const struct zgi_reading *first = &live->readings[0], *last = &live->readings[1];
    uint64_t took = result->own;

    for (unsigned i = 0; i < ZG_CLASSES; i++)
        took += i == ZG_CLASS_DETECTED ? 0 : sums->arrivals[HOST][i];
    (void)zgi_soak_balance_entries(result, "frames in the ledger");
    zgi_soak_balance(result, "echoes, stream, requests, hello",
                     sums->sent[ZG_FLOW_ECHO_OUT] + sums->sent[ZG_FLOW_STREAM_OUT] + live->asked,
                     "frames that our link sent", (uint64_t)host->frames_out + live->soak.ends[HOST].waiting.length);
    zgi_soak_balance(result, "arrivals here, with the device's own", took, "frames that our link accepted",
                     host->frames_in);
    zgi_soak_balance(result, "bytes that our link received", host->bytes_in, "the sum of what they were",
                     zgi_bytes_accounted(live->soak.ends[HOST].node));
    zgi_soak_balance(result, "bytes that our link sent", host->bytes_out, "bytes that were to be written",
                     live->out.totals.sent + zg_ring_used(&zgi_live_link(live)->transmit));
    zgi_soak_balance(result, "read, after drops and additions", zgi_bytes_passed(&live->back.totals),
                     "bytes that our link received", host->bytes_in);
    if (result->device_counted && result->restarts == 0 && live->soak.plan->sequence_bits > 0 &&
        sums->arrivals[HOST][ZG_CLASS_ACCEPTED] == 0 &&
        (!live->soak.plan->packets ||
         host->late == 0)) /* an answer may have been overtaken by what was sent after it */
        zgi_soak_balance(result, "frames that the device says it sent",
                         zg_counters_get(&result->counters[DEVICE], ZG_COUNTER_INDEX(frames_out)),
                         "accepted, or missed according to their numbers",
                         (uint32_t)(last->frames_in - first->frames_in + last->missed - first->missed));
}

/* Whether the device's counters went backwards, or are below what this end received from it: then it restarted without
 * saying so. */
static bool went_back(const struct zgi_live *live)
{
    const unsigned out = ZG_COUNTER_INDEX(frames_out), in = ZG_COUNTER_INDEX(frames_in);
    const struct zgi_reading *first = &live->readings[0], *last = &live->readings[1];

    return last->device[out] < first->device[out] || last->device[in] < first->device[in] ||
           last->device[out] - first->device[out] < last->frames_in - first->frames_in;
}

/* What the device's counters say about echoes without an answer. */
static void close_by_counters(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;
    struct zg_soak_result *result = soak->result;
    const struct zgi_reading *first = &live->readings[0], *last = &live->readings[1];
    uint32_t *device = (uint32_t *)(void *)&result->counters[DEVICE]; /* all of its members are counters */

    for (unsigned i = 0; i < ZG_COUNTERS; i++)
        device[i] = last->device[i] - first->device[i];
    result->written = last->written - first->written;
    result->device_took = (uint64_t)result->counters[DEVICE].bytes_in + result->counters[DEVICE].bytes_dropped;
    result->device_sent = result->counters[DEVICE].bytes_out;
    result->read = last->read - first->read;
    /* What is missing of all frames, without those of the streams; what passed as wrong is not missing. */
    const struct zg_ledger_sums *sums = zg_ledger_sums(soak->ledger);
    const uint32_t out = (uint32_t)(last->frames_out - first->frames_out) - result->counters[DEVICE].frames_in;
    const uint32_t back = result->counters[DEVICE].frames_out - (uint32_t)(last->frames_in - first->frames_in);
    const uint64_t *streams[2] = { sums->entries[ZG_FLOW_STREAM_OUT], sums->entries[ZG_FLOW_STREAM_BACK] };
    const uint64_t lost = streams[0][ZG_CLASS_LOST_OUT] + streams[0][ZG_CLASS_LOST_OUTAGE];
    const uint32_t stream_out = (uint32_t)(lost - MIN(lost, live->report[ZG_TRAFFIC_WRONG])),
                   stream_back = (uint32_t)(streams[1][ZG_CLASS_LOST_BACK] + streams[1][ZG_CLASS_LOST_OUTAGE]);
    zg_ledger_close_echoes(soak->ledger, out - MIN(out, stream_out), back - MIN(back, stream_back));
    zg_ledger_other(soak->ledger, false, ZG_CLASS_DETECTED, zgi_candidates_failed(&result->counters[DEVICE]));
}

void zgi_live_end(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;
    struct zg_soak_result *result = soak->result;

    zgi_live_close_streams(live, result->ended[0] == '\0' ? ZG_CLASS_LOST_OUT : ZG_CLASS_CUT_OFF);
    result->counters[HOST] = zgi_live_link(live)->counters;
    result->line[HOST] = live->out.totals;
    result->line[DEVICE] = live->back.totals;
    if (result->device_counted && went_back(live)) {
        zgi_live_note_restart(live, live->restarted);
        result->device_counted = false;
    }
    if (result->device_counted) {
        close_by_counters(live);
    } else {
        const bool cut = result->ended[0] != '\0';
        const uint64_t from_ns = live->heard_ns - MIN(live->heard_ns, soak->settings->slow_ns);
        zg_ledger_close_since(soak->ledger, cut ? from_ns : UINT64_MAX, ZG_CLASS_CUT_OFF, ZG_CLASS_LOST_EITHER);
        zg_ledger_close(soak->ledger);
    }
    zgi_soak_close_stretches(soak);
    zgi_soak_close_journal(soak->journal, result);
    zg_ledger_other(soak->ledger, true, ZG_CLASS_DETECTED, zgi_candidates_failed(&result->counters[HOST]));
    zg_ledger_other(soak->ledger, true, ZG_CLASS_UNEXPECTED, result->counters[HOST].not_for_us);
    result->sums = *zg_ledger_sums(soak->ledger);
    for (unsigned i = 0; i < ZG_CLASSES && result->traffic == ZG_SOAK_LOOPBACK; i++) { /* its far end is this one */
        result->sums.arrivals[HOST][i] += result->sums.arrivals[DEVICE][i];
        result->sums.arrivals[DEVICE][i] = 0;
    }
    balance(live);
}
