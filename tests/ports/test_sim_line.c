/* SPDX-License-Identifier: MIT */
#include "support.h"

#include <math.h>

#include "node/node.h"
#include "sim/line.h"

static unsigned taken;

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    (void)data;
    (void)frame;
    (void)payload;
    (void)length;
    taken++;
    return 0;
}

static const struct zg_node_calls calls = { .deliver = deliver };

/* Two nodes on a line, both sending as much as it carries. */
struct bench {
    struct test_plan plan;
    struct zg_sim_line *line;
    struct zg_node *nodes[2];
};

static struct bench begin_with(const char *definition, const struct zg_sim_settings *settings,
                               const struct zg_node_calls *of_ends, void *data[2])
{
    struct bench bench = { test_plan_of(definition), zg_sim_line_new(settings), { NULL } };
    for (unsigned end = 0; end < 2; end++) {
        bench.nodes[end] =
            zg_node_new(bench.plan.plan, 0, 256, &zg_sim_port, zg_sim_context(bench.line, end), of_ends, data[end]);
        zg_sim_attach(bench.line, end, zg_node_link(bench.nodes[end]));
    }
    return bench;
}

static struct bench begin(const struct zg_sim_settings *settings)
{
    void *none[2] = { NULL };
    taken = 0;
    return begin_with(test_small_definition, settings, &calls, none);
}

static void end(struct bench *bench)
{
    zg_node_free(bench->nodes[0]);
    zg_node_free(bench->nodes[1]);
    zg_sim_line_free(bench->line);
    test_plan_clear(&bench->plan);
}

static void run_busy(struct bench *bench, uint64_t until_ns)
{
    const uint8_t payload[40] = { 1, 2, 3 };
    for (uint64_t now = zg_sim_now(bench->line); now < until_ns;) {
        for (unsigned i = 0; i < 2; i++)
            while (zg_any_link_send(zg_node_any_link(bench->nodes[i]), 1, payload, sizeof payload) == 0)
                ;
        zg_sim_advance(bench->line, now += 500000);
        zg_any_link_poll(zg_node_any_link(bench->nodes[0]));
        zg_any_link_poll(zg_node_any_link(bench->nodes[1]));
    }
}

/* A frame of 14 bytes at 9600 baud 8N1 takes 14 * 10 / 9600 s; with a latency, that much more. */
static void test_frames_take_their_time(void **state)
{
    const uint8_t payload[8] = { 0 };
    (void)state;
    for (uint64_t latency = 0; latency <= 3000000; latency += 1500000) {
        const struct zg_sim_settings settings = { .baud = 9600,
                                                  .half_bits = 20,
                                                  .faults = { { .latency_ns = latency } } };
        struct bench bench = begin(&settings);
        uint64_t due = (14 * UINT64_C(10000000000) + 4800) / 9600 + latency;
        assert_int_equal(zg_any_link_send(zg_node_any_link(bench.nodes[0]), 1, payload, sizeof payload), 0);
        zg_sim_advance(bench.line, due - 1000);
        zg_any_link_poll(zg_node_any_link(bench.nodes[1]));
        assert_int_equal(taken, 0);
        zg_sim_advance(bench.line, due + 1000);
        zg_any_link_poll(zg_node_any_link(bench.nodes[1]));
        assert_int_equal(taken, 1);
        end(&bench);
    }
}

/* Whether a count is within five standard deviations of what a rate gives for so many trials. */
static void assert_near(uint64_t count, uint64_t trials, double rate)
{
    double mean = rate * (double)trials;
    if (fabs((double)count - mean) > 5 * sqrt(mean) + 1)
        fail_msg("%" G_GUINT64_FORMAT " of %" G_GUINT64_FORMAT " is not a rate of %g", count, trials, rate);
}

static void test_faults_come_at_their_rates(void **state)
{
    (void)state;
    for (double rate = 1e-5; rate < 0.2; rate *= 10) {
        const struct zg_sim_faults faults = { .bit_error_rate = rate / 8, .drop = rate, .twice = rate / 2 };
        const struct zg_sim_settings settings = {
            .baud = 3000000, .half_bits = 22, .faults = { faults, { 0 } }, .seed = 3
        };
        struct bench bench = begin(&settings);
        run_busy(&bench, UINT64_C(4000000000));
        const struct zg_sim_totals *hurt = zg_sim_totals(bench.line, 0), *clean = zg_sim_totals(bench.line, 1);
        assert_near(hurt->flipped_bits, 8 * hurt->sent, rate / 8);
        assert_near(hurt->dropped, hurt->sent, rate);
        assert_near(hurt->doubled, hurt->sent - hurt->dropped, rate / 2);
        assert_int_equal(clean->flipped_bits + clean->dropped + clean->doubled, 0);
        assert_near(clean->sent, UINT64_C(4000000000), 3e6 / 11 / 1e9); /* it was busy all the time */
        assert_int_equal(zg_node_link(bench.nodes[0])->counters.failed_check, 0);
        end(&bench);
    }
}

