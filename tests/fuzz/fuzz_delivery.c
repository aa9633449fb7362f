/* SPDX-License-Identifier: MIT */
/* A generated device and host on a line that loses, damages and repeats frames, all led by the input: handlers that
 * send from within every callback, rings of 64 bytes, restarts, a clock that wraps. Whatever happens, each message is
 * settled once, unless its sender restarted; it is delivered at most once, and in order if the order is kept; what is
 * reported as delivered was delivered; the counters add up; and once the line is clean again, everything is settled and
 * passes. */
#include <glib.h>
#include <string.h>

#include "fuzz.h"
#include "shuttle_device.h"
#include "shuttle_host.h"

enum { DEVICE, HOST, ENDS };
enum kind { PULL, LIFT, JOG, ASK, STOP, WARN, QUERY, KINDS };
enum { FROM_DEVICE = STOP, MOST = 512, LATER = 4 };

/* What became of a message. */
struct fate {
    uint8_t settled, taken, replies; /* times */
    bool orphan;                     /* its sender restarted before it was settled */
    bool refused_there;
    enum zg_settled how;
};

/* One end, with what this harness knows about its run. */
struct end {
    unsigned side;
    uint32_t fed, drained;      /* bytes in and out */
    uint32_t given_up, refused; /* reported by handlers */
    struct {
        uint8_t ticket;
        uint32_t n;
    } later[LATER]; /* requests to be answered later */
    unsigned later_count;
    bool restarting;        /* it is being told what the other end's restart ended */
    uint32_t before[KINDS]; /* which is what was sent before, of each kind */
};

static struct {
    const uint8_t *data;
    size_t size, at;
    bool quiet; /* handlers send no more */
    uint32_t clock_us;
    uint16_t boots;
    struct shuttle_device device;
    struct shuttle_host host;
    struct end ends[ENDS];
    struct fate fates[KINDS][MOST];
    uint32_t sent[KINDS];
    uint32_t newest[KINDS]; /* number + 1 of the last one taken, where the order is kept */
} run;

/* The next byte of the input; 0 after its end. */
static uint8_t choose(void)
{
    return run.at < run.size ? run.data[run.at++] : 0;
}

static uint32_t now_us(void *context)
{
    (void)context;
    return run.clock_us;
}

static void start_transmit(void *context)
{
    (void)context;
}

static uint16_t boot_number(void *context)
{
    (void)context;
    return ++run.boots;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number };

/* --- sending */

static void send_kind(enum kind kind)
{
    const uint32_t n = run.sent[kind];
    int error = ZG_EINVALID;

    if (n == MOST)
        return;
    switch (kind) {
    case PULL: error = shuttle_host_send_pull(&run.host, &(struct shuttle_pull){ n }); break;
    case LIFT: error = shuttle_host_send_lift(&run.host, &(struct shuttle_lift){ n }); break;
    case JOG: error = shuttle_host_send_jog(&run.host, &(struct shuttle_jog){ n }); break;
    case ASK: error = shuttle_host_send_ask(&run.host, &(struct shuttle_ask){ n }); break;
    case STOP: error = shuttle_device_send_stop(&run.device, &(struct shuttle_stop){ n }); break;
    case WARN: error = shuttle_device_send_warn(&run.device, &(struct shuttle_warn){ n }); break;
    case QUERY: error = shuttle_device_send_query(&run.device, &(struct shuttle_query){ n }); break;
    default: break;
    }
    g_assert(error == 0 || error == ZG_EROOM);
    run.sent[kind] += error == 0;
}

/* Sends one of the messages that an end may send. */
static void send_some(const struct end *end, unsigned which)
{
    static const struct shuttle_pick pick = { 7, { 0, 1, 0 } };
    static const struct shuttle_echo_request echo = { 3, { 0, 1, 2 } };

    if (which % 8 == 7)
        (void)(end->side == DEVICE ? shuttle_device_send_pick(&run.device, &pick)
                                   : shuttle_host_send_pick(&run.host, &pick));
    else if (which % 8 == 6)
        (void)(end->side == DEVICE ? shuttle_device_send_echo_request(&run.device, &echo)
                                   : shuttle_host_send_echo_request(&run.host, &echo));
    else
        send_kind(end->side == DEVICE ? (enum kind)(FROM_DEVICE + which % (KINDS - FROM_DEVICE))
                                      : (enum kind)(which % FROM_DEVICE));
}

/* What each handler does at its end. */
static void act(const struct end *end)
{
    const uint8_t what = run.quiet ? 0 : choose();

    for (unsigned i = 0; i < what % 8; i++)
        send_some(end, what / 8 + i);
}

