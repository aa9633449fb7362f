/* SPDX-License-Identifier: MIT */
/* UARTs and clocked pairs in software: against each other, against the simulated UART, at the limits of their clocks,
 * and with edges lost. */
#include "support.h"

#include <math.h>
#include <string.h>

#include "clocked/clocked.h"
#include "node/node.h"
#include "sim/random.h"
#include "sim/sampler.h"
#include "soft_uart/soft_uart.h"

enum { BYTES = 24, ROUNDS = 40 };

#define BIT_PS 1e6

static const struct zg_node_calls calls = { .deliver = NULL };

/* Two links whose rings are filled and emptied by hand. */
static struct test_plan plan;
static struct zg_node *nodes[2];
static void *no_port_context;

static uint32_t now_us(void *context)
{
    (void)context;
    return 0;
}

static void start_transmit(void *context)
{
    (void)context;
}

static const struct zg_port port = { .now_us = now_us, .start_transmit = start_transmit };

static int set_up(void **state)
{
    (void)state;
    plan = test_plan_of(test_small_definition);
    for (unsigned i = 0; i < 2; i++)
        nodes[i] = zg_node_new(plan.plan, 0, 256, &port, no_port_context, &calls, NULL);
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    zg_node_free(nodes[0]);
    zg_node_free(nodes[1]);
    test_plan_clear(&plan);
    return 0;
}

static struct zg_link *sender_link(void)
{
    return zg_node_link(nodes[0]);
}

static struct zg_link *receiver_link(void)
{
    return zg_node_link(nodes[1]);
}

/* Empties both rings and gives the sender bytes. */
static void give(const uint8_t *bytes, unsigned count)
{
    const uint8_t *span;
    uint8_t *room;
    zg_index size;

    while ((size = zg_ring_span(&sender_link()->transmit, &span)) > 0)
        zg_ring_release(&sender_link()->transmit, size);
    while ((size = zg_ring_span(&receiver_link()->receive, &span)) > 0)
        zg_ring_release(&receiver_link()->receive, size);
    for (unsigned i = 0; i < count; i++) {
        assert_true(zg_ring_free_span(&sender_link()->transmit, &room) > 0);
        *room = bytes[i];
        zg_ring_publish(&sender_link()->transmit, 1);
    }
}

static bool has_received(const uint8_t *bytes, unsigned count)
{
    const uint8_t *span;
    unsigned found = 0;
    zg_index size;

    while ((size = zg_ring_span(&receiver_link()->receive, &span)) > 0) {
        for (zg_index i = 0; i < size; i++, found++)
            if (found >= count || span[i] != bytes[found])
                return false;
        zg_ring_release(&receiver_link()->receive, size);
    }
    return found == count;
}

/* --- the line of a sender in software */

struct wave {
    double at[BYTES * 14 + 4];
    unsigned edges;
    double end;
};

static void send_all(const struct zg_uart_format *format, struct wave *wave)
{
    struct zg_soft_uart_sender sender;
    double at = 4 * BIT_PS;
    bool high = !format->idle_low;

    zg_soft_uart_sender_init(&sender, format);
    assert_int_equal(sender.high, high);
    wave->edges = 0;
    while (zg_soft_uart_next(&sender, sender_link())) {
        if (sender.high != high)
            wave->at[wave->edges++] = at;
        high = sender.high;
        at += BIT_PS;
    }
    assert_int_equal(sender.high, !format->idle_low);
    if (sender.high != high)
        wave->at[wave->edges++] = at;
    wave->end = at + 30 * BIT_PS;
}

/* --- receivers of it, whose bit is this much longer */

static bool reads_by_uart(const struct zg_uart_format *format, const struct wave *wave, double excess, double phase,
                          unsigned samples)
{
    struct zg_sampler sampler = { .format = *format, .samples = samples, .tick_ps = BIT_PS * (1 + excess) / samples };
    struct zg_levels levels = { 0 };
    struct zg_sampled sampled;
    bool good = true;

    sampler.phase_ps = phase * sampler.tick_ps;
    for (unsigned i = 0; i < wave->edges; i++)
        zg_levels_change(&levels, wave->at[i]);
    while (zg_sampler_read(&sampler, &levels, wave->end, &sampled)) {
        zg_link_receive_isr(receiver_link(), sampled.byte, sampled.errors);
        good = good && sampled.errors == 0;
    }
    zg_levels_free(&levels);
    return good;
}

enum { TICKS_A_BIT = 250 };

static bool reads_by_edges(const struct zg_uart_format *format, const struct wave *wave, double excess, double phase,
                           unsigned samples)
{
    const double tick_ps = BIT_PS * (1 + excess) / TICKS_A_BIT;
    const uint32_t before = receiver_link()->counters.line_framing + receiver_link()->counters.line_parity;
    struct zg_soft_uart_edges edges;
    bool high = !format->idle_low;
    (void)samples;

    zg_soft_uart_edges_init(&edges, format, TICKS_A_BIT * 256);
    for (unsigned i = 0; i <= wave->edges; i++) { /* an edge, or the interrupt that is due before it */
        const double at = i < wave->edges ? wave->at[i] : wave->end;
        const uint64_t tick = (uint64_t)(at / tick_ps + phase) + 0xFFF0;
        uint16_t due;
        if (zg_soft_uart_due(&edges, &due) && (uint16_t)((uint16_t)tick - due) < 0x8000)
            zg_soft_uart_quiet(&edges, receiver_link(), due);
        high = !high;
        if (i < wave->edges)
            (void)zg_soft_uart_edge(&edges, receiver_link(), (uint16_t)tick, high);
    }
    return receiver_link()->counters.line_framing + receiver_link()->counters.line_parity == before;
}

