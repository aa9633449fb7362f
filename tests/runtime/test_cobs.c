/* SPDX-License-Identifier: MIT */
#include "support.h"

#include <string.h>

#include "zeugma/cobs.h"
#include "zeugma/error.h"

/* Stuffs content into `out`; returns its length on the wire. */
static size_t encode(const uint8_t *content, size_t length, uint8_t *out)
{
    static uint8_t memory[4096];
    struct zg_cobs_encoder encoder;
    struct zg_ring ring;
    size_t wire, at = 0;

    assert_int_equal(zg_ring_init(&ring, memory, sizeof memory), 0);
    zg_cobs_begin(&encoder, &ring);
    zg_cobs_put(&encoder, content, length / 3); /* in two pieces */
    zg_cobs_put(&encoder, content + length / 3, length - length / 3);
    assert_int_equal(zg_ring_used(&ring), 0); /* nothing shows before the end */
    assert_int_equal(zg_cobs_end(&encoder, &wire), 0);
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

static void test_vectors(void **state)
{
    static const struct {
        const char *content, *wire;
        size_t content_length, wire_length;
    } vectors[] = {
        { "", "\x01\x00", 0, 2 },
        { "\x00", "\x01\x01\x00", 1, 3 },
        { "\x00\x00", "\x01\x01\x01\x00", 2, 4 },
        { "\x11\x22\x00\x33", "\x03\x11\x22\x02\x33\x00", 4, 6 },
        { "\x11\x00\x00\x00", "\x02\x11\x01\x01\x01\x00", 4, 6 },
    };
    uint8_t out[16];
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(vectors); i++) {
        assert_int_equal(encode((const uint8_t *)vectors[i].content, vectors[i].content_length, out),
                         vectors[i].wire_length);
        assert_memory_equal(out, vectors[i].wire, vectors[i].wire_length);
    }
}

static void test_full_blocks(void **state)
{
    uint8_t content[600], wire[700], back[600];
    struct zg_cobs_decoder decoder;
    enum zg_framing_event event;
    (void)state;
    memset(content, 0x5A, sizeof content);
    zg_cobs_decoder_init(&decoder, back, sizeof back);
    for (size_t length = 250; length < 600; length++) {
        size_t count = encode(content, length, wire);
        assert_int_equal(count, length + (length + 253) / 254 + 1); /* no code byte after a final full block */
        assert_int_equal(zg_cobs_decode(&decoder, wire, count, &event), count);
        assert_int_equal(event, ZG_FRAMING_CONTENT);
        assert_int_equal(decoder.length, length);
        if (length % 254 == 0) { /* the other form: with that code byte */
            wire[count - 1] = 1;
            wire[count] = 0;
            assert_int_equal(zg_cobs_decode(&decoder, wire, count + 1, &event), count + 1);
            assert_int_equal(event, ZG_FRAMING_CONTENT);
            assert_int_equal(decoder.length, length);
            assert_memory_equal(back, content, length);
        }
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
        size_t count = encode(content, length, wire);
        assert_null(memchr(wire, 0, count - 1));
        assert_true(count <= ZG_COBS_WIRE_MAX(length));
        assert_int_equal(reference_decode(wire, count - 1, other), length);
        assert_memory_equal(other, content, length);

        struct zg_cobs_decoder decoder;
        enum zg_framing_event event = ZG_FRAMING_MORE;
        zg_cobs_decoder_init(&decoder, back, length ? length : 1);
        for (size_t at = 0; at < count;) { /* in pieces of any size */
            size_t piece = 1 + zg_random_below(&random, MIN(count - at, 60));
            assert_int_equal(event, ZG_FRAMING_MORE);
            assert_int_equal(zg_cobs_decode(&decoder, wire + at, piece, &event), piece);
            at += piece;
        }
        assert_int_equal(event, ZG_FRAMING_CONTENT);
        assert_int_equal(decoder.wire, count);
        assert_int_equal(decoder.length, length);
        assert_memory_equal(back, content, length);
    }
}

/* Whatever comes in: memory is bounded, each byte is told once, and feeding it byte by byte tells the same. */
static void test_any_bytes(void **state)
{
    struct zg_random random = zg_random_seeded(4, 0);
    uint8_t bytes[400], content[2][20];
    (void)state;
    for (unsigned round = 0; round < 3000; round++) {
        uint64_t density = 1 + zg_random_below(&random, 60);
        struct zg_cobs_decoder whole, single;
        size_t told[2][6] = { { 0 } }, at = 0;
        zg_cobs_decoder_init(&whole, content[0], sizeof content[0]);
        zg_cobs_decoder_init(&single, content[1], sizeof content[1]);
        for (size_t i = 0; i < sizeof bytes; i++)
            bytes[i] = zg_random_below(&random, density) == 0 ? 0 : (uint8_t)(1 + zg_random_below(&random, 30));
        while (at < sizeof bytes) {
            enum zg_framing_event event;
            at += zg_cobs_decode(&whole, bytes + at, sizeof bytes - at, &event);
            if (event != ZG_FRAMING_MORE)
                told[0][event] += whole.wire;
            assert_true(whole.length <= sizeof content[0]);
        }
        for (size_t i = 0; i < sizeof bytes;) {
            enum zg_framing_event event;
            i += zg_cobs_decode(&single, bytes + i, 1, &event);
            if (event != ZG_FRAMING_MORE)
                told[1][event] += single.wire;
        }
        assert_memory_equal(told[0], told[1], sizeof told[0]);
        size_t sum = zg_cobs_pending(&whole);
        for (size_t i = 0; i < 6; i++)
            sum += told[0][i];
        assert_int_equal(sum, sizeof bytes);
    }
}

static void test_no_room(void **state)
{
    uint8_t memory[16], content[12] = { 1, 2, 3 };
    (void)state;
    for (size_t length = 0; length <= sizeof content; length++) {
        for (unsigned taken = 0; taken <= sizeof memory; taken++) {
            struct zg_cobs_encoder encoder;
            struct zg_ring ring;
            size_t wire;
            zg_ring_init(&ring, memory, sizeof memory);
            for (unsigned i = 0; i < taken; i++)
                zg_ring_put(&ring, 9);
            zg_cobs_begin(&encoder, &ring);
            zg_cobs_put(&encoder, content, length);
            bool fits = length + 2 <= sizeof memory - taken;
            assert_int_equal(zg_cobs_end(&encoder, &wire), fits ? 0 : ZG_EROOM);
            assert_int_equal(zg_ring_used(&ring), taken + (fits ? length + 2 : 0));
            for (unsigned i = 0; i < taken; i++)
                assert_int_equal(memory[i], 9);
        }
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_vectors), cmocka_unit_test(test_full_blocks),
                                        cmocka_unit_test(test_round_trip), cmocka_unit_test(test_any_bytes),
                                        cmocka_unit_test(test_no_room) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
