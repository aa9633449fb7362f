/* SPDX-License-Identifier: MIT */
/* What the two ends of a soak send. */
#include "soak/ends.h"

#include <string.h>

#include "soak/stretch.h"

enum {
    STALE_MOST = 16,    /* frames back */
    AT_ONCE = 6,        /* frames at most: two, each repeated, a stale one and a stray one */
    REPLIED_MOST = 1024 /* remembered */
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
    return &end->soak->faults.way[end->is_host ? HOST : DEVICE];
}

/* A frame to be sent. */
struct outgoing {
    enum zg_flow flow;
    uint32_t number;
    bool extra; /* besides those of the ledger */
    uint32_t id;
    uint32_t back;     /* under the number of the frame so many before; 0: its own */
    uint32_t position; /* among those of the ledger */
    size_t length;
};

/* One that waits for the silence due before it. */
struct waiting {
    struct outgoing frame;
    uint8_t payload[];
};

static int put_on_line(struct zgi_end *end, const struct outgoing *frame, const uint8_t *payload)
{
    struct zgi_soak *soak = end->soak;
    const struct zg_soak_watch *watch = soak->settings->watch;
    const uint32_t *out = &zg_node_link(end->node)->counters.bytes_out, before = *out;
    const uint64_t cap = faults_of(end)->cap, from = watch ? soak->sent(end) : 0;
    const int error = frame->back > 0
                          ? zg_node_send_again(end->node, frame->back, frame->id, payload, frame->length)
                          : zg_any_link_send(zg_node_any_link(end->node), frame->id, payload, frame->length);

    if (error)
        return error;
    if (watch)
        watch->frame(watch->data, end->is_host ? HOST : DEVICE, frame->flow, frame->number, frame->extra, from,
                     soak->sent(end));
    if (end->ends && !frame->extra)
        end->ends[frame->position % ZGI_SOAK_WINDOW] = soak->sent(end);
    if (cap > 0 && *out - before > cap)
        soak->shorten(end, (size_t)(*out - before - cap));
    return 0;
}

void zgi_soak_send_waiting(struct zgi_end *end)
{
    while (end->waiting.length > 0) {
        const struct waiting *first = g_queue_peek_head(&end->waiting);
        if (put_on_line(end, &first->frame, first->payload) != 0)
            return;
        g_free(g_queue_pop_head(&end->waiting));
    }
}

/* Sends a frame, or queues it after those that wait. The transmit ring has room. */
static void send_frame(struct zgi_end *end, const struct outgoing *frame, const uint8_t *payload)
{
    struct zgi_soak *soak = end->soak;
    const uint32_t *out = &zg_node_link(end->node)->counters.bytes_out, before = *out;
    const size_t length = frame->length;

    soak->spent_ns += (double)soak->plan->send_gap_ns;
    if (end->waiting.length == 0 && put_on_line(end, frame, payload) == 0) {
        soak->spent_ns += (double)(*out - before) * (double)soak->byte_ns;
        return;
    }
    struct waiting *waiting = g_malloc(sizeof *waiting + length);
    waiting->frame = *frame;
    memcpy(waiting->payload, payload, length);
    g_queue_push_tail(&end->waiting, waiting);
    soak->spent_ns +=
        (double)soak->byte_ns * zg_framing_least(&soak->plan->definition->framing,
                                                 soak->plan->max_content - soak->plan->max_payload + (unsigned)length);
}

/* The number of the next frame, after those that wait. */
static uint32_t next_sequence(const struct zgi_end *end)
{
    uint32_t sequence = zg_node_sequence(end->node);

    for (const GList *at = end->waiting.head; at; at = at->next)
        sequence += ((const struct waiting *)at->data)->frame.back == 0;
    return sequence;
}

static bool has_room(struct zgi_end *end, unsigned frames)
{
    return end->waiting.length == 0 && zg_node_has_room(end->node, frames);
}

