/* SPDX-License-Identifier: MIT */
/* The soak of a real link: this end sends echoes in real time; the device answers them and reports its counters. */
#include <string.h>

#include "codec/frame.h"
#include "link/wire.h"
#include "plan/fingerprint.h"
#include "soak/ends.h"
#include "soak/listening.h"
#include "zeugma/traffic.h"

#define SECOND_NS UINT64_C(1000000000)

enum {
    STEP_NS = 1000000,
    HELD_BACK_US = 250000, /* bytes, by the operating system */
    ASK_TIMES = 6,         /* for counters, a second apart */
    READ_TIMES = 4         /* from their first */
};

/* The counters that the device reported, and this end's own counts at the moments when the device sent those they are
 * compared with. Its counters come in several frames, and it may send other frames in between. */
struct reading {
    uint32_t device[ZG_COUNTERS];
    uint64_t written;    /* bytes written by this end's line; compared with the device's bytes_in */
    uint64_t read;       /* bytes read; compared with its bytes_out */
    uint32_t frames_out; /* of this end's link; compared with its frames_in */
    uint32_t frames_in;  /* compared with its frames_out, as it is */
    uint32_t missed;     /* according to sequence numbers */
};

struct live {
    struct zgi_soak soak;
    struct zg_wire *wire;
    uint64_t free_ns; /* when the line can take the next byte */
    struct zg_damage out, back;
    bool damaging; /* otherwise bytes pass unchanged */
    GByteArray *to_write;
    struct reading readings[2], *reading; /* at the start and at the end; the one in progress */
    unsigned known;                       /* counters reported so far */
    uint64_t asked;                       /* time of the last request for counters, or hello */
    uint32_t oldest;                      /* the oldest echo that may still be open */
    const struct zg_plan_message *request, *reply;
    const struct zg_plan_message *hello; /* NULL: the definition has none */
    const struct zg_plan_message *traffic_request, *traffic_report;
    uint32_t report[ZG_TRAFFIC_COUNTS];   /* the newest of the device's stream */
    unsigned reports;                     /* of this run */
    uint64_t report_due_ns;               /* when it is asked for the next */
    uint64_t stream_sent, stream_arrived; /* by the ledger, before this run */
    uint16_t boot;                        /* the device's boot number; 0: no hello arrived yet */
    bool restarted;                       /* it changed since this was last checked */
    uint64_t begin_ns, heard_ns;          /* when echoes began; when bytes last came */
    uint64_t last_answer_ns;              /* of the run before a restart */
    uint64_t followed_ns;                 /* the time of the last restart */
    GError *error;
};

static struct zg_link *link_of(struct live *live)
{
    return zg_node_link(live->soak.ends[HOST].node);
}

static uint32_t now_us(void *context)
{
    const struct live *live = context;
    return (uint32_t)(live->soak.now_ns / 1000) + live->soak.settings->clock_us;
}

static void start_transmit(void *context)
{
    (void)context; /* pump() checks by itself */
}

static const struct zg_port port = { now_us, start_transmit, NULL, NULL, NULL };

/* --- bytes */

static unsigned damage(const struct live *live, struct zg_damage *direction, uint8_t byte, uint8_t left[2])
{
    if (live->damaging)
        return zg_damage_byte(direction, byte, left);
    direction->totals.sent++;
    left[0] = byte;
    return 1;
}

/* Writes frame by frame, at the line's speed. A socket would take everything at once, which no UART does. */
static void write_due(struct live *live)
{
    uint64_t now = live->soak.now_ns;
    uint8_t byte, left[2];

    while (live->free_ns <= now && zg_link_transmit_isr(link_of(live), &byte)) {
        uint64_t count = 0;
        do {
            g_byte_array_append(live->to_write, left, damage(live, &live->out, byte, left));
            count++;
        } while (zg_link_transmit_isr(link_of(live), &byte));
        live->free_ns = MAX(live->free_ns, now) + count * live->soak.byte_ns;
    }
    if (live->to_write->len > 0 && !live->error)
        (void)zg_wire_write(live->wire, live->to_write->data, live->to_write->len, &live->error);
    g_byte_array_set_size(live->to_write, 0);
}

