/* SPDX-License-Identifier: MIT */
#include "soak/ends.h"

#include <string.h>

#include "soak/listening.h"
#include "soak/stretch.h"
#include "zeugma/error.h"

enum {
    WINDOW = 65536 /* frames of each flow that the ledger remembers */
};

static uint32_t id_of(const struct zgi_soak *soak, enum zg_flow flow)
{
    return flow == ZG_FLOW_ECHO_OUT    ? soak->ids.echo_request
           : flow == ZG_FLOW_ECHO_BACK ? soak->ids.echo_reply
                                       : soak->ids.stream;
}

static struct zgi_end *sender_of(struct zgi_soak *soak, enum zg_flow flow)
{
    return &soak->ends[zg_flow_is_back(flow) ? DEVICE : HOST];
}

static const struct zg_way_faults *faults_of(const struct zgi_end *end)
{
    return &end->soak->settings->faults.way[end->is_host ? HOST : DEVICE];
}

/* A frame that waits for the silence due before it. */
struct waiting {
    uint32_t id;
    bool again; /* under the number of the frame before */
    size_t length;
    uint8_t payload[];
};

static int put_on_line(struct zgi_end *end, uint32_t id, const uint8_t *payload, size_t length, bool again)
{
    return again ? zg_node_send_again(end->node, id, payload, length)
                 : zg_any_link_send(zg_node_any_link(end->node), id, payload, length);
}

void zgi_soak_send_waiting(struct zgi_end *end)
{
    while (!g_queue_is_empty(&end->waiting)) {
        struct waiting *first = g_queue_peek_head(&end->waiting);
        if (put_on_line(end, first->id, first->payload, first->length, first->again) != 0)
            return;
        g_free(g_queue_pop_head(&end->waiting));
    }
}

/* Sends a frame, or queues it after those that wait. The transmit ring has room. */
static void send_frame(struct zgi_end *end, uint32_t id, const uint8_t *payload, size_t length, bool again)
{
    struct zgi_soak *soak = end->soak;
    const uint32_t *out = &zg_node_link(end->node)->counters.bytes_out, before = *out;

    soak->spent_ns += (double)soak->plan->send_gap_ns;
    if (g_queue_is_empty(&end->waiting) && put_on_line(end, id, payload, length, again) == 0) {
        soak->spent_ns += (double)(*out - before) * (double)soak->byte_ns;
        return;
    }
    struct waiting *frame = g_malloc(sizeof *frame + length);
    *frame = (struct waiting){ id, again, length };
    memcpy(frame->payload, payload, length);
    g_queue_push_tail(&end->waiting, frame);
    soak->spent_ns +=
        (double)soak->byte_ns * zg_framing_least(&soak->plan->definition->framing,
                                                 soak->plan->max_content - soak->plan->max_payload + (unsigned)length);
}

/* The number of the next frame, after those that wait. */
static uint32_t next_sequence(const struct zgi_end *end)
{
    uint32_t sequence = zg_node_sequence(end->node);

    for (const GList *at = end->waiting.head; at; at = at->next)
        sequence += !((const struct waiting *)at->data)->again;
    return sequence;
}

static bool has_room(struct zgi_end *end, unsigned frames)
{
    return g_queue_is_empty(&end->waiting) && zg_node_has_room(end->node, frames);
}

/* Sends one frame of the ledger. An answer is due when it is sent; its place is among the answers. */
static void send(struct zgi_soak *soak, enum zg_flow flow, uint32_t number)
{
    struct zgi_end *end = sender_of(soak, flow);
    const bool is_answer = flow == ZG_FLOW_ECHO_BACK;
    const struct zg_ledger_entry entry = { .sent_ns = soak->now_ns,
                                           .due_ns = is_answer ? soak->now_ns : (uint64_t)soak->due_ns[flow],
                                           .order = is_answer ? soak->answers++ : number,
                                           .position = end->position++,
                                           .sequence = next_sequence(end) };
    size_t length = zgi_soak_make(soak, flow, number, soak->payload);

    if (flow == ZG_FLOW_ECHO_OUT)
        soak->result->held_ns = soak->now_ns - entry.due_ns;
    zgi_stretch_sent(soak->ends[zg_flow_is_back(flow) ? HOST : DEVICE].stretch, entry.position);
    zg_ledger_sent(soak->ledger, flow, number, &entry);
    send_frame(end, id_of(soak, flow), soak->payload, length, false);
    if (zg_strikes(&end->repeats, faults_of(end)->repeat)) {
        send_frame(end, id_of(soak, flow), soak->payload, length, true);
        soak->result->injected++;
    }
}

