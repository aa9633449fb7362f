/* SPDX-License-Identifier: MIT */
#include "sim/packets.h"

#include <stdlib.h>
#include <string.h>

enum { DROPS = 24, TWICES, REORDERS, CLIPS /* kinds of chance; the line's bytes and a soak's ends have others */ };

#define PS_PER_NS UINT64_C(1000)
#define OVERTAKEN_PS UINT64_C(200000000000) /* a packet that none overtakes arrives after all, 0.2 s later */

struct packet {
    struct packet *next;
    uint64_t at_ps;
    size_t size;
    uint8_t bytes[];
};

struct zg_packets {
    struct zg_strikes drops, twices, reorders, clips;
    uint64_t latency_ps;
    struct packet *first; /* on their way, in the order of arrival */
    struct packet *taken; /* the last one handed out */
    struct packet *held;  /* the next one overtakes it */
    uint64_t on_way;      /* bytes */
};

/* The faults without those that are of packets here. */
static struct zg_sim_faults of_bytes(const struct zg_sim_faults *faults)
{
    struct zg_sim_faults bytes = *faults;

    bytes.drop = bytes.twice = 0;
    return bytes;
}

struct zg_packets *zg_packets_new(const struct zg_sim_faults *faults, uint64_t seed, uint64_t purpose,
                                  struct zg_damage *damage)
{
    struct zg_packets *packets = calloc(1, sizeof *packets);
    const struct zg_sim_faults bytes = of_bytes(faults);
    struct zg_damage prepared = zg_damage_seeded(&bytes, seed, purpose);

    prepared.touched = damage->touched;
    prepared.data = damage->data;
    *damage = prepared;

    if (!packets)
        abort();
    packets->drops = zg_strikes_seeded(seed, purpose, DROPS, faults->drop);
    packets->twices = zg_strikes_seeded(seed, purpose, TWICES, faults->twice);
    packets->reorders = zg_strikes_seeded(seed, purpose, REORDERS, faults->reorder);
    packets->clips = zg_strikes_seeded(seed, purpose, CLIPS, faults->clip);
    packets->latency_ps = faults->latency_ns * PS_PER_NS;
    return packets;
}

void zg_packets_free(struct zg_packets *packets)
{
    if (!packets)
        return;
    for (struct packet *at = packets->first, *next; at; at = next) {
        next = at->next;
        free(at);
    }
    free(packets->taken);
    free(packets->held);
    free(packets);
}

void zg_packets_change(struct zg_packets *packets, const struct zg_sim_faults *faults, uint64_t now_ns,
                       struct zg_damage *damage)
{
    const struct zg_sim_faults bytes = of_bytes(faults);

    zg_damage_change(damage, &bytes, now_ns);
    zg_strikes_change(&packets->drops, faults->drop);
    zg_strikes_change(&packets->twices, faults->twice);
    zg_strikes_change(&packets->reorders, faults->reorder);
    zg_strikes_change(&packets->clips, faults->clip);
    packets->latency_ps = faults->latency_ns * PS_PER_NS;
}

static struct packet *copy_of(const uint8_t *bytes, size_t size, uint64_t at_ps)
{
    struct packet *packet = malloc(sizeof *packet + size);

    if (!packet)
        abort();
    packet->next = NULL;
    packet->at_ps = at_ps;
    packet->size = size;
    memcpy(packet->bytes, bytes, size);
    return packet;
}

/* Puts a packet in its place. Of those that arrive at the same time it is the last. */
static void launch(struct zg_packets *packets, struct packet *packet)
{
    struct packet **at = &packets->first;

    while (*at && (*at)->at_ps <= packet->at_ps)
        at = &(*at)->next;
    packet->next = *at;
    *at = packet;
    packets->on_way += packet->size;
}

/* What becomes of a packet's bytes: those that are left. */
static struct packet *damaged(struct zg_damage *damage, uint64_t start_ps, uint64_t byte_ps, const uint8_t *bytes,
                              size_t size)
{
    struct packet *packet = malloc(sizeof *packet + size * ZG_DAMAGE_MOST);

    if (!packet)
        abort();
    packet->next = NULL;
    packet->size = 0;
    packet->at_ps = start_ps + size * byte_ps;
    for (size_t done = 0; done < size;) {
        const uint64_t now_ns = (start_ps + done * byte_ps) / PS_PER_NS;
        const size_t spared = zg_damage_spare(damage, now_ns, byte_ps, bytes + done, size - done);
        memcpy(packet->bytes + packet->size, bytes + done, spared);
        packet->size += spared;
        done += spared;
        if (done == size)
            break;
        uint8_t left[ZG_DAMAGE_MOST];
        const unsigned rest = zg_damage_byte(damage, (start_ps + done * byte_ps) / PS_PER_NS, bytes[done], left);
        memcpy(packet->bytes + packet->size, left, rest);
        packet->size += rest;
        done++;
    }
    return packet;
}

static void release_held(struct zg_packets *packets, uint64_t at_ps)
{
    if (!packets->held)
        return;
    packets->held->at_ps = at_ps;
    packets->on_way -= packets->held->size; /* which launch() counts again */
    launch(packets, packets->held);
    packets->held = NULL;
}

void zg_packets_send(struct zg_packets *packets, struct zg_damage *damage, uint64_t start_ps, uint64_t byte_ps,
                     const uint8_t *bytes, size_t size)
{
    const bool lost = zg_strikes(&packets->drops), twice = zg_strikes(&packets->twices),
               late = zg_strikes(&packets->reorders), clipped = zg_strikes(&packets->clips);
    struct zg_sim_totals *totals = &damage->totals;

    if (lost) {
        for (size_t i = 0; i < size; i++)
            zg_damage_omit(damage);
        return;
    }
    const size_t whole = clipped ? (size_t)zg_random_below(&packets->clips.random, size) : size;
    struct packet *packet = damaged(damage, start_ps, byte_ps, bytes, whole);
    for (size_t i = whole; i < size; i++)
        zg_damage_omit(damage);
    if (packet->size == 0) {
        free(packet);
        return;
    }
    packet->at_ps += packets->latency_ps;
    if (twice) {
        launch(packets, copy_of(packet->bytes, packet->size, packet->at_ps));
        totals->doubled += packet->size;
        if (damage->touched)
            damage->touched(damage->data, totals->sent - 1, ZG_TOUCH_DOUBLED);
    }
    if (late && !packets->held) {
        packet->at_ps += OVERTAKEN_PS;
        packets->held = packet;
        packets->on_way += packet->size;
    } else {
        const uint64_t at_ps = packet->at_ps;
        launch(packets, packet);
        release_held(packets, at_ps);
    }
}

uint64_t zg_packets_next_ps(const struct zg_packets *packets)
{
    const uint64_t first = packets->first ? packets->first->at_ps : UINT64_MAX;

    return packets->held && packets->held->at_ps < first ? packets->held->at_ps : first;
}

const uint8_t *zg_packets_take(struct zg_packets *packets, uint64_t until_ps, uint64_t *at_ps, size_t *size)
{
    free(packets->taken);
    packets->taken = NULL;
    if (packets->held && packets->held->at_ps <= until_ps)
        release_held(packets, packets->held->at_ps);
    struct packet *const packet = packets->first;
    if (!packet || packet->at_ps > until_ps)
        return NULL;
    packets->first = packet->next;
    packets->taken = packet;
    packets->on_way -= packet->size;
    *at_ps = packet->at_ps;
    *size = packet->size;
    return packet->bytes;
}

uint64_t zg_packets_on_way(const struct zg_packets *packets)
{
    return packets->on_way;
}