static void test_one_seed_one_run(void **state)
{
    const struct zg_sim_faults faults = { .bit_error_rate = 1e-4, .drop = 1e-4, .twice = 1e-4, .latency_ns = 700000 };
    struct zg_counters seen[3];
    (void)state;
    for (unsigned i = 0; i < 3; i++) {
        const struct zg_sim_settings settings = { .baud = 115200,
                                                  .half_bits = 20,
                                                  .faults = { faults, faults },
                                                  .seed = i == 2 ? 12 : 11,
                                                  .clock_us = UINT32_MAX - 900000 };
        struct bench bench = begin(&settings);
        run_busy(&bench, UINT64_C(5000000000));
        seen[i] = zg_node_link(bench.nodes[0])->counters;
        end(&bench);
    }
    assert_true(seen[0].failed_check > 10);
    assert_memory_equal(&seen[0], &seen[1], sizeof seen[0]);
    assert_memory_not_equal(&seen[0], &seen[2], sizeof seen[0]);
}

/* Everything that an end received, and after how many steps. */
struct arrivals {
    GByteArray *bytes;
    GArray *steps;
    unsigned step;
};

static void note(void *data, const uint8_t *bytes, size_t count, uint64_t last_ns, uint64_t each_ns)
{
    struct arrivals *arrivals = data;
    (void)last_ns;
    (void)each_ns;
    g_byte_array_append(arrivals->bytes, bytes, (guint)count);
    for (size_t i = 0; i < count; i++)
        g_array_append_val(arrivals->steps, arrivals->step);
}

/* The same bytes, at times that agree within a tick, whether the line is computed by the byte or by the bit: without
 * faults, and with those that happen to bytes. */
static void test_bytes_and_bits(void **state)
{
    static const struct zg_sim_faults kinds[] = {
        { 0 },
        { .bit_error_rate = 1e-3, .drop = 0.01, .twice = 0.01, .insert = 0.01 },
        { .latency_ns = 3000000, .jitter_ns = 1000000, .cut = { 20, 2000000 }, .strip = true },
    };
    static const struct zg_sim_bits by_bit = { .format = { .data_bits = 8, .parity = 'E', .half_stops = 3 },
                                               .ends = { { 1, 16 }, { 1, 8 } } };
    enum { STEP_NS = 3255 }; /* half a tick of 16 at 9600 baud */
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(kinds); i++) {
        struct arrivals arrivals[2];
        struct zg_sim_totals totals[2];
        for (unsigned bits = 0; bits < 2; bits++) {
            const struct zg_sim_settings settings = { .baud = 9600,
                                                      .half_bits = 23,
                                                      .read_16ths = 16 * 10 + 9,
                                                      .bits = bits ? &by_bit : NULL,
                                                      .faults = { kinds[i], kinds[i] },
                                                      .seed = 5 };
            const uint8_t payload[40] = { 1, 2, 3 };
            struct bench bench = begin(&settings);
            struct arrivals *here = &arrivals[bits];
            *here = (struct arrivals){ g_byte_array_new(), g_array_new(FALSE, FALSE, sizeof(unsigned)), 0 };
            zg_sim_listen(bench.line, 0, &(struct zg_sim_ears){ .received = note, .data = here });
            for (; here->step < 220000; here->step++) {
                if (here->step < 100000)
                    while (zg_any_link_send(zg_node_any_link(bench.nodes[1]), 1, payload, sizeof payload) == 0)
                        ;
                zg_sim_advance(bench.line, here->step * (uint64_t)STEP_NS);
                zg_any_link_poll(zg_node_any_link(bench.nodes[0]));
            }
            totals[bits] = *zg_sim_totals(bench.line, 1);
            assert_int_equal(totals[bits].arrived,
                             totals[bits].sent - totals[bits].dropped + totals[bits].doubled + totals[bits].inserted);
            end(&bench);
        }
        assert_true(arrivals[0].bytes->len > 300);
        assert_int_equal(arrivals[0].bytes->len, arrivals[1].bytes->len);
        assert_memory_equal(arrivals[0].bytes->data, arrivals[1].bytes->data, arrivals[0].bytes->len);
        assert_memory_equal(&totals[0], &totals[1], sizeof totals[0]);
        for (guint k = 0; k < arrivals[0].steps->len && kinds[i].jitter_ns == 0; k++) {
            const int before = (int)g_array_index(arrivals[0].steps, unsigned, k),
                      after = (int)g_array_index(arrivals[1].steps, unsigned, k);
            assert_in_range(after - before + 1, 0, 3 + 1); /* a tick is two steps, and the steps themselves are one */
        }
        for (unsigned bits = 0; bits < 2; bits++) {
            g_byte_array_unref(arrivals[bits].bytes);
            g_array_unref(arrivals[bits].steps);
        }
    }
}

/* When and what an end took. */
struct log {
    uint64_t step;
    GByteArray *taken;
};

static int write_down(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct log *log = data;
    g_byte_array_append(log->taken, (const uint8_t *)&log->step, sizeof log->step);
    g_byte_array_append(log->taken, &frame->line_errors, 1);
    g_byte_array_append(log->taken, payload, (guint)length);
    return 0;
}

static const struct zg_node_calls written_down = { .deliver = write_down };

