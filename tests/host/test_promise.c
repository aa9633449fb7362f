/* SPDX-License-Identifier: MIT */
/* The receiver's promise, for each framing (docs/framings.md): whatever happens to a stream of frames, those whose
 * bytes arrive whole are delivered, in order and once, and nothing else; every byte is told once; whole, singly and in
 * pieces the same bytes tell the same; a link tells what a stream does. */
#include "support.h"

#include <string.h>

#include "codec/frame.h"
#include "live/node.h"

/* A framing, and the bytes that mean something in it. */
struct kind {
    const char *framing;
    const char *header;
    const char *data;      /* type of what follows the frame's number */
    const char *special;   /* bytes of which payloads are made, besides 0 and 1 */
    const char *delimiter; /* what must stand before a frame that does not bring its own; "": it does */
    unsigned delimiter_size;
    unsigned
        shared; /* bytes in front of a frame that the end of the one before, or the stream's start, can stand for */
};

static const struct kind kinds[] = {
    { "cobs", "id: u8, sequence: u8", "bytes[..]", "\x02\x03\xff", "\x00", 1, 0 },
    { "{ kind: cobs, lead: true }", "id: u8, sequence: u8", "bytes[..]", "\x02\x03\xff", "", 0, 1 },
    { "slip", "id: u8, sequence: u8", "bytes[..]", "\xc0\xdb\xdc\xdd", "", 0, 1 },
    { "{ kind: slip, lead: false }", "id: u8, sequence: u8", "bytes[..]", "\xc0\xdb\xdc\xdd", "\xc0", 1, 0 },
    { "hdlc", "id: u8, sequence: u8", "bytes[..]", "\x7e\x7d\x5e\x5d", "", 0, 1 },
    { "{ kind: hdlc, escape_control: true }", "id: u8, sequence: u8", "bytes[..]", "\x7e\x7d\x5e\x5d\x20", "", 0, 1 },
    { "{ kind: length, sync: [0xA5, 0x5A] }", "id: u8, length: u8", "bytes[..]", "\xa5\x5a\x10", "", 0, 0 },
    { "{ kind: length, sync: [0xA5, 0xA5, 0x5A] }", "id: u8, length: { type: u16, counts: content }", "bytes[..]",
      "\xa5\x5a\x10", "", 0, 0 },
    { "length", "length: { type: u8, counts: rest }, id: u8", "bytes[..]", "\x0c\x10\x14", "", 0, 0 },
    { "{ kind: marks, start: [0x02], end: [0x03], escape: 0x1B }", "id: u8", "bytes[..]", "\x02\x03\x1b\x22\x23\x3b",
      "", 0, 0 },
    { "{ kind: marks, end: [0x0D, 0x0A], escape: 0x5C, escape_xor: 0x40 }", "id: u8", "bytes[..]", "\x0d\x0a\x5c\x4d",
      "\x0d\x0a", 2, 0 },
    { "{ kind: marks, start: [0x7E, 0x7E], end: [0x7E, 0x7E], escape: 0x7D }", "id: u8", "bytes[..]", "\x7e\x7d\x5e",
      "", 0, 0 },
    { "{ kind: marks, start: [0x7E], end: [0x7E], escape: 0x7D }", "id: u8", "bytes[..]", "\x7e\x7d\x5e", "", 0, 1 },
    { "{ kind: marks, start: [0x10, 0x02], end: [0x10, 0x03], double: 0x10 }", "id: u8", "bytes[..]", "\x10\x02\x03",
      "", 0, 0 },
    { "{ kind: marks, start: [0x10, 0x02, 0x10], end: [0x10, 0x03], double: 0x10 }", "id: u8", "bytes[..]",
      "\x10\x02\x03", "", 0, 0 },
    { "{ kind: marks, start: [0x3C, 0x3C], end: [0x3E] }", "id: u8", "bytes[14]", "\x3c\x3e", "", 0, 0 },
    { "{ kind: fixed, size: 32, sync: [0xA5, 0x5A] }", "id: u8, length: u8", "bytes[..]", "\xa5\x5a\x10", "", 0, 0 },
    { "{ kind: fixed, size: 24 }", "id: u8", "bytes[9]", "\xa5", "", 0, 0 },
};

