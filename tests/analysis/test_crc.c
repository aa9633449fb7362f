/* SPDX-License-Identifier: MIT */
/* What a CRC detects, against trying all patterns; settings found again from a value; the table as C, compiled. */
#include "sim/random.h"
#include "support.h"

#include <stdlib.h>
#include <string.h>

#include "analysis/detection.h"
#include "analysis/nearby.h"
#include "generate/c/table.h"
#include "plan/checker.h"

/* Whether some pattern of `flips` flipped bits in a frame of `bits` bits, including the CRC at its end, goes
 * undetected. */
static bool goes_unseen(const struct zg_crc_parameters *crc, unsigned flips, unsigned bits)
{
    uint64_t changes[64], top = UINT64_C(1) << (crc->width - 1);

    changes[0] = 1;
    for (unsigned i = 1; i < bits; i++)
        changes[i] = (changes[i - 1] << 1 & (top | (top - 1))) ^ (changes[i - 1] & top ? crc->poly : 0);
    for (uint64_t pattern = 0; pattern < UINT64_C(1) << bits; pattern++) {
        uint64_t change = 0;
        if ((unsigned)__builtin_popcountll(pattern) != flips)
            continue;
        for (unsigned i = 0; i < bits; i++)
            change ^= pattern >> i & 1 ? changes[i] : 0;
        if (change == 0)
            return true;
    }
    return false;
}

static void test_detection(void **state)
{
    static const struct {
        const char *name;
        unsigned flips;
        uint64_t bits;
    } known[] = { /* P. Koopman, T. Chakravarty, "Cyclic Redundancy Code (CRC) Polynomial Selection", DSN 2004 */
                  { "crc32/iso-hdlc", 4, 2974 + 32 },
                  { "crc16/ibm-3740", 3, 65536 },
                  { "crc16/ibm-3740", 2, 32767 },
                  { "crc8/smbus", 2, 127 },
                  { "crc16/dnp", 2, 151 }
    };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(known); i++)
        assert_int_equal(zg_crc_sees(zg_crc_by_name(known[i].name), known[i].flips, 65536), known[i].bits);
    for (uint64_t poly = 1; poly < 32; poly += 2) { /* all five-bit polynomials with a constant term */
        const struct zg_crc_parameters crc = { .width = 5, .poly = poly };
        for (unsigned flips = 1; flips <= 4; flips++) {
            unsigned sees = (unsigned)zg_crc_sees(&crc, flips, 17);
            for (unsigned bits = 5; bits <= 17; bits++)
                assert_int_equal(goes_unseen(&crc, flips, bits), bits > sees);
        }
    }
}

/* Bursts in the order of a serial line agree with brute force, for every pattern at every place in the byte. */
static void test_bursts(void **state)
{
    static const char *const names[] = { "crc8/autosar", "crc8/maxim-dow", "crc8/smbus", "crc16/ibm-3740", "crc7/mmc" };
    (void)state;
    assert_int_equal(zg_crc_burst(zg_crc_by_name("crc8/autosar"), true), 4);
    assert_int_equal(zg_crc_burst(zg_crc_by_name("crc8/autosar"), false), 8);
    assert_int_equal(zg_crc_burst(zg_crc_by_name("crc16/modbus"), true), 16);
    for (size_t n = 0; n < G_N_ELEMENTS(names); n++) {
        const struct zg_crc_parameters *crc = zg_crc_by_name(names[n]);
        const struct zg_check_choice choice = { .kind = ZG_CHECK_CRC, .crc = *crc };
        unsigned seen = crc->width;
        const uint8_t good[4] = { 1, 2, 3, 4 };
        struct zg_checker checker;
        zg_checker_init(&checker, &choice, 0);
        const zg_check_word of_good = zg_check_value(&checker.check, good, 4);
        for (unsigned length = 2; length <= crc->width && seen == crc->width; length++)
            for (unsigned first = 0; first < 8 && seen == crc->width; first++)
                for (unsigned inner = 0; inner < 1U << (length - 2); inner++) {
                    const uint64_t pattern = (1 | (uint64_t)inner << 1 | UINT64_C(1) << (length - 1)) << first;
                    uint8_t bad[4]; /* bit n of the pattern is the line's nth: byte n / 8, bit n % 8 */
                    for (unsigned i = 0; i < 4; i++)
                        bad[i] = good[i] ^ (uint8_t)(pattern >> 8 * i);
                    if (zg_check_value(&checker.check, bad, 4) == of_good) {
                        seen = length - 1;
                        break;
                    }
                }
        zg_checker_clear(&checker);
        assert_int_equal(zg_crc_burst(crc, true), seen);
    }
}

