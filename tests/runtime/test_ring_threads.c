/* SPDX-License-Identifier: MIT */
/* A ring between two threads, compiled with ThreadSanitizer: all bytes arrive once and in order, and refused ones are
 * counted; by single bytes, by pokes and by spans. */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>
#include <pthread.h>
#include <sched.h>
#include <stdbool.h>

#include "zeugma/ring.h"

enum { BYTES = 200000 };

struct stress {
    struct zg_ring ring;
    uint8_t memory[64];
    bool poke;      /* the producer publishes several bytes at once */
    bool span;      /* the consumer takes several at once */
    uint32_t taken; /* the consumer's */
    bool in_order;
};

static uint8_t byte_at(uint32_t n)
{
    return (uint8_t)(n * 2654435761U >> 24);
}

static void *produce(void *data)
{
    struct stress *stress = data;

    for (uint32_t n = 0; n < BYTES;) {
        zg_index room = zg_ring_room(&stress->ring);
        if (room == 0) {
            sched_yield();
            continue;
        }
        if (!stress->poke) {
            n += zg_ring_put(&stress->ring, byte_at(n));
            continue;
        }
        zg_index count = (zg_index)(1 + n % room);
        for (zg_index i = 0; i < count; i++)
            zg_ring_poke(&stress->ring, i, byte_at(n + i));
        if (n + count > BYTES)
            count = (zg_index)(BYTES - n);
        zg_ring_publish(&stress->ring, count);
        n += count;
    }
    return NULL;
}

static void *consume(void *data)
{
    struct stress *stress = data;

    while (stress->taken < BYTES) {
        const uint8_t *first;
        uint8_t byte;
        zg_index count = stress->span ? zg_ring_span(&stress->ring, &first) : 1;
        if (!stress->span) {
            first = &byte;
            count = zg_ring_get(&stress->ring, &byte);
        }
        for (zg_index i = 0; i < count; i++)
            stress->in_order = stress->in_order && first[i] == byte_at(stress->taken + i);
        if (stress->span)
            zg_ring_release(&stress->ring, count);
        stress->taken += count;
        if (count == 0)
            sched_yield();
    }
    return NULL;
}

static void test_threads(void **state)
{
    (void)state;
    for (unsigned round = 0; round < 4; round++) {
        struct stress stress = { .poke = round & 1, .span = round & 2, .in_order = true };
        pthread_t producer, consumer;
        assert_int_equal(zg_ring_init(&stress.ring, stress.memory, sizeof stress.memory), 0);
        assert_int_equal(pthread_create(&producer, NULL, produce, &stress), 0);
        assert_int_equal(pthread_create(&consumer, NULL, consume, &stress), 0);
        pthread_join(producer, NULL);
        pthread_join(consumer, NULL);
        assert_int_equal(stress.taken, BYTES);
        assert_true(stress.in_order);
        assert_int_equal(stress.ring.dropped, 0);
        assert_int_equal(zg_ring_used(&stress.ring), 0);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_threads) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