enum { FRAMES = 40 };

static struct test_plan plan_of(const struct kind *kind)
{
    g_autofree char *text = g_strdup_printf(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: %s, header: [%s], check: "
        "crc32/iso-hdlc, max_payload: %s }\nmessages: { m: { id: 1, from: both, fields: { n: u32, data: "
        "\"%s\" } } }\n",
        kind->framing, kind->header, strstr(kind->framing, "fixed") ? "20" : "60", kind->data);
    return test_plan_of(text);
}

static uint8_t any_byte(struct zg_random *random, const struct kind *kind)
{
    size_t count = strlen(kind->special);

    switch (zg_random_below(random, 8)) {
    case 0: return (uint8_t)zg_random_next(random);
    case 1: return 0;
    case 2: return 1; /* the id */
    default: return (uint8_t)kind->special[zg_random_below(random, count)];
    }
}

/* Frame `number`, of any size, made of what means something. */
static GByteArray *frame_of(struct zg_random *random, const struct kind *kind, const struct zg_plan *plan,
                            uint32_t number)
{
    const struct zg_plan_message *message = zg_plan_message_at(plan, 0);
    const struct zg_header header = { .id = 1, .sequence = number };
    uint8_t payload[64];
    unsigned least = message->payload_least, most = MIN(message->payload_most, sizeof payload);
    unsigned length = least + (unsigned)zg_random_below(random, most - least + 1);

    memcpy(payload, &number, 4);
    for (unsigned i = 4; i < length; i++)
        payload[i] = any_byte(random, kind);
    return zg_frame_make(plan, &header, payload, length);
}

/* What a stream told. */
struct told {
    GString *log;
    GArray *numbers; /* of the frames delivered */
    uint64_t bytes;
};

static void note(const struct zg_stretch *stretch, void *data)
{
    struct told *told = data;

    g_string_append_printf(told->log, "%d %s %u+%zu\n", stretch->kind, stretch->why ? stretch->why : "",
                           (unsigned)stretch->offset, stretch->raw_length);
    told->bytes += stretch->raw_length;
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
    struct zg_stream *stream = zg_stream_new(plan, note, &told);

    for (guint at = 0; at < bytes->len;) {
        guint piece = bytes->len - at;
        if (most > 0)
            piece = 1 + (guint)zg_random_below(random, MIN(piece, most));
        g_autofree uint8_t *exact = g_memdup2(bytes->data + at, piece); /* reading behind it is seen */
        zg_stream_feed(stream, exact, piece);
        at += piece;
    }
    zg_stream_end(stream);
    *counters = *zg_stream_counters(stream);
    check_sum(counters, bytes->len, 0);
    assert_int_equal(told.bytes + counters->bytes_idle, bytes->len);
    zg_stream_free(stream);
    return told;
}

static void told_clear(struct told *told)
{
    g_string_free(told->log, TRUE);
    g_array_unref(told->numbers);
}

static GArray *link_numbers;

static int deliver(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    uint32_t number;

    (void)data;
    (void)frame;
    assert_true(length >= 4);
    memcpy(&number, payload, 4);
    g_array_append_val(link_numbers, number);
    return 0;
}

