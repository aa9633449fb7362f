/* SPDX-License-Identifier: MIT */
/* The receiver's promise, for each framing (docs/framings.md): whatever happens to a stream of frames, those whose
 * bytes arrive intact are delivered, in order and once, and nothing else; every byte is reported once; whole, one by
 * one and in pieces the same bytes give the same reports; a link agrees with a frame reader. */
#include "streams.h"

#include <string.h>

#include "codec/frame_reader.h"
#include "node/node.h"

/* What a frame reader reported. */
struct told {
    GString *log;
    GArray *numbers; /* of the frames delivered */
    uint64_t bytes;
};

static void note(const struct zg_stretch *stretch, void *data)
{
    struct told *told = data;

    g_string_append_printf(told->log, "%d %s %u+%zu %u\n", stretch->kind, stretch->why ? stretch->why : "",
                           (unsigned)stretch->offset, stretch->raw_length, (unsigned)stretch->after);
    told->bytes += stretch->raw_length - stretch->shared;
    if (stretch->kind == ZG_STRETCH_FRAME) {
        uint32_t number = (uint32_t)stretch->values[0].raw.u;
        g_array_append_val(told->numbers, number);
    }
}

static void check_sum(const struct zg_counters *c, uint64_t fed, uint64_t pending)
{
    assert_int_equal(c->bytes_in, fed);
    assert_int_equal(c->bytes_in, c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console +
                                      c->bytes_idle + pending);
}

/* Feeds a stream in pieces of at most `most` bytes (0: whole), and ends it. */
static struct told listen(const struct zg_plan *plan, const GByteArray *bytes, struct zg_random *random, unsigned most,
                          struct zg_counters *counters)
{
    struct told told = { g_string_new(NULL), g_array_new(FALSE, FALSE, sizeof(uint32_t)), 0 };
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, note, &told);

    for (guint at = 0; at < bytes->len;) {
        guint piece = bytes->len - at;
        if (most > 0)
            piece = 1 + (guint)zg_random_below(random, MIN(piece, most));
        g_autofree uint8_t *exact = g_memdup2(bytes->data + at, piece); /* reading past its end is detected */
        zg_frame_reader_feed(stream, exact, piece);
        at += piece;
    }
    zg_frame_reader_end(stream);
    *counters = *zg_frame_reader_counters(stream);
    check_sum(counters, bytes->len, 0);
    assert_int_equal(told.bytes + counters->bytes_idle, bytes->len);
    zg_frame_reader_free(stream);
    return told;
}

static void told_clear(struct told *told)
{
    g_string_free(told->log, TRUE);
    g_array_unref(told->numbers);
}

/* Feeds a piece of a stream as an interrupt does; or at once, in memory that is freed afterwards. */
static void feed(struct zg_node *node, const uint8_t *bytes, guint count, bool at_once)
{
    if (at_once) {
        g_autofree uint8_t *copy = g_memdup2(bytes, count);
        zg_node_receive(node, copy, count);
        return;
    }
    for (guint i = 0; i < count; i++)
        zg_link_receive_isr(zg_node_link(node), bytes[i], 0);
    zg_any_link_poll(zg_node_any_link(node));
}

/* A link that is fed from time to time, then hears nothing for long, reports the same. */
static void check_link(const struct zg_plan *plan, const GByteArray *bytes, struct zg_random *random, bool at_once,
                       const struct told *told, const struct zg_counters *counters)
{
    g_autoptr(GArray) numbers = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    struct zg_node *node = zg_node_new(plan, 0, 128, &test_port, NULL, &test_numbering, numbers);
    struct zg_link *link = zg_node_link(node);
    const struct zg_counters *c = &link->counters;

    for (guint at = 0; at < bytes->len;) {
        guint piece = 1 + (guint)zg_random_below(random, MIN(bytes->len - at, at_once ? 2000 : 120));
        feed(node, bytes->data + at, piece, at_once);
        at += piece;
        check_sum(c, at, zg_any_link_pending(zg_node_any_link(node)));
    }
    test_clock_us += 20000;
    for (unsigned i = 0; i < 2; i++)
        zg_any_link_poll(zg_node_any_link(node));
    assert_int_equal(zg_any_link_pending(zg_node_any_link(node)), 0);
    assert_int_equal(numbers->len, told->numbers->len);
    assert_memory_equal(numbers->data, told->numbers->data, 4 * (size_t)numbers->len);
    assert_memory_equal(&c->bytes_of_frames, &counters->bytes_of_frames,
                        offsetof(struct zg_counters, bytes_dropped) - offsetof(struct zg_counters, bytes_of_frames));
    assert_int_equal(c->failed_check, counters->failed_check);
    assert_int_equal(c->malformed, counters->malformed);
    assert_int_equal(c->too_long, counters->too_long);
    assert_int_equal(c->timed_out, counters->timed_out);
    zg_node_free(node);
}

static void test_promise(void **state)
{
    struct zg_random random = zg_random_seeded(21, 0);
    (void)state;
    for (size_t k = 0; k < test_framings_length; k++) {
        struct test_plan plan = test_framing_plan(&test_framings[k]);
        unsigned demanded = 0, lost = 0, rounds = test_rounds(120);
        for (unsigned round = 0; round < rounds; round++) {
            g_autoptr(GPtrArray) frames = g_ptr_array_new_with_free_func(test_unref_bytes);
            g_autoptr(GByteArray) bytes = test_framing_stream(&random, &test_framings[k], plan.plan, frames);
            g_autoptr(GArray) expected = test_framing_expected(&test_framings[k], bytes, frames);
            struct zg_counters counters, others;
            struct told whole = listen(plan.plan, bytes, &random, 0, &counters);
            struct told singly = listen(plan.plan, bytes, &random, 1, &others);
            struct told pieces = listen(plan.plan, bytes, &random, 90, &others);
            assert_string_equal(whole.log->str, singly.log->str);
            assert_string_equal(whole.log->str, pieces.log->str);
            assert_memory_equal(&counters, &others, sizeof counters);
            uint32_t next = 0; /* all expected frames are there, in order, and none that was not sent */
            for (guint i = 0; i < whole.numbers->len; i++) {
                uint32_t number = g_array_index(whole.numbers, uint32_t, i);
                assert_true(number < TEST_FRAMES || number - 1000 < TEST_FRAMES);
                if (next < expected->len && number == g_array_index(expected, uint32_t, next))
                    next++;
            }
            if (next != expected->len)
                print_message("%s: frame %u did not arrive\n%s", test_framings[k].framing,
                              g_array_index(expected, uint32_t, next), whole.log->str);
            assert_int_equal(next, expected->len);
            if (whole.numbers->len != expected->len)
                print_message("%s: %u frames arrived, %u were there\n%s", test_framings[k].framing, whole.numbers->len,
                              expected->len, whole.log->str);
            assert_int_equal(whole.numbers->len, expected->len);
            check_link(plan.plan, bytes, &random, false, &whole, &counters);
            check_link(plan.plan, bytes, &random, true, &whole, &counters);
            demanded += expected->len;
            lost += frames->len - MIN(expected->len, frames->len);
            told_clear(&whole);
            told_clear(&singly);
            told_clear(&pieces);
        }
        assert_true(demanded > 20 * rounds && lost > rounds); /* there were frames, and damage */
        test_plan_clear(&plan);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_promise) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
