/* SPDX-License-Identifier: MIT */
#include "sim/line.h"

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

#include "sim/packets.h"

/* Internally time is in picoseconds, so that bits of any baud rate add up without drift. */
#define PS_PER_NS UINT64_C(1000)

/* Bytes on the way, one after the other at the line's speed. */
struct flight {
    uint64_t arrives_ps;  /* the first of those that have not; */
    uint64_t each_ps;     /* each of the others so much later; */
    uint64_t first, last; /* counts of the bytes since the beginning */
    uint8_t errors;       /* of the only one */
};

/* A byte that arrives twice, or that nobody sent, behind another. */
struct extra {
    uint64_t place;
    uint8_t byte;
};

enum { EXTRAS = 64 /* at most behind bytes that are on the wire */ };

/* Bytes that never leave, by the count of bytes sent. */
struct omission {
    uint64_t from, to;
};

enum { OMISSIONS = 64 /* at most in a transmit ring */ };

/* What one end sends and the other receives. */
struct direction {
    struct zg_sim_line *line;
    const struct zg_sim_ears *sender, *receiver;
    struct zg_link *from;
    struct zg_link *to;
    struct zg_damage damage;
    struct zg_sim_uart uart;    /* of the receiver */
    bool masked;                /* the sender's interrupts are */
    bool running;               /* the transmitter has more to send */
    uint64_t free_ps;           /* when it can take the next byte */
    uint8_t *bytes;             /* on the way, in the order of arrival; byte n at n % bytes_size */
    size_t bytes_size;          /* a power of two */
    uint64_t arrived, departed; /* counts; bytes on the way == departed - arrived */
    struct flight *flights;     /* a queue of them, */
    size_t flights_size;        /* a power of two */
    struct omission omissions[OMISSIONS];
    uint64_t omissions_first, omissions_last; /* counts */
    size_t first, last;                       /* counts; flights in the queue == last - first */
    struct zg_packets *packets;               /* if the line keeps them apart; then there are no flights */
    void (*take)(void *data, const uint8_t *bytes, size_t size);
    void *data;
    uint64_t byte_ps;     /* by the sender's clock */
    struct zg_bits *bits; /* NULL: by the byte */
    struct extra extras[EXTRAS];
    size_t extras_first, extras_last; /* counts */
    bool defers;                      /* what arrives may wait until the receiver acts upon it: */
    uint8_t mark;                     /* upon this byte, */
    size_t most;                      /* unless more others come in a row; */
    size_t unmarked;                  /* so many have, */
    uint64_t last_ps;                 /* the last byte then */
    uint64_t wake_ps;                 /* nothing that it acts upon comes before; 0: that is not known */
    bool brought;                     /* what there was in the last step */
};

struct zg_sim_line {
    uint64_t now_ps;
    uint64_t byte_ps, read_ps;
    uint32_t clock_us;
    struct zg_sim_bits bits; /* if it is computed by them */
    struct zg_sim_faults faults[2];
    double bit_ps;
    struct zg_random boots;
    uint64_t seed;
    struct direction directions[2];
    struct zg_sim_ears ears[2]; /* at each end */
};

/* A division that is seldom done with 64 bits, which takes twice as long. */
static inline uint64_t quotient(uint64_t dividend, uint64_t divisor)
{
    return (dividend | divisor) >> 32 == 0 ? (uint32_t)dividend / (uint32_t)divisor : dividend / divisor;
}

static uint32_t now_us(void *context)
{
    const struct zg_sim_line *line = ((struct direction *)context)->line;
    return (uint32_t)(line->now_ps / (1000 * PS_PER_NS) + line->clock_us);
}

