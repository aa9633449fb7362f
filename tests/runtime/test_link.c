/* SPDX-License-Identifier: MIT */
/* A link with damage, silence, full rings and a wrapping clock, compared with the host's frame reader. */
#include "random_frames.h"
#include "support.h"

#include <string.h>

#include "codec/frame.h"
#include "codec/frame_reader.h"
#include "node/node.h"
#include "zeugma/error.h"

/* The frames delivered: the values of `data`, in order. */
static GArray *delivered;
static unsigned left_frames;

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    uint64_t value = 0;
    (void)data;
    if (frame->header.id == 2)
        return length < 1 ? ZG_ESIZE : (int)(length - 1);
    if (frame->header.id != 1)
        return ZG_EUNKNOWN;
    if (length < 8)
        return ZG_ESIZE;
    memcpy(&value, payload, 8);
    g_array_append_val(delivered, value);
    return (int)(length - 8);
}

static void left(void *data, const struct zg_header *header, const uint8_t *payload, size_t length)
{
    (void)data;
    (void)payload;
    (void)length;
    assert_int_not_equal(header->version, 2);
    left_frames++;
}

static const struct zg_node_calls calls = { .deliver = deliver, .left = left };

static struct test_plan small;

static int set_up(void **state)
{
    (void)state;
    small = test_plan_of(test_small_definition);
    delivered = g_array_new(FALSE, FALSE, sizeof(uint64_t));
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    g_array_unref(delivered);
    test_plan_clear(&small);
    return 0;
}

static struct zg_node *new_node(size_t ring)
{
    g_array_set_size(delivered, 0);
    left_frames = 0;
    return zg_node_new(small.plan, 0, ring, &test_port, NULL, &calls, NULL);
}

static void feed(struct zg_node *node, const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++)
        zg_link_receive_isr(zg_node_link(node), bytes[i], 0);
    zg_any_link_poll(zg_node_any_link(node));
}

static GByteArray *frame_of(uint32_t version_of_header, uint32_t id, uint32_t sequence, const void *payload,
                            size_t length)
{
    struct zg_header header = { .version = version_of_header, .id = id, .sequence = sequence };
    return zg_frame_make(small.plan, &header, payload, length);
}

static void check_accounting(struct zg_node *node, size_t fed)
{
    const struct zg_counters *c = &zg_node_link(node)->counters;
    assert_int_equal(c->bytes_in, fed);
    assert_int_equal(c->bytes_in, c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console +
                                      c->bytes_idle + zg_any_link_pending(zg_node_any_link(node)));
}

static void ignore_stretch(const struct zg_stretch *stretch, void *data)
{
    *(size_t *)data += stretch->raw_length;
}

/* The host's frame reader, given the same bytes, has the same counters, except for a candidate cut by the end. */
static void check_stream(const struct zg_link *link, const GByteArray *bytes)
{
    size_t told = 0;
    struct zg_frame_reader *stream = zg_frame_reader_new(small.plan, ignore_stretch, &told);
    zg_frame_reader_feed(stream, bytes->data, bytes->len);
    const struct zg_counters *a = zg_frame_reader_counters(stream), *b = &link->counters;
    assert_int_equal(a->frames_in, b->frames_in);
    assert_int_equal(a->bytes_of_frames, b->bytes_of_frames);
    assert_int_equal(a->failed_check, b->failed_check);
    assert_int_equal(a->malformed, b->malformed);
    assert_int_equal(a->too_long, b->too_long);
    assert_int_equal(a->other_version, b->other_version);
    assert_int_equal(a->unknown_id, b->unknown_id);
    assert_int_equal(a->bad_payload, b->bad_payload);
    assert_int_equal(a->extra_bytes, b->extra_bytes);
    assert_int_equal(a->bytes_idle, b->bytes_idle);
    zg_frame_reader_end(stream);
    assert_int_equal(told + a->bytes_idle, bytes->len);
    zg_frame_reader_free(stream);
}