/* A link that is polled now and then, and then hears nothing for long, tells the same. */
static void check_link(const struct zg_plan *plan, const GByteArray *bytes, struct zg_random *random,
                       const struct told *told, const struct zg_counters *counters)
{
    static const struct zg_node_calls calls = { deliver, NULL };
    struct zg_node *node = zg_node_new(plan, 128, &test_port, NULL, &calls, NULL);
    struct zg_link *link = zg_node_link(node);
    const struct zg_counters *c = &link->counters;

    link_numbers = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    for (guint at = 0; at < bytes->len;) {
        guint piece = 1 + (guint)zg_random_below(random, MIN(bytes->len - at, 120));
        for (guint i = 0; i < piece; i++)
            zg_link_receive_isr(link, bytes->data[at++], 0);
        zg_link_poll(link);
        check_sum(c, at, zg_link_pending(link));
    }
    test_clock_us += 20000;
    zg_link_poll(link);
    assert_int_equal(zg_link_pending(link), 0);
    assert_int_equal(link_numbers->len, told->numbers->len);
    assert_memory_equal(link_numbers->data, told->numbers->data, 4 * (size_t)link_numbers->len);
    assert_memory_equal(&c->bytes_of_frames, &counters->bytes_of_frames,
                        offsetof(struct zg_counters, bytes_dropped) - offsetof(struct zg_counters, bytes_of_frames));
    assert_int_equal(c->failed_check, counters->failed_check);
    assert_int_equal(c->malformed, counters->malformed);
    assert_int_equal(c->too_long, counters->too_long);
    assert_int_equal(c->timed_out, counters->timed_out);
    g_array_unref(link_numbers);
    zg_node_free(node);
}

static void append(GByteArray *bytes, const GByteArray *more)
{
    g_byte_array_append(bytes, more->data, more->len);
}

/* Two senders at once, for a while: bytes of one between those of the other. */
static GByteArray *overlap(struct zg_random *random, const GByteArray *one, const GByteArray *other)
{
    GByteArray *both = g_byte_array_new();
    guint a = 0, b = 0, begin = (guint)zg_random_below(random, one->len), end = begin + 30;

    while (a < one->len || b < other->len) {
        bool mix = a >= begin && a < end && zg_random_below(random, 2) == 0;
        if (a < one->len && (b >= other->len || !mix))
            g_byte_array_append(both, one->data + a++, 1);
        else
            g_byte_array_append(both, other->data + b++, 1);
    }
    return both;
}

/* A stream of frames, and something done to it. */
static GByteArray *damaged_stream(struct zg_random *random, const struct kind *kind, const struct zg_plan *plan,
                                  GPtrArray *frames)
{
    g_autoptr(GByteArray) bytes = g_byte_array_new();
    g_autoptr(GByteArray) other = g_byte_array_new();
    unsigned what = (unsigned)zg_random_below(random, 8);

    if (what == 0) /* noise in front */
        for (uint64_t n = 1 + zg_random_below(random, 100); n > 0; n--) {
            uint8_t byte = any_byte(random, kind);
            g_byte_array_append(bytes, &byte, 1);
        }
    for (unsigned i = 0; i < FRAMES; i++) {
        GByteArray *frame = frame_of(random, kind, plan, i);
        g_ptr_array_add(frames, frame);
        guint begin = bytes->len;
        append(bytes, frame);
        if (what == 1 && zg_random_below(random, 4) == 0) /* what stands first in it, the length among that, is hit */
            bytes->data[begin + zg_random_below(random, MIN(frame->len, 6))] ^=
                (uint8_t)(1U << zg_random_below(random, 8));
        if (what == 2 && zg_random_below(random, 4) == 0) /* cut */
            g_byte_array_set_size(bytes, bytes->len - 1 - (guint)zg_random_below(random, frame->len - 1));
        if (what == 3 && zg_random_below(random, 4) == 0) /* repeated */
            append(bytes, frame);
    }
    if (what == 4) /* joined in the middle */
        g_byte_array_remove_range(bytes, 0, (guint)zg_random_below(random, 60));
    if (what == 5) {
        for (unsigned i = 0; i < FRAMES; i++) {
            GByteArray *frame = frame_of(random, kind, plan, 1000 + i);
            g_ptr_array_add(frames, frame);
            append(other, frame);
        }
        return overlap(random, bytes, other);
    }
    if (what < 6)
        return g_steal_pointer(&bytes);
    g_autoptr(GByteArray) touched = NULL;
    g_autoptr(GArray) origin = NULL;
    return test_damage(random, bytes->data, bytes->len, 1 + (unsigned)zg_random_below(random, 12), &touched, &origin);
}

