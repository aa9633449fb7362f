/* SPDX-License-Identifier: MIT */
#include "sim/bus.h"

#include <stdlib.h>

/* Internally time is in picoseconds, so that bits of any baud rate add up without drift. */
#define PS_PER_NS UINT64_C(1000)

struct end {
    struct zg_sim_bus *bus;
    struct zg_link *link;
    struct zg_damage damage;
    bool cut;
    bool running; /* the transmitter has more to send */
    bool sending; /* a byte is on the line */
    bool spoiled; /* and so is another end's */
    bool unheard; /* nobody hears the current transmission */
    uint8_t byte;
    uint64_t finish_ps;
};

struct zg_sim_bus {
    uint64_t now_ps, byte_ps;
    uint32_t clock_us;
    double burst_loss;
    struct zg_random chance;
    uint64_t collisions, lost;
    struct end ends[ZG_SIM_BUS_ENDS];
};

static uint32_t now_us(void *context)
{
    const struct zg_sim_bus *bus = ((struct end *)context)->bus;
    return (uint32_t)(bus->now_ps / (1000 * PS_PER_NS) + bus->clock_us);
}

static void start_transmit(void *context)
{
    struct end *end = context;
    struct zg_sim_bus *bus = end->bus;

    if (end->running)
        return;
    end->running = true;
    end->unheard = zg_random_skip(&bus->chance, bus->burst_loss) == 0;
    bus->lost += end->unheard;
}

static uint16_t boot_number(void *context)
{
    return (uint16_t)zg_random_next(&((struct end *)context)->bus->chance);
}

const struct zg_port zg_sim_bus_port = { .now_us = now_us,
                                         .start_transmit = start_transmit,
                                         .boot_number = boot_number };

struct zg_sim_bus *zg_sim_bus_new(const struct zg_sim_bus_settings *settings)
{
    struct zg_sim_bus *bus = calloc(1, sizeof *bus);

    if (!bus)
        abort();
    bus->byte_ps = (settings->half_bits * UINT64_C(500000000000) + settings->baud / 2) / settings->baud;
    bus->clock_us = settings->clock_us;
    bus->burst_loss = settings->burst_loss;
    bus->chance = zg_random_seeded(settings->seed, ZG_SIM_BUS_ENDS);
    for (unsigned i = 0; i < ZG_SIM_BUS_ENDS; i++) {
        bus->ends[i].bus = bus;
        bus->ends[i].damage = zg_damage_seeded(&settings->faults, settings->seed, i);
    }
    return bus;
}

void zg_sim_bus_free(struct zg_sim_bus *bus)
{
    free(bus);
}

void *zg_sim_bus_context(struct zg_sim_bus *bus, unsigned end)
{
    return &bus->ends[end];
}

void zg_sim_bus_attach(struct zg_sim_bus *bus, unsigned end, struct zg_link *link)
{
    bus->ends[end].link = link;
}

void zg_sim_bus_cut(struct zg_sim_bus *bus, unsigned end, bool cut)
{
    bus->ends[end].cut = cut;
}

/* Puts the next byte of an end on the line. */
static void begin_byte(struct zg_sim_bus *bus, struct end *end)
{
    if (!end->running || end->sending)
        return;
    end->running = zg_link_transmit_isr(end->link, &end->byte);
    if (!end->running)
        return;
    end->sending = true;
    end->spoiled = false;
    end->finish_ps = bus->now_ps + bus->byte_ps;
    if (end->cut)
        return;
    for (unsigned i = 0; i < ZG_SIM_BUS_ENDS; i++) {
        struct end *other = &bus->ends[i];
        if (other == end || !other->sending || other->cut)
            continue;
        bus->collisions += !other->spoiled;
        other->spoiled = end->spoiled = true;
    }
    bus->collisions += end->spoiled;
}

/* A byte is over: every end that listens receives what became of it. */
static void finish_byte(struct zg_sim_bus *bus, struct end *end)
{
    uint8_t byte = end->spoiled ? (uint8_t)(end->byte ^ zg_random_next(&bus->chance)) : end->byte;
    uint8_t left[ZG_DAMAGE_MOST];
    unsigned count = zg_damage_byte(&end->damage, bus->now_ps / PS_PER_NS, byte, left);

    end->sending = false;
    for (unsigned i = 0; i < ZG_SIM_BUS_ENDS; i++) {
        struct end *other = &bus->ends[i];
        if (other == end || !other->link || other->sending || other->cut || end->cut || end->unheard)
            continue;
        for (unsigned k = 0; k < count; k++)
            zg_link_receive_isr(other->link, left[k], end->spoiled ? ZG_LINE_FRAMING : 0);
    }
    begin_byte(bus, end);
}

void zg_sim_bus_advance(struct zg_sim_bus *bus, uint64_t until_ns)
{
    uint64_t until_ps = until_ns * PS_PER_NS;

    for (unsigned i = 0; i < ZG_SIM_BUS_ENDS; i++)
        begin_byte(bus, &bus->ends[i]);
    for (;;) {
        struct end *next = NULL;
        for (unsigned i = 0; i < ZG_SIM_BUS_ENDS; i++) {
            struct end *end = &bus->ends[i];
            if (end->sending && end->finish_ps <= until_ps && (!next || end->finish_ps < next->finish_ps))
                next = end;
        }
        if (!next)
            break;
        bus->now_ps = next->finish_ps;
        finish_byte(bus, next);
    }
    bus->now_ps = until_ps;
}

uint64_t zg_sim_bus_now(const struct zg_sim_bus *bus)
{
    return bus->now_ps / PS_PER_NS;
}

uint64_t zg_sim_bus_collisions(const struct zg_sim_bus *bus)
{
    return bus->collisions;
}

uint64_t zg_sim_bus_lost(const struct zg_sim_bus *bus)
{
    return bus->lost;
}
