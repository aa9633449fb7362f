/* SPDX-License-Identifier: MIT */
/* The host library's own end, driven by the plan, together with a generated device. */
#include <string.h>

#include "node/node.h"
#include "stage.h"
#include "support.h"

static struct stage stage;
static struct zg_node *node;
static struct test_plan plan;
static unsigned sent, ended, delivered, failed, replies, values_seen, restarts;
static uint8_t tickets[256]; /* how often each is open */

static const struct zg_plan_message *message_of(const char *name)
{
    const struct zg_plan_message *message = zg_plan_by_name(plan.plan, name);
    assert_non_null(message);
    return message;
}

static int send(const char *name, uint64_t number)
{
    const struct zg_plan_message *message = message_of(name);
    struct zg_value *values = zg_values_new(&message->payload);
    uint8_t ticket = 0;

    values[0].raw.u = number;
    int error = zg_node_send(node, 0, message, values, &ticket);
    zg_values_free(&message->payload, values);
    if (!error)
        tickets[ticket]++;
    return error;
}

static void send_kinds(struct stage *at)
{
    static const char *const names[] = { "set_speed", "load_row", "wind" };
    (void)at;
    if (sent < 1500 && send(names[sent % 3], sent / 3) == 0)
        sent++;
    zg_node_poll(node);
}

static void poll_only(struct stage *at)
{
    (void)at;
    zg_node_poll(node);
}

static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    (void)data;
    (void)frame;
    replies += message == message_of("row_taken");
    if (message == message_of("variable_value")) {
        values_seen++;
        assert_int_equal(values[0].raw.u, 0);
        assert_int_equal(values[1].count, 2);
    }
}

static void settled(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how)
{
    (void)data;
    (void)values;
    assert_int_equal(peer, 0);
    assert_true(message->tickets > 0);
    assert_true(tickets[ticket] > 0);
    tickets[ticket]--;
    ended++;
    delivered += how == ZG_DELIVERED;
    failed += how != ZG_DELIVERED;
}

static void changed(void *data, zg_header_number address, enum zg_link_event event)
{
    (void)data;
    (void)address;
    restarts += event == ZG_LINK_RESTARTED;
}

static const struct zg_node_calls calls = { .take = take, .settled = settled, .changed = changed };

static void begin(const struct zg_sim_faults *faults, uint64_t seed)
{
    g_autofree char *definition = NULL;

    assert_true(g_file_get_contents(TEST_SOURCE "/tests/behaviour/loom.yaml", &definition, NULL, NULL));
    plan = test_plan_of(definition);
    stage_begin(&stage, faults, seed, UINT32_C(0) - 50000);
    stage.host_off = true;
    node = zg_node_new(plan.plan, ZG_SIDE_HOST, 1024, &zg_sim_port, zg_sim_context(stage.line, 1), &calls, NULL);
    zg_sim_attach(stage.line, 1, zg_node_link(node));
    sent = ended = delivered = failed = replies = values_seen = restarts = 0;
    memset(tickets, 0, sizeof tickets);
}

static void end(void)
{
    stage_end(&stage);
    zg_node_free(node);
    test_plan_clear(&plan);
}

/* Through noise, each message arrives once, those whose order is kept in order, and every reply comes back. */
static void test_delivery(void **state)
{
    static const struct zg_sim_faults noise = { .bit_error_rate = 2e-4, .drop = 2e-3, .latency_ns = 2000000 };
    (void)state;
    for (unsigned i = 0; i < 2; i++) {
        begin(i == 0 ? NULL : &noise, 21 + i);
        stage.act = send_kinds;
        while (ended < 1500) {
            assert_true(stage.now_ns < UINT64_C(100000000000));
            stage_run(&stage, 100);
        }
        assert_int_equal(delivered, 1500);
        assert_int_equal(replies, 500);
        assert_int_equal(stage.speeds.count, 500);
        assert_int_equal(stage.rows.count, 500);
        assert_int_equal(stage.winds.count, 500);
        for (unsigned k = 0; k < 500; k++)
            assert_int_equal(stage.winds.numbers[k], k);
        assert_true(zg_node_is_settled(node));
        assert_int_equal(zg_node_hello(node, 0)->match, ZG_MATCH_SAME);
        assert_true(i == 0 || zg_node_link(node)->counters.resent > 10);
        end();
    }
}

/* The device restarts meanwhile: what was open fails, and what is sent afterwards is delivered. */
static void test_restart(void **state)
{
    (void)state;
    begin(NULL, 5);
    stage.act = poll_only;
    stage_run(&stage, 300);
    assert_int_equal(send("set_speed", 1), 0);
    stage.device_off = true;
    stage_run(&stage, 20);
    stage.device_off = false;
    stage_restart_device(&stage);
    stage_run(&stage, 400);
    assert_int_equal(ended, 1);
    assert_int_equal(failed, 1);
    assert_int_equal(restarts, 1);
    assert_int_equal(send("set_speed", 2), 0);
    stage_run(&stage, 100);
    assert_int_equal(delivered, 1);
    assert_int_equal(stage_last(&stage.speeds), 2);
    end();
}