/* Reads byte by byte, so that counts taken at the end of a frame include no later byte. */
static void read_due(struct live *live)
{
    uint8_t left[2];
    struct zg_passage passage;

    if (live->error || !zg_wire_read(live->wire, &passage, &live->error))
        return;
    live->soak.now_ns = zg_wire_now_ns(live->wire); /* writing may have taken a while */
    if (passage.count > 0)
        live->heard_ns = live->soak.now_ns;
    for (size_t i = 0; i < passage.count; i++) {
        unsigned rest = damage(live, &live->back, passage.bytes[i], left);
        for (unsigned k = 0; k < rest; k++)
            zg_any_link_receive(zg_node_any_link(live->soak.ends[HOST].node), &left[k], 1);
    }
}

/* Lets time and bytes pass until `until_ns`, or until `*known` is `wanted`. */
static void pump(struct live *live, uint64_t until_ns, const unsigned *known, unsigned wanted)
{
    struct zgi_soak *soak = &live->soak;

    do {
        soak->now_ns = zg_wire_now_ns(live->wire);
        write_due(live);
        read_due(live);
        zg_any_link_poll(zg_node_any_link(live->soak.ends[HOST].node));
        zgi_soak_send_waiting(&soak->ends[HOST]);
        if (live->error || (known && *known >= wanted) || soak->now_ns >= until_ns)
            return;
        zg_wire_wait(live->wire, -1, MIN(until_ns - soak->now_ns, (uint64_t)STEP_NS));
    } while (true);
}

/* --- the device's counters */

static uint64_t passed(const struct zg_sim_totals *totals)
{
    return totals->sent - totals->dropped + totals->doubled;
}

static void note_counters(struct live *live, const struct zg_frame *frame, const uint8_t *payload, size_t length,
                          const struct zg_value *values)
{
    const struct zg_counters *ours = &link_of(live)->counters;
    struct reading *reading = live->reading;

    if (!reading || values[0].raw.u != live->known)
        return;
    g_autoptr(GByteArray) wire = zg_frame_make(live->soak.plan, &frame->header, payload, length);
    for (unsigned i = 0; i < values[1].count && live->known < ZG_COUNTERS; i++) {
        switch (live->known) {
        case ZG_COUNTER_INDEX(bytes_in): reading->written = passed(&live->out.totals); break;
        case ZG_COUNTER_INDEX(bytes_out): reading->read = live->back.totals.sent - wire->len; break;
        case ZG_COUNTER_INDEX(frames_in): reading->frames_out = ours->frames_out; break;
        case ZG_COUNTER_INDEX(frames_out):
            reading->frames_in = ours->frames_in - 1;
            reading->missed = ours->lost - ours->late;
            break;
        default: break;
        }
        reading->device[live->known++] = (uint32_t)values[1].items[i].raw.u;
    }
    while (values[1].count == 0 && live->known < ZG_COUNTERS) /* its runtime is older and has fewer counters */
        reading->device[live->known++] = 0;
}

/* The device says who it is: again after a restart. */
static void note_hello(struct live *live, const struct zg_value *values)
{
    struct zg_soak_result *result = live->soak.result;
    const uint16_t boot = (uint16_t)values[4].raw.u;

    result->fingerprint = (uint32_t)values[2].raw.u;
    result->same_definition = result->fingerprint == zg_fingerprint(live->soak.plan);
    if (live->boot != 0 && boot != live->boot && !live->restarted) {
        live->restarted = true;
        live->last_answer_ns =
            live->soak.silent_from_ns > live->followed_ns ? live->soak.silent_from_ns : live->soak.answered_ns;
    }
    live->boot = boot;
}

static void note_report(struct live *live, const struct zg_value *values)
{
    if ((uint32_t)values[0].raw.u != (uint32_t)live->soak.stream_seed)
        return; /* of an earlier run */
    for (unsigned i = 0; i < ZG_TRAFFIC_COUNTS; i++)
        live->report[i] = (uint32_t)values[i].raw.u;
    live->reports++;
}

