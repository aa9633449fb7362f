/* SPDX-License-Identifier: MIT */
/* The bytes of a real link, at the line's speed, and damaged if that is wanted. */
#include "sim/packets.h"
#include "soak/journal.h"
#include "soak/live.h"

struct zg_link *zgi_live_link(struct zgi_live *live)
{
    return zg_node_link(live->soak.ends[HOST].node);
}

static uint32_t now_us(void *context)
{
    const struct zgi_live *live = context;
    return (uint32_t)(live->soak.now_ns / 1000) + live->soak.settings->clock_us;
}

static void start_transmit(void *context)
{
    (void)context; /* zgi_live_pump() checks by itself */
}

static void write_packet(struct zgi_live *live, const uint8_t *bytes, size_t size)
{
    if (!live->error)
        (void)zg_wire_write(live->wire, bytes, size, &live->error);
}

/* Picoseconds since echoes began. */
static uint64_t since_begin_ps(const struct zgi_live *live)
{
    return (live->soak.now_ns - MIN(live->begin_ns, live->soak.now_ns)) * 1000;
}

/* Takes a packet when the line has had time for the one before. */
static bool send_packet(void *context, const uint8_t *bytes, size_t size)
{
    struct zgi_live *live = context;
    const uint64_t now_ns = live->soak.now_ns;

    if (!live->out_packets || live->free_ns > now_ns || zg_wire_unwritten(live->wire) > 0)
        return false;
    live->free_ns = now_ns + size * live->soak.byte_ns;
    zgi_tape_add(live->soak.ends[HOST].went, bytes, size, live->soak.now_ns);
    if (live->damaging) {
        zg_packets_send(live->out_packets, &live->out, since_begin_ps(live), 0, bytes, size);
    } else {
        live->out.totals.sent += size;
        write_packet(live, bytes, size);
    }
    return true;
}

const struct zg_port zgi_live_port = { .now_us = now_us, .start_transmit = start_transmit, .send_packet = send_packet };

static void take_packet(struct zgi_live *live, const uint8_t *bytes, size_t size)
{
    zgi_note_came(&live->soak.ends[HOST], bytes, size, live->soak.now_ns, 0);
    zg_node_receive(live->soak.ends[HOST].node, bytes, size);
}

/* A packet that was read; and those that were damaged on either way and are due. */
static void pass_packets(struct zgi_live *live, const struct zg_passage *read)
{
    const uint8_t *packet;
    uint64_t at_ps;
    size_t size;

    if (read->count > 0 && live->damaging) {
        zg_packets_send(live->back_packets, &live->back, since_begin_ps(live), 0, read->bytes, read->count);
    } else if (read->count > 0) {
        live->back.totals.sent += read->count;
        take_packet(live, read->bytes, read->count);
    }
    while ((packet = zg_packets_take(live->out_packets, since_begin_ps(live), &at_ps, &size)) != NULL)
        write_packet(live, packet, size);
    while ((packet = zg_packets_take(live->back_packets, since_begin_ps(live), &at_ps, &size)) != NULL)
        take_packet(live, packet, size);
}

static unsigned damage(const struct zgi_live *live, struct zg_damage *direction, uint8_t byte,
                       uint8_t left[ZG_DAMAGE_MOST])
{
    if (live->damaging)
        return zg_damage_byte(direction, live->soak.now_ns - live->begin_ns, byte, left);
    direction->totals.sent++;
    left[0] = byte;
    return 1;
}

/* Writes frame by frame, at the line's speed. A socket would take everything at once, which no UART does. */
static void write_due(struct zgi_live *live)
{
    uint64_t now = live->soak.now_ns;
    uint8_t byte, left[ZG_DAMAGE_MOST];

    if (live->out_packets) /* the port takes them */
        return;
    while (live->free_ns <= now && zg_link_transmit_isr(zgi_live_link(live), &byte)) {
        uint64_t count = 0;
        do {
            zgi_tape_add(live->soak.ends[HOST].went, &byte, 1, now);
            g_byte_array_append(live->to_write, left, damage(live, &live->out, byte, left));
            count++;
        } while (zg_link_transmit_isr(zgi_live_link(live), &byte));
        live->free_ns = MAX(live->free_ns, now) + count * live->soak.byte_ns;
    }
    if (live->to_write->len > 0 && !live->error)
        (void)zg_wire_write(live->wire, live->to_write->data, live->to_write->len, &live->error);
    g_byte_array_set_size(live->to_write, 0);
}

/* Something came after a silence that is an outage. */
static void note_outage(struct zgi_live *live)
{
    struct zgi_soak *soak = &live->soak;
    const uint64_t from_ns = live->heard_ns, slow_ns = soak->settings->slow_ns;

    zg_journal_event(soak->journal, from_ns, ZG_EVENT_OUTAGE, "nothing came for %.3f s",
                     (double)(soak->now_ns - from_ns) * 1e-9);
    zg_ledger_lost_in(soak->ledger, ZG_CLASS_LOST_OUTAGE, from_ns - MIN(from_ns, slow_ns));
    soak->after_outage = true;
    live->outage_until = zg_ledger_next(soak->ledger, ZG_FLOW_STREAM_OUT) - soak->stream_first[ZG_FLOW_STREAM_OUT];
}

/* The wire was read, and something came, or nothing. Time in which this program stood still is no silence. */
static void note_silence(struct zgi_live *live, bool came)
{
    live->silent_ns += MIN(live->soak.now_ns - live->read_ns, (uint64_t)ZGI_LIVE_HELD_UP_NS);
    live->read_ns = live->soak.now_ns;
    if (!came)
        return;
    if (live->silent_ns > live->outage_ns)
        note_outage(live);
    live->heard_ns = live->soak.now_ns;
    live->silent_ns = 0;
}

/* Reads byte by byte, so that counts taken at the end of a frame include no later byte. */
static void read_due(struct zgi_live *live)
{
    uint8_t left[ZG_DAMAGE_MOST];
    struct zg_passage passage;

    if (live->error || !zg_wire_read(live->wire, &passage, &live->error))
        return;
    live->soak.now_ns = zg_wire_now_ns(live->wire); /* writing may have taken a while */
    note_silence(live, passage.count > 0);
    if (live->out_packets) {
        pass_packets(live, &passage);
        return;
    }
    zg_journal_came(live->soak.journal, live->soak.now_ns, true, passage.count, 0, live->soak.byte_ns);
    for (size_t i = 0; i < passage.count; i++) {
        unsigned rest = damage(live, &live->back, passage.bytes[i], left);
        zgi_tape_add(live->soak.ends[HOST].came, left, rest,
                     live->soak.now_ns - MIN(live->soak.now_ns, (passage.count - 1 - i) * live->soak.byte_ns));
        for (unsigned k = 0; k < rest; k++)
            zg_any_link_receive(zg_node_any_link(live->soak.ends[HOST].node), &left[k], 1);
    }
}

void zgi_live_pump(struct zgi_live *live, uint64_t until_ns, const unsigned *known, unsigned wanted)
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
        zg_wire_wait(live->wire, -1, MIN(until_ns - soak->now_ns, (uint64_t)ZGI_LIVE_STEP_NS));
    } while (true);
}
