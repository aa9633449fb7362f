/* SPDX-License-Identifier: MIT */
/* Frames separated by silence, on a link whose bytes come at given times: intact frames arrive, however seldom the link
 * is polled, at every value of the clock; a sender keeps the silence. */
#include "sim/random.h"
#include "support.h"

#include <string.h>

#include "codec/frame.h"
#include "node/node.h"
#include "zeugma/error.h"

static const char definition[] =
    "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { baud: 100000 }\n" /* 100 us a byte, 350 us of silence */
    "frame: { framing: gap, header: [id: u8], check: crc32/iso-hdlc, max_payload: 20 }\n"
    "messages: { m: { id: 1, from: both, fields: { n: u32, data: \"bytes[..]\" } } }\n";

static void check_sum(struct zg_node *node, uint32_t fed)
{
    const struct zg_counters *c = &zg_node_link(node)->counters;
    assert_int_equal(c->bytes_in, fed);
    assert_int_equal(c->bytes_in, c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_idle +
                                      zg_any_link_pending(zg_node_any_link(node)));
}

static void test_receiving(void **state)
{
    struct test_plan plan = test_plan_of(definition);
    struct zg_random random = zg_random_seeded(41, 0);
    (void)state;
    for (unsigned round = 0; round < test_rounds(200); round++) {
        GArray *delivered = g_array_new(FALSE, FALSE, sizeof(uint32_t));
        struct zg_node *node = zg_node_new(plan.plan, 0, 512, &test_port, NULL, &test_numbering, delivered);
        struct zg_link *link = zg_node_link(node);
        g_autoptr(GArray) wanted = g_array_new(FALSE, FALSE, 4);
        uint32_t fed = 0, unpolled = 0, too_long = 0, failed = 0;
        test_clock_us = (uint32_t)zg_random_next(&random) | (round % 2 ? 0xFFFF0000U : 0); /* often about to wrap */
        for (uint32_t number = 0; number < 60; number++) {
            const struct zg_header header = { .id = 1 };
            uint8_t payload[20] = { 0 };
            memcpy(payload, &number, 4);
            g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, payload, 4 + zg_random_below(&random, 17));
            unsigned what = (unsigned)zg_random_below(&random, 8);
            if (what == 0)
                frame->data[zg_random_below(&random, frame->len)] ^= 4;
            g_autofree uint8_t *again = g_memdup2(frame->data, frame->len);
            if (what == 1) /* two without silence in between */
                g_byte_array_append(frame, again, frame->len);
            too_long += frame->len > plan.plan->max_content;
            failed += what <= 1 && frame->len <= plan.plan->max_content;
            if (what > 1)
                g_array_append_val(wanted, number);
            for (guint i = 0; i < frame->len; i++, fed++) {
                test_clock_us += 100 + (round % 3 ? (uint32_t)zg_random_below(&random, 240) : 0);
                zg_link_receive_isr(link, frame->data[i], 0);
                if (zg_random_one_in(&random, 30)) {
                    zg_any_link_poll(zg_node_any_link(node));
                    unpolled = 0;
                }
            }
            if (++unpolled == 7) { /* as many as can be kept apart between two polls */
                zg_any_link_poll(zg_node_any_link(node));
                unpolled = 0;
            }
            test_clock_us += 250; /* and the 100 of the next byte are just enough */
            if (number % 2)
                test_clock_us += (uint32_t)zg_random_below(&random, 1000);
        }
        zg_any_link_poll(zg_node_any_link(node));
        test_clock_us += 350;
        zg_any_link_poll(zg_node_any_link(node));
        assert_int_equal(zg_any_link_pending(zg_node_any_link(node)), 0);
        check_sum(node, fed);
        assert_int_equal(link->counters.too_long, too_long);
        assert_int_equal(link->counters.failed_check, failed);
        assert_int_equal(link->counters.timed_out, 0);
        assert_int_equal(delivered->len, wanted->len);
        assert_memory_equal(delivered->data, wanted->data, 4 * (size_t)wanted->len);
        g_array_unref(delivered);
        zg_node_free(node);
    }
    test_plan_clear(&plan);
}

/* A frame is delivered as soon as the silence after it is long enough, and not before. */
static void test_when(void **state)
{
    struct test_plan plan = test_plan_of(definition);
    GArray *delivered = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    struct zg_node *node = zg_node_new(plan.plan, 0, 64, &test_port, NULL, &test_numbering, delivered);
    const struct zg_header header = { .id = 1 };
    g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, (const uint8_t *)"abcd", 4);
    (void)state;
    test_clock_us = UINT32_MAX - 200;
    for (guint i = 0; i < frame->len; i++)
        zg_link_receive_isr(zg_node_link(node), frame->data[i], 0);
    zg_any_link_poll(zg_node_any_link(node));
    test_clock_us += 349;
    zg_any_link_poll(zg_node_any_link(node));
    assert_int_equal(delivered->len, 0);
    test_clock_us += 1;
    zg_any_link_poll(zg_node_any_link(node));
    assert_int_equal(delivered->len, 1);
    g_array_unref(delivered);
    zg_node_free(node);
    test_plan_clear(&plan);
}

/* The silence counts from when the ring is seen empty, plus two bytes' times for what the UART still holds. */
static void test_sending(void **state)
{
    struct test_plan plan = test_plan_of(definition);
    test_clock_us = UINT32_MAX - 300;
    struct zg_node *node = zg_node_new(plan.plan, 0, 256, &test_port, NULL, &test_numbering, NULL);
    struct zg_link *link = zg_node_link(node);
    uint8_t byte;
    (void)state;
    assert_int_equal(zg_any_link_send(zg_node_any_link(node), 1, (const uint8_t *)"abcd", 4), 0);
    assert_int_equal(zg_any_link_send(zg_node_any_link(node), 1, (const uint8_t *)"efgh", 4), ZG_EROOM);
    while (zg_link_transmit_isr(link, &byte))
        test_clock_us += 100;
    zg_any_link_poll(zg_node_any_link(node));
    test_clock_us += 549;
    assert_int_equal(zg_any_link_send(zg_node_any_link(node), 1, (const uint8_t *)"efgh", 4), ZG_EROOM);
    test_clock_us += 1;
    assert_int_equal(zg_any_link_send(zg_node_any_link(node), 1, (const uint8_t *)"efgh", 4), 0);
    assert_int_equal(link->counters.frames_out, 2);
    zg_node_free(node);
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_receiving), cmocka_unit_test(test_when),
                                        cmocka_unit_test(test_sending) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
