/* SPDX-License-Identifier: MIT */
/* The catalogue's check values, with the register and table form this is compiled for; and a bit-by-bit reference. */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>
#include <stdlib.h>

#include "definition/checks.h"
#include "zeugma/check.h"
#include "zeugma/error.h"

static const uint8_t digits[9] = "123456789";

static zg_check_word table[256];

static struct zg_crc make(const struct zg_crc_parameters *p)
{
    struct zg_crc crc;
    assert_int_equal(zg_crc_make(&crc, p->width, p->poly, p->init, p->reflect_in, p->reflect_out, p->xor_out, table),
                     0);
    return crc;
}

/* As the definition of a CRC reads: one bit after the other through a register of the CRC's own width. */
static uint64_t reference(const struct zg_crc_parameters *p, const uint8_t *bytes, size_t length)
{
    uint64_t mask = p->width == 64 ? UINT64_MAX : (UINT64_C(1) << p->width) - 1;
    uint64_t reg = p->init, out = 0;

    for (size_t i = 0; i < 8 * length; i++) {
        unsigned bit = (unsigned)bytes[i / 8] >> (p->reflect_in ? i % 8 : 7 - i % 8) & 1U;
        bool top = (reg >> (p->width - 1) & 1) != bit;
        reg = (reg << 1 ^ (top ? p->poly : 0)) & mask;
    }
    for (unsigned i = 0; i < p->width; i++)
        if (reg >> i & 1)
            out |= UINT64_C(1) << (p->reflect_out ? p->width - 1 - i : i);
    return out ^ p->xor_out;
}

static void test_catalogue(void **state)
{
    unsigned checked = 0;
    (void)state;
    for (unsigned i = 0; i < zg_crc_table_length; i++) {
        const struct zg_crc_parameters *p = &zg_crc_table[i];
        assert_true(reference(p, digits, 9) == p->check);
        if (p->width > ZG_CHECK_BITS)
            continue;
        struct zg_crc crc = make(p);
        zg_check_word reg = zg_crc_update(&crc, zg_crc_start(&crc), digits, 4);
        reg = zg_crc_update(&crc, reg, digits + 4, 5);
        assert_true(zg_crc_finish(&crc, reg) == p->check);
        checked++;
    }
    assert_true(checked >= 7);
}

static void test_any_parameters(void **state)
{
    (void)state;
    srand(ZG_CHECK_BITS + ZG_CRC_TABLE);
    for (unsigned round = 0; round < 2000; round++) {
        unsigned width = 3 + (unsigned)rand() % (ZG_CHECK_BITS - 2);
        uint64_t mask = UINT64_MAX >> (64 - width);
        uint8_t bytes[24];
        uint64_t words[3];
        for (unsigned i = 0; i < 3; i++)
            words[i] = ((uint64_t)rand() << 42 ^ (uint64_t)rand() << 21 ^ (uint64_t)rand()) & mask;
        for (unsigned i = 0; i < sizeof bytes; i++)
            bytes[i] = (uint8_t)rand();
        const struct zg_crc_parameters p = { NULL, width, words[0], words[1], rand() % 2, rand() % 2, words[2], 0 };
        struct zg_crc crc = make(&p);
        size_t length = (size_t)rand() % sizeof bytes;
        zg_check_word reg = zg_crc_update(&crc, zg_crc_start(&crc), bytes, length);
        assert_true(zg_crc_finish(&crc, reg) == reference(&p, bytes, length));
    }
}

static void test_on_the_wire(void **state)
{
    uint8_t content[9 + 8];
    (void)state;
    for (unsigned i = 0; i < zg_crc_table_length; i++) {
        const struct zg_crc_parameters *p = &zg_crc_table[i];
        for (unsigned big = 0; big < 2 && p->width <= ZG_CHECK_BITS; big++) {
            struct zg_check check = { make(p), (uint8_t)((p->width + 7) / 8), big == 1 };
            for (unsigned k = 0; k < 9; k++)
                content[k] = digits[k];
            zg_check_store(&check, (zg_check_word)p->check, content + 9);
            assert_int_equal(content[big ? 8 + check.size : 9], (uint8_t)p->check);
            assert_true(zg_check_passes(&check, content, 9U + check.size));
            for (unsigned bit = 0; bit < 8 * (9U + check.size); bit++) {
                content[bit / 8] ^= (uint8_t)(1U << bit % 8);
                assert_false(zg_check_passes(&check, content, 9U + check.size));
                content[bit / 8] ^= (uint8_t)(1U << bit % 8);
            }
        }
    }
}

static void test_wrong_parameters(void **state)
{
    struct zg_crc crc;
    (void)state;
    assert_int_equal(zg_crc_make(&crc, 2, 1, 0, false, false, 0, table), ZG_EINVALID);
    assert_int_equal(zg_crc_make(&crc, ZG_CHECK_BITS + 1, 1, 0, false, false, 0, table), ZG_EINVALID);
    assert_int_equal(zg_crc_make(&crc, 5, 0x20, 0, false, false, 0, table), ZG_EINVALID);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_catalogue), cmocka_unit_test(test_any_parameters),
                                        cmocka_unit_test(test_on_the_wire), cmocka_unit_test(test_wrong_parameters) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
