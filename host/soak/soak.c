/* SPDX-License-Identifier: MIT */
#include "soak/soak.h"

#include <string.h>

#include "live/node.h"
#include "sim/random.h"
#include "soak/similar.h"
#include "zeugma/error.h"

enum { DEVICE, HOST };
enum {
    WINDOW = 65536,  /* frames of each flow that the ledger remembers */
    STEP_BYTES = 20, /* byte times between two visits of the loops */
    STEP_MOST_NS = 1000000,
    RECENT = 32, /* frames that a damaged one is compared with */
    PROGRESS_STEPS = 4096
};

struct soak;

struct end {
    struct soak *soak;
    struct zg_node *node;
    bool is_host;
    GQueue waiting; /* struct waiting: frames whose turn comes after the line was silent for the gap */
};

struct soak {
    const struct zg_plan *plan;
    const struct zg_soak_settings *settings;
    struct zg_soak_result *result;
    struct zg_sim_line *line;
    struct zg_ledger *ledger;
    struct zg_traffic_ids ids;
    struct end ends[2];
    GQueue replies;                        /* numbers of echoes that the device still owes */
    double due_ns[ZG_FLOWS];               /* when each flow sends next */
    struct zg_random random;               /* of the senders' faults */
    uint64_t to_repeat, to_swap, to_stray; /* frames until the next one */
    uint64_t waiting_bytes;                /* of frames that were made to wait, since a flow's last turn */
    uint8_t *payload;
    uint8_t *expected;
};

struct zg_soak_settings zg_soak_defaults(void)
{
    return (struct zg_soak_settings){
        .duration_ns = UINT64_C(10000000000), .seed = 1, .load = 0.5, .late_ns = UINT64_C(100000000)
    };
}

/* --- sending */

static uint32_t id_of(const struct soak *soak, enum zg_flow flow)
{
    return flow == ZG_FLOW_ECHO_OUT    ? soak->ids.echo_request
           : flow == ZG_FLOW_ECHO_BACK ? soak->ids.echo_reply
                                       : soak->ids.stream;
}

static struct end *sender_of(struct soak *soak, enum zg_flow flow)
{
    return &soak->ends[zg_flow_is_back(flow) ? DEVICE : HOST];
}

static bool strikes(struct soak *soak, uint64_t *left, double probability)
{
    if (*left == UINT64_MAX || (*left)-- > 0)
        return false;
    *left = zg_random_skip(&soak->random, probability);
    return true;
}

/* A frame that waits for the silence that is due in front of it. */
struct waiting {
    uint32_t id;
    bool again; /* under the number of the frame before */
    size_t length;
    uint8_t payload[];
};

static int put_on_line(struct end *end, uint32_t id, const uint8_t *payload, size_t length, bool again)
{
    return again ? zg_node_send_again(end->node, id, payload, length)
                 : zg_link_send(zg_node_link(end->node), id, payload, length);
}

static void send_waiting(struct end *end)
{
    while (!g_queue_is_empty(&end->waiting)) {
        struct waiting *first = g_queue_peek_head(&end->waiting);
        if (put_on_line(end, first->id, first->payload, first->length, first->again) != 0)
            return;
        g_free(g_queue_pop_head(&end->waiting));
    }
}

/* Puts a frame on the line, or behind those that wait; the transmit ring has room. */
static void send_frame(struct end *end, uint32_t id, const uint8_t *payload, size_t length, bool again)
{
    if (g_queue_is_empty(&end->waiting) && put_on_line(end, id, payload, length, again) == 0)
        return;
    struct waiting *frame = g_malloc(sizeof *frame + length);
    *frame = (struct waiting){ id, again, length };
    memcpy(frame->payload, payload, length);
    g_queue_push_tail(&end->waiting, frame);
    end->soak->waiting_bytes +=
        zg_framing_least(&end->soak->plan->definition->framing,
                         end->soak->plan->max_content - end->soak->plan->max_payload + (unsigned)length);
}