static bool reads_by_samples(const struct zg_uart_format *format, const struct wave *wave, double excess, double phase,
                             unsigned samples)
{
    const uint32_t before = receiver_link()->counters.line_framing + receiver_link()->counters.line_parity;
    const double step_ps = BIT_PS * (1 + excess) / samples;
    struct zg_soft_uart_samples receiver;
    unsigned edge = 0;

    zg_soft_uart_samples_init(&receiver, format, (uint8_t)samples);
    for (double at = phase * step_ps; at < wave->end; at += step_ps) {
        while (edge < wave->edges && wave->at[edge] <= at)
            edge++;
        zg_soft_uart_sample(&receiver, receiver_link(), (edge % 2 == 0) != format->idle_low);
    }
    return receiver_link()->counters.line_framing + receiver_link()->counters.line_parity == before;
}

typedef bool reader(const struct zg_uart_format *format, const struct wave *wave, double excess, double phase,
                    unsigned samples);

/* Whether all of any data is read, at every phase. */
static bool reads_all(struct zg_random *random, reader *reads, const struct zg_uart_format *format, unsigned samples,
                      double excess)
{
    struct wave wave;
    uint8_t bytes[BYTES];

    for (unsigned round = 0; round < ROUNDS; round++) {
        const uint8_t mask = (uint8_t)(0xFFU >> (8 - format->data_bits));
        for (unsigned i = 0; i < BYTES; i++)
            bytes[i] = (uint8_t)((round == 0   ? 0
                                  : round == 1 ? 0xFF
                                  : round == 2 ? 0x80
                                               : zg_random_next(random)) &
                                 mask);
        give(bytes, BYTES);
        send_all(format, &wave);
        if (!reads(format, &wave, excess, round / (double)ROUNDS, samples) || !has_received(bytes, BYTES))
            return false;
    }
    return true;
}

/* The greatest excess, to either side, at which all is read. */
static double limit(struct zg_random *random, reader *reads, const struct zg_uart_format *format, unsigned samples,
                    double bad)
{
    double good = 0;

    if (!reads_all(random, reads, format, samples, 0))
        return 0;
    while (fabs(bad - good) > 2e-4) {
        const double middle = (good + bad) / 2;
        *(reads_all(random, reads, format, samples, middle) ? &good : &bad) = middle;
    }
    return good;
}

/* A receiver that decides `early` to `late` of a bit behind each bit's beginning: how much longer its own bit may be,
 * and how much shorter. It is ready for the next start bit at the latest then. */
static void expect(const struct zg_uart_format *format, double early, double late, double *longest, double *shortest)
{
    const double before = zg_uart_before_stop(format), whole = before + (format->half_stops + 1) / 2;

    *longest = fmin(before / (before - 1 + late), whole / (before + late)) - 1;
    *shortest = before / (before + early) - 1;
}

static void test_limits(void **state)
{
    static const struct zg_uart_format formats[] = {
        { 8, 'N', 2, false, false, false },
        { 7, 'E', 2, true, true, false },
        { 8, 'O', 3, false, false, false },
        { 5, 'N', 4, true, false, false },
    };
    struct zg_random random = zg_random_seeded(6, 0);
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(formats); i++) {
        const struct zg_uart_format *format = &formats[i];
        double longest, shortest;
        expect(format, 0.5, 0.5, &longest, &shortest);
        assert_true(fabs(limit(&random, reads_by_edges, format, 0, 0.3) - longest) < 0.003);
        assert_true(fabs(limit(&random, reads_by_edges, format, 0, -0.3) - shortest) < 0.003);
        for (unsigned samples = 3; samples <= 16; samples += samples < 5 ? 1 : 11) {
            const double middle = (samples - 1) / 2;
            expect(format, middle / samples, (middle + 1) / samples, &longest, &shortest);
            assert_true(fabs(limit(&random, reads_by_samples, format, samples, 0.3) - longest) < 0.003);
            assert_true(fabs(limit(&random, reads_by_samples, format, samples, -0.3) - shortest) < 0.003);
        }
        /* what software sends, a UART reads as if another had sent it */
        assert_true(reads_all(&random, reads_by_uart, format, 16, 0.035));
        assert_true(reads_all(&random, reads_by_uart, format, 16, -0.045));
        assert_true(reads_all(&random, reads_by_uart, format, 8, 0.02));
    }
    /* the other stop level, and its bit of idle */
    const struct zg_uart_format opposite = { 8, 'N', 4, true, false, true };
    assert_true(reads_all(&random, reads_by_uart, &opposite, 16, 0.03));
    assert_true(reads_all(&random, reads_by_edges, &opposite, 0, 0.03));
    assert_true(reads_all(&random, reads_by_samples, &opposite, 5, -0.03));
}