/* A variable by the messages of its service; a stream of it continues until it is stopped. */
static void test_variable(void **state)
{
    (void)state;
    begin(NULL, 6);
    stage.act = poll_only;
    stage_run(&stage, 300);
    const struct zg_plan_message *stream = message_of("variable_stream");
    struct zg_value *values = zg_values_new(&stream->payload);
    values[1].raw.u = 20;
    assert_int_equal(zg_node_send(node, 0, stream, values, &(uint8_t){ 0 }), 0);
    tickets[0]++;
    stage_run(&stage, 410);
    assert_in_range(values_seen, 18, 22);
    values[1].raw.u = 0;
    assert_int_equal(zg_node_send(node, 0, stream, values, &(uint8_t){ 0 }), 0);
    tickets[1]++;
    stage_run(&stage, 50);
    const unsigned before = values_seen;
    stage_run(&stage, 200);
    assert_int_equal(values_seen, before);
    zg_values_free(&stream->payload, values);
    end();
}

/* Half duplex: takes the bytes that a node sends, which are on the line before the next moment. */
static GByteArray *leave(struct zg_node *from)
{
    GByteArray *bytes = g_byte_array_new();
    uint8_t byte;

    while (zg_link_transmit_isr(zg_node_link(from), &byte))
        g_byte_array_append(bytes, &byte, 1);
    zg_node_poll(from);
    return bytes;
}

static int send_at(struct zg_node *from, const char *name, uint32_t after_us)
{
    const struct zg_plan_message *message = message_of(name);
    struct zg_value *values = zg_values_new(&message->payload);

    test_clock_us += after_us;
    zg_node_poll(from);
    int error = zg_node_send(from, 0, message, values, NULL);
    zg_values_free(&message->payload, values);
    return error;
}

/* On a half-duplex line a PC, whose timing is coarse, sends nothing while an answer is due; it continues with the
 * answer, or without it after its time. A device sends its next frame before the answer. */
static void test_half_duplex(void **state)
{
    static const struct zg_node_calls none = { 0 };
    struct zg_node *ends[2];
    (void)state;
    plan = test_plan_of("zeugma: 1\nprotocol: pair\nversion: 1.0\nline: { baud: 100000, duplex: half, gap: 1 ms }\n"
                        "frame: { framing: cobs, header: [id: u8], check: crc16/ibm-3740, max_payload: 16 }\n"
                        "services: [echo]\nmessages: { note: { id: 1, from: both, fields: { n: u8 } } }\n");
    for (unsigned i = 0; i < 2; i++)
        ends[i] = zg_node_new(plan.plan, i == 0 ? ZG_SIDE_HOST : ZG_SIDE_DEVICE, 64, &test_port, NULL, &none, NULL);
    for (unsigned answered = 0; answered < 2; answered++) {
        assert_int_equal(send_at(ends[0], "echo_request", 50000), 0);
        g_autoptr(GByteArray) asked = leave(ends[0]);
        assert_int_equal(send_at(ends[0], "note", 1500), ZG_EROOM); /* the gap is over, but the answer is due */
        if (answered) {
            zg_node_receive(ends[1], asked->data, asked->len);
            test_clock_us += 1500;
            zg_node_poll(ends[1]);
            g_autoptr(GByteArray) answer = leave(ends[1]);
            zg_node_receive(ends[0], answer->data, answer->len);
            assert_int_equal(send_at(ends[0], "note", 500), ZG_EROOM); /* the line is not quiet yet */
            assert_int_equal(send_at(ends[0], "note", 1000), 0);
        } else {
            const uint32_t answer_us = (uint32_t)zg_plan_answer_us(plan.plan);
            assert_int_equal(send_at(ends[0], "note", answer_us - 2000), ZG_EROOM);
            assert_int_equal(send_at(ends[0], "note", 2000), 0);
        }
        g_byte_array_unref(leave(ends[0]));
    }
    assert_int_equal(send_at(ends[1], "echo_request", 50000), 0);
    g_byte_array_unref(leave(ends[1]));
    assert_int_equal(send_at(ends[1], "note", 1500), 0);
    for (unsigned i = 0; i < 2; i++)
        zg_node_free(ends[i]);
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_delivery), cmocka_unit_test(test_restart),
                                        cmocka_unit_test(test_variable), cmocka_unit_test(test_half_duplex) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
