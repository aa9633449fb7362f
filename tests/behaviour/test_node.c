/* SPDX-License-Identifier: MIT */
/* The host library's own end, driven by the plan, at work with a generated device. */
#include <string.h>

#include "live/node.h"
#include "stage.h"

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

static void settled(void *data, zg_role peer, const struct zg_plan_message *message, uint8_t ticket,
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

static void changed(void *data, zg_role address, enum zg_link_event event)
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

/* The device restarts in the middle: what was open fails, and what is sent then is delivered. */
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

/* A variable by the service's messages; a stream of it comes until it is stopped. */
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

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_delivery), cmocka_unit_test(test_restart),
                                        cmocka_unit_test(test_variable) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