static void take_own(struct zgi_soak *soak, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct live *live = (struct live *)(void *)soak;
    struct zg_header header = frame->header;
    size_t ignored;

    const struct zg_plan_message *message = zg_plan_by_id(soak->plan, frame->header.id);

    soak->result->own++;
    if (message != live->reply && message != live->hello && message != live->traffic_report)
        return;
    struct zg_value *values = zg_values_new(&message->payload);
    if (zg_payload_unpack(message, payload, length, &header, values, &ignored)) {
        if (message == live->reply)
            note_counters(live, frame, payload, length, values);
        else if (message == live->traffic_report)
            note_report(live, values);
        else
            note_hello(live, values);
    }
    zg_values_free(&message->payload, values);
}

/* Asks for counters. False: not now, the line is busy. */
static bool ask(struct live *live)
{
    struct zg_value *values = zg_values_new(&live->request->payload);

    values[0].raw.u = live->known;
    const bool is_sent = zg_node_send_plain(live->soak.ends[HOST].node, live->request, values) == 0;
    zg_values_free(&live->request->payload, values);
    live->asked += is_sent;
    return is_sent;
}

/* Makes the device follow our sequence numbers from their beginning, not from where an earlier program left them. */
static void announce(struct live *live)
{
    const uint16_t boot = (uint16_t)(1 + g_get_real_time() / 1000 % UINT16_MAX);

    live->asked += zg_node_announce(live->soak.ends[HOST].node, boot) == 0;
}

/* Reads all of the device's counters, on an undamaged line. An answer that came only after the device was asked again
 * may be to either request; then the answers still under way are let pass, and it starts again. False: it does not
 * answer. */
static bool read_counters(struct live *live, struct reading *reading)
{
    bool is_repeated = false;
    unsigned readings = 1;

    live->damaging = false;
    live->known = 0;
    for (unsigned times = 0; live->known < ZG_COUNTERS && times < ASK_TIMES && !live->error;) {
        const unsigned before = live->known;
        const uint64_t until_ns = live->soak.now_ns + SECOND_NS;
        live->reading = reading;
        while (!ask(live) && live->soak.now_ns < until_ns && !live->error)
            pump(live, live->soak.now_ns + STEP_NS, NULL, 0);
        pump(live, until_ns, &live->known, before + 1);
        live->reading = NULL;
        if (live->known == before) {
            times++;
            is_repeated = true;
            continue;
        }
        times = 0;
        if (is_repeated && readings++ < READ_TIMES) {
            pump(live, live->soak.now_ns + SECOND_NS, NULL, 0);
            live->known = 0;
            is_repeated = false;
        }
    }
    live->damaging = true;
    if (live->known < ZG_COUNTERS && !live->error)
        g_set_error(&live->error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_LINK,
                    "%s: no device answered a request for its counters in %d s; is it running, with this definition "
                    "and its services echo and counters?%s",
                    live->soak.settings->link->text, ASK_TIMES,
                    live->soak.plan->gap_ns > 0 ? " The framing gap needs a link that preserves silences, which "
                                                  "pseudo-terminals, USB adapters and networks do not."
                                                : "");
    return live->error == NULL;
}

/* --- the device's stream */

/* The share of a direction's capacity that each flow uses. */
static double share_of(const struct live *live)
{
    const unsigned traffic = live->soak.result->traffic;

    return live->soak.settings->load / (traffic == (ZG_SOAK_ECHO | ZG_SOAK_STREAM) ? 2 : 1);
}

static unsigned way_of(const struct live *live)
{
    const unsigned way = live->soak.settings->way;

    return way ? way : ZG_TRAFFIC_DEVICE_SENDS | ZG_TRAFFIC_HOST_SENDS;
}

/* The time between two frames of the device, so that it uses its share with frames of the middle size. */
static uint32_t period_us(const struct live *live)
{
    const struct zg_plan *plan = live->soak.plan;
    const unsigned around = plan->max_content - plan->max_payload, most = plan->max_payload;
    const unsigned content =
        around + (zg_traffic_size(plan) == ZG_TRAFFIC_OWN_SIZES ? (most + ZGI_TRAFFIC_NUMBER) / 2 : most);
    const double ns =
        zg_framing_least(&plan->definition->framing, content) * (double)live->soak.byte_ns + (double)plan->send_gap_ns;

    return (uint32_t)(ns / (plan->turn_ns > 0 ? share_of(live) / 2 : share_of(live)) / 1000) + 1;
}