/* Flags are those of hardware: a break once, framing, parity; a pulse is no character. */
static void test_flags(void **state)
{
    static const struct {
        const char *levels; /* a bit each */
        uint8_t byte;
        bool received, framing, parity, broken;
    } rows[] = {
        { "1110000000000000000111111", 0x00, true, true, false, true },
        { "1110101010101111111111111", 0x55, true, false, true, false },
        { "1110101010100111111111111", 0x55, true, true, false, false },
    };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++)
        for (unsigned by_samples = 0; by_samples < 2; by_samples++) {
            const struct zg_uart_format format = { 8, i == 1 ? 'E' : 'N', 2, false, false, false };
            const struct zg_counters before = receiver_link()->counters, *after = &receiver_link()->counters;
            struct wave wave = { .edges = 0, .end = 40 * BIT_PS };
            give(NULL, 0);
            for (unsigned k = 1; rows[i].levels[k]; k++)
                if (rows[i].levels[k] != rows[i].levels[k - 1])
                    wave.at[wave.edges++] = k * BIT_PS;
            (void)(by_samples ? reads_by_samples : reads_by_edges)(&format, &wave, 0, 0.5, 7);
            assert_int_equal(after->line_framing - before.line_framing, rows[i].framing);
            assert_int_equal(after->line_parity - before.line_parity, rows[i].parity);
            assert_int_equal(after->line_break - before.line_break, rows[i].broken);
            assert_true(has_received(&rows[i].byte, 1));
            struct wave pulse = { .at = { 3 * BIT_PS, 3.3 * BIT_PS }, .edges = 2, .end = 40 * BIT_PS };
            assert_true((by_samples ? reads_by_samples : reads_by_edges)(&format, &pulse, 0, 0.5, 7));
            assert_true(has_received(NULL, 0));
        }
}

/* --- the pair */

/* Sends all bytes; the receiver sees each sampling edge but one. Its timer wraps; its clock is off by `excess`. */
static void send_pair(const struct zg_clocked_format *format, uint8_t gap, double excess, unsigned lost)
{
    struct zg_clocked_sender sender;
    struct zg_clocked_receiver receiver;
    unsigned edges = 0;
    double tick = 65000;

    zg_clocked_sender_init(&sender, format, gap);
    zg_clocked_receiver_init(&receiver, format, (uint16_t)(gap * 50 / 2)); /* 50 ticks a clock */
    bool clock = sender.clock, data = sender.data;
    while (zg_clocked_next(&sender, sender_link())) {
        tick += 25 * (1 + excess);
        if (sender.clock != clock && sender.clock == format->samples_rising && ++edges != lost) {
            assert_int_equal(sender.data, data); /* it changed half a clock before */
            zg_clocked_edge(&receiver, receiver_link(), (uint16_t)(uint64_t)tick, sender.data);
        }
        clock = sender.clock;
        data = sender.data;
    }
    assert_int_equal(sender.clock, format->idle_high);
}

static void test_pair(void **state)
{
    struct zg_random random = zg_random_seeded(7, 0);
    uint8_t bytes[BYTES], rest[BYTES];
    (void)state;
    for (unsigned round = 0; round < 800; round++) {
        const struct zg_clocked_format format = { round & 1, round >> 1 & 1, round >> 2 & 1 };
        const uint8_t gap = (uint8_t)(4 + zg_random_below(&random, 20));
        const double excess = ((double)zg_random_below(&random, 200) - 100) / 300;
        for (unsigned i = 0; i < BYTES; i++)
            bytes[i] = (uint8_t)zg_random_next(&random);
        give(bytes, BYTES);
        send_pair(&format, gap, excess, 0);
        assert_true(has_received(bytes, BYTES));
        const unsigned lost = 1 + (unsigned)zg_random_below(&random, 8 * BYTES), at = (lost - 1) / 8;
        memcpy(rest, bytes, at);
        memcpy(rest + at, bytes + at + 1, BYTES - 1 - at);
        give(bytes, BYTES);
        send_pair(&format, gap, excess, lost); /* an edge lost costs its byte, and no other */
        assert_true(has_received(rest, BYTES - 1));
    }
    /* a pause that the timer does not see counts if it was looked at */
    struct zg_clocked_receiver receiver;
    zg_clocked_receiver_init(&receiver, &(struct zg_clocked_format){ 0 }, 100);
    give(NULL, 0);
    zg_clocked_edge(&receiver, receiver_link(), 10, true);
    for (unsigned tick = 10; tick < 65536 + 10; tick += 5000)
        zg_clocked_idle(&receiver, (uint16_t)tick);
    for (unsigned i = 0; i < 8; i++)
        zg_clocked_edge(&receiver, receiver_link(), (uint16_t)(15 + 10 * i), i % 2 == 0);
    assert_true(has_received((const uint8_t[]){ 0xAA }, 1));
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_limits), cmocka_unit_test(test_flags),
                                        cmocka_unit_test(test_pair) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
