/* SPDX-License-Identifier: MIT */
#include "sim/random.h"
#include "support.h"

#include <string.h>

#include "zeugma/cobs.h"
#include "zeugma/error.h"
#include "zeugma/escaped.h"
#include "zeugma/gap.h"
#include "zeugma/marks.h"
#include "zeugma/sized.h"

static size_t size_in_first_byte(const void *context, const uint8_t *content)
{
    (void)context;
    return content[0];
}

static const struct zg_sized counted = { size_in_first_byte, NULL, 0, 1, 2, 0, { 0xA5, 0x5A }, { 0 } };
static const struct zg_sized closed = { NULL, NULL, 4, 0, 1, 2, { 0x3C }, { 0x3E, 0x0A } };
static const struct zg_marks escaped = {
    .start_size = 1, .start = { 0x02 }, .end_size = 1, .end = { 0x03 }, .escape = 0x1B, .escape_xor = 0x20
};
static const struct zg_marks doubled = {
    .start_size = 2, .start = { 0x10, 0x02 }, .end_size = 2, .end = { 0x10, 0x03 }, .doubled = true, .escape = 0x10
};
static const struct zg_marks lines = { .end_size = 2, .end = { '\r', '\n' }, .plain = true };
static const struct zg_marks sentences = {
    .start_size = 1, .start = { '$' }, .end_size = 2, .end = { '\r', '\n' }, .plain = true
};
static const struct zg_marks trailed = { .end_size = 1, .end = { '\n' }, .plain = true, .trailing = 2 };
static const struct zg_end_mark others[] = { { 1, { '\n' } }, { 3, { 3, 3, 4 } } }, sent_mark = { 1, { '\r' } };
static const struct zg_marks tolerant = {
    .end_size = 2, .end = { '\r', '\n' }, .plain = true, .others = 2, .other = others, .sent = &sent_mark
};
static const struct zg_framing counted_framing = ZG_SIZED(&counted), closed_framing = ZG_SIZED(&closed),
                               escaped_framing = ZG_MARKS(&escaped), doubled_framing = ZG_MARKS(&doubled),
                               lines_framing = ZG_MARKS(&lines), sentences_framing = ZG_MARKS(&sentences),
                               trailed_framing = ZG_MARKS(&trailed), tolerant_framing = ZG_MARKS(&tolerant);

/* Frames content into `out`; returns its length on the wire. */
static size_t encode(const struct zg_framing *framing, const uint8_t *content, size_t length, uint8_t *out)
{
    static uint8_t memory[4096];
    struct zg_encoder encoder;
    struct zg_ring ring;
    size_t wire, at = 0;

    assert_int_equal(zg_ring_init(&ring, memory, sizeof memory), 0);
    zg_encoder_begin(&encoder, framing, &ring);
    zg_encoder_put(&encoder, framing, content, length / 3); /* in two pieces */
    zg_encoder_put(&encoder, framing, content + length / 3, length - length / 3);
    assert_int_equal(zg_ring_used(&ring), 0); /* nothing is visible before the end */
    assert_int_equal(zg_encoder_end(&encoder, framing, &wire), 0);
    while (zg_ring_get(&ring, &out[at]))
        at++;
    assert_int_equal(at, wire);
    return wire;
}

/* The published algorithm read the other way round: each code byte says where the next zero was. */
static size_t reference_decode(const uint8_t *wire, size_t length, uint8_t *content)
{
    size_t out = 0;
    for (size_t i = 0; i < length;) {
        unsigned code = wire[i];
        memcpy(content + out, wire + i + 1, code - 1);
        out += code - 1;
        i += code;
        if (code != 0xFF && i < length)
            content[out++] = 0;
    }
    return out;
}

