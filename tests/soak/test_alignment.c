/* SPDX-License-Identifier: MIT */
/* What was done to bytes is found again: each kind by itself, as many of it as were made; and by whole soaks, whose
 * stretches with damage have the name of the fault. */
#include "support.h"

#include <string.h>

#include "sim/random.h"
#include "soak/alignment.h"

enum { SIZE = 60, ROUNDS = 400 };

/* Puts `count` random bytes, each unlike the one before, into `bytes`. */
static void fill(struct zg_random *random, uint8_t *bytes, unsigned count)
{
    for (unsigned i = 0; i < count; i++)
        do
            bytes[i] = (uint8_t)zg_random_next(random);
        while (i > 0 && bytes[i] == bytes[i - 1]);
}

static struct zg_alignment align(const uint8_t *sent, const GByteArray *arrived, enum zg_damage_name wanted)
{
    const struct zg_alignment found = zg_align(sent, SIZE, arrived->data, arrived->len);
    assert_int_equal(zg_alignment_name(&found), wanted);
    return found;
}

static void test_each_kind(void **state)
{
    struct zg_random random = zg_random_seeded(9, 0);
    uint8_t sent[SIZE];
    (void)state;
    for (unsigned round = 0; round < ROUNDS; round++) {
        fill(&random, sent, SIZE);
        const unsigned at = 5 + (unsigned)zg_random_below(&random, SIZE - 20),
                       count = 1 + (unsigned)zg_random_below(&random, 8);
        g_autoptr(GByteArray) arrived = g_byte_array_append(g_byte_array_new(), sent, SIZE);
        (void)align(sent, arrived, ZG_DAMAGE_NONE);
        for (unsigned i = 0; i < 3; i++) /* three bits, each in a byte of its own */
            arrived->data[at + 4 * i] ^= (uint8_t)(1U << zg_random_below(&random, 8));
        struct zg_alignment found = align(sent, arrived, ZG_DAMAGE_FLIPPED);
        assert_true(found.flipped_bits == 3 && found.hit_bytes == 3);

        memcpy(arrived->data, sent, SIZE);
        g_byte_array_remove_range(arrived, at, count);
        found = align(sent, arrived, ZG_DAMAGE_MISSING);
        assert_true(found.missing == count && found.missing_runs == 1);

        g_byte_array_set_size(arrived, 0);
        g_byte_array_append(arrived, sent, at);
        g_byte_array_append(arrived, &sent[at - 1], 1);
        g_byte_array_append(arrived, &sent[at], SIZE - at);
        found = align(sent, arrived, ZG_DAMAGE_DOUBLED);
        assert_int_equal(found.doubled, 1);

        arrived->data[at] =
            (uint8_t)(sent[at] ^ sent[at - 1]); /* unlike both, but where they differ in one byte only */
        if (arrived->data[at] == sent[at] || arrived->data[at] == sent[at - 1])
            continue;
        found = align(sent, arrived, ZG_DAMAGE_INSERTED);
        assert_int_equal(found.inserted, 1);
    }
}

static void test_held_and_ends(void **state)
{
    static const uint8_t sent[] = { 1, 2, 3, 4, 5, 6, 7, 8 }, low[] = { 1, 2, 0, 0, 0, 6, 7, 8 },
                         high[] = { 1, 2, 3, 255, 255, 255, 255, 255 }, *nothing = sent;
    struct zg_alignment found = zg_align(sent, 8, low, 8);
    (void)state;
    assert_int_equal(zg_alignment_name(&found), ZG_DAMAGE_HELD);
    assert_int_equal(found.held, 3);
    found = zg_align(sent, 8, high, 8);
    assert_int_equal(found.held, 5);
    found = zg_align(sent, 8, nothing, 0);
    assert_true(found.missing == 8 && found.missing_runs == 1);
    found = zg_align(sent, 0, sent, 8);
    assert_int_equal(found.inserted, 8);
    found = zg_align(sent, 0, nothing, 0);
    assert_int_equal(zg_alignment_name(&found), ZG_DAMAGE_NONE);
    g_autofree uint8_t *long_one = g_malloc(40000), *other = g_malloc(30000); /* what is too long is cut, not refused */
    memset(long_one, 0x5A, 40000);
    memset(other, 0xA5, 30000);
    found = zg_align(long_one, 40000, other, 30000);
    assert_true(found.missing >= 40000 - 1025 && found.inserted + found.doubled >= 30000 - 1025);
    assert_int_equal(zg_alignment_name(&found), ZG_DAMAGE_MIXED);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_each_kind), cmocka_unit_test(test_held_and_ends) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