static void start_transmit(void *context)
{
    struct direction *direction = context;
    if (direction->wake_ps == UINT64_MAX)
        direction->wake_ps = 0;
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

const struct zg_port zg_sim_port = { .now_us = now_us, .start_transmit = start_transmit, .boot_number = boot_number };

void zg_sim_line_free(struct zg_sim_line *line)
{
    if (!line)
        return;
    for (unsigned end = 0; end < 2; end++) {
        free(line->directions[end].flights);
        free(line->directions[end].bytes);
        zg_packets_free(line->directions[end].packets);
        if (line->directions[end].bits)
            zg_bits_clear(line->directions[end].bits);
        free(line->directions[end].bits);
    }
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

static void *allocate(size_t size)
{
    void *memory = malloc(size);
    if (!memory)
        abort();
    return memory;
}

static void grow_flights(struct direction *direction)
{
    size_t size = direction->flights_size ? 2 * direction->flights_size : 64;
    struct flight *flights = allocate(size * sizeof *flights);

    for (size_t i = direction->first; i != direction->last; i++)
        flights[i & (size - 1)] = direction->flights[i & (direction->flights_size - 1)];
    free(direction->flights);
    direction->flights = flights;
    direction->flights_size = size;
}

static void grow_bytes(struct direction *direction)
{
    size_t size = direction->bytes_size ? 2 * direction->bytes_size : 1024;
    uint8_t *bytes = allocate(size);

    for (uint64_t i = direction->arrived; i != direction->departed; i++)
        bytes[i & (size - 1)] = direction->bytes[i & (direction->bytes_size - 1)];
    free(direction->bytes);
    direction->bytes = bytes;
    direction->bytes_size = size;
}

/* Whether bytes that arrive so continue the newest flight. */
static bool continues(const struct direction *direction, uint64_t arrives_ps, uint64_t each_ps, uint8_t errors)
{
    if (direction->first == direction->last || errors != 0)
        return false;
    const struct flight *newest = &direction->flights[(direction->last - 1) & (direction->flights_size - 1)];
    return newest->errors == 0 && newest->each_ps == each_ps &&
           arrives_ps == newest->arrives_ps + (newest->last - newest->first) * each_ps;
}

/* Bytes leave, the first of which arrives then, each of the others so much later; a single one perhaps with errors. */
static void depart(struct direction *direction, const uint8_t *bytes, size_t count, uint64_t arrives_ps,
                   uint64_t each_ps, uint8_t errors)
{
    while (direction->departed - direction->arrived + count > direction->bytes_size)
        grow_bytes(direction);
    for (size_t done = 0, span; done < count; done += span) {
        const size_t at = (direction->departed + done) & (direction->bytes_size - 1);
        span = direction->bytes_size - at < count - done ? direction->bytes_size - at : count - done;
        memcpy(direction->bytes + at, bytes + done, span);
    }
    if (!continues(direction, arrives_ps, each_ps, errors)) {
        if (direction->last - direction->first == direction->flights_size)
            grow_flights(direction);
        direction->flights[direction->last++ & (direction->flights_size - 1)] =
            (struct flight){ arrives_ps, each_ps, direction->departed, direction->departed, errors };
    }
    direction->departed += count;
    direction->flights[(direction->last - 1) & (direction->flights_size - 1)].last = direction->departed;
}

/* Bytes of which the first one is read then. With jitter they come when the next lump does. */
static void launch(struct direction *direction, const uint8_t *bytes, size_t count, uint64_t sent_ps, uint8_t errors)
{
    const struct zg_sim_faults *faults = &direction->damage.faults;
    const uint64_t byte_ps = direction->byte_ps, lump_ps = faults->jitter_ns * PS_PER_NS;
    const uint64_t latency_ps = faults->latency_ns * PS_PER_NS;

    if (lump_ps == 0) {
        depart(direction, bytes, count, sent_ps + latency_ps, byte_ps, errors);
        return;
    }
    while (count > 0) {
        const uint64_t lump_end_ps = (sent_ps / lump_ps + 1) * lump_ps;
        uint64_t together = (lump_end_ps - sent_ps + byte_ps - 1) / byte_ps;
        together = together < count ? together : count;
        depart(direction, bytes, (size_t)together, lump_end_ps + latency_ps, 0, errors);
        sent_ps += together * byte_ps;
        bytes += together;
        count -= (size_t)together;
    }
}

/* Bytes go onto the wire now. */
static void put(struct direction *direction, const uint8_t *bytes, size_t count)
{
    if (direction->bits)
        zg_bits_send(direction->bits, bytes, count, direction->free_ps, direction->byte_ps,
                     direction->damage.totals.sent - count);
    else
        launch(direction, bytes, count, direction->free_ps + direction->line->read_ps, 0);
}

/* A byte goes onto the wire, and the others arrive together with it. */
static void put_with(struct direction *direction, const uint8_t *bytes, unsigned count)
{
    for (unsigned i = 1; i < count && direction->bits; i++) /* first, as the byte may be heard at once */
        direction->extras[direction->extras_last++ % EXTRAS] =
            (struct extra){ direction->damage.totals.sent - 1, bytes[i] };
    put(direction, bytes, 1);
    for (unsigned i = 1; i < count && !direction->bits; i++)
        put(direction, bytes + i, 1);
}

/* What the bits of a byte, or what looks like one, came to. */
static void hear(void *data, const struct zg_heard *heard)
{
    struct direction *direction = data;
    unsigned flipped = 0;

    for (unsigned bits = heard->touches == ZG_TOUCH_CHANGED ? (unsigned)(heard->sent ^ heard->byte) : 0; bits != 0;
         bits &= bits - 1)
        flipped++;
    if (heard->touches != 0)
        zg_damage_note(&direction->damage, heard->place, heard->touches, flipped);
    if (heard->is_read)
        launch(direction, &heard->byte, 1, heard->at_ps, heard->errors);
    while (direction->extras_first != direction->extras_last) {
        const struct extra *extra = &direction->extras[direction->extras_first % EXTRAS];
        if (extra->place > heard->place)
            return;
        direction->extras_first++;
        launch(direction, &extra->byte, 1, heard->is_read ? heard->at_ps : direction->free_ps, 0);
    }
}

/* Sends bytes that the transmitter has had: stretches that no fault strikes, and single bytes that one does. */
static void carry(struct direction *direction, const uint8_t *bytes, size_t count)
{
    const uint64_t byte_ps = direction->byte_ps;

    while (count > 0) {
        const uint64_t now_ns = direction->free_ps / PS_PER_NS;
        const size_t spared = zg_damage_spare(&direction->damage, now_ns, byte_ps, bytes, count);
        if (spared > 0)
            put(direction, bytes, spared);
        direction->free_ps += spared * byte_ps;
        bytes += spared;
        count -= spared;
        if (count == 0)
            return;
        uint8_t left[ZG_DAMAGE_MOST];
        const unsigned rest = zg_damage_byte(&direction->damage, direction->free_ps / PS_PER_NS, *bytes++, left);
        if (rest > 0)
            put_with(direction, left, rest);
        direction->free_ps += byte_ps;
        count--;
    }
}

/* By the bit, what holds the line is part of the medium. */
static struct zg_sim_faults faults_by_byte(const struct zg_sim_faults *faults, bool by_bit)
{
    struct zg_sim_faults rest = *faults;

    if (by_bit)
        rest.hold = (struct zg_spell){ 0 };
    return rest;
}

/* How long a bit is by an end's clock. */
static double bit_of(const struct zg_sim_line *line, unsigned end, const struct zg_sim_faults *to_it)
{
    return line->bit_ps / (line->bits.ends[end].rate * (1 + to_it->ppm * 1e-6));
}

/* `faults`: in what each end sends. */
static struct zg_bits_settings bits_settings(const struct zg_sim_line *line, unsigned end,
                                             const struct zg_sim_faults faults[2])
{
    const struct zg_sim_faults *own = &faults[end];

    return (struct zg_bits_settings){ .format = line->bits.format,
                                      .sent_bit_ps = bit_of(line, end, &faults[1 - end]),
                                      .read_bit_ps = bit_of(line, 1 - end, own),
                                      .samples = line->bits.ends[1 - end].samples,
                                      .medium = { .idle_low = line->bits.format.idle_low,
                                                  .carrier_ps =
                                                      line->bits.carrier_hz > 0 ? 1e12 / line->bits.carrier_hz : 0,
                                                  .rise_ps = own->edges_ns > 0 ? own->edges_ns * PS_PER_NS : 0,
                                                  .fall_ps = own->edges_ns < 0 ? -own->edges_ns * PS_PER_NS : 0,
                                                  .pulses = own->pulse,
                                                  .holds = own->hold } };
}

/* The time from one byte to the next, of a sender whose bits take that long. */
static uint64_t byte_of(const struct zg_bits_settings *settings)
{
    return (uint64_t)(zg_uart_half_bits(&settings->format) * settings->sent_bit_ps / 2 + 0.5);
}

static void begin_bits(struct zg_sim_line *line, const struct zg_sim_settings *settings)
{
    for (unsigned end = 0; end < 2; end++) {
        struct direction *direction = &line->directions[end];
        const struct zg_bits_settings bits = bits_settings(line, end, settings->faults);
        direction->bits = malloc(sizeof *direction->bits);
        if (!direction->bits)
            abort();
        zg_bits_init(direction->bits, &bits, settings->seed, end + 2, hear, direction);
        direction->byte_ps = byte_of(&bits);
        line->faults[end] = settings->faults[end];
    }
}

struct zg_sim_line *zg_sim_line_new(const struct zg_sim_settings *settings)
{
    struct zg_sim_line *line = calloc(1, sizeof *line);

    if (!line)
        abort();
    line->byte_ps = (settings->half_bits * UINT64_C(500000000000) + settings->baud / 2) / settings->baud +
                    settings->byte_gap_ns * PS_PER_NS;
    line->read_ps = settings->read_16ths > 0
                        ? (settings->read_16ths * UINT64_C(62500000000) + settings->baud / 2) / settings->baud
                        : line->byte_ps;
    line->bit_ps = 1e12 / (double)settings->baud;
    line->clock_us = settings->clock_us;
    line->seed = settings->seed;
    line->boots = zg_random_seeded(settings->seed, 2);
    for (unsigned end = 0; end < 2; end++) {
        struct direction *direction = &line->directions[end];
        direction->line = line;
        direction->sender = &line->ears[end];
        direction->receiver = &line->ears[1 - end];
        direction->uart.depth = ZG_SIM_UART_DEPTH;
        direction->byte_ps = line->byte_ps;
        const struct zg_sim_faults faults = faults_by_byte(&settings->faults[end], settings->bits != NULL);
        direction->damage = zg_damage_seeded(&faults, settings->seed, end);
        direction->damage.data_bits = settings->data_bits > 0 ? settings->data_bits : 8;
    }
    if (settings->bits) {
        line->bits = *settings->bits;
        begin_bits(line, settings);
    }
    return line;
}

/* Takes bytes away that never leave; or bounds `count` to those before the next ones, and returns false. */
static bool omit(struct direction *direction, const uint8_t *span, size_t *count)
{
    const struct omission *next = &direction->omissions[direction->omissions_first % OMISSIONS];
    const uint64_t sent = direction->damage.totals.sent;

    if (sent < next->from) {
        *count = *count < next->from - sent ? *count : (size_t)(next->from - sent);
        return false;
    }
    const size_t rest = *count < next->to - sent ? *count : (size_t)(next->to - sent);
    if (direction->sender->sent)
        direction->sender->sent(direction->sender->data, span, rest);
    for (size_t i = 0; i < rest; i++)
        zg_damage_omit(&direction->damage);
    zg_ring_release(&direction->from->transmit, (zg_index)rest);
    direction->omissions_first += sent + rest == next->to;
    return true;
}

/* As a radio that takes the packet in the ring whenever it is free. */
static void transmit_packets(struct direction *direction, uint64_t until_ps)
{
    const uint64_t byte_ps = direction->byte_ps;
    const uint8_t *packet;
    size_t size;

    if (direction->masked && direction->free_ps < until_ps)
        direction->free_ps = until_ps;
    while (direction->running && direction->free_ps < until_ps) {
        size = zg_ring_span(&direction->from->transmit, &packet);
        direction->running = size > 0;
        if (size == 0)
            return;
        if (direction->sender->sent)
            direction->sender->sent(direction->sender->data, packet, size);
        zg_packets_send(direction->packets, &direction->damage, direction->free_ps, byte_ps, packet, size);
        direction->free_ps += size * byte_ps;
        zg_ring_release(&direction->from->transmit, (zg_index)size);
    }
}

/* The ring took these bytes, the last of them then, each so long after the one before. */
static void tell_receiver(const struct direction *direction, const uint8_t *bytes, size_t count, uint64_t last_ps,
                          uint64_t each_ps)
{
    if (direction->receiver->received && count > 0)
        direction->receiver->received(direction->receiver->data, bytes, count, last_ps / PS_PER_NS,
                                      each_ps / PS_PER_NS);
}

static void arrive_in_packets(struct direction *direction, uint64_t until_ps)
{
    const uint8_t *packet;
    uint64_t at_ps;
    size_t size;

    while (!direction->uart.masked && (packet = zg_packets_take(direction->packets, until_ps, &at_ps, &size)) != NULL) {
        direction->line->now_ps = at_ps;
        direction->damage.totals.arrived += size;
        tell_receiver(direction, packet, size, at_ps, 0);
        direction->take(direction->data, packet, size);
    }
}

/* As the interrupts of a transmitter, which take the oldest bytes of its ring whenever the line is free. */
static void transmit(struct direction *direction, uint64_t until_ps)
{
    const uint64_t byte_ps = direction->byte_ps;

    if (direction->masked) { /* the next byte waits for its interrupt */
        if (direction->free_ps < until_ps)
            direction->free_ps = until_ps;
        return;
    }
    while (direction->running && direction->free_ps < until_ps) {
        const uint64_t due = quotient(until_ps - direction->free_ps + byte_ps - 1, byte_ps);
        const uint8_t *span;
        size_t count = zg_ring_span(&direction->from->transmit, &span);
        if (count > due)
            count = (size_t)due;
        direction->running = count > 0;
        if (direction->omissions_first != direction->omissions_last && omit(direction, span, &count))
            continue;
        if (direction->sender->sent)
            direction->sender->sent(direction->sender->data, span, count);
        carry(direction, span, count);
        zg_ring_release(&direction->from->transmit, (zg_index)count);
    }
}

/* As the interrupts of a receiver: its ring takes what it has room for. A framing by silence wants the time of each. */
static void receive(struct direction *direction, const uint8_t *bytes, size_t count, const struct flight *flight)
{
    struct zg_link *to = direction->to;
    uint64_t arrives_ps = flight->arrives_ps;
    uint8_t *span;

    while (count > 0 && !to->gaps && !direction->uart.masked && flight->errors == 0) {
        size_t fits = zg_ring_free_span(&to->receive, &span);
        if (fits == 0)
            break;
        fits = fits < count ? fits : count;
        memcpy(span, bytes, fits);
        zg_ring_publish(&to->receive, (zg_index)fits);
        tell_receiver(direction, bytes, fits, arrives_ps + (fits - 1) * flight->each_ps, flight->each_ps);
        bytes += fits;
        count -= fits;
        arrives_ps += fits * flight->each_ps;
    }
    for (; count > 0; count--, arrives_ps += flight->each_ps) {
        const uint32_t before = to->counters.bytes_dropped;
        direction->line->now_ps = arrives_ps; /* an interrupt may read the clock */
        zg_sim_uart_take(&direction->uart, to, *bytes, flight->errors);
        if (!direction->uart.masked && before == to->counters.bytes_dropped)
            tell_receiver(direction, bytes, 1, arrives_ps, flight->each_ps);
        bytes++;
    }
}

/* Counts the bytes since the last mark. */
static void count_unmarked(struct direction *direction, const uint8_t *bytes, size_t count)
{
    size_t since = 0;

    if (!direction->defers)
        return;
    while (since < count && bytes[count - 1 - since] != direction->mark)
        since++;
    direction->unmarked = since < count ? since : direction->unmarked + count;
}

static void arrive(struct direction *direction, uint64_t until_ps)
{
    while (direction->first != direction->last) {
        struct flight *flight = &direction->flights[direction->first & (direction->flights_size - 1)];
        if (flight->arrives_ps > until_ps)
            return;
        uint64_t due = flight->each_ps > 0 ? quotient(until_ps - flight->arrives_ps, flight->each_ps) + 1 : UINT64_MAX;
        const size_t at = flight->first & (direction->bytes_size - 1);
        if (due > flight->last - flight->first)
            due = flight->last - flight->first;
        if (due > direction->bytes_size - at)
            due = direction->bytes_size - at;
        receive(direction, direction->bytes + at, (size_t)due, flight);
        count_unmarked(direction, direction->bytes + at, (size_t)due);
        direction->damage.totals.arrived += due;
        direction->arrived += due;
        direction->last_ps = flight->arrives_ps + (due - 1) * flight->each_ps;
        flight->first += due;
        flight->arrives_ps += due * flight->each_ps;
        direction->first += flight->first == flight->last;
    }
}

static void advance(struct direction *direction, uint64_t until_ps)
{
    if (direction->packets) {
        transmit_packets(direction, until_ps);
        arrive_in_packets(direction, until_ps);
    } else {
        transmit(direction, until_ps);
        if (direction->bits)
            zg_bits_settle(direction->bits, direction->free_ps > until_ps ? direction->free_ps : until_ps);
        arrive(direction, until_ps);
    }
}

/* The place of the first mark among `count` bytes of a ring of that size, a power of two, from number `first` on;
 * `count`: there is none. */
static uint64_t find_mark(const uint8_t *ring, size_t size, uint64_t first, uint64_t count, uint8_t mark)
{
    const size_t at = (size_t)(first & (size - 1)), span = count < size - at ? (size_t)count : size - at;
    const uint8_t *found = memchr(ring + at, mark, span);

    if (found)
        return (uint64_t)(found - (ring + at));
    found = memchr(ring, mark, (size_t)(count - span));
    return found ? span + (uint64_t)(found - ring) : count;
}

/* When a byte that leaves now arrives. */
static uint64_t next_arrival(const struct direction *direction)
{
    return direction->free_ps + direction->line->read_ps + direction->damage.faults.latency_ns * PS_PER_NS;
}

/* When the receiver has to look, at the latest: at the first mark, at the last byte before one that a fault may strike
 * or before a pause. 0: in every step. */
static uint64_t wake_of(const struct direction *direction)
{
    const struct zg_ring *ring = &direction->from->transmit;
    const uint64_t flying = direction->departed - direction->arrived,
                   held = direction->running ? zg_ring_used(ring) : 0;

    if (!direction->defers || direction->masked || direction->uart.masked ||
        direction->omissions_first != direction->omissions_last ||
        direction->unmarked + flying + held > direction->most)
        return 0;
    if (flying + held == 0) /* until something is sent */
        return direction->unmarked == 0 ? UINT64_MAX : 0;
    const struct flight *flight =
        flying > 0 ? &direction->flights[direction->first & (direction->flights_size - 1)] : NULL;
    const uint64_t first_ps = flight ? flight->arrives_ps : next_arrival(direction),
                   spared = zg_damage_ahead(&direction->damage);
    if (direction->unmarked > 0 && first_ps > direction->last_ps + direction->byte_ps) /* in a pause */
        return 0;
    if (flight) {
        const uint64_t count = flight->last - flight->first, last_ps = first_ps + (count - 1) * flight->each_ps;
        const uint64_t place =
            find_mark(direction->bytes, direction->bytes_size, flight->first, count, direction->mark);
        if (place < count)
            return first_ps + place * flight->each_ps;
        if (flight->last != direction->departed || held == 0 || spared == 0 ||
            next_arrival(direction) > last_ps + direction->byte_ps)
            return last_ps;
    }
    if (spared == 0)
        return 0;
    const uint64_t place = find_mark(ring->bytes, (size_t)ring->mask + 1, ring->tail, held, direction->mark);
    return next_arrival(direction) + zg_least(zg_least(place, held - 1), spared - 1) * direction->byte_ps;
}

void zg_sim_advance(struct zg_sim_line *line, uint64_t until_ns)
{
    uint64_t until_ps = until_ns * PS_PER_NS;

    for (unsigned end = 0; end < 2; end++) {
        struct direction *const direction = &line->directions[end];
        direction->brought = until_ps >= direction->wake_ps;
        if (direction->brought) {
            advance(direction, until_ps);
            direction->wake_ps = wake_of(direction);
        }
    }
    line->now_ps = until_ps;
}

void zg_sim_defer(struct zg_sim_line *line, unsigned end, uint8_t mark, size_t most)
{
    struct direction *in = &line->directions[1 - end];

    in->defers = !in->bits && !in->packets && in->damage.faults.jitter_ns == 0 && !in->to->gaps;
    in->mark = mark;
    in->most = most;
}

uint64_t zg_sim_wake_ns(const struct zg_sim_line *line)
{
    return zg_least(line->directions[0].wake_ps, line->directions[1].wake_ps) / PS_PER_NS;
}

bool zg_sim_brought(const struct zg_sim_line *line, unsigned end)
{
    return line->directions[1 - end].brought;
}

void zg_sim_settle(struct zg_sim_line *line, unsigned end, size_t room)
{
    struct direction *const out = &line->directions[end];

    if (out->brought)
        return;
    const struct zg_ring *ring = &out->from->transmit; /* it holds less in truth */
    if (zg_ring_room(ring) < room || !out->running || out->free_ps + zg_ring_used(ring) * out->byte_ps <= line->now_ps)
        advance(out, line->now_ps);
}

void zg_sim_keep_packets(struct zg_sim_line *line, unsigned end,
                         void (*take)(void *data, const uint8_t *bytes, size_t size), void *data)
{
    struct direction *const in = &line->directions[1 - end];
    const struct zg_sim_faults faults = in->damage.faults;

    in->packets = zg_packets_new(&faults, line->seed, 1 - end, &in->damage);
    in->take = take;
    in->data = data;
}

void zg_sim_listen(struct zg_sim_line *line, unsigned end, const struct zg_sim_ears *ears)
{
    line->ears[end] = *ears;
}

void zg_sim_watch(struct zg_sim_line *line, unsigned end, void (*touched)(void *data, uint64_t place, unsigned touches),
                  void *data)
{
    line->directions[end].damage.touched = touched;
    line->directions[end].damage.data = data;
}

/* The faults of one end are those of the other's clock, too. */
static void change_bits(struct zg_sim_line *line, uint64_t now_ns)
{
    for (unsigned end = 0; end < 2; end++) {
        const struct zg_bits_settings bits = bits_settings(line, end, line->faults);
        zg_bits_change(line->directions[end].bits, &bits, now_ns);
        line->directions[end].byte_ps = byte_of(&bits);
    }
}

void zg_sim_change(struct zg_sim_line *line, unsigned end, const struct zg_sim_faults *faults)
{
    struct direction *const direction = &line->directions[end];
    const uint64_t now_ns = line->now_ps / PS_PER_NS;
    const struct zg_sim_faults by_byte = faults_by_byte(faults, direction->bits != NULL);

    line->faults[end] = *faults;
    direction->wake_ps = 0;
    if (direction->packets)
        zg_packets_change(direction->packets, faults, now_ns, &direction->damage);
    else
        zg_damage_change(&direction->damage, &by_byte, now_ns);
    if (direction->bits)
        change_bits(line, now_ns);
}

void zg_sim_mask(struct zg_sim_line *line, unsigned end, unsigned depth, bool masked)
{
    struct direction *in = &line->directions[1 - end];

    in->uart.depth = depth;
    in->wake_ps = line->directions[end].wake_ps = 0;
    if (!masked) /* those that have waited; if the ring is full, the last of them are lost */
        tell_receiver(in, in->uart.bytes,
                      in->uart.used < zg_ring_room(&in->to->receive) ? in->uart.used : zg_ring_room(&in->to->receive),
                      line->now_ps, 0);
    zg_sim_uart_mask(&in->uart, in->to, masked);
    line->directions[end].masked = masked;
}

uint64_t zg_sim_overrun(const struct zg_sim_line *line, unsigned end)
{
    return line->directions[1 - end].uart.overrun;
}

unsigned zg_sim_stop(struct zg_sim_line *line, unsigned end)
{
    struct direction *out = &line->directions[end], *in = &line->directions[1 - end];
    const unsigned used = in->uart.used;

    out->running = false;
    in->wake_ps = out->wake_ps = 0;
    out->omissions_first = out->omissions_last;
    in->uart.used = 0;
    return used;
}

void zg_sim_omit_last(struct zg_sim_line *line, unsigned end, size_t count)
{
    struct direction *out = &line->directions[end];
    const uint64_t to = out->damage.totals.sent + zg_ring_used(&out->from->transmit);

    out->wake_ps = 0;
    if (out->omissions_last - out->omissions_first < OMISSIONS)
        out->omissions[out->omissions_last++ % OMISSIONS] = (struct omission){ to - count, to };
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