/* --- what handlers are told */

static void note_settled(struct end *end, enum kind kind, uint32_t n, enum zg_settled how)
{
    g_assert(n < run.sent[kind]);
    struct fate *fate = &run.fates[kind][n];
    g_assert(++fate->settled == 1 && !fate->orphan);
    fate->how = how;
    g_assert(how == ZG_DELIVERED || how == ZG_SETTLED_NO_ANSWER || how == ZG_SETTLED_RESTART ||
             (how == ZG_REFUSED_BUSY && fate->refused_there));
    g_assert(how != ZG_DELIVERED || fate->taken == 1);
    if (how == ZG_SETTLED_RESTART && !end->restarting) {
        end->restarting = true;
        memcpy(end->before, run.sent, sizeof end->before);
    }
    g_assert(how != ZG_SETTLED_RESTART || n < end->before[kind]);
    end->given_up += how == ZG_SETTLED_NO_ANSWER;
    end->refused += how == ZG_REFUSED_BUSY;
    act(end);
}

static void note_taken(const struct end *end, enum kind kind, uint32_t n)
{
    g_assert(n < run.sent[kind]);
    g_assert(++run.fates[kind][n].taken == 1);
    if (kind == LIFT || kind == STOP) {
        g_assert(n >= run.newest[kind]);
        run.newest[kind] = n + 1;
    }
    act(end);
}

static void note_reply(const struct end *end, enum kind kind, uint32_t n)
{
    g_assert(n < run.sent[kind]);
    g_assert(run.fates[kind][n].taken == 1 && ++run.fates[kind][n].replies == 1);
    act(end);
}

static void reply(const struct end *end, uint8_t ticket, uint32_t n, bool refuse)
{
    const enum kind kind = end->side == DEVICE ? ASK : QUERY;
    int error;

    if (refuse)
        error = end->side == DEVICE ? shuttle_device_refuse(&run.device, ticket, ZG_REFUSED_BUSY)
                                    : shuttle_host_refuse(&run.host, ticket, ZG_REFUSED_BUSY);
    else if (end->side == DEVICE)
        error = shuttle_device_send_told(&run.device, &(struct shuttle_told){ n }, ticket);
    else
        error = shuttle_host_send_answered(&run.host, &(struct shuttle_answered){ n }, ticket);
    g_assert(error == 0 || error == ZG_EINVALID); /* its window has passed meanwhile */
    run.fates[kind][n].refused_there |= refuse && error == 0;
}

static void take_request(struct end *end, enum kind kind, uint32_t n, uint8_t ticket)
{
    const uint8_t what = run.quiet ? 0 : choose();

    note_taken(end, kind, n);
    if (what % 4 < 2 || end->later_count == LATER) {
        reply(end, ticket, n, what % 4 == 1);
        return;
    }
    end->later[end->later_count].ticket = ticket;
    end->later[end->later_count++].n = n;
}

static void note_event(struct end *end, enum zg_link_event event)
{
    if (event == ZG_LINK_RESTARTED)
        end->later_count = end->restarting = 0;
    act(end);
}

#define TAKEN(name, kind)                                                                                              \
    static void on_##name(void *context, const struct shuttle_##name *message, const struct zg_frame *frame)           \
    {                                                                                                                  \
        (void)frame;                                                                                                   \
        note_taken(context, kind, message->n);                                                                         \
    }
#define ASKED(name, kind)                                                                                              \
    static void on_##name(void *context, const struct shuttle_##name *message, const struct zg_frame *frame)           \
    {                                                                                                                  \
        take_request(context, kind, message->n, frame->header.ticket);                                                 \
    }
#define REPLIED(name, kind)                                                                                            \
    static void on_##name(void *context, const struct shuttle_##name *message, const struct zg_frame *frame)           \
    {                                                                                                                  \
        (void)frame;                                                                                                   \
        note_reply(context, kind, message->n);                                                                         \
    }
#define SETTLED(name, kind)                                                                                            \
    static void on_##name##_settled(void *context, const struct shuttle_##name *message, enum zg_settled how)          \
    {                                                                                                                  \
        note_settled(context, kind, message->n, how);                                                                  \
    }
#define HEARD(name)                                                                                                    \
    static void on_##name(void *context, const struct shuttle_##name *message, const struct zg_frame *frame)           \
    {                                                                                                                  \
        (void)message;                                                                                                 \
        (void)frame;                                                                                                   \
        act(context);                                                                                                  \
    }