/* Sends a frame that is in no ledger: random bytes with the stream's id. */
static void send_stray(struct zgi_soak *soak, enum zg_flow flow)
{
    size_t length = soak->plan->max_payload;

    for (size_t i = 0; i < length; i++)
        soak->payload[i] = (uint8_t)zg_random_next(&sender_of(soak, flow)->strays.random);
    send_frame(sender_of(soak, flow), soak->ids.stream, soak->payload, length, false);
    soak->result->injected++;
}

/* Sends a flow's next frame, or its next two in the wrong order. False: the ring has no room. */
static bool send_next(struct zgi_soak *soak, enum zg_flow flow)
{
    struct zgi_end *end = sender_of(soak, flow);
    uint32_t number = zg_ledger_next(soak->ledger, flow);

    if (!has_room(end, 5)) /* two, each repeated, and a stray one */
        return false;
    if (zg_strikes(&end->swaps, faults_of(end)->swap)) {
        send(soak, flow, number + 1);
        send(soak, flow, number);
        zg_ledger_skip_to(soak->ledger, flow, number + 2);
    } else {
        send(soak, flow, number);
    }
    if (zg_strikes(&end->strays, faults_of(end)->stray))
        send_stray(soak, flow);
    return true;
}

/* Sends what is due, so that the flow uses its share of its direction; with half duplex a direction is half of the
 * line. */
void zgi_soak_send_due(struct zgi_soak *soak, enum zg_flow flow, double share, unsigned most)
{
    const double now = (double)soak->now_ns, of_line = soak->plan->turn_ns > 0 ? share / 2 : share;

    for (; most > 0 && soak->due_ns[flow] <= now; most--) {
        soak->spent_ns = 0;
        if (!send_next(soak, flow))
            return;
        soak->due_ns[flow] += soak->spent_ns / of_line;
    }
}

/* Whether nothing waits to be sent. */
bool zgi_soak_is_idle(const struct zgi_soak *soak)
{
    for (unsigned i = 0; i < 2; i++)
        if (!g_queue_is_empty((GQueue *)&soak->ends[i].waiting) ||
            zg_ring_used(&zg_node_link(soak->ends[i].node)->transmit) > 0)
            return false;
    return g_queue_is_empty((GQueue *)&soak->replies);
}

void zgi_soak_send_replies(struct zgi_soak *soak)
{
    while (!g_queue_is_empty(&soak->replies) && has_room(&soak->ends[DEVICE], 3)) {
        send(soak, ZG_FLOW_ECHO_BACK, GPOINTER_TO_UINT(g_queue_pop_head(&soak->replies)));
        if (zg_strikes(&soak->ends[DEVICE].strays, faults_of(&soak->ends[DEVICE])->stray))
            send_stray(soak, ZG_FLOW_ECHO_BACK);
    }
}

/* The flow that an id belongs to at this end. ZG_FLOWS: none. */
static enum zg_flow flow_of(const struct zgi_end *end, uint32_t id)
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

static bool equals_sent(struct zgi_soak *soak, enum zg_flow flow, uint32_t number, const uint8_t *payload,
                        size_t length)
{
    return zgi_soak_make(soak, flow, number, soak->expected) == length && memcmp(soak->expected, payload, length) == 0;
}

/* The number of a flow's frame. Echoes back have the numbers of their echoes out. */
static uint32_t number_of(const struct zgi_soak *soak, enum zg_flow flow, const uint8_t *payload)
{
    const enum zg_flow counted = flow == ZG_FLOW_ECHO_BACK ? ZG_FLOW_ECHO_OUT : flow;
    const uint32_t first = soak->stream_first[flow];
    return first + zg_traffic_number(soak->plan, flow, payload, zg_ledger_next(soak->ledger, counted) - first);
}

