/* SPDX-License-Identifier: MIT */
/* LEB128 and runs of bits, each compared with the simplest other way to compute it. */
#include "sim/random.h"
#include "support.h"

#include "zeugma/bits.h"
#include "zeugma/error.h"
#include "zeugma/leb.h"

static void test_vectors(void **state)
{
    static const struct {
        const char *bytes;
        int length;
        unsigned bits;
        int unsigned_size; /* or ZG_ESIZE */
        uint64_t value;
        int signed_size;
        int64_t signed_value;
    } rows[] = {
        { "\x00", 1, 32, 1, 0, 1, 0 },
        { "\x7f", 1, 32, 1, 127, 1, -1 },
        { "\xe5\x8e\x26", 3, 32, 3, 624485, 3, 624485 },
        { "\xc0\xbb\x78", 3, 32, 3, 1973696, 3, -123456 },
        { "\x80\x00", 2, 32, ZG_ESIZE, 0, ZG_ESIZE, 0 }, /* longer than necessary */
        { "\xff\x00", 2, 32, ZG_ESIZE, 0, 2, 127 },      /* only for an unsigned number */
        { "\xff\x7f", 2, 32, 2, 16383, ZG_ESIZE, 0 },    /* and only for a signed one */
        { "\x80", 1, 32, ZG_ESIZE, 0, ZG_ESIZE, 0 },     /* cut short */
        { "", 0, 32, ZG_ESIZE, 0, ZG_ESIZE, 0 },
        { "\xff\xff\xff\xff\x0f", 5, 32, 5, UINT32_MAX, ZG_ESIZE, 0 },
        { "\x80\x80\x80\x80\x10", 5, 32, ZG_ESIZE, 0, ZG_ESIZE, 0 }, /* 2^32 */
        { "\x80\x80\x80\x80\x78", 5, 32, ZG_ESIZE, 0, 5, INT32_MIN },
        { "\xff\xff\xff\xff\x77", 5, 32, ZG_ESIZE, 0, ZG_ESIZE, 0 }, /* below the least */
        { "\xff\xff\xff\xff\xff\xff\xff\xff\xff\x01", 10, 64, 10, UINT64_MAX, ZG_ESIZE, 0 },
        { "\x80\x80\x80\x80\x80\x80\x80\x80\x80\x02", 10, 64, ZG_ESIZE, 0, ZG_ESIZE, 0 }, /* 2^64 */
        { "\x80\x80\x80\x80\x80\x80\x80\x80\x80\x7f", 10, 64, ZG_ESIZE, 0, 10, INT64_MIN },
        { "\x80\x80\x80\x80\x80\x80\x80\x80\x80\x80\x01", 11, 64, ZG_ESIZE, 0, ZG_ESIZE, 0 },
    };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        const uint8_t *bytes = (const uint8_t *)rows[i].bytes;
        uint64_t value = 0;
        int64_t number = 0;
        assert_int_equal(zg_uleb_get(bytes, (size_t)rows[i].length, rows[i].bits, &value), rows[i].unsigned_size);
        assert_int_equal(zg_sleb_get(bytes, (size_t)rows[i].length, rows[i].bits, &number), rows[i].signed_size);
        assert_true(value == rows[i].value && number == rows[i].signed_value);
    }
}

/* All numbers of up to three bytes, and those around every power of two, come back, in as few bytes as possible. */
static void test_there_and_back(void **state)
{
    uint8_t bytes[10];
    (void)state;
    for (int64_t i = -1100000; i < 1100000 + 64 * 64; i++) {
        int64_t number =
            i < 1100000 ? i : (int64_t)(((uint64_t)1 << (i - 1100000) / 64) + (uint64_t)((i - 1100000) % 64) - 32);
        uint64_t value = (uint64_t)number, back = 0;
        int64_t signed_back = 0;
        unsigned bits = value == 0 ? 1 : 64 - (unsigned)__builtin_clzll(value);
        unsigned size = zg_uleb_put(value, bytes);
        assert_int_equal(size, (bits + 6) / 7);
        assert_int_equal(zg_uleb_size(value), size);
        assert_int_equal(zg_uleb_get(bytes, sizeof bytes, 64, &back), size);
        assert_true(back == value);
        size = zg_sleb_put(number, bytes);
        assert_true(size == 10 || (number >= -((int64_t)1 << (7 * size - 1)) && number < (int64_t)1 << (7 * size - 1)));
        assert_int_equal(zg_sleb_size(number), size);
        assert_int_equal(zg_sleb_get(bytes, sizeof bytes, 64, &signed_back), size);
        assert_true(signed_back == number);
    }
}

/* A run of bits, compared with the same bits held one by one. */
static void test_bit_runs(void **state)
{
    struct zg_random random = zg_random_seeded(11, 0);
    (void)state;
    for (unsigned round = 0; round < 20000; round++) {
        bool big = round % 2;
        bool held[128] = { false };
        uint8_t run[16] = { 0 };
        size_t first = (size_t)zg_random_below(&random, 64);
        unsigned bits = 1 + (unsigned)zg_random_below(&random, 64);
        uint64_t value = zg_random_next(&random) & UINT64_MAX >> (64 - bits);
        for (unsigned i = 0; i < bits; i++)
            held[first + i] = value >> (big ? bits - 1 - i : i) & 1;
        zg_bits_put(run, first, bits, big, value | (bits < 64 ? UINT64_MAX << bits : 0)); /* only the low bits count */
        for (unsigned i = 0; i < 128; i++)
            assert_int_equal(run[i / 8] >> (big ? 7 - i % 8 : i % 8) & 1, held[i]);
        assert_true(zg_bits_get(run, first, bits, big) == value);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_vectors), cmocka_unit_test(test_there_and_back),
                                        cmocka_unit_test(test_bit_runs) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