/* Sends a request to the device's end of the streams. False: not now. */
static bool ask_traffic(struct live *live, uint32_t count, unsigned way)
{
    const struct zg_plan_message *request = live->traffic_request;
    struct zg_value *values = zg_values_new(&request->payload);

    values[0].raw.u = (uint32_t)live->soak.stream_seed;
    values[1].raw.u = count;
    values[2].raw.u = zg_traffic_size(live->soak.plan);
    values[3].raw.u = period_us(live);
    values[4].raw.u = way;
    const bool is_sent = zg_node_send_plain(live->soak.ends[HOST].node, request, values) == 0;
    zg_values_free(&request->payload, values);
    live->asked += is_sent;
    return is_sent;
}

/* Asks until a report comes, on an undamaged line. False: none does. */
static bool await_report(struct live *live, uint32_t count, unsigned way)
{
    const unsigned before = live->reports;

    live->damaging = false;
    for (unsigned times = 0; live->reports == before && times < ASK_TIMES && !live->error; times++) {
        const uint64_t until_ns = live->soak.now_ns + SECOND_NS;
        while (!ask_traffic(live, count, way) && live->soak.now_ns < until_ns && !live->error)
            pump(live, live->soak.now_ns + STEP_NS, NULL, 0);
        pump(live, until_ns, &live->reports, before + 1);
    }
    live->damaging = true;
    if (live->reports == before && !live->error)
        g_set_error(&live->error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_LINK, "%s: no device answered a traffic_request in %d s",
                    live->soak.settings->link->text, ASK_TIMES);
    return live->error == NULL;
}

/* Begins the streams, with a seed that the device does not know from an earlier run. */
static bool begin_streams(struct live *live)
{
    struct zgi_soak *soak = &live->soak;

    if (!(soak->result->traffic & ZG_SOAK_STREAM))
        return true;
    soak->stream_seed = (uint32_t)(soak->settings->seed * UINT32_C(2654435761) ^ (uint64_t)g_get_real_time());
    for (unsigned flow = ZG_FLOW_STREAM_OUT; flow < ZG_FLOWS; flow++)
        soak->stream_first[flow] = zg_ledger_next(soak->ledger, (enum zg_flow)flow);
    live->stream_sent = zg_ledger_sums(soak->ledger)->sent[ZG_FLOW_STREAM_OUT];
    live->stream_arrived = zg_ledger_sums(soak->ledger)->sent[ZG_FLOW_STREAM_BACK];
    memset(live->report, 0, sizeof live->report);
    soak->awaits_stream = soak->streams_back;
    if (!await_report(live, ZG_TRAFFIC_NO_END, way_of(live)))
        return false;
    soak->awaits_stream = false;
    return true;
}

/* What the device's newest report says about frames without an entry's end. After a restart the report is somewhat
 * old. */
static void close_streams(struct live *live, enum zg_class others)
{
    struct zg_ledger *ledger = live->soak.ledger;
    const uint32_t *report = live->report;
    const bool is_last = others == ZG_CLASS_LOST_OUT;

    if (!(live->soak.result->traffic & ZG_SOAK_STREAM))
        return;
    zg_ledger_close_streams(ledger, report[ZG_TRAFFIC_TAKEN], is_last ? UINT64_MAX : report[ZG_TRAFFIC_SKIPPED], others,
                            live->stream_arrived + report[ZG_TRAFFIC_SENT]);
    zg_ledger_other(ledger, false, ZG_CLASS_REPEATED, report[ZG_TRAFFIC_REPEATED]);
    zg_ledger_other(ledger, false, ZG_CLASS_ACCEPTED, report[ZG_TRAFFIC_WRONG]);
    live->soak.result->refused += report[ZG_TRAFFIC_REFUSED];
}

