/* SPDX-License-Identifier: MIT */
#include "node/session.h"

enum {
    HELD_BACK_US = 250000, /* bytes, by the operating system */
    LEAST_RING = 4096,
    WITHOUT_END_NS = 1000000000, /* the longest wait for what silence does not end */
    STEP_NS = 1000000            /* while something waits to be sent, or an end has timers */
};

/* One direction, as the observer sees it. */
struct direction {
    struct zg_session *session;
    struct zg_frame_reader *stream;
    bool out;
    bool open;      /* bytes came that may still be part of a frame */
    uint64_t at_ns; /* when they came */
};

struct zg_session {
    const struct zg_plan *plan;
    struct zg_wire *wire;
    const struct zg_session_calls *calls;
    void *data;
    struct zg_node *node;
    struct direction directions[2];
    uint64_t silence_ns; /* that ends what is open; 0: it does not */
    bool is_whole;       /* frames are handed over whole */
    zg_index ahead;      /* bytes handed over that are still in the ring */
    uint64_t byte_ns;
    uint64_t free_ns; /* when the line can take the next byte */
    GByteArray *to_write;
    GError *failure; /* of a packet that was to be sent */
    bool came;       /* something, in the last step */
    bool gave_up;
};

static uint32_t now_us(void *context)
{
    return (uint32_t)(zg_wire_now_ns(((const struct zg_session *)context)->wire) / 1000);
}

static void start_transmit(void *context)
{
    (void)context; /* transmit() checks by itself */
}

static uint16_t boot_number(void *context)
{
    (void)context;
    return (uint16_t)g_random_int();
}

static bool send_packet(void *context, const uint8_t *bytes, size_t size);

static const struct zg_port port = {
    .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number, .send_packet = send_packet
};

static void take_stretch(const struct zg_stretch *stretch, void *data)
{
    const struct direction *direction = data;
    const struct zg_session *session = direction->session;

    if (session->calls->stretch)
        session->calls->stretch(session->data, direction->at_ns, direction->out, stretch);
}

struct zg_session *zg_session_new(const struct zg_plan *plan, struct zg_wire *wire, bool answers,
                                  const struct zg_session_calls *calls, void *data)
{
    struct zg_session *session = g_new0(struct zg_session, 1);
    const struct zg_line *line = &plan->definition->line;
    const uint64_t silence_ns = plan->gap_ns > 0 ? plan->gap_ns : line->byte_timeout_ns;

    session->plan = plan;
    session->wire = wire;
    session->calls = calls;
    session->data = data;
    session->to_write = g_byte_array_new();
    session->byte_ns = zg_line_byte_ns(line);
    session->is_whole = plan->gap_ns > 0;
    if (silence_ns > 0)
        session->silence_ns = plan->gap_ns > 0 ? silence_ns : silence_ns + HELD_BACK_US * UINT64_C(1000);
    for (unsigned i = 0; i < 2; i++)
        session->directions[i] =
            (struct direction){ session, zg_frame_reader_new(plan, take_stretch, &session->directions[i]), i == 1,
                                false, 0 };
    for (unsigned i = 0; i < 2 && answers; i++) /* a mere listener may have tapped the other wire */
        zg_frame_reader_hear(session->directions[i].stream, i == 1 ? ZG_SIDE_HOST : ZG_SIDE_DEVICE);
    if (answers) {
        session->node = zg_node_new(plan, ZG_SIDE_HOST, MAX((size_t)4 * plan->max_frame, LEAST_RING), &port, session,
                                    &calls->node, data);
        zg_node_allow_silence(session->node, HELD_BACK_US);
    }
    return session;
}

void zg_session_free(struct zg_session *session)
{
    if (!session)
        return;
    zg_node_free(session->node);
    zg_frame_reader_free(session->directions[0].stream);
    zg_frame_reader_free(session->directions[1].stream);
    g_byte_array_unref(session->to_write);
    g_clear_error(&session->failure);
    g_free(session);
}

