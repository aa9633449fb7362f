/* SPDX-License-Identifier: MIT */
#include "plan/checker.h"

#include <glib.h>

void zg_checker_init(struct zg_checker *checker, const struct zg_check_choice *choice, unsigned skip)
{
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
    } else if (choice->kind == ZG_CHECK_SUM) {
        checker->check.update = choice->sum->update;
        checker->check.finish = choice->sum->finish;
        checker->check.start = choice->sum->start;
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