/* Stops the streams, and reads what came of them once nothing is under way. */
static bool end_streams(struct live *live)
{
    if (!(live->soak.result->traffic & ZG_SOAK_STREAM) || live->error || !await_report(live, 1, 0))
        return live->error == NULL;
    pump(live, live->soak.now_ns + live->soak.settings->slow_ns + live->soak.plan->definition->line.byte_timeout_ns,
         NULL, 0);
    return await_report(live, 0, 0);
}

/* --- the run */

/* Whether another echo may be sent. One whose answer is slow no longer counts as open. */
static bool may_open(struct live *live)
{
    const struct zg_ledger *ledger = live->soak.ledger;
    uint32_t next = zg_ledger_next(ledger, ZG_FLOW_ECHO_OUT);

    for (; live->oldest != next; live->oldest++) {
        const struct zg_ledger_entry *entry = zg_ledger_find(ledger, ZG_FLOW_ECHO_OUT, live->oldest);
        if (entry && !entry->arrived && live->soak.now_ns - entry->sent_ns <= live->soak.settings->slow_ns)
            break;
    }
    const unsigned most = live->soak.settings->open, usual = live->soak.plan->turn_ns > 0 ? 1 : 16;
    return next - live->oldest < (most > 0 ? most : usual);
}

/* Sends the echoes that are due. Those held back, because too many are open or the ring is full, are made up for as
 * soon as they may be: how late they are is part of what is measured. */
static void send_due(struct live *live)
{
    struct zgi_soak *soak = &live->soak;
    double *due_ns = &soak->due_ns[ZG_FLOW_ECHO_OUT];
    double now_ns = (double)soak->now_ns, before_ns = -1;

    while (*due_ns <= now_ns && *due_ns > before_ns && may_open(live)) {
        before_ns = *due_ns;
        zgi_soak_send_due(soak, ZG_FLOW_ECHO_OUT, share_of(live), 1);
    }
}

/* Sends what is due of all flows, and asks for a report often, so that a restart leaves little unknown. */
static void send_all(struct live *live)
{
    struct zgi_soak *soak = &live->soak;

    if (soak->result->traffic & ZG_SOAK_ECHO)
        send_due(live);
    if (soak->result->streams[HOST])
        zgi_soak_send_due(soak, ZG_FLOW_STREAM_OUT, share_of(live), UINT_MAX);
    if ((soak->result->traffic & ZG_SOAK_STREAM) && soak->now_ns >= live->report_due_ns && ask_traffic(live, 0, 0))
        live->report_due_ns = soak->now_ns + MAX(SECOND_NS / 4, 100 * soak->plan->max_frame * soak->byte_ns);
}

/* Whether every echo was answered. */
static bool all_came(const struct live *live)
{
    const struct zg_ledger_sums *sums = zg_ledger_sums(live->soak.ledger);
    const uint64_t *came = sums->entries[ZG_FLOW_ECHO_BACK];

    return sums->sent[ZG_FLOW_ECHO_OUT] == came[ZG_CLASS_DELIVERED] + came[ZG_CLASS_LATE] + came[ZG_CLASS_OUT_OF_ORDER];
}

/* The time since echoes began, in words. */
static char *time_of(const struct live *live, uint64_t ns)
{
    return g_strdup_printf("%.3f s", (double)(ns - MIN(ns, live->begin_ns)) * 1e-9);
}

/* The link broke, or the device fell silent: what was measured is kept. */
static void note_end(struct live *live)
{
    g_autofree char *now = time_of(live, live->soak.now_ns), *heard = time_of(live, live->heard_ns);

    if (live->error->domain == ZG_SOAK_ERROR)
        g_snprintf(live->soak.result->ended, sizeof live->soak.result->ended,
                   "the device no longer answers; its last byte came at %s", heard);
    else
        g_snprintf(live->soak.result->ended, sizeof live->soak.result->ended, "at %s: %s", now, live->error->message);
    g_clear_error(&live->error);
}

static void note_restart(struct live *live, bool said)
{
    struct zg_soak_result *result = live->soak.result;

    if (result->restarts < ZG_SOAK_RESTARTS) {
        result->restarted_ns[result->restarts] = live->soak.now_ns - live->begin_ns;
        result->restart_said[result->restarts] = said;
    }
    result->restarts++;
}

