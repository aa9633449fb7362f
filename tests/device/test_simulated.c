/* SPDX-License-Identifier: MIT */
/* The simulated device's values, and what a UART of another speed reads from its bytes. */
#include <string.h>

#include "codec/frame_reader.h"
#include "device/plausible.h"
#include "device/simulated.h"
#include "random_definition.h"
#include "support.h"

static void assert_fits(const struct zg_plan *plan, const struct zg_plan_message *message, uint64_t seed)
{
    struct zg_value *values = zg_values_new(&message->payload);
    struct zg_value *again = zg_values_new(&message->payload);
    g_autofree uint8_t *bytes = g_malloc(plan->max_payload + 16U);
    const struct zg_header header = { 0 };
    struct zg_header read = { 0 };
    size_t ignored;

    for (unsigned moment = 0; moment < 20; moment++) {
        zg_plausible_fill(&message->payload, 1.7 * moment, moment * UINT64_C(0x10001), seed, values);
        g_autoptr(GPtrArray) paths = g_ptr_array_new_with_free_func(g_free);
        if (!zg_block_permits(&message->payload, values, paths))
            fail_msg("%s: %s is out of range", message->message->name, (char *)g_ptr_array_index(paths, 0));
        const size_t size = zg_payload_size(message, values);
        assert_true(size <= message->payload_most);
        zg_payload_pack(message, &header, values, bytes);
        assert_true(zg_payload_unpack(message, bytes, size, &read, again, &ignored));
        assert_int_equal(ignored, 0);
    }
    zg_values_free(&message->payload, values);
    zg_values_free(&message->payload, again);
}

/* For any definition, values are within their ranges and fit into their frames. */
static void test_values(void **state)
{
    struct zg_random random = zg_random_seeded(17, 3);
    (void)state;
    for (unsigned round = 0; round < test_rounds(60); round++) {
        g_autofree char *text = test_random_definition(&random);
        struct test_plan plan = test_plan_of(text);
        for (unsigned i = 0; i < plan.plan->messages->len; i++)
            assert_fits(plan.plan, zg_plan_message_at(plan.plan, i), round);
        test_plan_clear(&plan);
    }
}

struct seen {
    unsigned frames, skipped;
};

static void count(const struct zg_stretch *stretch, void *data)
{
    struct seen *seen = data;

    seen->frames += stretch->kind == ZG_STRETCH_FRAME;
    seen->skipped += stretch->kind == ZG_STRETCH_SKIPPED || stretch->kind == ZG_STRETCH_UNDELIVERED;
}

/* The device of any definition runs, at its line's speed, and sends only what its definition says. */
static void test_devices(void **state)
{
    struct zg_random random = zg_random_seeded(18, 4);
    uint64_t frames = 0;
    (void)state;
    for (unsigned round = 0; round < test_rounds(40); round++) {
        g_autofree char *text = test_random_definition(&random);
        struct test_plan plan = test_plan_of(text);
        const struct zg_simulated_settings settings = { .seed = round, .busy = round % 3 == 0 };
        struct zg_simulated *device = zg_simulated_new(plan.plan, &settings, 0);
        struct seen seen = { 0 };
        struct zg_frame_reader *stream = zg_frame_reader_new(plan.plan, count, &seen);
        g_autoptr(GByteArray) left = g_byte_array_new();
        for (uint64_t ms = 1; ms <= 6000; ms++) {
            g_byte_array_set_size(left, 0);
            zg_simulated_run(device, ms * 1000000, left);
            if (plan.plan->gap_ns == 0) /* otherwise frames depend on times */
                zg_frame_reader_feed(stream, left->data, left->len);
            if (ms == 3000)
                zg_simulated_restart(device);
        }
        const struct zg_simulated_totals totals = zg_simulated_totals(device);
        assert_int_equal(totals.restarts, 1);
        const struct zg_line *line = &plan.definition->line;
        assert_true(totals.bytes_out <= 6 * line->baud / (zg_line_half_bits(line) / 2) + 4UL * plan.plan->max_frame);
        assert_true(seen.skipped <= 2); /* what the restart cut */
        const unsigned waiting =
            2 * 8 * plan.plan->max_frame / zg_plan_least_frame(plan.plan); /* at most the ring's contents */
        assert_true(plan.plan->gap_ns > 0 || seen.frames + waiting >= totals.frames_out);
        frames += seen.frames;
        zg_frame_reader_free(stream);
        zg_simulated_free(device);
        test_plan_clear(&plan);
    }
    assert_true(frames > 1000);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_values), cmocka_unit_test(test_devices) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