/* The fast form agrees with the plain one: any parameters, any length, in pieces of any size. */
static void test_fast(void **state)
{
    static zg_check_word table[256];
    static uint8_t bytes[700];
    struct zg_random random = zg_random_seeded(72, 0);
    (void)state;
    for (unsigned round = 0; round < 600; round++) {
        unsigned width = 3 + (unsigned)zg_random_below(&random, 62);
        uint64_t mask = UINT64_MAX >> (64 - width);
        struct zg_crc crc;
        struct zg_fast_crc fast;
        size_t length = (size_t)zg_random_below(&random, round % 3 ? sizeof bytes : 100);
        for (size_t i = 0; i < length; i++)
            bytes[i] = (uint8_t)zg_random_next(&random);
        assert_int_equal(zg_crc_make(&crc, width, (zg_random_next(&random) & mask) | 1, zg_random_next(&random) & mask,
                                     round & 1, round & 2, zg_random_next(&random) & mask, table),
                         0);
        zg_fast_crc_init(&fast, &crc);
        fast.folds = fast.folds && round % 4 < 3; /* also without carry-less multiplication */
        zg_check_word reg = zg_crc_start(&crc), plain = zg_crc_update(&crc, reg, bytes, length);
        for (size_t at = 0; at < length;) {
            size_t piece = 1 + (size_t)zg_random_below(&random, length - at);
            reg = zg_fast_crc_update(&fast, reg, bytes + at, piece);
            at += piece;
        }
        assert_true(reg == plain);
        assert_true(zg_fast_crc_finish(&fast, reg) == zg_crc_finish(&crc, plain));
    }
}

/* The settings that made a value are among those found for it, and all settings found give that value. */
static void test_nearby(void **state)
{
    struct zg_random random = zg_random_seeded(71, 0);
    unsigned asked = 0;
    (void)state;
    for (unsigned i = 0; i < zg_crc_table_length + zg_sum_table_length; i++) {
        bool crc = i < zg_crc_table_length;
        const struct zg_sum *sum = crc ? NULL : &zg_sum_table[i - zg_crc_table_length];
        struct zg_check_choice made = { .kind = crc ? ZG_CHECK_CRC : ZG_CHECK_SUM, .sum = sum };
        const struct zg_check_choice tried = { .crc = *zg_crc_by_name("crc16/xmodem") };
        uint8_t bytes[40];
        made.crc = crc ? zg_crc_table[i] : (struct zg_crc_parameters){ .width = sum->width };
        if ((made.crc.width + 7) / 8 != 2)
            continue;
        for (size_t k = 0; k < sizeof bytes; k++)
            bytes[k] = (uint8_t)zg_random_next(&random);
        uint64_t value = zg_check_choice_value(&made, bytes, sizeof bytes);
        bool turned = i % 2;
        uint64_t seen = turned ? (value >> 8 | value << 8) & 0xFFFF : value;
        g_autoptr(GPtrArray) found = zg_check_nearby(&tried, bytes, sizeof bytes, seen);
        bool there = false;
        for (unsigned k = 0; k < found->len; k++) {
            const struct zg_nearby *nearby = g_ptr_array_index(found, k);
            uint64_t given = zg_check_choice_value(&nearby->choice, bytes, sizeof bytes);
            assert_int_equal(nearby->swapped ? (given >> 8 | given << 8) & 0xFFFF : given, seen);
            assert_true(k == 0 || nearby->steps >= ((struct zg_nearby *)g_ptr_array_index(found, k - 1))->steps);
            there = there ||
                    (nearby->choice.kind == made.kind && nearby->choice.sum == made.sum && nearby->swapped == turned &&
                     given == value && (!crc || nearby->choice.crc.poly == made.crc.poly));
        }
        assert_true(there);
        asked++;
    }
    assert_true(asked > 12);
}

/* The printed table and function give the check value. */
static void test_table(void **state)
{
    static const struct zg_crc_parameters odd = { NULL, 13, 0x1CF5, 0x1FFF, false, true, 0x0A, 0 };
    g_autofree char *folder = g_dir_make_tmp("zeugma-table-XXXXXX", NULL);
    g_autofree char *path = g_build_filename(folder, "table.c", NULL);
    g_autofree char *command = g_strdup_printf(
        "cd %s && " TEST_CC " -std=c11 -Wall -Wextra -Wpedantic -Wconversion -Werror table.c -o table && ./table",
        folder);
    (void)state;
    for (unsigned i = 0; i < zg_crc_table_length; i += 3) {
        bool last = i + 3 >= zg_crc_table_length;
        const struct zg_crc_parameters *crc = last ? &odd : &zg_crc_table[i];
        const struct zg_check_choice choice = { .crc = *crc };
        g_autofree char *table = zg_crc_table_as_c(crc);
        g_autofree char *code = g_strdup_printf(
            "%s\nint main(void)\n{\n    return crc((const uint8_t *)\"123456789\", 9) != 0x%" G_GINT64_MODIFIER "xU"
            "LL;\n}\n",
            table, zg_check_choice_value(&choice, (const uint8_t *)"123456789", 9));
        assert_true(g_file_set_contents(path, code, -1, NULL));
        g_autofree char *declared = g_strdup_printf("sed -i 's/^uint\\(.*\\) crc(/static uint\\1 crc(/' %s", path);
        assert_int_equal(system(declared), 0); /* against a warning about a missing prototype */
        assert_int_equal(system(command), 0);
    }
    test_remove_folder(folder);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_detection), cmocka_unit_test(test_bursts),
                                        cmocka_unit_test(test_fast), cmocka_unit_test(test_nearby),
                                        cmocka_unit_test(test_table) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