/* The frame's entry in the ledger, if it arrived exactly as sent. */
static const struct zg_ledger_entry *entry_of(struct zgi_soak *soak, enum zg_flow flow, const struct zg_header *header,
                                              const uint8_t *payload, size_t length)
{
    unsigned bits = soak->plan->sequence_bits;

    if (flow == ZG_FLOWS || length < zg_traffic_number_size(soak->plan))
        return NULL;
    uint32_t number = number_of(soak, flow, payload);
    const struct zg_ledger_entry *entry = zg_ledger_find(soak->ledger, flow, number);
    if (!entry || !equals_sent(soak, flow, number, payload, length))
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
    if (flow == ZG_FLOW_ECHO_OUT) {
        g_queue_push_tail(&soak->replies, GUINT_TO_POINTER(number));
    } else if (flow == ZG_FLOW_ECHO_BACK) {
        const struct zg_ledger_entry *request = zg_ledger_find(soak->ledger, ZG_FLOW_ECHO_OUT, number);
        if (request) {
            zg_spread_add(&soak->result->round_trip, now - request->sent_ns);
            zg_spread_add(&soak->result->from_due, now - request->due_ns);
            soak->result->slow += now - request->sent_ns > soak->settings->slow_ns;
        }
        if (now - soak->answered_ns > soak->settings->slow_ns)
            soak->silent_from_ns = soak->answered_ns;
        soak->answered_ns = now;
    }
}

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
    uint32_t number = number_of(soak, ZG_FLOW_ECHO_BACK, payload);
    const struct zg_ledger_entry *request = zg_ledger_find(soak->ledger, ZG_FLOW_ECHO_OUT, number);
    if (!request || request->arrived || !equals_sent(soak, ZG_FLOW_ECHO_BACK, number, payload, length))
        return;
    (void)zg_ledger_arrived(soak->ledger, ZG_FLOW_ECHO_OUT, number, soak->now_ns, UINT64_MAX);
    const struct zg_ledger_entry answer = {
        .sent_ns = soak->now_ns, .due_ns = soak->now_ns, .order = place, .sequence = header->sequence
    };
    zg_ledger_sent(soak->ledger, ZG_FLOW_ECHO_BACK, number, &answer);
}

/* A real device sent a frame of its stream; its entry begins with that, in the order of the numbers. */
static void note_stream(struct zgi_soak *soak, const struct zg_header *header, const uint8_t *payload, size_t length)
{
    if (length < zg_traffic_number_size(soak->plan))
        return;
    const uint32_t number = number_of(soak, ZG_FLOW_STREAM_BACK, payload);
    const uint32_t next = zg_ledger_next(soak->ledger, ZG_FLOW_STREAM_BACK);
    if (zg_ledger_find(soak->ledger, ZG_FLOW_STREAM_BACK, number) || number + WINDOW <= next ||
        !equals_sent(soak, ZG_FLOW_STREAM_BACK, number, payload, length))
        return;
    const struct zg_ledger_entry frame = {
        .sent_ns = soak->now_ns, .due_ns = soak->now_ns, .order = number, .sequence = header->sequence
    };
    zg_ledger_sent(soak->ledger, ZG_FLOW_STREAM_BACK, number, &frame);
    zg_ledger_skip_to(soak->ledger, ZG_FLOW_STREAM_BACK, MAX(next, number + 1));
}

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_end *end = data;
    struct zgi_soak *soak = end->soak;
    enum zg_flow flow = flow_of(end, frame->header.id);

    if (soak->listening) {
        zgi_stretch_intact(end->stretch, 0);
        soak->result->guessed += zgi_listening_take(soak->listening, &frame->header, soak->now_ns);
        return zg_plan_by_id(soak->plan, frame->header.id) ? 0 : ZG_EUNKNOWN;
    }
    const uint32_t place = soak->take_own ? place_of(soak, frame->header.sequence) : 0;
    const bool is_counted = flow == ZG_FLOW_ECHO_BACK || (flow == ZG_FLOW_STREAM_BACK && soak->streams_back);

    if (soak->take_own && !is_counted && zg_plan_by_id(soak->plan, frame->header.id)) {
        zgi_stretch_intact(end->stretch, 0);
        soak->take_own(soak, frame, payload, length);
        return 0;
    }
    if (soak->take_own && flow == ZG_FLOW_ECHO_BACK)
        note_answer(soak, &frame->header, place, payload, length);
    else if (soak->take_own && flow == ZG_FLOW_STREAM_BACK)
        note_stream(soak, &frame->header, payload, length);
    const struct zg_ledger_entry *entry = entry_of(end->soak, flow, &frame->header, payload, length);

    if (!entry && flow == ZG_FLOW_STREAM_BACK && soak->awaits_stream)
        soak->result->own++;
    else if (entry)
        take_sent(end, flow, number_of(soak, flow, payload), entry);
    else
        take_other(end, payload, length);
    return flow == ZG_FLOWS && !zg_plan_by_id(end->soak->plan, frame->header.id) ? ZG_EUNKNOWN : 0;
}

