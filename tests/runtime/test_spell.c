/* SPDX-License-Identifier: MIT */
/* Decimal numbers of text layouts, in either width of the runtime, held against exact fractions. */
#include <setjmp.h>
#include <stdarg.h>
#include <stddef.h>
#include <stdint.h>

#include <cmocka.h>
#include <gmp.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "sim/random.h"
#include "zeugma/spell.h"

enum { TEXT = 400 };

static struct zg_random chances;

static unsigned below(unsigned bound)
{
    return (unsigned)zg_random_below(&chances, bound);
}

static struct zg_spelling random_spelling(void)
{
    const unsigned narrow[] = { 1, 7, 8, 15, 16, 31, ZG_SPELL_BITS - 1, ZG_SPELL_BITS };

    return (struct zg_spelling){ .prefix = "",
                                 .bits = (uint8_t)narrow[below(8)],
                                 .base = 10,
                                 .decimals = (uint8_t)below(10),
                                 .flags = below(2) ? ZG_SPELL_SIGNED : 0,
                                 .point = below(2) ? '.' : ',' };
}

/* What is written of a number that a type may have, by digits of a large integer, is what C would write; and it is read
 * as the same number, which is in the type. */
static void test_there_and_back(void **state)
{
    (void)state;
    for (unsigned round = 0; round < 200000; round++) {
        const struct zg_spelling spelling = random_spelling();
        const bool is_signed = (spelling.flags & ZG_SPELL_SIGNED) != 0;
        const zg_spelled mask = ~(zg_spelled)0 >> (ZG_SPELL_BITS - spelling.bits);
        zg_spelled units = (zg_spelled)zg_random_next(&chances) >> below(ZG_SPELL_BITS);
        units = (below(8) == 0 ? mask - below(3) : units) & mask;
        const bool negative = is_signed && (units >> (spelling.bits - 1U) & 1U) != 0;
        const zg_spelled size = negative ? ((zg_spelled)0 - units) & mask : units;
        units = negative ? (zg_spelled)0 - size : size;

        char expected[TEXT], digits[TEXT];
        (void)snprintf(digits, sizeof digits, "%0*llu", spelling.decimals % 10 + 1, (unsigned long long)size);
        const int whole = (int)strlen(digits) - spelling.decimals;
        (void)snprintf(expected, sizeof expected, spelling.decimals > 0 ? "%s%.*s%c%s" : "%s%.*s", negative ? "-" : "",
                       whole, digits, spelling.point, digits + whole);
        char text[TEXT];
        struct zg_writer to = { (uint8_t *)text, sizeof text, 0, false };
        zg_write_decimal(&to, &spelling, units);
        text[to.size] = '\0';
        assert_string_equal(text, expected);
        zg_spelled again;
        assert_true(zg_read_decimal(text, text + to.size, &spelling, &again));
        assert_true(again == units);
    }
}

/* A decimal number as others may write it: with zeros, many digits and an exponent. */
static size_t random_text(char point, char text[TEXT])
{
    size_t size = 0;
    const unsigned before = below(4) == 0 ? below(30) : below(12), behind = below(4) == 0 ? below(30) : below(6);

    if (below(3) == 0)
        text[size++] = "+-"[below(2)];
    for (unsigned i = 0; i < before; i++)
        text[size++] = (char)('0' + (below(3) == 0 ? 0 : below(10)));
    if (behind > 0 || below(4) == 0)
        text[size++] = point;
    for (unsigned i = 0; i < behind; i++)
        text[size++] = (char)('0' + (below(3) == 0 ? 9 * below(2) : below(10)));
    if (below(3) == 0)
        size += (size_t)sprintf(text + size, "%c%+d", "eE"[below(2)], (int)below(40) - 20);
    text[size] = '\0';
    return size;
}

/* The nearest units, ties away from zero. False: the text has no digits. */
static bool exact_units(const char *text, const struct zg_spelling *spelling, mpz_t units)
{
    char digits[TEXT];
    size_t count = 0;
    long tens = spelling->decimals;
    bool behind = false;

    for (; *text != '\0' && *text != 'e' && *text != 'E'; text++) {
        if (*text == spelling->point) {
            behind = true;
        } else if (*text != '+' && *text != '-') {
            digits[count++] = *text;
            tens -= behind;
        }
    }
    digits[count] = '\0';
    if (count == 0)
        return false;
    tens += *text != '\0' ? strtol(text + 1, NULL, 10) : 0;
    mpz_t power;
    mpz_init(power);
    mpz_ui_pow_ui(power, 10, (unsigned long)labs(tens));
    mpz_set_str(units, digits, 10);
    if (tens >= 0) {
        mpz_mul(units, units, power);
    } else { /* floor((2 u + p) / 2 p) */
        mpz_mul_2exp(units, units, 1);
        mpz_add(units, units, power);
        mpz_mul_2exp(power, power, 1);
        mpz_fdiv_q(units, units, power);
    }
    mpz_clear(power);
    return true;
}

/* Numbers as others write them are read as the nearest of the type, or refused, where that lies beyond it. */
static void test_others(void **state)
{
    unsigned read = 0, beyond = 0;
    mpz_t units, most;
    (void)state;
    mpz_inits(units, most, NULL);
    for (unsigned round = 0; round < 300000; round++) {
        const struct zg_spelling spelling = random_spelling();
        const bool is_signed = (spelling.flags & ZG_SPELL_SIGNED) != 0;
        char text[TEXT];
        const size_t size = random_text(spelling.point, text);
        const bool is_number = exact_units(text, &spelling, units), negative = *text == '-' && mpz_sgn(units) != 0;
        mpz_set_ui(most, 1);
        mpz_mul_2exp(most, most, spelling.bits - (is_signed ? 1U : 0U));
        if (!is_signed && negative)
            mpz_set_ui(most, 0);
        else if (!negative)
            mpz_sub_ui(most, most, 1);
        const bool fits = is_number && mpz_cmp(units, most) <= 0;

        zg_spelled found = 0;
        assert_int_equal(zg_read_decimal(text, text + size, &spelling, &found), fits);
        struct zg_text_reader from = { text, text + size };
        zg_spelled taken = 0;
        assert_int_equal(zg_take_decimal(&from, "", &spelling, &taken), fits);
        beyond += is_number && !fits;
        if (!fits)
            continue;
        read++;
        uint64_t exact = 0;
        mpz_export(&exact, NULL, -1, sizeof exact, 0, 0, units);
        assert_true(found == (negative ? (zg_spelled)0 - (zg_spelled)exact : (zg_spelled)exact));
        assert_true(taken == found && from.at == text + size);
    }
    assert_true(read > 50000 && beyond > 50000);
    mpz_clears(units, most, NULL);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_there_and_back), cmocka_unit_test(test_others) };

    chances = zg_random_seeded(1, 0);
    return cmocka_run_group_tests(tests, NULL, NULL);
}