/* What the standards print, and the rules for marks say: sent as written, and received again. */
static void test_vectors(void **state)
{
    static const struct {
        const struct zg_framing *framing;
        const char *content, *wire;
        size_t content_length, wire_length;
    } vectors[] = {
        { &zg_cobs, "", "\x01\x00", 0, 2 },
        { &zg_cobs, "\x00", "\x01\x01\x00", 1, 3 },
        { &zg_cobs, "\x00\x00", "\x01\x01\x01\x00", 2, 4 },
        { &zg_cobs, "\x11\x22\x00\x33", "\x03\x11\x22\x02\x33\x00", 4, 6 },
        { &zg_cobs, "\x11\x00\x00\x00", "\x02\x11\x01\x01\x01\x00", 4, 6 },
        { &zg_cobs_lead, "\x11\x00", "\x00\x02\x11\x01\x00", 2, 5 },
        { &zg_slip, "a\xc0\xdb",
          "\xc0"
          "a\xdb\xdc\xdb\xdd\xc0",
          3, 7 },
        { &zg_slip_trailing,
          "\xdb"
          "a",
          "\xdb\xdd"
          "a\xc0",
          2, 4 },
        { &zg_hdlc, "\x7e\x7d\x03", "\x7e\x7d\x5e\x7d\x5d\x03\x7e", 3, 7 },
        { &zg_hdlc_control, "\x7e\x03\x20", "\x7e\x7d\x5e\x7d\x23\x20\x7e", 3, 7 },
        { &counted_framing, "\x03\xa5\x5a", "\xa5\x5a\x03\xa5\x5a", 3, 5 },
        { &closed_framing, "<>\n<", "<<>\n<>\n", 4, 7 },
        { &escaped_framing,
          "\x02\x03\x1b"
          "a",
          "\x02\x1b\x22\x1b\x23\x1b\x3b"
          "a\x03",
          4, 9 },
        { &doubled_framing, "\x10\x02\x03\x10", "\x10\x02\x10\x10\x02\x03\x10\x10\x10\x03", 4, 10 },
        { &lines_framing, "a\r\rb", "a\r\rb\r\n", 4, 6 }, /* one byte of the end mark is content */
        { &sentences_framing, "$a\n", "$$a\n\r\n", 3, 6 },
        { &trailed_framing, "ab\nx", "ab\n\nx", 4, 5 }, /* the end mark behind itself */
        { &zg_gap, "\x00\x7e\xc0", "\x00\x7e\xc0", 3, 3 },
    };
    uint8_t out[16], memory[64];
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(vectors); i++) {
        const struct zg_framing *framing = vectors[i].framing;
        struct zg_decoder decoder;
        enum zg_framing_event event;
        size_t size = encode(framing, (const uint8_t *)vectors[i].content, vectors[i].content_length, out);
        assert_int_equal(size, vectors[i].wire_length);
        assert_memory_equal(out, vectors[i].wire, vectors[i].wire_length);
        zg_decoder_init(&decoder, framing, 8, memory, sizeof memory);
        assert_int_equal(zg_decoder_take(&decoder, framing, out, size, &event), size);
        if (framing == &zg_gap) {
            assert_int_equal(event, ZG_FRAMING_MORE);
            zg_decoder_pause(&decoder, framing, &event);
        }
        assert_int_equal(event, ZG_FRAMING_CONTENT);
        assert_int_equal(decoder.wire, size);
        assert_int_equal(decoder.pending, 0);
        assert_int_equal(decoder.length, vectors[i].content_length);
        assert_memory_equal(decoder.content, vectors[i].content, decoder.length);
    }
}