/* Whether the bytes before `at` let a frame begin there. */
static bool is_opened(const struct kind *kind, const GByteArray *bytes, guint at)
{
    guint size = kind->delimiter_size;
    return size == 0 || at == 0 || (at >= size && memcmp(bytes->data + at - size, kind->delimiter, size) == 0);
}

/* Numbers of the frames whose bytes arrived whole, in the order of their places. Of two that lie over one another, for
 * a byte between them is missing that could be either's, the first counts. */
static GArray *expected_numbers(const struct kind *kind, const GByteArray *bytes, const GPtrArray *frames)
{
    GArray *numbers = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    guint from = 0;

    for (guint at = 0; at < bytes->len; at++) {
        for (uint32_t i = 0; i < frames->len; i++) {
            const GByteArray *frame = g_ptr_array_index(frames, i);
            guint size = frame->len;
            if (at == 0 && memcmp(bytes->data, frame->data, MIN(frame->len, bytes->len)) != 0)
                size -= kind->shared;
            if ((at < from && at + kind->shared != from) || size > bytes->len - at || !is_opened(kind, bytes, at) ||
                memcmp(bytes->data + at, frame->data + frame->len - size, size) != 0)
                continue;
            uint32_t number = i < FRAMES ? i : 1000 + i - FRAMES;
            g_array_append_val(numbers, number);
            from = at + size;
            break;
        }
    }
    return numbers;
}

static void unref_bytes(gpointer bytes)
{
    g_byte_array_unref(bytes);
}

static void test_promise(void **state)
{
    struct zg_random random = zg_random_seeded(21, 0);
    (void)state;
    for (size_t k = 0; k < G_N_ELEMENTS(kinds); k++) {
        struct test_plan plan = plan_of(&kinds[k]);
        unsigned demanded = 0, lost = 0, rounds = test_rounds(150);
        for (unsigned round = 0; round < rounds; round++) {
            g_autoptr(GPtrArray) frames = g_ptr_array_new_with_free_func(unref_bytes);
            g_autoptr(GByteArray) bytes = damaged_stream(&random, &kinds[k], plan.plan, frames);
            g_autoptr(GArray) expected = expected_numbers(&kinds[k], bytes, frames);
            struct zg_counters counters, others;
            struct told whole = listen(plan.plan, bytes, &random, 0, &counters);
            struct told singly = listen(plan.plan, bytes, &random, 1, &others);
            struct told pieces = listen(plan.plan, bytes, &random, 90, &others);
            assert_string_equal(whole.log->str, singly.log->str);
            assert_string_equal(whole.log->str, pieces.log->str);
            assert_memory_equal(&counters, &others, sizeof counters);
            uint32_t next = 0; /* all expected ones are there, in order, and no frame is there that was not sent */
            for (guint i = 0; i < whole.numbers->len; i++) {
                uint32_t number = g_array_index(whole.numbers, uint32_t, i);
                assert_true(number < FRAMES || number - 1000 < FRAMES);
                if (next < expected->len && number == g_array_index(expected, uint32_t, next))
                    next++;
            }
            if (next != expected->len)
                print_message("%s: frame %u did not arrive\n%s", kinds[k].framing,
                              g_array_index(expected, uint32_t, next), whole.log->str);
            assert_int_equal(next, expected->len);
            if (whole.numbers->len != expected->len)
                print_message("%s: %u frames arrived, %u were there\n%s", kinds[k].framing, whole.numbers->len,
                              expected->len, whole.log->str);
            assert_int_equal(whole.numbers->len, expected->len);
            check_link(plan.plan, bytes, &random, &whole, &counters);
            demanded += expected->len;
            lost += frames->len - MIN(expected->len, frames->len);
            told_clear(&whole);
            told_clear(&singly);
            told_clear(&pieces);
        }
        assert_true(demanded > 20 * rounds && lost > rounds); /* frames there were, and damage */
        test_plan_clear(&plan);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_promise) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
