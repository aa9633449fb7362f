/* SPDX-License-Identifier: MIT */
/* The streams of a real link: the service traffic of its device. */
#include "soak/live.h"

#include "soak/journal.h"

#include <string.h>

/* In the journal frames out have come, or not, when a report says so. */
static void note_report(struct zgi_live *live, const struct zg_value *values)
{
    struct zgi_soak *soak = &live->soak;
    uint32_t more[ZG_TRAFFIC_COUNTS];

    for (unsigned i = 0; i < ZG_TRAFFIC_COUNTS; i++)
        more[i] = (uint32_t)values[i].raw.u - live->report[i];
    const bool in_outage = live->report[ZG_TRAFFIC_EXPECTED] < live->outage_until;
    soak->lost_in_outages[DEVICE] += in_outage ? more[ZG_TRAFFIC_SKIPPED] : 0;
    zg_journal_count(soak->journal, soak->now_ns, ZG_FLOW_STREAM_OUT, ZG_CLASS_DELIVERED, (int)more[ZG_TRAFFIC_TAKEN]);
    zg_journal_count(soak->journal, soak->now_ns, ZG_FLOW_STREAM_OUT,
                     in_outage ? ZG_CLASS_LOST_OUTAGE : ZG_CLASS_LOST_OUT, (int)more[ZG_TRAFFIC_SKIPPED]);
    zg_journal_other(soak->journal, soak->now_ns, false, ZG_CLASS_REPEATED, more[ZG_TRAFFIC_REPEATED]);
    zg_journal_other(soak->journal, soak->now_ns, false, ZG_CLASS_ACCEPTED, more[ZG_TRAFFIC_WRONG]);
}

void zgi_live_note_report(struct zgi_live *live, const struct zg_value *values)
{
    if ((uint32_t)values[0].raw.u != (uint32_t)live->soak.stream_seed)
        return; /* of an earlier run */
    note_report(live, values);
    for (unsigned i = 0; i < ZG_TRAFFIC_COUNTS; i++)
        live->report[i] = (uint32_t)values[i].raw.u;
    live->reports++;
}

double zgi_live_share(const struct zgi_live *live)
{
    const unsigned traffic = live->soak.result->traffic;

    return live->soak.settings->load / (traffic == (ZG_SOAK_ECHO | ZG_SOAK_STREAM) ? 2 : 1);
}

/* The time between two frames of the device, so that it uses its share with frames of the middle size. */
static uint32_t period_us(const struct zgi_live *live)
{
    const struct zg_plan *plan = live->soak.plan;
    const double share = plan->turn_ns > 0 ? zgi_live_share(live) / 2 : zgi_live_share(live);

    return (uint32_t)((zg_soak_frame_ns(plan, live->soak.settings) / share + (double)live->soak.settings->gap_ns) /
                      1000) +
           1;
}

bool zgi_live_ask_traffic(struct zgi_live *live, uint32_t count, unsigned way)
{
    const struct zg_plan_message *request = live->traffic_request;
    struct zg_value *values = zg_values_new(&request->payload);

    values[0].raw.u = (uint32_t)live->soak.stream_seed;
    values[1].raw.u = count;
    values[2].raw.u = zg_traffic_size(live->soak.plan, live->soak.settings->size);
    values[3].raw.u = period_us(live);
    values[4].raw.u = way;
    const bool is_sent = zg_node_send_plain(live->soak.ends[HOST].node, request, values) == 0;
    zg_values_free(&request->payload, values);
    live->asked += is_sent;
    return is_sent;
}

/* Asks until a report comes, on an undamaged line. False: none does. */
static bool await_report(struct zgi_live *live, uint32_t count, unsigned way)
{
    const unsigned before = live->reports;

    live->damaging = false;
    for (unsigned times = 0; live->reports == before && times < ZGI_LIVE_ASK_TIMES && !live->error; times++) {
        const uint64_t until_ns = live->soak.now_ns + ZGI_LIVE_SECOND_NS;
        while (!zgi_live_ask_traffic(live, count, way) && live->soak.now_ns < until_ns && !live->error)
            zgi_live_pump(live, live->soak.now_ns + ZGI_LIVE_STEP_NS, NULL, 0);
        zgi_live_pump(live, until_ns, &live->reports, before + 1);
    }
    live->damaging = true;
    if (live->reports == before && !live->error)
        g_set_error(&live->error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_LINK, "%s: no device answered a traffic_request in %d s",
                    live->soak.settings->link->text, ZGI_LIVE_ASK_TIMES);
    return live->error == NULL;
}

bool zgi_live_begin_streams(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;

    if (!(soak->result->traffic & ZG_SOAK_STREAM))
        return true;
    soak->stream_seed = (uint32_t)(soak->settings->seed * UINT32_C(2654435761) ^ (uint64_t)g_get_real_time());
    for (unsigned flow = ZG_FLOW_STREAM_OUT; flow < ZG_FLOWS; flow++)
        soak->stream_first[flow] = zg_ledger_next(soak->ledger, (enum zg_flow)flow);
    live->stream_arrived = zg_ledger_sums(soak->ledger)->sent[ZG_FLOW_STREAM_BACK];
    memset(live->report, 0, sizeof live->report);
    live->outage_until = 0;
    memset(soak->lost_in_outages, 0, sizeof soak->lost_in_outages);
    soak->awaits_stream = soak->streams_back;
    soak->after_outage = false;
    if (!await_report(live, ZG_TRAFFIC_NO_END, live->soak.settings->way))
        return false;
    soak->awaits_stream = false;
    return true;
}

void zgi_live_close_streams(struct zgi_live *live, enum zg_class others)
{
    struct zg_ledger *ledger = live->soak.ledger;
    const uint32_t *report = live->report;
    const bool is_last = others == ZG_CLASS_LOST_OUT;

    if (!(live->soak.result->traffic & ZG_SOAK_STREAM))
        return;
    zg_ledger_close_streams(ledger, report[ZG_TRAFFIC_TAKEN], is_last ? UINT64_MAX : report[ZG_TRAFFIC_SKIPPED], others,
                            live->stream_arrived + report[ZG_TRAFFIC_SENT], live->soak.lost_in_outages);
    zg_ledger_other(ledger, false, ZG_CLASS_REPEATED, report[ZG_TRAFFIC_REPEATED]);
    zg_ledger_other(ledger, false, ZG_CLASS_ACCEPTED, report[ZG_TRAFFIC_WRONG]);
    live->soak.result->refused += report[ZG_TRAFFIC_REFUSED];
}

bool zgi_live_end_streams(struct zgi_live *live)
{
    if (!(live->soak.result->traffic & ZG_SOAK_STREAM) || live->error || !await_report(live, 1, 0))
        return live->error == NULL;
    zgi_live_pump(live,
                  live->soak.now_ns + live->soak.settings->slow_ns + live->soak.plan->definition->line.byte_timeout_ns,
                  NULL, 0);
    return await_report(live, 0, 0);
}