static void left(void *data, const struct zg_header *header, const uint8_t *payload, size_t length)
{
    (void)header;
    take_other(data, payload, length);
}

const struct zg_node_calls zgi_soak_node_calls = { .deliver = deliver, .left = left };

bool zgi_soak_begin(struct zgi_soak *soak, const struct zg_plan *plan, const struct zg_soak_settings *settings,
                    GError **error)
{
    *soak = (struct zgi_soak){ .plan = plan, .settings = settings };
    if (plan->max_payload == 0) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN, "a soak numbers its payloads; max_payload is 0");
        return false;
    }
    if (settings->traffic != ZG_SOAK_LISTEN && !zg_traffic_choose_ids(plan, &soak->ids)) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN,
                    "a soak needs three ids that no message uses; widen the header's id, u%u", plan->id_bits);
        return false;
    }
    soak->stream_seed = settings->seed;
    soak->result = g_new0(struct zg_soak_result, 1);
    soak->result->adds_up = soak->result->device_counted = true;
    soak->result->echo = soak->ids.echo;
    soak->ledger = zg_ledger_new(WINDOW);
    soak->payload = g_malloc(plan->max_payload);
    soak->expected = g_malloc(plan->max_payload);
    g_queue_init(&soak->replies);
    for (unsigned i = 0; i < 2; i++) {
        soak->ends[i] = (struct zgi_end){ .soak = soak, .is_host = i == HOST, .waiting = G_QUEUE_INIT };
        struct zgi_end *end = &soak->ends[i];
        const struct zg_way_faults *faults = &settings->faults.way[i];
        end->stretch = zgi_stretch_new(end);
        end->repeats = zg_strikes_seeded(settings->seed, i, 8, faults->repeat);
        end->swaps = zg_strikes_seeded(settings->seed, i, 9, faults->swap);
        end->strays = zg_strikes_seeded(settings->seed, i, 10, faults->stray);
    }
    return true;
}

void zgi_soak_clear(struct zgi_soak *soak)
{
    for (unsigned i = 0; i < 2; i++) {
        zg_node_free(soak->ends[i].node);
        g_queue_clear_full(&soak->ends[i].waiting, g_free);
        zgi_stretch_free(soak->ends[i].stretch);
    }
    zg_ledger_free(soak->ledger);
    zgi_listening_free(soak->listening);
    g_queue_clear(&soak->replies);
    g_free(soak->payload);
    g_free(soak->expected);
}

void zgi_soak_close_stretches(struct zgi_soak *soak)
{
    for (unsigned i = 0; i < 2; i++)
        zgi_stretch_close(soak->ends[i].stretch, soak->ends[!i].position);
}

void zgi_soak_balance(struct zg_soak_result *result, const char *left_name, uint64_t left, const char *right_name,
                      uint64_t right)
{
    g_assert(result->balances_count < ZG_SOAK_BALANCES);
    result->balances[result->balances_count++] = (struct zg_soak_balance){ left_name, left, right_name, right };
    result->adds_up = result->adds_up && (uint32_t)left == (uint32_t)right; /* the links' counters wrap */
}

uint64_t zg_soak_least_trip_ns(const struct zg_plan *plan)
{
    const unsigned content = plan->max_content - plan->max_payload + zg_traffic_number_size(plan);
    const unsigned bytes = zg_framing_least(&plan->definition->framing, MAX(content, plan->filled));

    return 2 * (uint64_t)bytes * zg_line_byte_ns(&plan->definition->line);
}
