/* SPDX-License-Identifier: MIT */
#include "random_frames.h"
#include "support.h"

#include <math.h>
#include <string.h>

#include "analysis/budget.h"
#include "analysis/text.h"
#include "codec/as_text.h"
#include "codec/payload.h"

static const char budget_definition[] = "zeugma: 1\nprotocol: p\nversion: 1.0\nline: { baud: 9600, format: 8E1.5 }\n"
                                        "frame: { framing: cobs, header: [id: u8], check: crc16/arc }\nmessages:\n"
                                        "  a: { id: 1, from: device, every: 100ms, fields: { x: u64 } }\n"
                                        "  b: { id: 2, from: both, every: 1 s, fields: { x: u32 } }\n"
                                        "  c: { id: 3, from: host, every: on_change, fields: { x: u64 } }\n";

/* 8E1.5 takes 11.5 bit times a byte: 1 start, 8 data, 1 parity, 1.5 stop. A frame has two bytes around its content. */
static void test_budget(void **state)
{
    struct test_plan plan = test_plan_of(budget_definition);
    const double a = 13 * 11.5 / 9600 / 0.1, b = 9 * 11.5 / 9600;
    (void)state;
    assert_true(fabs(zg_budget_seconds(&plan.definition->line, 13) - 13 * 11.5 / 9600) < 1e-12);
    assert_true(fabs(zg_budget_load(plan.plan, zg_plan_by_name(plan.plan, "a")) - a) < 1e-12);
    assert_true(zg_budget_load(plan.plan, zg_plan_by_name(plan.plan, "c")) == 0);
    assert_true(fabs(zg_budget_side_load(plan.plan, ZG_SIDE_DEVICE) - a - b) < 1e-12);
    assert_true(fabs(zg_budget_side_load(plan.plan, ZG_SIDE_HOST) - b) < 1e-12);
    test_plan_clear(&plan);
}

/* The text lengths are those of the longest of many random values, or slightly more, never less. */
static void test_text(void **state)
{
    struct test_plan plan = test_plan_of(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, header: [id: u8], check: crc16/arc }\n"
        "enums: { state: { type: u2, values: { off: 0, weaving: 1, on: 2, no: 3 } } }\nmessages:\n"
        "  a: { id: 1, from: device, fields: { n: u8, i: i16, t: { type: i16, scale: 0.01, range: [0, 250] }, s: state "
        "} }\n"
        "  b: { id: 2, from: device, fields: { v: \"u8[3]\", k: \"bytes[2]\" } }\n");
    struct zg_random random = zg_random_seeded(15, 0);
    unsigned pairs, bare;
    size_t longest = 0;
    (void)state;
    zg_text_lengths(zg_plan_by_name(plan.plan, "a"), &pairs, &bare);
    assert_int_equal(bare, strlen("255,-32768,249.99,weaving\n"));
    assert_int_equal(pairs, strlen("n=255,i=-32768,t=249.99,s=weaving\n"));
    const struct zg_block *block = &zg_plan_by_name(plan.plan, "a")->payload;
    for (unsigned round = 0; round < 20000; round++) {
        struct zg_value *values = zg_values_new(block);
        g_autoptr(GString) text = g_string_new(NULL);
        test_random_values(&random, block, values);
        for (unsigned i = 0; i < block->steps->len; i++) {
            g_string_append(text, i > 0 ? "," : "");
            zg_value_to_text(zg_block_step(block, i), &values[i], text);
        }
        longest = MAX(longest, text->len + 1);
        zg_values_free(block, values);
    }
    assert_int_equal(longest, bare);
    zg_text_lengths(zg_plan_by_name(plan.plan, "b"), &pairs, &bare);
    assert_int_equal(bare, strlen("255 255 255,0102\n"));
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_budget), cmocka_unit_test(test_text) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
