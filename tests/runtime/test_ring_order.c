/* SPDX-License-Identifier: MIT */
/*
 * Every interleaving of a producer and a consumer of a small ring, where a step is what happens between two accesses to
 * an index: no byte is lost, doubled, torn or out of order, and each refused one is counted, wherever the indices are
 * at the start. Compiled for indices of 8 and of 16 bits.
 */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>
#include <stdbool.h>
#include <string.h>
#include <ucontext.h>

#include "zeugma/index.h"

static void step(void);

/* Replaces zeugma/detail/order.h: the other side may run before each access, and, where bytes are not distinguished,
 * after those to an index as well. */
#define ZEUGMA_DETAIL_ORDER_H

static bool bytes_are_steps;

static zg_index zgi_load_acquire(const zg_index *at)
{
    step();
    zg_index value = *at;
    if (!bytes_are_steps)
        step();
    return value;
}

static void zgi_store_release(zg_index *at, zg_index value)
{
    step();
    *at = value;
    if (!bytes_are_steps)
        step();
}

static void zgi_store_before(zg_index *at, zg_index value)
{
    zgi_store_release(at, value);
}

static zg_index zgi_load_after(const zg_index *at)
{
    return zgi_load_acquire(at);
}

static void zgi_store_byte(uint8_t *at, uint8_t value)
{
    step();
    *at = value;
}

static uint8_t zgi_load_byte(const uint8_t *at)
{
    step();
    return *at;
}

#include "../../runtime/newest.c"
#include "../../runtime/ring.c"

enum { PUTS = 3, GETS = 2, MOST_STEPS = 64, STACK = 64 * 1024 };

/* A coroutine for each side, led by a schedule: which one runs next at each step. */
struct side {
    ucontext_t context;
    uint8_t stack[STACK];
    bool ended;
};

static struct side sides[2];
static ucontext_t scheduler;
static unsigned running;

static struct zg_ring ring;
static struct zg_newest newest;
static uint8_t memory[2];
static unsigned accepted, refused, taken;
static bool sound;

static void step(void)
{
    swapcontext(&sides[running].context, &scheduler);
}

static void produce(void)
{
    for (unsigned i = 0; i < PUTS; i++) {
        if (zg_ring_put(&ring, (uint8_t)(10 + accepted)))
            accepted++;
        else
            refused++;
    }
    sides[0].ended = true;
}

static void consume(void)
{
    for (unsigned i = 0; i < GETS; i++) {
        uint8_t byte;
        if (!zg_ring_get(&ring, &byte))
            continue;
        sound = sound && byte == 10 + taken;
        taken++;
    }
    sides[1].ended = true;
}

static unsigned all,
    gets; /* bytes put into a ring that keeps the newest, the first two beforehand; how often it is asked */

/* The same for a full ring that keeps the newest: each byte taken is newer than the one before. */
static void produce_newest(void)
{
    for (unsigned i = sizeof memory; i < all; i++)
        zg_newest_put(&newest, (uint8_t)(10 + i));
    sides[0].ended = true;
}

static uint8_t last_got;

static void consume_newest(void)
{
    for (unsigned i = 0; i < gets; i++) {
        uint8_t byte;
        if (!zg_newest_get(&newest, &byte))
            continue;
        sound = sound && byte > last_got && byte < 10 + all;
        last_got = byte;
        taken++;
    }
    sides[1].ended = true;
}

static void start(zg_index at, void (*producer)(void), void (*consumer)(void))
{
    void (*const bodies[2])(void) = { producer, consumer };

    (void)zg_ring_init(&ring, memory, sizeof memory);
    (void)zg_newest_init(&newest, memory, sizeof memory);
    ring.head = ring.tail = newest.head = newest.oldest = newest.tail = at;
    last_got = 0;
    accepted = refused = taken = 0;
    sound = true;
    for (unsigned i = 0; i < sizeof memory; i++) {
        memory[(zg_index)(newest.head++) & newest.mask] = (uint8_t)(10 + i); /* for the newest: full at the start */
    }
    for (unsigned i = 0; i < 2; i++) {
        getcontext(&sides[i].context);
        sides[i].context.uc_stack.ss_sp = sides[i].stack;
        sides[i].context.uc_stack.ss_size = STACK;
        sides[i].context.uc_link = &scheduler;
        sides[i].ended = false;
        makecontext(&sides[i].context, bodies[i], 0);
    }
}