/* Bytes that no sender produces, and how they are reported; `wire` are the bytes that the first event accounts for. */
static void test_malformed(void **state)
{
    static const struct {
        const struct zg_framing *framing;
        const char *bytes;
        size_t count;
        enum zg_framing_event event;
        size_t wire;
    } vectors[] = {
        { &zg_cobs, "\x05\x11\x22\x00", 4, ZG_FRAMING_MALFORMED, 4 },
        { &zg_cobs, "\x00", 1, ZG_FRAMING_IDLE, 1 },
        { &zg_cobs, "\x0a\x01\x02\x03\x04\x05\x06\x07\x08\x09\x00", 11, ZG_FRAMING_TOO_LONG, 10 },
        { &zg_cobs_lead, "\x00\x05\x11\x00", 4, ZG_FRAMING_MALFORMED, 3 },
        { &zg_cobs_lead, "\x00\x00", 2, ZG_FRAMING_IDLE, 1 },
        { &zg_slip,
          "\xc0"
          "a\xdb"
          "b\xc0",
          5, ZG_FRAMING_MALFORMED, 4 },
        { &zg_hdlc,
          "\x7e"
          "ab\x7d\x7e",
          5, ZG_FRAMING_MALFORMED, 4 }, /* the flag opens the next */
        { &counted_framing, "\x11\xa5\xa5", 3, ZG_FRAMING_NOISE, 2 },
        { &counted_framing, "\xa5\x5a\x00", 3, ZG_FRAMING_MALFORMED, 3 },
        { &counted_framing, "\xa5\x5a\x09", 3, ZG_FRAMING_TOO_LONG, 3 },
        { &closed_framing, "<ab<<>\x0b", 7, ZG_FRAMING_MALFORMED, 3 }, /* up to the next start */
        { &escaped_framing,
          "\x02"
          "a\x1b"
          "b\x03",
          5, ZG_FRAMING_MALFORMED, 4 },
        { &escaped_framing,
          "\x02"
          "ab\x02",
          4, ZG_FRAMING_MALFORMED, 3 },
        { &doubled_framing,
          "\x10\x02"
          "ab\x10\x02",
          6, ZG_FRAMING_MALFORMED, 4 },
        { &doubled_framing,
          "\x10\x02"
          "a\x10\x04",
          5, ZG_FRAMING_MALFORMED, 5 },
        { &lines_framing, "\r\n", 2, ZG_FRAMING_IDLE, 2 },
        { &lines_framing, "123456789", 9, ZG_FRAMING_TOO_LONG, 9 },
        { &sentences_framing, "ab$", 3, ZG_FRAMING_NOISE, 2 },
        { &sentences_framing, "$123456$89", 10, ZG_FRAMING_TOO_LONG, 7 }, /* up to the next start */
        { &tolerant_framing, "a\r\n", 3, ZG_FRAMING_CONTENT, 3 },
        { &tolerant_framing, "a\rb\n", 4, ZG_FRAMING_CONTENT, 4 },
        { &tolerant_framing, "\n\r", 2, ZG_FRAMING_IDLE, 1 },
        { &tolerant_framing, "ab\3\3\3\4", 6, ZG_FRAMING_CONTENT, 6 },
        { &trailed_framing, "\nab", 3, ZG_FRAMING_IDLE, 1 },
        { &trailed_framing, "123456789", 9, ZG_FRAMING_TOO_LONG, 7 },
        { &zg_gap, "123456789", 9, ZG_FRAMING_TOO_LONG, 9 },
    };
    uint8_t memory[64];
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(vectors); i++) {
        struct zg_decoder decoder;
        enum zg_framing_event event;
        zg_decoder_init(&decoder, vectors[i].framing, 8, memory, sizeof memory);
        size_t taken =
            zg_decoder_take(&decoder, vectors[i].framing, (const uint8_t *)vectors[i].bytes, vectors[i].count, &event);
        assert_int_equal(event, vectors[i].event);
        assert_int_equal(decoder.wire, vectors[i].wire);
        assert_int_equal(decoder.wire + decoder.pending, taken);
    }
}

static void test_full_blocks(void **state)
{
    uint8_t content[600], wire[700], back[600];
    struct zg_decoder decoder;
    enum zg_framing_event event;
    (void)state;
    memset(content, 0x5A, sizeof content);
    zg_decoder_init(&decoder, &zg_cobs, sizeof back, back, sizeof back);
    for (size_t length = 250; length < 600; length++) {
        size_t count = encode(&zg_cobs, content, length, wire);
        assert_int_equal(count, length + (length + 253) / 254 + 1); /* no code byte after a final full block */
        assert_int_equal(zg_decoder_take(&decoder, &zg_cobs, wire, count, &event), count);
        assert_int_equal(event, ZG_FRAMING_CONTENT);
        assert_int_equal(decoder.length, length);
        if (length % 254 == 0) { /* the other form: with that code byte */
            wire[count - 1] = 1;
            wire[count] = 0;
            assert_int_equal(zg_decoder_take(&decoder, &zg_cobs, wire, count + 1, &event), count + 1);
            assert_int_equal(event, ZG_FRAMING_CONTENT);
            assert_int_equal(decoder.length, length);
            assert_memory_equal(back, content, length);
        }
    }
}

/* A frame decoded in one step, where possible, is the same as one decoded byte by byte, whatever its bytes are. */
static void check_whole(const uint8_t *wire, size_t count, size_t limit, const uint8_t *content, size_t length,
                        enum zg_framing_event event)
{
    uint8_t *memory = malloc(limit); /* no more than it needs */
    struct zg_decoder decoder;
    const uint8_t *seen = NULL;
    size_t seen_length = 0;

    zg_decoder_init(&decoder, &zg_cobs, limit, memory, limit);
    size_t taken = zg_cobs.whole(&zg_cobs, &decoder, wire, count, &seen, &seen_length);
    assert_true(taken == 0 || taken == count);
    assert_true(taken == 0 || event == ZG_FRAMING_CONTENT);
    assert_true(taken == count || event != ZG_FRAMING_CONTENT);
    if (taken > 0) {
        assert_int_equal(seen_length, length);
        assert_memory_equal(seen, content, length);
    }
    free(memory);
}