struct zg_node *zg_session_node(struct zg_session *session)
{
    return session->node;
}

static void give_up(struct direction *direction)
{
    direction->open = false;
    zg_frame_reader_end(direction->stream);
}

/* Ends what is open if the line was silent for long enough before `until_ns`, though nothing follows. */
static void watch_silence(struct direction *direction, uint64_t until_ns)
{
    const struct zg_session *session = direction->session;

    if (direction->open && session->silence_ns > 0 && until_ns >= direction->at_ns + session->silence_ns)
        give_up(direction);
}

static void observe(struct zg_session *session, const struct zg_passage *passage)
{
    struct direction *direction = &session->directions[passage->out];

    if (passage->count == 0)
        return;
    /* otherwise bytes may have waited in the system while this program was busy */
    const bool times_hold = zg_wire_is_replay(session->wire) || session->plan->gap_ns > 0;
    for (unsigned i = 0; i < 2; i++)
        if (times_hold || (passage->out && i == 1))
            watch_silence(&session->directions[i], passage->at_ns);
    if (session->calls->bytes)
        session->calls->bytes(session->data, passage);
    direction->open = !session->plan->packets;
    direction->at_ns = passage->at_ns;
    zg_frame_reader_feed(direction->stream, passage->bytes, passage->count);
}

/* Where silence ends a frame, the line gets it whole: a program that is held up while it sends would break it. Its
 * bytes stay in the ring until they have left the line. */
static void hand_over(struct zg_session *session)
{
    const struct zg_ring *ring = &zg_node_link(session->node)->transmit;
    const zg_index used = zg_ring_used(ring);

    for (; session->ahead < used; session->ahead++)
        g_byte_array_append(session->to_write, &ring->bytes[(zg_index)(ring->tail + session->ahead) & ring->mask], 1);
}

/* Sends a packet, unless one waits that the system had no room for. */
static bool send_packet(void *context, const uint8_t *bytes, size_t size)
{
    struct zg_session *session = context;
    const struct zg_passage passage = { zg_wire_now_ns(session->wire), true, bytes, size };

    if (!session->plan->packets || session->failure || zg_wire_unwritten(session->wire) > 0)
        return false;
    observe(session, &passage);
    (void)zg_wire_write(session->wire, bytes, size, &session->failure);
    return true;
}

/* Sends bytes no faster than the line carries them, so that the end measures the line's times. */
static bool transmit(struct zg_session *session, GError **error)
{
    const uint64_t now_ns = zg_wire_now_ns(session->wire);
    uint8_t byte;

    if (session->failure) { /* of a packet */
        g_propagate_error(error, g_steal_pointer(&session->failure));
        return false;
    }
    if (session->plan->packets)
        return true;
    g_byte_array_set_size(session->to_write, 0);
    if (session->is_whole)
        hand_over(session);
    while (session->free_ns <= now_ns && zg_link_transmit_isr(zg_node_link(session->node), &byte)) {
        if (session->ahead > 0)
            session->ahead--;
        else
            g_byte_array_append(session->to_write, &byte, 1);
        session->free_ns += session->byte_ns;
    }
    if (session->free_ns + session->byte_ns < now_ns)
        session->free_ns = now_ns;
    if (session->to_write->len == 0)
        return true;
    const struct zg_passage passage = { now_ns, true, session->to_write->data, session->to_write->len };
    observe(session, &passage);
    return zg_wire_write(session->wire, session->to_write->data, session->to_write->len, error);
}