size_t zgi_soak_room(const struct zgi_soak *soak)
{
    return (size_t)AT_ONCE * soak->plan->max_frame;
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
    struct outgoing frame = {
        .flow = flow, .number = number, .id = id_of(soak, flow), .position = entry.position, .length = length
    };
    send_frame(end, &frame, payload);
    if (zg_strikes(&end->repeats)) {
        frame.extra = true;
        frame.back = 1;
        send_frame(end, &frame, payload);
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
    zg_traffic_spare(soak->plan, payload, length);
    const struct outgoing frame = { .flow = flow, .extra = true, .id = soak->ids.stream, .length = length };
    send_frame(sender_of(soak, flow), &frame, payload);
    soak->result->injected++;
}

/* Sends an older frame of a flow once more, under its old number. */
static void send_stale(struct zgi_soak *soak, enum zg_flow flow, uint32_t newest)
{
    struct zgi_end *end = sender_of(soak, flow);
    const uint32_t number = newest - 1 - (uint32_t)zg_random_below(&end->stales.random, STALE_MOST);
    const struct zg_ledger_entry *entry = zg_ledger_find(soak->ledger, flow, number);
    size_t length;

    if (!entry)
        return; /* there was none, at the beginning */
    const uint8_t *payload = zgi_soak_payload(soak, flow, number, &length);
    const struct outgoing frame = { .flow = flow,
                                    .number = number,
                                    .extra = true,
                                    .id = id_of(soak, flow),
                                    .back = next_sequence(end) - entry->sequence,
                                    .length = length };
    send_frame(end, &frame, payload);
    soak->result->injected++;
}

/* Sends a flow's next frame, or its next two in the wrong order. False: the ring has no room. */
static bool send_next(struct zgi_soak *soak, enum zg_flow flow)
{
    struct zgi_end *end = sender_of(soak, flow);
    uint32_t number = zg_ledger_next(soak->ledger, flow);

    if (!has_room(end, AT_ONCE))
        return false;
    if (zg_strikes(&end->swaps)) {
        send(soak, flow, number + 1);
        send(soak, flow, number);
        zg_ledger_skip_to(soak->ledger, flow, number + 2);
    } else {
        send(soak, flow, number);
    }
    if (zg_strikes(&end->stales))
        send_stale(soak, flow, number);
    if (zg_strikes(&end->strays))
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
        soak->due_ns[flow] += soak->spent_ns / of_line + (double)soak->settings->gap_ns;
    }
}

/* Whether nothing waits to be sent. */
bool zgi_soak_is_idle(const struct zgi_soak *soak)
{
    for (unsigned i = 0; i < 2; i++)
        if (soak->ends[i].waiting.length > 0 || zg_ring_used(&zg_node_link(soak->ends[i].node)->transmit) > 0)
            return false;
    return !zgi_soak_has_replies(soak);
}

void zgi_soak_forget_replies(struct zgi_soak *soak)
{
    g_array_set_size(soak->replies, 0);
    soak->replied = 0;
}

void zgi_soak_send_replies(struct zgi_soak *soak)
{
    while (zgi_soak_has_replies(soak) && has_room(&soak->ends[DEVICE], 4)) {
        const uint32_t number = g_array_index(soak->replies, uint32_t, soak->replied++);
        send(soak, ZG_FLOW_ECHO_BACK, number);
        if (zg_strikes(&soak->ends[DEVICE].stales))
            send_stale(soak, ZG_FLOW_ECHO_BACK, number);
        if (zg_strikes(&soak->ends[DEVICE].strays))
            send_stray(soak, ZG_FLOW_ECHO_BACK);
    }
    if (!zgi_soak_has_replies(soak)) {
        zgi_soak_forget_replies(soak);
    } else if (soak->replied > REPLIED_MOST) {
        g_array_remove_range(soak->replies, 0, soak->replied);
        soak->replied = 0;
    }
}