/* The same with one byte of the frame changed, and little room. */
static void check_whole_changed(struct zg_random *random, uint8_t *wire, size_t count, size_t limit)
{
    uint8_t back[700];
    struct zg_decoder decoder;
    enum zg_framing_event event = ZG_FRAMING_MORE;
    size_t at = zg_random_below(random, count - 1), taken = 0;

    wire[at] = (uint8_t)(1 + zg_random_below(random, 255));
    zg_decoder_init(&decoder, &zg_cobs, limit, back, limit);
    while (taken < count && event == ZG_FRAMING_MORE)
        taken += zg_decoder_take(&decoder, &zg_cobs, wire + taken, count - taken, &event);
    check_whole(wire, count, limit, back, decoder.length, event);
}

/* Bytes of which many are special to some framing. */
static void fill_special(struct zg_random *random, uint8_t *bytes, size_t count)
{
    static const uint8_t specials[] = { 0x00, 0x02, 0x03, 0x1B, 0x10, 0x7E, 0x7D, 0xC0, 0xDB, 0xDC, 0xDD, '$', '\r' };
    const uint64_t density = 1 + zg_random_below(random, 20);

    for (size_t i = 0; i < count; i++)
        bytes[i] = zg_random_below(random, density) == 0 ? specials[zg_random_below(random, sizeof specials)]
                                                         : (uint8_t)zg_random_next(random);
}

/* What a framing decodes in one step it decodes step by step, too, and the other way round if nothing is wrong. */
static void test_whole_frames(void **state)
{
    static const struct zg_framing *const framings[] = { &zg_slip,          &zg_slip_trailing, &zg_hdlc,
                                                         &zg_hdlc_control,  &counted_framing,  &closed_framing,
                                                         &escaped_framing,  &doubled_framing,  &lines_framing,
                                                         &sentences_framing };
    struct zg_random random = zg_random_seeded(33, 0);
    (void)state;
    for (unsigned round = 0; round < 40000; round++) {
        const struct zg_framing *framing = framings[round % G_N_ELEMENTS(framings)];
        const bool damaged = zg_random_one_in(&random, 2);
        const size_t length = framing == &closed_framing ? 4 : 1 + zg_random_below(&random, 60);
        const size_t limit = damaged ? length + 2 - zg_random_below(&random, MIN(length, 4)) : length;
        uint8_t content[64], wire[200], memory[400], other[400];
        fill_special(&random, content, length);
        if (framing == &counted_framing)
            content[0] = (uint8_t)length;
        for (size_t i = 0; (framing == &lines_framing || framing == &sentences_framing) && i < length; i++)
            content[i] = content[i] == '\r' ? 'r' : content[i];
        size_t count = encode(framing, content, length, wire);
        if (damaged)
            wire[zg_random_below(&random, count)] ^= (uint8_t)(1U << zg_random_below(&random, 8));
        if (zg_random_one_in(&random, 8)) /* cut */
            count = 1 + zg_random_below(&random, count);
        struct zg_decoder steps, whole;
        enum zg_framing_event event = ZG_FRAMING_MORE;
        const uint8_t *seen = NULL;
        size_t taken = 0, seen_length = 0;
        zg_decoder_init(&steps, framing, limit, memory, sizeof memory);
        zg_decoder_init(&whole, framing, limit, other, sizeof other);
        if (!framing->whole)
            return;
        const size_t size = framing->whole(framing, &whole, wire, count, &seen, &seen_length);
        while (taken < count && event == ZG_FRAMING_MORE)
            taken += zg_decoder_take(&steps, framing, wire + taken, count - taken, &event);
        const size_t came = steps.length;
        if (size == 0 && event == ZG_FRAMING_CONTENT && !damaged)
            fail_msg("framing %u: a sound frame is not decoded in one step", round % (unsigned)G_N_ELEMENTS(framings));
        if (size == 0)
            continue;
        assert_int_equal(event, ZG_FRAMING_CONTENT);
        assert_int_equal(size, steps.wire);
        assert_int_equal(seen_length, came);
        assert_memory_equal(seen, steps.content, came);
    }
}

