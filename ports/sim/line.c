/* SPDX-License-Identifier: MIT */
#include "sim/line.h"

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

/* Internally time is in picoseconds, so that bits of any baud rate add up without drift. */
#define PS_PER_NS UINT64_C(1000)

struct flight {
    uint64_t arrives_ps;
    uint8_t byte;
};

/* What one end sends and the other receives. */
struct direction {
    struct zg_sim_line *line;
    struct zg_link *from;
    struct zg_link *to;
    struct zg_damage damage;
    bool running;           /* the transmitter has more to send */
    uint64_t free_ps;       /* when it can take the next byte */
    struct flight *flights; /* a queue: bytes on the way, in the order of arrival */
    size_t flights_size;    /* a power of two */
    size_t first, last;     /* counts; flights in the queue == last - first */
};

struct zg_sim_line {
    uint64_t now_ps;
    uint64_t byte_ps;
    uint32_t clock_us;
    struct zg_random boots;
    struct direction directions[2];
};

static uint32_t now_us(void *context)
{
    const struct zg_sim_line *line = ((struct direction *)context)->line;
    return (uint32_t)(line->now_ps / (1000 * PS_PER_NS) + line->clock_us);
}

static void start_transmit(void *context)
{
    struct direction *direction = context;
    if (direction->running)
        return;
    direction->running = true;
    if (direction->free_ps < direction->line->now_ps)
        direction->free_ps = direction->line->now_ps;
}

static uint16_t boot_number(void *context)
{
    return (uint16_t)zg_random_next(&((struct direction *)context)->line->boots);
}

const struct zg_port zg_sim_port = { now_us, start_transmit, NULL, NULL, boot_number };

struct zg_sim_line *zg_sim_line_new(const struct zg_sim_settings *settings)
{
    struct zg_sim_line *line = calloc(1, sizeof *line);

    if (!line)
        abort();
    line->byte_ps = (settings->half_bits * UINT64_C(500000000000) + settings->baud / 2) / settings->baud;
    line->clock_us = settings->clock_us;
    line->boots = zg_random_seeded(settings->seed, 2);
    for (unsigned end = 0; end < 2; end++) {
        struct direction *direction = &line->directions[end];
        direction->line = line;
        direction->damage = zg_damage_seeded(&settings->faults[end], settings->seed, end);
    }
    return line;
}

void zg_sim_line_free(struct zg_sim_line *line)
{
    if (!line)
        return;
    free(line->directions[0].flights);
    free(line->directions[1].flights);
    free(line);
}

void *zg_sim_context(struct zg_sim_line *line, unsigned end)
{
    return &line->directions[end];
}

void zg_sim_attach(struct zg_sim_line *line, unsigned end, struct zg_link *link)
{
    line->directions[end].from = link;
    line->directions[1 - end].to = link;
}

static void grow(struct direction *direction)
{
    size_t size = direction->flights_size ? 2 * direction->flights_size : 64;
    struct flight *flights = malloc(size * sizeof *flights);

    if (!flights)
        abort();
    for (size_t i = direction->first; i != direction->last; i++)
        flights[i & (size - 1)] = direction->flights[i & (direction->flights_size - 1)];
    free(direction->flights);
    direction->flights = flights;
    direction->flights_size = size;
}

static void depart(struct direction *direction, uint8_t byte, uint64_t arrives_ps)
{
    if (direction->last - direction->first == direction->flights_size)
        grow(direction);
    direction->flights[direction->last++ & (direction->flights_size - 1)] = (struct flight){ arrives_ps, byte };
}

static void carry(struct direction *direction, uint8_t byte)
{
    uint64_t arrives_ps = direction->free_ps + direction->damage.faults.latency_ns * PS_PER_NS;
    uint8_t left[ZG_DAMAGE_MOST];
    unsigned count = zg_damage_byte(&direction->damage, byte, left);

    for (unsigned i = 0; i < count; i++)
        depart(direction, left[i], arrives_ps);
}

static void transmit(struct direction *direction, uint64_t until_ps)
{
    uint8_t byte;

    while (direction->running && direction->free_ps < until_ps) {
        direction->running = zg_link_transmit_isr(direction->from, &byte);
        if (!direction->running)
            return;
        direction->free_ps += direction->line->byte_ps;
        carry(direction, byte);
    }
}

static void arrive(struct direction *direction, uint64_t until_ps)
{
    while (direction->first != direction->last) {
        const struct flight *flight = &direction->flights[direction->first & (direction->flights_size - 1)];
        if (flight->arrives_ps > until_ps)
            return;
        direction->line->now_ps = flight->arrives_ps; /* an interrupt may read the clock */
        zg_link_receive_isr(direction->to, flight->byte, 0);
        direction->damage.totals.arrived++;
        direction->first++;
    }
}

void zg_sim_advance(struct zg_sim_line *line, uint64_t until_ns)
{
    uint64_t until_ps = until_ns * PS_PER_NS;

    for (unsigned end = 0; end < 2; end++) {
        transmit(&line->directions[end], until_ps);
        arrive(&line->directions[end], until_ps);
    }
    line->now_ps = until_ps;
}

uint64_t zg_sim_now(const struct zg_sim_line *line)
{
    return line->now_ps / PS_PER_NS;
}

uint64_t zg_sim_byte_ns(const struct zg_sim_line *line)
{
    return line->byte_ps / PS_PER_NS;
}

const struct zg_sim_totals *zg_sim_totals(const struct zg_sim_line *line, unsigned end)
{
    return &line->directions[end].damage.totals;
}