static bool chance(struct zg_random *random, unsigned one_in)
{
    return zg_random_below(random, one_in) == 0;
}

/* What comes may stay on the way, and a poll be left out, without any difference: not in what the ends take in which
 * step, nor in a counter, nor in what the line did. */
static void test_deferred(void **state)
{
    static const struct {
        const char *name;
        uint8_t mark;
    } framings[] = { { "cobs", 0x00 }, { "{ kind: slip, lead: false }", 0xC0 } };
    static const char form[] =
        "zeugma: 1\nprotocol: small\nversion: 2.0\nline: { byte_timeout: 20 ms }\n"
        "frame: { framing: %s, header: [id: u8, sequence: u8], check: crc16/xmodem, max_payload: 64 }\n"
        "messages:\n  data: { id: 1, from: both, fields: { value: u64 } }\n";
    struct zg_random random = zg_random_seeded(1, 1);
    static const uint32_t bauds[] = { 115200, 19200, 600 }; /* at the last, a byte that is missing is a timeout */
    enum { STEP_NS = 1000000, STEPS = 3000 };
    (void)state;
    for (unsigned round = test_rounds(300); round > 0; round--) {
        const double rate = chance(&random, 3) ? 0 : pow(10, -2 - 3 * zg_random_unit(&random)),
                     busy = pow(10, -3 * zg_random_unit(&random));
        const struct zg_sim_faults faults = { .bit_error_rate = rate,
                                              .drop = chance(&random, 2) ? rate : 0,
                                              .twice = chance(&random, 2) ? rate : 0,
                                              .insert = chance(&random, 2) ? rate : 0,
                                              .latency_ns = chance(&random, 2) ? 5300000 : 0,
                                              .strip = chance(&random, 20) };
        const struct zg_sim_settings settings = { .baud = bauds[zg_random_below(&random, 3)],
                                                  .half_bits = 20,
                                                  .read_16ths = chance(&random, 2) ? 16 * 9 + 9 : 0,
                                                  .faults = { faults, faults },
                                                  .seed = round };
        const unsigned framing = (unsigned)zg_random_below(&random, G_N_ELEMENTS(framings));
        g_autofree char *definition = g_strdup_printf(form, framings[framing].name);
        struct log logs[2][2];
        struct zg_counters counters[2][2];
        struct zg_sim_totals totals[2][2];
        for (unsigned deferred = 0; deferred < 2; deferred++) {
            struct log *const here = logs[deferred];
            struct zg_random same = zg_random_seeded(round, 2);
            void *data[2] = { &here[0], &here[1] };
            struct bench bench = begin_with(definition, &settings, &written_down, data);
            for (unsigned i = 0; i < 2; i++)
                here[i] = (struct log){ 0, g_byte_array_new() };
            for (unsigned i = 0; i < 2 && deferred; i++)
                zg_sim_defer(bench.line, i, framings[framing].mark, bench.plan.plan->max_frame);
            for (uint64_t step = 1; step <= STEPS; step++) {
                for (unsigned i = 0; i < 2; i++) {
                    uint8_t payload[40];
                    if (zg_random_unit(&same) > busy)
                        continue;
                    for (size_t k = 0; k < sizeof payload; k++)
                        payload[k] = (uint8_t)zg_random_next(&same);
                    zg_sim_settle(bench.line, i, 2 * (size_t)bench.plan.plan->max_frame);
                    if (zg_node_has_room(bench.nodes[i], 2))
                        (void)zg_any_link_send(zg_node_any_link(bench.nodes[i]), 1, payload,
                                               (size_t)zg_random_below(&same, 41));
                }
                zg_sim_advance(bench.line, step * STEP_NS);
                for (unsigned i = 0; i < 2; i++) {
                    here[i].step = step;
                    if (!deferred || zg_sim_brought(bench.line, i))
                        zg_any_link_poll(zg_node_any_link(bench.nodes[i]));
                }
            }
            for (unsigned i = 0; i < 2; i++)
                zg_sim_settle(bench.line, i, SIZE_MAX);
            for (unsigned i = 0; i < 2; i++) {
                zg_any_link_poll(zg_node_any_link(bench.nodes[i]));
                counters[deferred][i] = zg_node_link(bench.nodes[i])->counters;
                totals[deferred][i] = *zg_sim_totals(bench.line, i);
            }
            end(&bench);
        }
        for (unsigned i = 0; i < 2; i++) {
            assert_int_equal(logs[0][i].taken->len, logs[1][i].taken->len);
            assert_memory_equal(logs[0][i].taken->data, logs[1][i].taken->data, logs[0][i].taken->len);
            g_byte_array_unref(logs[0][i].taken);
            g_byte_array_unref(logs[1][i].taken);
        }
        assert_memory_equal(counters[0], counters[1], sizeof counters[0]);
        assert_memory_equal(totals[0], totals[1], sizeof totals[0]);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_frames_take_their_time),
                                        cmocka_unit_test(test_faults_come_at_their_rates),
                                        cmocka_unit_test(test_one_seed_one_run), cmocka_unit_test(test_bytes_and_bits),
                                        cmocka_unit_test(test_deferred) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
