/* SPDX-License-Identifier: MIT */
#include "plan/checker.h"

#include <glib.h>
#include <string.h>

/* The digits of the greatest value. */
static unsigned digits_of(const struct zg_check_choice *choice)
{
    uint64_t value = UINT64_MAX >> (64 - choice->crc.width);
    unsigned digits = 0;

    if (choice->as == ZG_CHECK_AS_BYTES)
        return (choice->crc.width + 7) / 8;
    if (choice->as == ZG_CHECK_AS_HEX)
        return (choice->crc.width + 3) / 4;
    for (; value > 0; value /= 10)
        digits++;
    return digits;
}

static void init_form(struct zg_checker *checker, const struct zg_check_choice *choice)
{
    static const uint8_t bases[] = { [ZG_CHECK_AS_BYTES] = 0, [ZG_CHECK_AS_HEX] = 16, [ZG_CHECK_AS_DECIMAL] = 10 };
    struct zg_check_form *form = &checker->form;

    *form = (struct zg_check_form){ .base = bases[choice->as],
                                    .lower = choice->lower,
                                    .digits = (uint8_t)digits_of(choice),
                                    .after_size = (uint8_t)choice->after.size };
    memcpy(form->after, choice->after.bytes, choice->after.size);
    checker->check.size = (uint8_t)(form->digits + form->after_size);
    checker->check.form = form;
}

void zg_checker_close(struct zg_checker *checker, const struct zg_mark *end)
{
    if (!checker->check.form)
        checker->form = (struct zg_check_form){ .digits = checker->check.size };
    checker->check.form = &checker->form;
    checker->form.closing_size = (uint8_t)end->size;
    memcpy(checker->form.closing, end->bytes, end->size);
}

void zg_checker_init(struct zg_checker *checker, const struct zg_check_choice *choice, unsigned skip)
{
    const struct zg_crc_parameters *crc = &choice->crc;

    *checker = (struct zg_checker){
        .check = { .size = (uint8_t)((crc->width + 7) / 8), .skip = (uint8_t)skip, .big_endian = choice->big_endian }
    };
    if (choice->as != ZG_CHECK_AS_BYTES || choice->after.size > 0)
        init_form(checker, choice);
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