/* Runs one schedule, and changes it to the next one: the last step at which the producer ran, although the consumer
 * could have, becomes the consumer's. False: it was the last one. */
static bool run(uint8_t schedule[MOST_STEPS], unsigned *length)
{
    bool could[MOST_STEPS];
    unsigned steps = 0;

    for (; !sides[0].ended || !sides[1].ended; steps++) {
        assert_true(steps < MOST_STEPS);
        if (steps >= *length)
            schedule[steps] = 0;
        could[steps] = !sides[0].ended && !sides[1].ended;
        if (!could[steps])
            schedule[steps] = sides[0].ended;
        running = schedule[steps];
        swapcontext(&scheduler, &sides[running].context);
    }
    while (steps > 0 && (schedule[steps - 1] == 1 || !could[steps - 1]))
        steps--;
    if (steps == 0)
        return false;
    schedule[steps - 1] = 1;
    *length = steps;
    return true;
}

static void test_interleavings(void **state)
{
    static const zg_index starts[] = { 0, (zg_index)-2, ZG_RING_MAX - 1 };
    (void)state;
    for (size_t i = 0; i < sizeof starts / sizeof starts[0]; i++) {
        uint8_t schedule[MOST_STEPS] = { 0 };
        unsigned length = 0, schedules = 0;
        bool seen[GETS + 1][PUTS + 1] = { { false } }, more = true;
        for (; more; schedules++) {
            bytes_are_steps = false;
            start(starts[i], produce, consume);
            more = run(schedule, &length);
            assert_true(sound);
            assert_int_equal(accepted + refused, PUTS);
            assert_int_equal(ring.dropped, refused);
            assert_int_equal((zg_index)(ring.head - ring.tail), accepted - taken);
            assert_true(accepted - taken <= sizeof memory && accepted >= 2);
            seen[taken][refused] = true;
        }
        assert_true(schedules > 10000);
        assert_true(seen[0][1] && seen[2][0] && seen[2][1] && seen[1][0]); /* all possible outcomes */
    }
}

/* Some bytes are put into a full ring of two, and some taken: those taken, discarded and left are all of them, and the
 * newest is never lost. Returns how many schedules there are; `seen` notes how many were discarded. */
static unsigned run_newest(zg_index at, bool seen[3])
{
    uint8_t schedule[MOST_STEPS] = { 0 };
    unsigned length = 0, schedules = 0;

    for (bool more = true; more; schedules++) {
        bytes_are_steps = true;
        start(at, produce_newest, consume_newest);
        more = run(schedule, &length);
        zg_index rest = is_ahead(&newest, newest.oldest, newest.tail) ? newest.oldest : newest.tail;
        zg_index left = (zg_index)(newest.head - rest);
        unsigned lost = newest.lost + (zg_index)(rest - newest.tail);
        uint8_t last = (uint8_t)(10 + all - 1);
        assert_true(sound);
        assert_int_equal(taken + lost + left, all);
        assert_int_equal(newest.refused, 0);
        assert_true(left <= sizeof memory && lost <= 2);
        assert_int_equal(left > 0 ? memory[(newest.head - 1U) & newest.mask] : last_got, last);
        seen[lost] = true;
    }
    return schedules;
}

static void test_newest(void **state)
{
    static const zg_index starts[] = { 0, (zg_index)-2, ZG_RING_MAX - 1 };
    bool seen[3] = { false };
    (void)state;
    for (size_t i = 0; i < sizeof starts / sizeof starts[0]; i++) {
        all = 3;
        gets = 2;
        assert_true(run_newest(starts[i], seen) > 500);
        all = 4;
        gets = 1;
        assert_true(run_newest(starts[i], seen) > 500);
    }
    assert_true(seen[0] && seen[1] && seen[2]); /* none, one or both of the first were discarded */
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_interleavings), cmocka_unit_test(test_newest) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