/* Frames with values 0, 1, 2, ...; begins[k] is where frame k begins. */
static GByteArray *sent_frames(struct zg_random *random, unsigned count, GArray *begins)
{
    GByteArray *bytes = g_byte_array_new();
    for (uint64_t value = 0; value < count; value++) {
        uint8_t payload[64];
        size_t length = 8 + zg_random_below(random, 57);
        unsigned begin = bytes->len;
        memset(payload, zg_random_below(random, 2) ? 0 : 0xEE, sizeof payload);
        memcpy(payload, &value, 8);
        g_autoptr(GByteArray) frame = frame_of(0, 1, (uint32_t)value, payload, length);
        g_array_append_val(begins, begin);
        g_byte_array_append(bytes, frame->data, frame->len);
    }
    unsigned end = bytes->len;
    g_array_append_val(begins, end);
    return bytes;
}

/* Whether bytes begin .. end-1 of the stream, and the delimiter before them, arrived contiguous and intact. */
static bool must_arrive(const GByteArray *touched, const GArray *origin, int begin, int end)
{
    int first = begin > 0 ? begin - 1 : 0;
    for (unsigned k = 0; k < origin->len; k++) {
        if (g_array_index(origin, int, k) != first || (k > 0 && begin == 0 && k != 0))
            continue;
        for (int i = 0; i < end - first; i++)
            if (k + (unsigned)i >= origin->len || g_array_index(origin, int, k + (unsigned)i) != first + i ||
                (i > 0 && touched->data[k + (unsigned)i]))
                return false;
        return true;
    }
    return false;
}

/* The promise: whatever happens to the bytes, intact frames after an intact delimiter arrive, in order and once, and
 * nothing else. */
static void test_damage_to_the_stream(void **state)
{
    struct zg_random random = zg_random_seeded(5, 0);
    unsigned demanded = 0, missed = 0;
    (void)state;
    for (unsigned round = 0; round < 600; round++) {
        g_autoptr(GArray) begins = g_array_new(FALSE, FALSE, sizeof(unsigned));
        g_autoptr(GByteArray) bytes = sent_frames(&random, 60, begins);
        g_autoptr(GByteArray) touched = NULL;
        g_autoptr(GArray) origin = NULL;
        g_autoptr(GByteArray) arrived =
            test_damage(&random, bytes->data, bytes->len, (unsigned)zg_random_below(&random, 12), &touched, &origin);
        struct zg_node *node = new_node(256);
        for (size_t at = 0; at < arrived->len;) {
            size_t piece = 1 + zg_random_below(&random, MIN(arrived->len - at, 200));
            feed(node, arrived->data + at, piece);
            at += piece;
        }
        for (unsigned i = 0; i < delivered->len; i++) { /* only what was sent, in order, once */
            uint64_t value = g_array_index(delivered, uint64_t, i);
            assert_true(value < 60);
            assert_true(i == 0 || value > g_array_index(delivered, uint64_t, i - 1));
        }
        for (uint64_t frame = 0, next = 0; frame < 60; frame++) {
            bool there = next < delivered->len && g_array_index(delivered, uint64_t, next) == frame;
            next += there;
            missed += !there;
            if (!must_arrive(touched, origin, (int)g_array_index(begins, unsigned, frame),
                             (int)g_array_index(begins, unsigned, frame + 1)))
                continue;
            demanded++;
            assert_true(there);
        }
        check_accounting(node, arrived->len);
        check_stream(zg_node_link(node), arrived);
        zg_node_free(node);
    }
    assert_true(demanded > 25000 && missed > 1000);
}