/* The device restarted: open echoes are lost with it, and its counters start from 0. */
static void follow_restart(struct live *live)
{
    struct zgi_soak *soak = &live->soak;
    const uint64_t from_ns = live->last_answer_ns - MIN(live->last_answer_ns, soak->settings->slow_ns);

    note_restart(live, true);
    announce(live);
    (void)read_counters(live, &live->readings[0]);
    zg_ledger_close_since(soak->ledger, from_ns, ZG_CLASS_LOST_RESTART, ZG_CLASS_LOST_EITHER);
    close_streams(live, ZG_CLASS_CUT_OFF);
    (void)begin_streams(live);
    live->oldest = zg_ledger_next(soak->ledger, ZG_FLOW_ECHO_OUT);
    live->restarted = soak->placed = false;
    live->followed_ns = soak->now_ns;
}

static void run(struct live *live, zg_soak_progress progress, void *data)
{
    struct zgi_soak *soak = &live->soak;
    struct zg_soak_result *result = soak->result;
    uint64_t begin_ns = soak->now_ns, length_ns = soak->settings->duration_ns;

    result->real = true;
    result->poll_ns = STEP_NS;
    live->begin_ns = live->heard_ns = begin_ns;
    soak->due_ns[ZG_FLOW_ECHO_OUT] = soak->due_ns[ZG_FLOW_STREAM_OUT] = (double)begin_ns;
    live->report_due_ns = begin_ns;
    while (result->ran_ns < length_ns && !result->stopped && !live->error) {
        send_all(live);
        pump(live, soak->now_ns + STEP_NS, NULL, 0);
        if (live->restarted && !live->error)
            follow_restart(live);
        result->ran_ns = MIN(soak->now_ns - begin_ns, length_ns);
        if (progress)
            result->stopped = !progress((double)result->ran_ns / (double)length_ns, data);
    }
    /* What is on its way arrives; what is still late after that is lost. */
    const uint64_t until_ns = soak->now_ns + 3 * soak->settings->slow_ns + soak->plan->definition->line.byte_timeout_ns;
    while (soak->now_ns < until_ns && !all_came(live) && !live->error && !soak->listening) {
        pump(live, soak->now_ns + STEP_NS, NULL, 0);
        if (live->restarted && !live->error)
            follow_restart(live);
    }
}

static void balance(struct live *live)
{
    struct zg_soak_result *result = live->soak.result;
    const struct zg_ledger_sums *sums = &result->sums;
    const struct zg_counters *host = &result->counters[HOST];
    const struct reading *first = &live->readings[0], *last = &live->readings[1];
    uint64_t sent = 0, entries = 0, took = result->own;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        sent += sums->sent[flow];
        for (unsigned i = 0; i < ZG_CLASSES; i++)
            entries += sums->entries[flow][i];
    }
    for (unsigned i = 0; i < ZG_CLASSES; i++)
        took += i == ZG_CLASS_DETECTED ? 0 : sums->arrivals[HOST][i];
    zgi_soak_balance(result, "frames in the ledger", sent, "the sum of their classes", entries);
    zgi_soak_balance(result, "echoes, stream, requests, hello",
                     sums->sent[ZG_FLOW_ECHO_OUT] + sums->sent[ZG_FLOW_STREAM_OUT] + live->asked,
                     "frames that our link sent", (uint64_t)host->frames_out + live->soak.ends[HOST].waiting.length);
    zgi_soak_balance(result, "arrivals here, with the device's own", took, "frames that our link accepted",
                     host->frames_in);
    zgi_soak_balance(result, "bytes that our link received", host->bytes_in, "the sum of what they were",
                     zgi_bytes_accounted(live->soak.ends[HOST].node));
    zgi_soak_balance(result, "bytes that our link sent", host->bytes_out, "bytes that were to be written",
                     live->out.totals.sent + zg_ring_used(&link_of(live)->transmit));
    zgi_soak_balance(result, "bytes read - dropped + doubled", passed(&live->back.totals),
                     "bytes that our link received", host->bytes_in);
    if (result->device_counted && result->restarts == 0 && live->soak.plan->sequence_bits > 0 &&
        sums->arrivals[HOST][ZG_CLASS_ACCEPTED] == 0)
        zgi_soak_balance(result, "frames that the device says it sent",
                         zg_counters_get(&result->counters[DEVICE], ZG_COUNTER_INDEX(frames_out)),
                         "accepted, or missed according to their numbers",
                         (uint32_t)(last->frames_in - first->frames_in + last->missed - first->missed));
}