/* The number that the next frame will carry, behind those that wait. */
static uint32_t next_sequence(const struct end *end)
{
    uint32_t sequence = zg_node_sequence(end->node);

    for (const GList *at = end->waiting.head; at; at = at->next)
        sequence += !((const struct waiting *)at->data)->again;
    return sequence;
}

static bool has_room(struct end *end, unsigned frames)
{
    return g_queue_is_empty(&end->waiting) && zg_node_has_room(end->node, frames);
}

/* Puts one frame of the ledger on the line. */
static void send(struct soak *soak, enum zg_flow flow, uint32_t number)
{
    struct end *end = sender_of(soak, flow);
    uint64_t since = zg_sim_now(soak->line);
    size_t length = zg_traffic_make(soak->plan, soak->settings->seed, flow, number, soak->payload);

    if (flow == ZG_FLOW_ECHO_BACK) {
        const struct zg_ledger_entry *request = zg_ledger_find(soak->ledger, ZG_FLOW_ECHO_OUT, number);
        since = request ? request->since_ns : since;
    }
    zg_ledger_sent(soak->ledger, flow, number, since, next_sequence(end));
    send_frame(end, id_of(soak, flow), soak->payload, length, false);
    if (strikes(soak, &soak->to_repeat, soak->settings->faults.repeat)) {
        send_frame(end, id_of(soak, flow), soak->payload, length, true);
        soak->result->injected++;
    }
}

/* A frame that no ledger knows: random bytes under the stream's id. */
static void send_stray(struct soak *soak, enum zg_flow flow)
{
    size_t length = soak->plan->max_payload;

    for (size_t i = 0; i < length; i++)
        soak->payload[i] = (uint8_t)zg_random_next(&soak->random);
    send_frame(sender_of(soak, flow), soak->ids.stream, soak->payload, length, false);
    soak->result->injected++;
}

/* Sends a flow's next frame, or its next two in the wrong order; false where the ring has no room. */
static bool send_next(struct soak *soak, enum zg_flow flow)
{
    uint32_t number = zg_ledger_next(soak->ledger, flow);

    if (!has_room(sender_of(soak, flow), 5)) /* two, each repeated, and a stray */
        return false;
    if (strikes(soak, &soak->to_swap, soak->settings->faults.swap)) {
        send(soak, flow, number + 1);
        send(soak, flow, number);
        zg_ledger_skip_to(soak->ledger, flow, number + 2);
    } else {
        send(soak, flow, number);
    }
    if (strikes(soak, &soak->to_stray, soak->settings->faults.stray))
        send_stray(soak, flow);
    return true;
}

/* Sends what is due, so that the flow fills its share of the line. */
static void send_due(struct soak *soak, enum zg_flow flow, double share)
{
    const struct zg_counters *counters = &zg_node_link(sender_of(soak, flow)->node)->counters;
    double now = (double)zg_sim_now(soak->line);

    while (soak->due_ns[flow] <= now) {
        uint32_t before = counters->bytes_out;
        soak->waiting_bytes = 0;
        if (!send_next(soak, flow))
            return;
        double bytes = (double)(counters->bytes_out - before) + (double)soak->waiting_bytes;
        soak->due_ns[flow] += bytes * (double)zg_sim_byte_ns(soak->line) / share;
    }
}

static void send_replies(struct soak *soak)
{
    while (!g_queue_is_empty(&soak->replies) && has_room(&soak->ends[DEVICE], 2))
        send(soak, ZG_FLOW_ECHO_BACK, GPOINTER_TO_UINT(g_queue_pop_head(&soak->replies)));
}

static void send_all(struct soak *soak)
{
    double load = soak->settings->load;

    if (soak->ids.echo) {
        send_due(soak, ZG_FLOW_ECHO_OUT, load / 2);
        send_due(soak, ZG_FLOW_STREAM_OUT, load / 2);
        send_due(soak, ZG_FLOW_STREAM_BACK, load / 2);
    } else {
        send_due(soak, ZG_FLOW_STREAM_OUT, load);
        send_due(soak, ZG_FLOW_STREAM_BACK, load);
    }
}