static void test_what_becomes_of_frames(void **state)
{
    struct zg_node *node = new_node(256);
    struct zg_link *link = zg_node_link(node);
    const uint8_t payload[16] = { 7 };
    GByteArray *frames[] = { frame_of(0, 1, 0, payload, 8), frame_of(0, 1, 1, payload, 11),
                             frame_of(0, 9, 2, payload, 8), frame_of(0, 1, 3, payload, 7),
                             frame_of(0, 2, 6, payload, 1), frame_of(0, 2, 6, payload, 1),
                             frame_of(0, 2, 5, payload, 1) };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(frames); i++) {
        feed(node, frames[i]->data, frames[i]->len);
        g_byte_array_unref(frames[i]);
    }
    assert_int_equal(delivered->len, 2);
    assert_int_equal(link->counters.frames_in, 7);
    assert_int_equal(link->counters.extra_bytes, 3);
    assert_int_equal(link->counters.unknown_id, 1);
    assert_int_equal(link->counters.bad_payload, 1);
    assert_int_equal(link->counters.lost, 2);
    assert_int_equal(link->counters.repeated, 1);
    assert_int_equal(link->counters.late, 1);

    small.plan->version = 3; /* a sender of the next major version */
    g_autoptr(GByteArray) newer = frame_of(0, 1, 9, payload, 8);
    small.plan->version = 2;
    feed(node, newer->data, newer->len);
    assert_int_equal(link->counters.other_version, 1);
    assert_int_equal(left_frames, 1);
    assert_int_equal(link->counters.lost, 2); /* its sequence does not concern us */
    feed(node, (const uint8_t *)"\0\0\0", 3);
    assert_int_equal(link->counters.bytes_idle, 3);
    zg_node_free(node);
}

static void test_silence_at_every_clock(void **state)
{
    const uint8_t payload[8] = { 1 }, other_payload[8] = { 2 };
    g_autoptr(GByteArray) frame = frame_of(0, 1, 0, payload, 8), other = frame_of(0, 1, 1, other_payload, 8);
    (void)state;
    for (unsigned i = 0; i < 140; i++) { /* from 70 ms before the wrap to 70 ms after */
        uint32_t start = UINT32_MAX - 70000 + 1000 * i;
        struct zg_node *node = new_node(256);
        struct zg_link *link = zg_node_link(node);
        test_clock_us = start;
        feed(node, frame->data, 5); /* a frame cut short */
        test_clock_us = start + 19999;
        zg_any_link_poll(zg_node_any_link(node));
        assert_int_equal(link->counters.timed_out, 0);
        test_clock_us = start + 20000;
        zg_any_link_poll(zg_node_any_link(node));
        assert_int_equal(link->counters.timed_out, 1);
        assert_int_equal(link->counters.bytes_failed, 5);
        feed(node, frame->data, frame->len); /* silence served as a delimiter */
        assert_int_equal(delivered->len, 1);
        test_clock_us += 1000000; /* silence between frames does nothing */
        zg_any_link_poll(zg_node_any_link(node));
        assert_int_equal(link->counters.timed_out, 1);
        feed(node, other->data, other->len); /* and nothing of the last frame remains in the next */
        assert_int_equal(delivered->len, 2);
        check_accounting(node, 5 + frame->len + other->len);
        zg_node_free(node);
    }
}

/* When a handler runs, the bytes of its frame are already released: what comes in meanwhile has the whole ring. */
static struct zg_link *slow_link;
static unsigned room_in_handler;

static int deliver_slowly(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    (void)data;
    (void)frame;
    (void)payload;
    (void)length;
    room_in_handler = zg_ring_room(&slow_link->receive);
    return 0;
}

static void test_handler_has_the_ring(void **state)
{
    static const struct zg_node_calls slow = { .deliver = deliver_slowly };
    struct zg_node *node = zg_node_new(small.plan, 0, 128, &test_port, NULL, &slow, NULL);
    const uint8_t payload[60] = { 1 };
    g_autoptr(GByteArray) frame = frame_of(0, 1, 0, payload, sizeof payload);
    (void)state;
    slow_link = zg_node_link(node);
    feed(node, frame->data, frame->len);
    assert_int_equal(slow_link->counters.frames_in, 1);
    assert_int_equal(room_in_handler, 128);
    zg_node_free(node);
}