TAKEN(pull, PULL)
TAKEN(lift, LIFT)
TAKEN(jog, JOG)
TAKEN(stop, STOP)
TAKEN(warn, WARN)
ASKED(ask, ASK)
ASKED(query, QUERY)
REPLIED(told, ASK)
REPLIED(answered, QUERY)
SETTLED(pull, PULL)
SETTLED(lift, LIFT)
SETTLED(jog, JOG)
SETTLED(ask, ASK)
SETTLED(stop, STOP)
SETTLED(warn, WARN)
SETTLED(query, QUERY)
HEARD(pick)
HEARD(hello)
HEARD(echo_reply)

static void on_link_changed(void *context, zg_header_number address, enum zg_link_event event)
{
    (void)address;
    note_event(context, event);
}

static const struct shuttle_device_handlers device_handlers = { .pull = on_pull,
                                                                .lift = on_lift,
                                                                .jog = on_jog,
                                                                .ask = on_ask,
                                                                .answered = on_answered,
                                                                .pick = on_pick,
                                                                .echo_reply = on_echo_reply,
                                                                .link_changed = on_link_changed,
                                                                .stop_settled = on_stop_settled,
                                                                .warn_settled = on_warn_settled,
                                                                .query_settled = on_query_settled };
static const struct shuttle_host_handlers host_handlers = { .stop = on_stop,
                                                            .warn = on_warn,
                                                            .query = on_query,
                                                            .told = on_told,
                                                            .pick = on_pick,
                                                            .hello = on_hello,
                                                            .echo_reply = on_echo_reply,
                                                            .link_changed = on_link_changed,
                                                            .pull_settled = on_pull_settled,
                                                            .lift_settled = on_lift_settled,
                                                            .jog_settled = on_jog_settled,
                                                            .ask_settled = on_ask_settled };

/* --- the ends and the line */

static struct zg_link *link_of(unsigned side)
{
    return side == DEVICE ? &run.device.link : &run.host.link;
}

static void poll_end(unsigned side)
{
    side == DEVICE ? shuttle_device_poll(&run.device) : shuttle_host_poll(&run.host);
}

static void check_counters(unsigned side)
{
    const struct zg_counters *c = &link_of(side)->counters;
    const struct end *end = &run.ends[side];

    g_assert(c->bytes_in + c->bytes_dropped == end->fed);
    g_assert(c->bytes_in ==
             c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console + c->bytes_idle +
                 (side == DEVICE ? shuttle_device_pending(&run.device) : shuttle_host_pending(&run.host)));
    g_assert(c->bytes_out == end->drained + zg_ring_used(&link_of(side)->transmit));
    g_assert(c->given_up == end->given_up);
    g_assert(c->refused == end->refused);
    g_assert(c->unknown_id == 0 && c->bad_payload == 0 && c->extra_bytes == 0);
}

/* Starts a run of an end; messages that were not settled die with the old one. */
static void start(unsigned side)
{
    const unsigned from = side == DEVICE ? FROM_DEVICE : 0, behind = side == DEVICE ? (unsigned)KINDS : FROM_DEVICE;

    for (unsigned kind = from; kind < behind; kind++)
        for (uint32_t n = 0; n < run.sent[kind]; n++)
            run.fates[kind][n].orphan |= run.fates[kind][n].settled == 0;
    memset(&run.ends[side], 0, sizeof run.ends[side]);
    run.ends[side].side = side;
    if (side == DEVICE)
        g_assert(shuttle_device_init(&run.device, &port, NULL, &device_handlers, &run.ends[side]) == 0);
    else
        g_assert(shuttle_host_init(&run.host, &port, NULL, &host_handlers, &run.ends[side]) == 0);
}

static void put(unsigned side, uint8_t byte, unsigned line_errors)
{
    run.ends[side].fed++;
    if (side == DEVICE)
        shuttle_device_receive_isr(&run.device, byte, line_errors);
    else
        shuttle_host_receive_isr(&run.host, byte, line_errors);
}

static bool get(unsigned side, uint8_t *byte)
{
    const bool got =
        side == DEVICE ? shuttle_device_transmit_isr(&run.device, byte) : shuttle_host_transmit_isr(&run.host, byte);
    run.ends[side].drained += got;
    return got;
}

