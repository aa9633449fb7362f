/* SPDX-License-Identifier: MIT */
#include "plan/checker.h"

#include <glib.h>

#include "zeugma/sums.h"

void zg_checker_init(struct zg_checker *checker, const struct zg_check_choice *choice, unsigned skip)
{
    static const struct {
        zg_check_word (*update)(const void *, zg_check_word, const uint8_t *, size_t);
        zg_check_word (*finish)(const void *, zg_check_word);
        zg_check_word start;
    } sums[] = { [ZG_CHECK_SUM8] = { zg_sum8_update, zg_sum8_finish, ZG_SUM8_START },
                 [ZG_CHECK_SUM8_NEGATED] = { zg_sum8_update, zg_sum8_negated_finish, ZG_SUM8_START },
                 [ZG_CHECK_SUM8_INVERTED] = { zg_sum8_update, zg_sum8_inverted_finish, ZG_SUM8_START },
                 [ZG_CHECK_XOR8] = { zg_xor8_update, zg_sum8_finish, ZG_XOR8_START },
                 [ZG_CHECK_FLETCHER16] = { zg_fletcher16_update, zg_fletcher16_finish, ZG_FLETCHER16_START },
                 [ZG_CHECK_ADLER32] = { zg_adler32_update, zg_adler32_finish, ZG_ADLER32_START },
                 [ZG_CHECK_INTERNET] = { zg_internet_update, zg_internet_finish, ZG_INTERNET_START } };
    const struct zg_crc_parameters *crc = &choice->crc;

    *checker = (struct zg_checker){
        .check = { .size = (uint8_t)((crc->width + 7) / 8), .skip = (uint8_t)skip, .big_endian = choice->big_endian }
    };
    if (choice->kind == ZG_CHECK_CRC) {
        checker->table = g_new0(zg_check_word, MAX(ZG_CRC_TABLE_ENTRIES, 1));
        int error = zg_crc_make(&checker->crc, crc->width, crc->poly, crc->init, crc->reflect_in, crc->reflect_out,
                                crc->xor_out, checker->table);
        g_assert(error == 0); /* the choice is known to be sound */
        checker->fast = g_new(struct zg_fast_crc, 1);
        zg_fast_crc_init(checker->fast, &checker->crc);
        checker->check.update = zg_fast_crc_update;
        checker->check.finish = zg_fast_crc_finish;
        checker->check.parameters = checker->fast;
        checker->check.start = zg_crc_start(&checker->crc);
    } else if (choice->kind != ZG_CHECK_NONE) {
        checker->check.update = sums[choice->kind].update;
        checker->check.finish = sums[choice->kind].finish;
        checker->check.start = sums[choice->kind].start;
    }
}

void zg_checker_clear(struct zg_checker *checker)
{
    g_free(checker->table);
    g_free(checker->fast);
}

uint64_t zg_check_choice_value(const struct zg_check_choice *choice, const uint8_t *bytes, size_t count)
{
    struct zg_checker checker;

    zg_checker_init(&checker, choice, 0);
    uint64_t value = zg_check_value(&checker.check, bytes, count);
    zg_checker_clear(&checker);
    return value;
}