/* Bytes that a host has in a buffer give the same result as those that an interrupt brings. */
static void test_many_at_once(void **state)
{
    struct zg_random random = zg_random_seeded(6, 0);
    g_autoptr(GArray) begins = g_array_new(FALSE, FALSE, sizeof(unsigned));
    g_autoptr(GByteArray) bytes = sent_frames(&random, 60, begins);
    struct zg_node *node = new_node(2);
    (void)state;
    bytes->data[g_array_index(begins, unsigned, 7) + 3] ^= 1;
    zg_any_link_receive(zg_node_any_link(node), bytes->data, bytes->len - 4);
    assert_int_equal(delivered->len, 58);
    zg_any_link_receive(zg_node_any_link(node), bytes->data + bytes->len - 4, 4);
    assert_int_equal(delivered->len, 59);
    assert_int_equal(zg_node_link(node)->counters.lost, 1);
    check_accounting(node, bytes->len);
    zg_node_free(node);
}

/* A host that comes late still finds intact frames in what waited in its system: silence counts only if it read in
 * between. */
static void test_late_host(void **state)
{
    const uint8_t payload[8] = { 1 };
    g_autoptr(GByteArray) frame = frame_of(0, 1, 0, payload, 8);
    struct zg_node *node = new_node(2);
    struct zg_link *link = zg_node_link(node);
    (void)state;
    zg_any_link_receive(zg_node_any_link(node), frame->data, 5);
    test_clock_us += 30000;
    zg_any_link_poll(zg_node_any_link(node));
    zg_any_link_receive(zg_node_any_link(node), frame->data + 5, frame->len - 5);
    assert_int_equal(delivered->len, 1);
    zg_any_link_receive(zg_node_any_link(node), frame->data, 5);
    test_clock_us += 30000;
    zg_any_link_poll(zg_node_any_link(node));
    zg_any_link_receive(zg_node_any_link(node), frame->data, 0);
    assert_int_equal(link->counters.timed_out, 0);
    zg_any_link_poll(zg_node_any_link(node));
    assert_int_equal(link->counters.timed_out, 1);
    check_accounting(node, frame->len + 5);
    zg_node_free(node);
}

static void test_full_rings(void **state)
{
    struct zg_node *node = new_node(2);
    struct zg_link *link = zg_node_link(node);
    uint8_t payload[65] = { 1 };
    unsigned sent = 0;
    (void)state;
    assert_int_equal(zg_any_link_send(zg_node_any_link(node), 1, payload, 65), ZG_ESIZE);
    while (zg_any_link_send(zg_node_any_link(node), 1, payload, 8) == 0)
        sent++;
    assert_int_equal(zg_any_link_send(zg_node_any_link(node), 1, payload, 8), ZG_EROOM);
    assert_int_equal(sent, 128 / 14);
    assert_int_equal(link->counters.frames_out, sent);
    assert_int_equal(link->counters.bytes_out, 14 * sent);
    uint8_t byte;
    struct zg_node *other = zg_node_new(small.plan, 0, 256, &test_port, NULL, &calls, NULL);
    while (zg_link_transmit_isr(link, &byte))
        zg_link_receive_isr(zg_node_link(other), byte, 0);
    zg_any_link_poll(zg_node_any_link(other));
    assert_int_equal(delivered->len, sent); /* whole frames only */

    for (unsigned i = 0; i < 200; i++)
        zg_link_receive_isr(
            link, 1, i % 100 == 0 ? ZG_LINE_OVERRUN | ZG_LINE_BREAK | 0xF0U : 0); /* and one that is no error flag */
    zg_any_link_poll(zg_node_any_link(node));
    assert_int_equal(link->counters.bytes_dropped, 200 - 128);
    assert_int_equal(link->counters.line_overrun, 2);
    assert_int_equal(link->counters.line_break, 2);
    assert_int_equal(link->counters.line_framing, 0);
    assert_int_equal(link->counters.resent, 0);
    check_accounting(node, 128);
    zg_node_free(other);
    zg_node_free(node);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_damage_to_the_stream),
                                        cmocka_unit_test(test_what_becomes_of_frames),
                                        cmocka_unit_test(test_silence_at_every_clock),
                                        cmocka_unit_test(test_handler_has_the_ring),
                                        cmocka_unit_test(test_many_at_once),
                                        cmocka_unit_test(test_late_host),
                                        cmocka_unit_test(test_full_rings) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