/* Carries up to `most` bytes from one end to the other; the `struck`th of them is damaged. */
static void carry(unsigned from, unsigned most, unsigned struck, unsigned harm)
{
    uint8_t byte;

    for (unsigned i = 0; i < most && get(from, &byte); i++) {
        if (i != struck || harm % 8 > 4)
            put(1 - from, byte, 0);
        else if (harm % 8 == 1)
            put(1 - from, byte ^ (uint8_t)(1U << harm / 8 % 8), 0);
        else if (harm % 8 == 2)
            put(1 - from, byte, 1U << harm / 8 % 4);
        else if (harm % 8 == 3)
            put(1 - from, byte, 0), put(1 - from, byte, 0);
        /* otherwise it is lost */
    }
}

/* Carries a whole frame `times` times; 0: it is lost. */
static void carry_frame(unsigned from, unsigned times)
{
    uint8_t frame[64];
    size_t size = 0;

    while (size < sizeof frame && get(from, &frame[size]))
        if (frame[size++] == 0)
            break;
    for (unsigned k = 0; k < times; k++) {
        for (size_t i = 0; i < size; i++)
            put(1 - from, frame[i], 0);
        poll_end(1 - from);
    }
}

/* For so long nothing that an end sends arrives. */
static void cut_off(unsigned from, unsigned ms)
{
    uint8_t byte;

    for (unsigned i = 0; i < ms; i++) {
        while (get(from, &byte))
            ;
        poll_end(from);
        run.clock_us += 1000;
    }
}

static void answer_later(struct end *end, unsigned what)
{
    if (end->later_count == 0)
        return;
    const unsigned at = what / 2 % end->later_count;
    const uint8_t ticket = end->later[at].ticket;
    const uint32_t n = end->later[at].n;
    end->later[at] = end->later[--end->later_count];
    reply(end, ticket, n, what % 2 == 1);
}

static void step(uint8_t what)
{
    const unsigned side = what & 1;

    switch (what >> 1 & 15) {
    case 0: poll_end(side); break;
    case 1: run.clock_us += 100U * choose(); break;
    case 2: run.clock_us += 10000U * choose(); break;
    case 3:
    case 4: send_some(&run.ends[side], choose()); break;
    case 5: /* keep the ring full */
        for (unsigned i = 0; i < 4; i++)
            send_some(&run.ends[side], 7);
        break;
    case 6: carry_frame(side, choose() % 3); break;
    case 7: carry(side, choose(), choose(), choose()); break;
    case 8: answer_later(&run.ends[side], choose()); break;
    case 9:
        if (choose() > 200)
            start(side);
        break;
    case 10: cut_off(side, choose()); break;
    default: /* what a line usually does */
        carry(side, 64, 64, 0);
        poll_end(1 - side);
        run.clock_us += 1000;
        poll_end(side);
        break;
    }
}

static bool is_settled(void)
{
    for (unsigned kind = 0; kind < KINDS; kind++)
        for (uint32_t n = 0; n < run.sent[kind]; n++)
            if (run.fates[kind][n].settled == 0 && !run.fates[kind][n].orphan)
                return false;
    return shuttle_host_hello(&run.host)->known && shuttle_device_hello(&run.device)->known;
}

/* A clean line until nothing is open, then the silence that ends half frames. */
static void drain(unsigned least_ms)
{
    run.quiet = true;
    for (unsigned ms = 0; ms < least_ms || (ms < 20000 && !is_settled()); ms++) {
        for (unsigned side = 0; side < ENDS; side++) {
            while (run.ends[side].later_count > 0)
                answer_later(&run.ends[side], 0);
            carry(side, 64, 64, 0);
            poll_end(1 - side);
        }
        run.clock_us += 1000;
    }
    g_assert(is_settled());
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    memset(&run, 0, sizeof run);
    run.data = data;
    run.size = size;
    run.clock_us = UINT32_C(0) - 60000;
    start(DEVICE);
    start(HOST);
    while (run.at < run.size)
        step(choose());
    drain(60);
    for (enum kind kind = 0; kind < KINDS; kind++) { /* it still works */
        const uint32_t n = run.sent[kind];
        send_kind(kind);
        if (run.sent[kind] == n) { /* after many that were not taken it first starts afresh */
            drain(60);
            send_kind(kind);
        }
        g_assert(run.sent[kind] == n + (n < MOST));
    }
    drain(0);
    for (enum kind kind = 0; kind < KINDS; kind++) {
        const struct fate *last = run.sent[kind] > 0 ? &run.fates[kind][run.sent[kind] - 1] : NULL;
        g_assert(run.sent[kind] == MOST || last->how == ZG_DELIVERED);
    }
    check_counters(DEVICE);
    check_counters(HOST);
    return 0;
}