/* Whether the device's counters went backwards, or are below what this end received from it: then it restarted without
 * saying so. */
static bool went_back(const struct live *live)
{
    const unsigned out = ZG_COUNTER_INDEX(frames_out), in = ZG_COUNTER_INDEX(frames_in);
    const struct reading *first = &live->readings[0], *last = &live->readings[1];

    return last->device[out] < first->device[out] || last->device[in] < first->device[in] ||
           last->device[out] - first->device[out] < last->frames_in - first->frames_in;
}

/* What the device's counters say about echoes without an answer. */
static void close_by_counters(struct live *live)
{
    struct zgi_soak *soak = &live->soak;
    struct zg_soak_result *result = soak->result;
    const struct reading *first = &live->readings[0], *last = &live->readings[1];
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
    const uint64_t lost = sums->entries[ZG_FLOW_STREAM_OUT][ZG_CLASS_LOST_OUT];
    const uint32_t stream_out = (uint32_t)(lost - MIN(lost, live->report[ZG_TRAFFIC_WRONG])),
                   stream_back = (uint32_t)sums->entries[ZG_FLOW_STREAM_BACK][ZG_CLASS_LOST_BACK];
    zg_ledger_close_echoes(soak->ledger, out - MIN(out, stream_out), back - MIN(back, stream_back));
    zg_ledger_other(soak->ledger, false, ZG_CLASS_DETECTED, zgi_candidates_failed(&result->counters[DEVICE]));
}

static void end(struct live *live)
{
    struct zgi_soak *soak = &live->soak;
    struct zg_soak_result *result = soak->result;

    close_streams(live, result->ended[0] == '\0' ? ZG_CLASS_LOST_OUT : ZG_CLASS_CUT_OFF);
    result->counters[HOST] = link_of(live)->counters;
    result->line[HOST] = live->out.totals;
    result->line[DEVICE] = live->back.totals;
    if (result->device_counted && went_back(live)) {
        note_restart(live, live->restarted);
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
    zg_ledger_other(soak->ledger, true, ZG_CLASS_DETECTED, zgi_candidates_failed(&result->counters[HOST]));
    zg_ledger_other(soak->ledger, true, ZG_CLASS_UNEXPECTED, result->counters[HOST].not_for_us);
    result->sums = *zg_ledger_sums(soak->ledger);
    balance(live);
}

/* What is wanted, or what the device has. */
static bool choose_traffic(struct live *live, GError **error)
{
    const struct zg_definition *definition = live->soak.plan->definition;
    const struct zg_soak_settings *settings = live->soak.settings;
    const unsigned way = way_of(live);
    const unsigned has = (zg_definition_serves(definition, "echo") ? ZG_SOAK_ECHO : 0U) |
                         (zg_definition_serves(definition, "traffic") ? ZG_SOAK_STREAM : 0U);
    const bool is_numbered = live->soak.plan->sequence_bits > 0;
    const unsigned wanted = settings->traffic ? settings->traffic : has == 0 && is_numbered ? ZG_SOAK_LISTEN : has;
    struct zg_soak_result *result = live->soak.result;

    if (wanted == ZG_SOAK_LISTEN && !is_numbered) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN,
                    "listening needs numbers by which losses are found: the header has no sequence");
        return false;
    }
    if (wanted == ZG_SOAK_LISTEN) {
        result->traffic = wanted;
        live->soak.listening = zgi_listening_new(live->soak.ledger, live->soak.plan->sequence_bits);
        return true;
    }
    if (wanted == 0 || (wanted & ~has) != 0 || !zg_definition_serves(definition, "counters")) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN,
                    "the soak of a real link needs a device that answers: add `services: [%s, counters]` to the "
                    "definition, and build the device from it",
                    wanted & ZG_SOAK_STREAM ? wanted & ZG_SOAK_ECHO ? "echo, traffic" : "traffic" : "echo");
        return false;
    }
    result->traffic = wanted;
    result->streams[DEVICE] = (wanted & ZG_SOAK_STREAM) && (way & ZG_TRAFFIC_DEVICE_SENDS);
    result->streams[HOST] = (wanted & ZG_SOAK_STREAM) && (way & ZG_TRAFFIC_HOST_SENDS);
    live->soak.streams_back = live->soak.awaits_stream = result->streams[DEVICE];
    return true;
}

