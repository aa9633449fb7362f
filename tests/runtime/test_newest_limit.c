/* SPDX-License-Identifier: MIT */
/* A ring that keeps the newest, with indices of 8 bits and a consumer that stays away: up to the range of the indices
 * the oldest is discarded, after that the newest is refused. Everything is counted, and it works on when the consumer
 * is back. */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>

#include "zeugma/error.h"
#include "zeugma/newest.h"

enum { SIZE = 64, APART = 255 - SIZE };

static void test_limit(void **state)
{
    uint8_t memory[SIZE], byte = 0;
    struct zg_newest ring;
    (void)state;
    assert_int_equal(zg_newest_init(&ring, memory, 3), ZG_EINVALID);
    assert_int_equal(zg_newest_init(&ring, memory, sizeof memory), 0);
    for (unsigned round = 0; round < 5; round++) {
        unsigned lost = ring.lost, refused = ring.refused;
        for (unsigned i = 0; i < 1000; i++)
            zg_newest_put(&ring, (uint8_t)i);
        assert_int_equal(ring.refused - refused, 1000 - SIZE - APART);
        for (unsigned i = 0; i < SIZE; i++) {
            assert_true(zg_newest_get(&ring, &byte));
            assert_int_equal(byte, (uint8_t)(APART + i));
        }
        assert_false(zg_newest_get(&ring, &byte));
        assert_int_equal(ring.lost - lost, APART);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_limit) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