static void test_round_trip(void **state)
{
    struct zg_random random = zg_random_seeded(3, 0);
    uint8_t content[700], wire[800], back[700], other[700];
    (void)state;
    for (unsigned round = 0; round < 3000; round++) {
        size_t length = zg_random_below(&random, sizeof content);
        uint64_t density = 1 + zg_random_below(&random, 400);
        for (size_t i = 0; i < length; i++)
            content[i] = zg_random_below(&random, density) == 0 ? 0 : (uint8_t)(1 + zg_random_below(&random, 255));
        size_t count = encode(&zg_cobs, content, length, wire);
        assert_null(memchr(wire, 0, count - 1));
        assert_true(count <= ZG_COBS_WIRE_MAX(length));
        assert_int_equal(reference_decode(wire, count - 1, other), length);
        assert_memory_equal(other, content, length);

        struct zg_decoder decoder;
        enum zg_framing_event event = ZG_FRAMING_MORE;
        zg_decoder_init(&decoder, &zg_cobs, length ? length : 1, back, sizeof back);
        for (size_t at = 0; at < count;) { /* in pieces of any size */
            size_t piece = 1 + zg_random_below(&random, MIN(count - at, 60));
            assert_int_equal(event, ZG_FRAMING_MORE);
            assert_int_equal(zg_decoder_take(&decoder, &zg_cobs, wire + at, piece, &event), piece);
            at += piece;
        }
        assert_int_equal(event, ZG_FRAMING_CONTENT);
        assert_int_equal(decoder.wire, count);
        assert_int_equal(decoder.length, length);
        assert_memory_equal(back, content, length);
        if (zg_cobs.whole) {
            check_whole(wire, count, MAX(length, 1), content, length, ZG_FRAMING_CONTENT);
            for (unsigned i = 0; i < 3; i++) {
                const size_t less = zg_random_below(&random, 4);
                check_whole_changed(&random, wire, count, 1 + length - MIN(length, less));
            }
        }
    }
}

/* A frame goes into the ring whole or not at all. */
static void test_no_room(void **state)
{
    static const struct zg_framing *const framings[] = { &zg_cobs,         &zg_cobs_lead,    &zg_slip,
                                                         &zg_hdlc_control, &escaped_framing, &doubled_framing,
                                                         &lines_framing,   &trailed_framing, &zg_gap };
    const uint8_t content[12] = { 1, 2, 3, 0, 0x10, 0x7E, 0xC0 };
    uint8_t memory[16], wire[64];
    (void)state;
    for (size_t k = 0; k < G_N_ELEMENTS(framings); k++) {
        const size_t least = framings[k] == &trailed_framing ? trailed.trailing : 0;
        for (size_t length = least; length <= sizeof content; length++) {
            size_t size = encode(framings[k], content, length, wire);
            for (unsigned taken = 0; taken <= sizeof memory; taken++) {
                struct zg_encoder encoder;
                struct zg_ring ring;
                zg_ring_init(&ring, memory, sizeof memory);
                for (unsigned i = 0; i < taken; i++)
                    zg_ring_put(&ring, 9);
                zg_encoder_begin(&encoder, framings[k], &ring);
                zg_encoder_put(&encoder, framings[k], content, length);
                size_t made;
                bool fits = size <= sizeof memory - taken;
                assert_int_equal(zg_encoder_end(&encoder, framings[k], &made), fits ? 0 : ZG_EROOM);
                assert_int_equal(zg_ring_used(&ring), taken + (fits ? size : 0));
                for (unsigned i = 0; i < taken; i++)
                    assert_int_equal(memory[i], 9);
                if (fits)
                    assert_memory_equal(memory + taken, wire, size);
            }
        }
    }
}

/* A COBS block that exceeded the room, directly followed by the delimiter: what follows is a new frame, in the same
 * piece or not. */
static void test_after_too_long(void **state)
{
    const uint8_t stream[] = { 0xFF, 1, 2, 3, 4, 5, 0, 3, 7, 8, 0 };
    uint8_t memory[4];
    (void)state;
    for (size_t piece = 1; piece <= sizeof stream; piece++) {
        struct zg_decoder decoder;
        unsigned contents = 0;
        zg_decoder_init(&decoder, &zg_cobs_lead, sizeof memory, memory, sizeof memory);
        for (size_t at = 0; at < sizeof stream;) {
            size_t block = piece < sizeof stream - at ? piece : sizeof stream - at;
            enum zg_framing_event event;
            at += zg_decoder_take(&decoder, &zg_cobs_lead, stream + at, block, &event);
            if (event != ZG_FRAMING_CONTENT)
                continue;
            contents++;
            assert_int_equal(decoder.length, 2);
            assert_memory_equal(decoder.content, "\7\10", 2);
        }
        assert_int_equal(contents, 1);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_after_too_long), cmocka_unit_test(test_vectors),
                                        cmocka_unit_test(test_full_blocks),    cmocka_unit_test(test_round_trip),
                                        cmocka_unit_test(test_whole_frames),   cmocka_unit_test(test_malformed),
                                        cmocka_unit_test(test_no_room) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
