/* SPDX-License-Identifier: MIT */
/* What the two ends of a soak send. */
#include "soak/ends.h"

#include <string.h>

#include "soak/stretch.h"

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
    size_t length;
    const uint8_t *payload = zgi_soak_payload(soak, flow, number, &length);
    const struct zg_ledger_entry entry = { .sent_ns = soak->now_ns,
                                           .due_ns = is_answer ? soak->now_ns : (uint64_t)soak->due_ns[flow],
                                           .order = is_answer ? soak->answers++ : number,
                                           .position = end->position++,
                                           .sequence = next_sequence(end),
                                           .bytes = (uint32_t)length };

    if (flow == ZG_FLOW_ECHO_OUT)
        soak->result->held_ns = soak->now_ns - entry.due_ns;
    zgi_stretch_sent(soak->ends[zg_flow_is_back(flow) ? HOST : DEVICE].stretch, entry.position);
    zg_ledger_sent(soak->ledger, flow, number, &entry);
    send_frame(end, id_of(soak, flow), payload, length, false);
    if (zg_strikes(&end->repeats, faults_of(end)->repeat)) {
        send_frame(end, id_of(soak, flow), payload, length, true);
        soak->result->injected++;
    }
}

/* Sends a frame that is in no ledger: random bytes with the stream's id. */
static void send_stray(struct zgi_soak *soak, enum zg_flow flow)
{
    const size_t length = soak->plan->max_payload;
    g_autofree uint8_t *payload = g_malloc(length);

    for (size_t i = 0; i < length; i++)
        payload[i] = (uint8_t)zg_random_next(&sender_of(soak, flow)->strays.random);
    send_frame(sender_of(soak, flow), soak->ids.stream, payload, length, false);
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