/* --- receiving */

/* The flow that an id belongs to at this end; ZG_FLOWS: none. */
static enum zg_flow flow_of(const struct end *end, uint32_t id)
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

static bool equals_sent(struct soak *soak, enum zg_flow flow, uint32_t number, const uint8_t *payload, size_t length)
{
    return zg_traffic_make(soak->plan, soak->settings->seed, flow, number, soak->expected) == length &&
           memcmp(soak->expected, payload, length) == 0;
}

/* The frame's entry in the ledger, where it arrived just as it was sent. */
static const struct zg_ledger_entry *entry_of(struct soak *soak, enum zg_flow flow, const struct zg_header *header,
                                              const uint8_t *payload, size_t length)
{
    unsigned bits = soak->plan->sequence_bits;

    if (flow == ZG_FLOWS || length < ZG_TRAFFIC_LEAST)
        return NULL;
    uint32_t number = zg_traffic_number(payload);
    const struct zg_ledger_entry *entry = zg_ledger_find(soak->ledger, flow, number);
    if (!entry || !equals_sent(soak, flow, number, payload, length))
        return NULL;
    if (bits > 0 && !entry->arrived && ((entry->sequence ^ header->sequence) & (UINT32_MAX >> (32 - bits))) != 0)
        return NULL; /* its header was hit */
    return entry;
}

/* Whether what arrived is like a frame that was sent to this end lately: then it is that frame, damaged. */
static bool like_one_sent(const struct end *end, const uint8_t *payload, size_t length)
{
    struct soak *soak = end->soak;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        uint32_t next = zg_ledger_next(soak->ledger, (enum zg_flow)flow);
        if (zg_flow_is_back((enum zg_flow)flow) != end->is_host)
            continue;
        for (uint32_t back = 1; back <= RECENT && back <= next; back++) {
            size_t sent =
                zg_traffic_make(soak->plan, soak->settings->seed, (enum zg_flow)flow, next - back, soak->expected);
            if (zgi_similar(soak->expected, sent, payload, length))
                return true;
        }
    }
    return false;
}

static void take_other(const struct end *end, const uint8_t *payload, size_t length)
{
    bool damaged = like_one_sent(end, payload, length);
    zg_ledger_other(end->soak->ledger, end->is_host, damaged ? ZG_CLASS_ACCEPTED : ZG_CLASS_UNEXPECTED, 1);
}

static void take_sent(struct end *end, enum zg_flow flow, uint32_t number, const struct zg_ledger_entry *entry)
{
    struct soak *soak = end->soak;
    uint64_t now = zg_sim_now(soak->line);
    uint64_t since = entry->since_ns;
    enum zg_class class_ = zg_ledger_arrived(soak->ledger, flow, number, now, soak->settings->late_ns);

    if (class_ == ZG_CLASS_REPEATED)
        return;
    if (flow == ZG_FLOW_ECHO_OUT)
        g_queue_push_tail(&soak->replies, GUINT_TO_POINTER(number));
    else if (flow == ZG_FLOW_ECHO_BACK)
        zg_spread_add(&soak->result->round_trip, now - since);
}

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct end *end = data;
    enum zg_flow flow = flow_of(end, frame->header.id);
    const struct zg_ledger_entry *entry = entry_of(end->soak, flow, &frame->header, payload, length);

    if (entry)
        take_sent(end, flow, zg_traffic_number(payload), entry);
    else
        take_other(end, payload, length);
    return flow == ZG_FLOWS && !zg_plan_by_id(end->soak->plan, frame->header.id) ? ZG_EUNKNOWN : 0;
}

static void left(void *data, const struct zg_header *header, const uint8_t *payload, size_t length)
{
    (void)header;
    take_other(data, payload, length);
}

static const struct zg_node_calls node_calls = { deliver, left };

/* --- the run */

