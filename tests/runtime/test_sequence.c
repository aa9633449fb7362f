/* SPDX-License-Identifier: MIT */
#include "sim/random.h"
#include "support.h"

#include "zeugma/sequence.h"

/* A sender whose frames are lost, repeated and delayed; the receiver's counts are compared with what was done. */
static void test_every_width(void **state)
{
    struct zg_random random = zg_random_seeded(2, 0);
    (void)state;
    for (unsigned bits = 4; bits <= 32; bits++) {
        uint32_t mask = bits == 32 ? UINT32_MAX : (UINT32_C(1) << bits) - 1;
        uint32_t number = mask - 100; /* wraps soon */
        uint64_t lost = 0, told_lost = 0;
        struct zg_sequence sequence = { 0 };
        uint32_t skipped;
        assert_int_equal(zg_sequence_note(&sequence, bits, number++ & mask, &skipped), ZG_ARRIVAL_NEXT);
        for (unsigned i = 0; i < 5000; i++) {
            uint32_t gap = zg_random_one_in(&random, 10) ? (uint32_t)zg_random_below(&random, 5) : 0;
            number += gap;
            lost += gap;
            assert_int_equal(zg_sequence_note(&sequence, bits, number & mask, &skipped), ZG_ARRIVAL_NEXT);
            told_lost += skipped;
            if (gap > 0 &&
                zg_random_one_in(&random, 2)) { /* one of the lost frames arrives after all, then once more */
                assert_int_equal(zg_sequence_note(&sequence, bits, (number - 1) & mask, &skipped), ZG_ARRIVAL_LATE);
                assert_int_equal(zg_sequence_note(&sequence, bits, (number - 1) & mask, &skipped), ZG_ARRIVAL_REPEATED);
                assert_int_equal(skipped, 0);
            }
            if (zg_random_one_in(&random, 10))
                assert_int_equal(zg_sequence_note(&sequence, bits, number & mask, &skipped), ZG_ARRIVAL_REPEATED);
            number++;
        }
        assert_true(lost > 100 && told_lost == lost);
    }
}

static void test_first_and_narrow(void **state)
{
    struct zg_sequence sequence = { 0 };
    uint32_t skipped;
    (void)state;
    assert_int_equal(zg_sequence_note(&sequence, 8, 200, &skipped), ZG_ARRIVAL_NEXT);
    assert_int_equal(skipped, 0); /* joining in the middle is no loss */
    assert_int_equal(zg_sequence_note(&sequence, 8, 200 + 128 - 256, &skipped), ZG_ARRIVAL_NEXT);
    assert_int_equal(skipped, 127); /* half the range ahead is still newer */
    assert_int_equal(zg_sequence_note(&sequence, 8, 255, &skipped), ZG_ARRIVAL_LATE);

    struct zg_sequence one_bit = { 0 };
    for (uint32_t i = 0; i < 100; i++)
        assert_int_equal(zg_sequence_note(&one_bit, 1, i & 1, &skipped), ZG_ARRIVAL_NEXT);
    assert_int_equal(zg_sequence_note(&one_bit, 1, 1, &skipped), ZG_ARRIVAL_REPEATED);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_every_width), cmocka_unit_test(test_first_and_narrow) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
