/* SPDX-License-Identifier: MIT */
/* The catalogue's check values, for the register and table form that this is compiled for; and a bit-by-bit reference.
 */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>
#include <stdlib.h>

#include "definition/checks.h"
#include "zeugma/check.h"
#include "zeugma/crc.h"
#include "zeugma/error.h"
#include "zeugma/sums.h"

static const uint8_t digits[9] = "123456789";

static zg_check_word table[256];

static struct zg_crc make(const struct zg_crc_parameters *p)
{
    struct zg_crc crc;
    assert_int_equal(zg_crc_make(&crc, p->width, p->poly, p->init, p->reflect_in, p->reflect_out, p->xor_out, table),
                     0);
    return crc;
}

/* According to the definition of a CRC: one bit after the other, through a register of the CRC's own width. */
static uint64_t reference_of_bits(const struct zg_crc_parameters *p, const uint8_t *bytes, size_t count)
{
    uint64_t mask = p->width == 64 ? UINT64_MAX : (UINT64_C(1) << p->width) - 1;
    uint64_t reg = p->init, out = 0;

    for (size_t i = 0; i < count; i++) {
        unsigned bit = (unsigned)bytes[i / 8] >> (p->reflect_in ? i % 8 : 7 - i % 8) & 1U;
        bool top = (reg >> (p->width - 1) & 1) != bit;
        reg = (reg << 1 ^ (top ? p->poly : 0)) & mask;
    }
    for (unsigned i = 0; i < p->width; i++)
        if (reg >> i & 1)
            out |= UINT64_C(1) << (p->reflect_out ? p->width - 1 - i : i);
    return out ^ p->xor_out;
}

static uint64_t reference(const struct zg_crc_parameters *p, const uint8_t *bytes, size_t length)
{
    return reference_of_bits(p, bytes, 8 * length);
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

/* Whether content that ends with its check passes. */
static bool passes(const struct zg_check *check, const uint8_t *content, size_t length)
{
    size_t covered = length - check->size;
    return zg_check_value(check, content, covered) == zg_check_load(check, content + covered);
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
            const struct zg_crc crc = make(p);
            const struct zg_check check = { zg_check_crc_update,
                                            zg_check_crc_finish,
                                            &crc,
                                            zg_crc_start(&crc),
                                            (uint8_t)((p->width + 7) / 8),
                                            0,
                                            big == 1,
                                            NULL };
            for (unsigned k = 0; k < 9; k++)
                content[k] = digits[k];
            zg_check_store(&check, (zg_check_word)p->check, content + 9);
            assert_int_equal(content[big ? 8 + check.size : 9], (uint8_t)p->check);
            assert_true(passes(&check, content, 9U + check.size));
            for (unsigned bit = 0; bit < 8 * (9U + check.size); bit++) {
                content[bit / 8] ^= (uint8_t)(1U << bit % 8);
                assert_false(passes(&check, content, 9U + check.size));
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

/* The sums' values; the same in pieces; and computed in another way. */
static void test_sums(void **state)
{
    uint8_t bytes[3000];
    (void)state;
    assert_non_null(zg_sum_by_name("xor8"));
    assert_int_equal(zg_sum_by_name("fletcher16") != NULL, ZG_CHECK_BITS >= 16);
    assert_int_equal(zg_sum_by_name("internet") != NULL, ZG_CHECK_BITS >= 32);
    for (unsigned i = 0; i < zg_sum_table_length; i++) {
        const struct zg_sum *sum = &zg_sum_table[i];
        assert_true(sum->width <= sum->register_bits && sum->register_bits <= ZG_CHECK_BITS);
        for (size_t cut = 0; cut <= sizeof digits; cut++) {
            zg_check_word sum_state = sum->update(NULL, sum->start, digits, cut);
            sum_state = sum->update(NULL, sum_state, digits + cut, sizeof digits - cut);
            assert_true(sum->finish(NULL, sum_state) == sum->check);
        }
    }
#if ZG_CHECK_BITS >= 32
    uint64_t first = 1, second = 0, fletcher[2] = { 0, 0 }, words = 0;
    for (size_t i = 0; i < sizeof bytes; i++) {
        bytes[i] = i % 7 == 0 ? 0xFF : (uint8_t)rand();
        first = (first + bytes[i]) % 65521;
        second = (second + first) % 65521;
        fletcher[0] = (fletcher[0] + bytes[i]) % 255;
        fletcher[1] = (fletcher[1] + fletcher[0]) % 255;
        words += i % 2 ? bytes[i] : (uint64_t)bytes[i] << 8;
    }
    while (words >> 16)
        words = (words & 0xFFFF) + (words >> 16);
    assert_true(zg_adler32_update(NULL, ZG_ADLER32_START, bytes, sizeof bytes) == (second << 16 | first));
    assert_true(zg_fletcher16_update(NULL, ZG_FLETCHER16_START, bytes, sizeof bytes) ==
                (fletcher[1] << 8 | fletcher[0]));
    assert_true(zg_internet_finish(NULL, zg_internet_update(NULL, ZG_INTERNET_START, bytes, sizeof bytes)) ==
                (~words & 0xFFFF));
#else
    (void)bytes;
#endif
}

/* Two flipped bits go undetected if both change the check in the same way. Of the bits of a frame, including the check,
 * no two do so up to the order, and the next one does. */
static void test_order(void **state)
{
    static uint8_t bytes[8000];
    static uint64_t changes[40000];
    unsigned tried = 0;
    (void)state;
    bytes[0] = 0x80; /* a single bit, then zeros */
    for (unsigned i = 0; i < zg_crc_table_length; i++) {
        struct zg_crc_parameters p = zg_crc_table[i];
        uint64_t order = zg_crc_order(&p, 40000);
        p.init = p.xor_out = 0;
        p.reflect_in = p.reflect_out = false;
        if (p.width > 12 || order >= 40000)
            continue;
        for (size_t n = 0; n <= order; n++)
            changes[n] = n < p.width ? UINT64_C(1) << n : reference_of_bits(&p, bytes, n - p.width + 1);
        for (size_t n = 1; n < order; n++)
            assert_true(changes[n] != changes[0]); /* by shifting, no other two are equal either */
        assert_true(changes[order] == changes[0]);
        tried++;
    }
    assert_true(tried >= 8);
    assert_int_equal(zg_crc_order(zg_crc_by_name("crc16/ibm-3740"), 100000), 32767);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_catalogue),   cmocka_unit_test(test_any_parameters),
                                        cmocka_unit_test(test_on_the_wire), cmocka_unit_test(test_wrong_parameters),
                                        cmocka_unit_test(test_sums),        cmocka_unit_test(test_order) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