/* The ids must be those of the services, because the device's own code answers. */
static bool find_services(struct live *live, GError **error)
{
    struct zgi_soak *soak = &live->soak;
    const struct zg_plan_message *echo = zg_plan_by_name(soak->plan, "echo_request");
    const struct zg_plan_message *back = zg_plan_by_name(soak->plan, "echo_reply");

    live->request = zg_plan_by_name(soak->plan, "counters_request");
    live->reply = zg_plan_by_name(soak->plan, "counters");
    if (zg_definition_serves(soak->plan->definition, "hello"))
        live->hello = zg_plan_by_name(soak->plan, "hello");
    if (!choose_traffic(live, error))
        return false;
    if (soak->result->traffic & ZG_SOAK_ECHO) {
        soak->ids.echo_request = (uint32_t)echo->message->id;
        soak->ids.echo_reply = (uint32_t)back->message->id;
    }
    if (soak->result->traffic & ZG_SOAK_STREAM) {
        live->traffic_request = zg_plan_by_name(soak->plan, "traffic_request");
        live->traffic_report = zg_plan_by_name(soak->plan, "traffic_report");
        soak->ids.stream = (uint32_t)zg_plan_by_name(soak->plan, "traffic")->message->id;
    }
    return true;
}

static bool begin(struct live *live, GError **error)
{
    struct zgi_soak *soak = &live->soak;
    const struct zg_soak_settings *settings = soak->settings;
    struct zgi_end *host = &soak->ends[HOST];

    if (!find_services(live, error))
        return false;
    const struct zg_wire_settings wire = { .plan = soak->plan, .capture = settings->capture };
    live->wire = zg_wire_open(settings->link, &wire, error);
    if (!live->wire)
        return false;
    live->out = zg_damage_seeded(&settings->faults.line, settings->seed, HOST);
    live->back = zg_damage_seeded(&settings->faults.line, settings->seed, DEVICE);
    live->to_write = g_byte_array_new();
    soak->take_own = take_own;
    soak->byte_ns = zg_line_byte_ns(&soak->plan->definition->line);
    host->node = zg_node_new(soak->plan, 0, (size_t)8 * soak->plan->max_frame, &port, live, &zgi_soak_node_calls, host);
    zg_link_set_addresses(zg_node_link(host->node), 0, (zg_header_number)settings->to);
    zg_node_allow_silence(host->node, HELD_BACK_US);
    return true;
}

struct zg_soak_result *zg_soak_run_live(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                        zg_soak_progress progress, void *data, GError **error)
{
    struct live live = { .wire = NULL };
    struct zg_soak_result *result = NULL;

    if (!zgi_soak_begin(&live.soak, plan, settings, error))
        return NULL;
    if (begin(&live, error)) {
        const bool listens = live.soak.listening != NULL;
        if (!listens)
            announce(&live);
        else
            live.damaging = true;
        if (listens || (read_counters(&live, &live.readings[0]) && begin_streams(&live))) {
            run(&live, progress, data);
            live.soak.result->device_counted =
                !listens && end_streams(&live) && read_counters(&live, &live.readings[1]);
            if (live.error)
                note_end(&live);
            end(&live);
        }
        g_byte_array_unref(live.to_write);
        if (live.error)
            g_propagate_error(error, live.error);
        else
            result = g_steal_pointer(&live.soak.result);
    }
    g_autoptr(GError) incomplete = NULL;
    if (!zg_wire_close(live.wire, &incomplete) && result && result->ended[0] == '\0') /* its capture is incomplete */
        g_snprintf(result->ended, sizeof result->ended, "at the end: %s", incomplete->message);
    zgi_soak_clear(&live.soak);
    g_free(live.soak.result);
    return result;
}