static void begin(struct soak *soak)
{
    const struct zg_line *physical = &soak->plan->definition->line;
    const struct zg_soak_settings *settings = soak->settings;
    const struct zg_sim_settings sim = { .baud = (uint32_t)physical->baud,
                                         .half_bits = zg_line_half_bits(physical),
                                         .faults = { settings->faults.line, settings->faults.line },
                                         .seed = settings->seed,
                                         .clock_us = settings->clock_us };

    soak->line = zg_sim_line_new(&sim);
    soak->ledger = zg_ledger_new(WINDOW);
    soak->payload = g_malloc(soak->plan->max_payload);
    soak->expected = g_malloc(soak->plan->max_payload);
    soak->random = zg_random_seeded(settings->seed, 2);
    soak->to_repeat = zg_random_skip(&soak->random, settings->faults.repeat);
    soak->to_swap = zg_random_skip(&soak->random, settings->faults.swap);
    soak->to_stray = zg_random_skip(&soak->random, settings->faults.stray);
    g_queue_init(&soak->replies);
    for (unsigned i = 0; i < 2; i++) {
        struct end *end = &soak->ends[i];
        *end = (struct end){ soak, NULL, i == HOST, G_QUEUE_INIT };
        end->node = zg_node_new(soak->plan, (size_t)8 * soak->plan->max_frame + (size_t)8 * STEP_BYTES, &zg_sim_port,
                                zg_sim_context(soak->line, i), &node_calls, end);
        zg_sim_attach(soak->line, i, zg_node_link(end->node));
    }
}

static void step(struct soak *soak, uint64_t until_ns)
{
    zg_sim_advance(soak->line, until_ns);
    zg_link_poll(zg_node_link(soak->ends[DEVICE].node));
    zg_link_poll(zg_node_link(soak->ends[HOST].node));
    send_waiting(&soak->ends[DEVICE]);
    send_waiting(&soak->ends[HOST]);
    send_replies(soak);
}

static void run(struct soak *soak, zg_soak_progress progress, void *data)
{
    struct zg_soak_result *result = soak->result;
    uint64_t step_ns = MIN(STEP_BYTES * zg_sim_byte_ns(soak->line), (uint64_t)STEP_MOST_NS);
    uint64_t end_ns = soak->settings->duration_ns;
    uint64_t steps = 0;

    result->poll_ns = step_ns;
    while (result->ran_ns < end_ns && !result->stopped) {
        send_all(soak);
        result->ran_ns = MIN(result->ran_ns + step_ns, end_ns);
        step(soak, result->ran_ns);
        if (progress && ++steps % PROGRESS_STEPS == 0)
            result->stopped = !progress((double)result->ran_ns / (double)end_ns, data);
    }
    /* Nothing more is sent but replies; what is on the way arrives, and what is still late by then is lost. */
    uint64_t rings_ns =
        32 * ((soak->plan->max_frame + STEP_BYTES) * zg_sim_byte_ns(soak->line) + soak->plan->send_gap_ns);
    uint64_t quiet_ns = 2 * (soak->settings->late_ns + soak->settings->faults.line.latency_ns + rings_ns) +
                        soak->plan->definition->line.byte_timeout_ns;
    for (uint64_t now = result->ran_ns; now < result->ran_ns + quiet_ns;)
        step(soak, now += step_ns);
}

static uint64_t candidates_failed(const struct zg_counters *counters)
{
    return (uint64_t)counters->failed_check + counters->malformed + counters->too_long + counters->timed_out;
}

static uint64_t bytes_accounted(const struct zg_link *link)
{
    const struct zg_counters *c = &link->counters;
    return (uint64_t)c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console + c->bytes_idle +
           zg_link_pending(link);
}

