/* SPDX-License-Identifier: MIT */
#include "sim/random.h"
#include "support.h"

#include <string.h>

#include "zeugma/error.h"
#include "zeugma/newest.h"
#include "zeugma/ring.h"

/* Random operations compared with a plain queue, long enough for the indices to wrap many times over the ring. */
static void test_as_a_queue(void **state)
{
    struct zg_random random = zg_random_seeded(1, 0);
    (void)state;
    for (size_t size = 2; size <= 64; size *= 2) {
        uint8_t memory[64];
        struct zg_ring ring;
        GQueue model = G_QUEUE_INIT;
        unsigned dropped = 0;
        assert_int_equal(zg_ring_init(&ring, memory, size), 0);
        for (unsigned i = 0; i < 20000; i++) {
            uint8_t byte = (uint8_t)zg_random_next(&random);
            const uint8_t *span;
            zg_index count = (zg_index)zg_random_below(&random, size);
            switch (zg_random_below(&random, 5)) {
            case 0:
                if (zg_ring_put(&ring, byte))
                    g_queue_push_tail(&model, GUINT_TO_POINTER(byte));
                else
                    dropped++;
                break;
            case 1: /* several bytes, published together */
                if (count > zg_ring_room(&ring))
                    break;
                for (zg_index k = 0; k < count; k++)
                    zg_ring_poke(&ring, k, (uint8_t)(byte + k));
                assert_int_equal(zg_ring_used(&ring), g_queue_get_length(&model));
                zg_ring_publish(&ring, count);
                for (zg_index k = 0; k < count; k++)
                    g_queue_push_tail(&model, GUINT_TO_POINTER((uint8_t)(byte + k)));
                break;
            case 2: { /* written in place, as by a DMA */
                uint8_t *place;
                count = (zg_index)zg_random_below(&random, zg_ring_free_span(&ring, &place) + 1);
                assert_true(place >= memory && place + count <= memory + size);
                memset(place, byte, count);
                zg_ring_publish(&ring, count);
                for (zg_index k = 0; k < count; k++)
                    g_queue_push_tail(&model, GUINT_TO_POINTER(byte));
                break;
            }
            case 3:
                assert_int_equal(zg_ring_get(&ring, &byte), !g_queue_is_empty(&model));
                if (!g_queue_is_empty(&model))
                    assert_int_equal(byte, GPOINTER_TO_UINT(g_queue_pop_head(&model)));
                break;
            default:
                count = (zg_index)zg_random_below(&random, zg_ring_span(&ring, &span) + 1);
                for (zg_index k = 0; k < count; k++)
                    assert_int_equal(span[k], GPOINTER_TO_UINT(g_queue_pop_head(&model)));
                zg_ring_release(&ring, count);
                break;
            }
            assert_int_equal(zg_ring_used(&ring), g_queue_get_length(&model));
            assert_int_equal(zg_ring_room(&ring), size - g_queue_get_length(&model));
            assert_int_equal(ring.dropped, (uint16_t)dropped);
        }
        assert_true(dropped > 0);
        g_queue_clear(&model);
    }
}

/* A ring that keeps the newest, compared with a queue that does: random operations, long enough for all indices to
 * wrap. */
static void test_newest(void **state)
{
    struct zg_random random = zg_random_seeded(2, 0);
    (void)state;
    for (size_t size = 2; size <= 64; size *= 2) {
        uint8_t memory[64];
        struct zg_newest ring;
        GQueue model = G_QUEUE_INIT;
        unsigned lost = 0;
        assert_int_equal(zg_newest_init(&ring, memory, size), 0);
        for (unsigned i = 0; i < 20000; i++) {
            uint8_t byte = (uint8_t)zg_random_next(&random);
            if (zg_random_below(&random, 5) < 3) {
                zg_newest_put(&ring, byte);
                g_queue_push_tail(&model, GUINT_TO_POINTER(byte));
                if (g_queue_get_length(&model) > size) {
                    g_queue_pop_head(&model);
                    lost++;
                }
                continue;
            }
            assert_int_equal(zg_newest_get(&ring, &byte), !g_queue_is_empty(&model));
            if (!g_queue_is_empty(&model)) {
                assert_int_equal(byte, GPOINTER_TO_UINT(g_queue_pop_head(&model)));
                assert_int_equal(ring.lost, (uint16_t)lost);
            }
        }
        assert_true(lost > 100);
        assert_int_equal(ring.refused, 0);
        g_queue_clear(&model);
    }
}

static void test_sizes(void **state)
{
    uint8_t memory[16];
    struct zg_ring ring;
    (void)state;
    assert_int_equal(zg_ring_init(&ring, memory, 1), ZG_EINVALID);
    assert_int_equal(zg_ring_init(&ring, memory, 12), ZG_EINVALID);
    assert_int_equal(zg_ring_init(&ring, NULL, 16), ZG_EINVALID);
    assert_int_equal(zg_ring_init(&ring, memory, (size_t)ZG_RING_MAX * 2), ZG_EINVALID);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_as_a_queue), cmocka_unit_test(test_newest),
                                        cmocka_unit_test(test_sizes) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