bool zg_session_step(struct zg_session *session, int extra, uint64_t wait_ns, GError **error)
{
    const uint64_t asked_ns = zg_wire_now_ns(session->wire);
    struct zg_passage passage;

    if (!zg_wire_read(session->wire, &passage, error))
        return false;
    session->came = passage.count > 0;
    observe(session, &passage);
    for (unsigned i = 0; i < 2 && passage.count == 0 && !zg_wire_is_replay(session->wire); i++)
        watch_silence(&session->directions[i], asked_ns); /* by then nothing had come */
    if (session->node) {
        if (!passage.out && passage.count > 0)
            zg_node_receive(session->node, passage.bytes, passage.count);
        zg_node_poll(session->node);
        if (!transmit(session, error))
            return false;
        wait_ns = MIN(wait_ns, STEP_NS);
    }
    if (passage.count == 0)
        zg_wire_wait(session->wire, extra, wait_ns);
    return true;
}

bool zg_session_goes_on(const struct zg_session *session)
{
    return !session->gave_up && !zg_wire_has_ended(session->wire);
}

void zg_session_give_up(struct zg_session *session)
{
    session->gave_up = true;
}

/* Whether it reads a capture as fast as possible, and another one is behind. */
static bool is_ahead(struct zg_session *const *sessions, unsigned count, const struct zg_session *session)
{
    for (unsigned i = 0; i < count && zg_wire_reads_ahead(session->wire); i++)
        if (zg_session_goes_on(sessions[i]) && zg_wire_reads_ahead(sessions[i]->wire) &&
            zg_wire_now_ns(sessions[i]->wire) < zg_wire_now_ns(session->wire))
            return true;
    return false;
}

bool zg_sessions_step(struct zg_session *const *sessions, unsigned count, int extra, uint64_t wait_ns,
                      void (*failed)(void *data, unsigned which, const GError *why), void *data)
{
    struct zg_wire *wires[ZG_WIRES_MOST];
    unsigned going = 0;
    bool came = false;

    for (unsigned i = 0; i < count; i++) {
        g_autoptr(GError) why = NULL;
        if (!zg_session_goes_on(sessions[i]))
            continue;
        if (!is_ahead(sessions, count, sessions[i]) && !zg_session_step(sessions[i], -1, 0, &why)) {
            zg_session_give_up(sessions[i]);
            failed(data, i, why);
        } else if (zg_session_goes_on(sessions[i])) {
            wires[going++] = sessions[i]->wire;
            came = came || sessions[i]->came;
            wait_ns = sessions[i]->node ? MIN(wait_ns, STEP_NS) : wait_ns;
        }
    }
    if (going > 0 && !came)
        zg_wires_wait(wires, going, extra, wait_ns);
    return going > 0;
}

bool zg_session_run(struct zg_session *session, uint64_t until_ns, const bool *done, GError **error)
{
    while (!(done && *done) && zg_wire_now_ns(session->wire) < until_ns && !zg_wire_has_ended(session->wire))
        if (!zg_session_step(session, -1, STEP_NS, error))
            return false;
    return true;
}

bool zg_session_is_flushed(struct zg_session *session)
{
    return zg_wire_unwritten(session->wire) == 0 &&
           (!session->node || zg_ring_used(&zg_node_link(session->node)->transmit) == 0) &&
           session->free_ns <= zg_wire_now_ns(session->wire);
}

uint64_t zg_session_reported_ns(const struct zg_session *session)
{
    uint64_t reported_ns = UINT64_MAX;

    for (unsigned i = 0; i < 2; i++) {
        const struct direction *direction = &session->directions[i];
        const bool ends = session->silence_ns > 0 || zg_wire_now_ns(session->wire) < direction->at_ns + WITHOUT_END_NS;
        if (direction->open && ends && zg_frame_reader_is_open(direction->stream))
            reported_ns = MIN(reported_ns, direction->at_ns);
    }
    return reported_ns;
}

void zg_session_end(struct zg_session *session)
{
    for (unsigned i = 2; i-- > 0;) /* what was sent comes before what answers it */
        zg_frame_reader_end(session->directions[i].stream);
}

const struct zg_counters *zg_session_counters(const struct zg_session *session, bool out)
{
    return zg_frame_reader_counters(session->directions[out].stream);
}