static void balance(struct soak *soak)
{
    struct zg_soak_result *result = soak->result;
    const struct zg_ledger_sums *sums = &result->sums;
    const struct zg_counters *device = &result->counters[DEVICE], *host = &result->counters[HOST];
    uint64_t sent = 0, entries = 0, passed = 0, detected = 0;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        sent += sums->sent[flow];
        for (unsigned i = 0; i < ZG_CLASSES; i++)
            entries += sums->entries[flow][i];
    }
    for (unsigned end = 0; end < 2; end++)
        for (unsigned i = 0; i < ZG_CLASSES; i++)
            *(i == ZG_CLASS_DETECTED ? &detected : &passed) += sums->arrivals[end][i];
    const struct zg_soak_balance balances[ZG_SOAK_BALANCES] = {
        { "frames in the ledger", sent, "the sum of their classes", entries },
        { "frames in the ledger and from faults", sent + result->injected, "frames that both links sent",
          (uint64_t)device->frames_out + host->frames_out },
        { "arrivals that passed the check", passed, "frames that both links took",
          (uint64_t)device->frames_in + host->frames_in },
        { "arrivals found damaged", detected, "candidates that both links failed",
          candidates_failed(device) + candidates_failed(host) },
        { "bytes that both links took", (uint64_t)device->bytes_in + host->bytes_in, "the sum of what they were",
          bytes_accounted(zg_node_link(soak->ends[DEVICE].node)) +
              bytes_accounted(zg_node_link(soak->ends[HOST].node)) },
        { "bytes that both links sent", (uint64_t)device->bytes_out + host->bytes_out, "bytes that the line carried",
          result->line[DEVICE].sent + result->line[HOST].sent },
        { "carried - dropped + doubled",
          result->line[DEVICE].sent - result->line[DEVICE].dropped + result->line[DEVICE].doubled +
              result->line[HOST].sent - result->line[HOST].dropped + result->line[HOST].doubled,
          "bytes taken and dropped by full rings",
          (uint64_t)device->bytes_in + device->bytes_dropped + host->bytes_in + host->bytes_dropped },
    };
    memcpy(result->balances, balances, sizeof balances);
    result->adds_up = true;
    for (unsigned i = 0; i < ZG_SOAK_BALANCES; i++)
        result->adds_up = result->adds_up && (uint32_t)balances[i].left == (uint32_t)balances[i].right;
}

static void end(struct soak *soak)
{
    struct zg_soak_result *result = soak->result;

    zg_ledger_close(soak->ledger);
    for (unsigned i = 0; i < 2; i++) {
        result->counters[i] = zg_node_link(soak->ends[i].node)->counters;
        result->line[i] = *zg_sim_totals(soak->line, i);
        zg_ledger_other(soak->ledger, i == HOST, ZG_CLASS_DETECTED, candidates_failed(&result->counters[i]));
    }
    result->echo = soak->ids.echo;
    result->sums = *zg_ledger_sums(soak->ledger);
    balance(soak);
    zg_node_free(soak->ends[DEVICE].node);
    zg_node_free(soak->ends[HOST].node);
    zg_ledger_free(soak->ledger);
    zg_sim_line_free(soak->line);
    g_queue_clear(&soak->replies);
    for (unsigned i = 0; i < 2; i++)
        g_queue_clear_full(&soak->ends[i].waiting, g_free);
    g_free(soak->payload);
    g_free(soak->expected);
}

struct zg_soak_result *zg_soak_run(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                   zg_soak_progress progress, void *data, GError **error)
{
    struct soak soak = { .plan = plan, .settings = settings };

    if (plan->max_payload < ZG_TRAFFIC_LEAST) {
        g_set_error(error, ZG_SOAK_ERROR, 0, "a soak needs payloads of %d bytes or more; max_payload is %u",
                    ZG_TRAFFIC_LEAST, plan->max_payload);
        return NULL;
    }
    if (!zg_traffic_choose_ids(plan, &soak.ids)) {
        g_set_error(error, ZG_SOAK_ERROR, 0, "a soak needs three ids that no message has; widen the header's id, u%u",
                    plan->id_bits);
        return NULL;
    }
    soak.result = g_new0(struct zg_soak_result, 1);
    begin(&soak);
    run(&soak, progress, data);
    end(&soak);
    return soak.result;
}
