/* SPDX-License-Identifier: MIT */
/* Floats as text, held against the C library's conversions, which round exactly. */
#include <math.h>
#include <stdio.h>
#include <stdlib.h>

#include "sim/random.h"
#include "support.h"

#include "zeugma/bytes.h"
#include "zeugma/spell_float.h"

enum { EXACT = 1200 /* characters of any double, written exactly */, ROUNDS = 30000 };

static const struct zg_spelling *exponent_of(uint8_t digits)
{
    static struct zg_spelling spelling;
    spelling = (struct zg_spelling){ "", 0, 64, 10, 0, digits, ZG_SPELL_EXPONENT, '.' };
    return &spelling;
}

/* Any bits: every exponent is as likely as another; some near the ends of the type, whole numbers, and halves. */
static double random_double(struct zg_random *random)
{
    const uint64_t bits = zg_random_next(random);

    switch (zg_random_below(random, 6)) {
    case 0: return (double)(bits >> (11 + zg_random_below(random, 50))) / 4;
    case 1: return zg_f64_of_bits(bits >> 12); /* below the least normal one */
    case 2: return zg_f64_of_bits(UINT64_C(0x7FEFFFFFFFFFFFFF) - bits % 1000);
    default: return zg_f64_of_bits(bits);
    }
}

/* Rounds the digits of "d.ddddE+dd", of which there are enough for an exact value, half away from zero. */
static void round_away(const char *exact, unsigned digits, char *out)
{
    char kept[32], *point = strchr(exact, '.');
    const char *first = exact + (*exact == '-');
    int exponent = atoi(strchr(exact, 'E') + 1);
    unsigned at = digits + 1;

    kept[0] = *first;
    memcpy(kept + 1, point + 1, digits + 1);
    bool up = kept[at] >= '5';
    kept[at] = '\0';
    while (up && at > 0) {
        up = kept[--at] == '9';
        kept[at] = (char)(up ? '0' : kept[at] + 1);
    }
    if (up) {
        memmove(kept + 1, kept, digits);
        kept[0] = '1';
        exponent++;
    }
    snprintf(out, EXACT, "%s%c%s%sE%+03d", *exact == '-' && strspn(kept, "0") < digits + 1 ? "-" : "", kept[0],
             digits > 0 ? "." : "", kept + 1, exponent);
}

static void check_written(struct zg_random *random, double value, bool narrow)
{
    const uint8_t digits = (uint8_t)zg_random_below(random, 18);
    char exact[EXACT], wanted[EXACT];
    uint8_t out[64] = "";
    struct zg_writer to = { out, sizeof out, 0, false };

    snprintf(exact, sizeof exact, "%.1100E", value);
    round_away(exact, digits, wanted);
    if (narrow)
        zg_write_f32(&to, exponent_of(digits), (float)value);
    else
        zg_write_f64(&to, exponent_of(digits), value);
    const bool fits = narrow ? isfinite(strtof(wanted, NULL)) : isfinite(strtod(wanted, NULL));
    assert_int_equal(to.refused, !fits);
    if (to.size != strlen(wanted) || memcmp(out, wanted, to.size) != 0)
        fail_msg("%a is %.*s, not %s", value, (int)to.size, out, wanted);
}

static void check_read(const char *text, bool narrow)
{
    double value = 0, wanted = narrow ? (double)strtof(text, NULL) : strtod(text, NULL);
    float small = 0;
    const bool good = narrow ? zg_read_f32(text, text + strlen(text), exponent_of(0), &small)
                             : zg_read_f64(text, text + strlen(text), exponent_of(0), &value);

    value = narrow ? (double)small : value;
    if (good != (bool)isfinite(wanted) || (good && value != wanted))
        fail_msg("%s is %s %a, not %a", text, good ? "" : "refused", value, wanted);
}

/* The number halfway between a float and the next one, and those a digit beside it, far behind the point. */
static void check_halves(double value, bool narrow)
{
    const double next = narrow ? (double)nextafterf((float)value, INFINITY) : nextafter(value, INFINITY);
    const long double half = ((long double)value + next) / 2;
    char text[EXACT + 64];

    if (!isfinite(next))
        return;
    snprintf(text, sizeof text, "%.1100LE", half);
    char *const end = strchr(text, 'E'), *last = end - 1;
    check_read(text, narrow);
    *last = '1';
    check_read(text, narrow);
    if (half == 0)
        return;
    *last = '0';
    while (*last == '0' || *last == '.')
        last--;
    --*last;
    check_read(text, narrow);
}

static void test_doubles(void **state)
{
    struct zg_random random = zg_random_seeded(31, 0);
    char text[64];
    (void)state;
    for (unsigned i = 0; i < test_rounds(ROUNDS); i++) {
        const double value = random_double(&random);
        if (!isfinite(value))
            continue;
        check_written(&random, value, false);
        snprintf(text, sizeof text, "%.*E", (int)zg_random_below(&random, 22), value);
        check_read(text, false);
        if (i % 10 == 0)
            check_halves(value, false);
    }
    check_halves(4.9406564584124654e-324, false);
    check_halves(0, false);
}

static void test_floats(void **state)
{
    struct zg_random random = zg_random_seeded(32, 0);
    char text[64];
    (void)state;
    for (unsigned i = 0; i < test_rounds(ROUNDS); i++) {
        const float value = zg_f32_of_bits((uint32_t)zg_random_next(&random) >> (i % 4 == 0 ? 9 : 0));
        if (!isfinite(value))
            continue;
        check_written(&random, (double)value, true);
        snprintf(text, sizeof text, "%.*E", (int)zg_random_below(&random, 22), (double)value);
        check_read(text, true);
        check_halves((double)value, true);
    }
    check_written(&random, (double)zg_f32_of_bits(0x7F7FFFFF), true);
}

/* With decimals: rounded to them first, whatever the exponent is. What cannot be is refused. */
static void test_decimals(void **state)
{
    static const struct {
        double value;
        unsigned decimals;
        const char *text; /* NULL: refused */
    } rows[] = {
        { 0.5, 0, "1" },
        { -0.5, 0, "-1" },
        { -0.25, 0, "0" },
        { 2.5, 1, "2.5" },
        { 0.125, 2, "0.13" },
        { -0.0, 2, "0.00" },
        { 5e-324, 9, "0.000000000" },
        { 18446744073709549568.0, 0, "18446744073709549568" },
        { 18446744073709551616.0, 0, NULL },
        { 1e308, 9, NULL },
        { INFINITY, 0, NULL },
        { NAN, 0, NULL },
    };
    double value;
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        const struct zg_spelling spelling = { "", 0, 64, 10, 0, (uint8_t)rows[i].decimals, 0, '.' };
        uint8_t out[64];
        struct zg_writer to = { out, sizeof out, 0, false };
        zg_write_f64(&to, &spelling, rows[i].value);
        assert_int_equal(to.refused, rows[i].text == NULL);
        if (!rows[i].text)
            continue;
        assert_int_equal(to.size, strlen(rows[i].text));
        assert_memory_equal(out, rows[i].text, to.size);
    }
    const struct zg_spelling two = { "", 0, 64, 10, 0, 2, 0, '.' };
    const char *const texts[] = { "1.005", "+100500E-5", "0001.0050", "1.0049999999E0" };
    const double values[] = { 1.01, 1.01, 1.01, 1.0 };
    for (size_t i = 0; i < G_N_ELEMENTS(texts); i++) {
        assert_true(zg_read_f64(texts[i], texts[i] + strlen(texts[i]), &two, &value));
        assert_true(value == values[i]);
    }
    for (const char *const *text = (const char *const[]){ "", ".", "1e", "1e400", "--1", "1 ", "1e-", "0x1", NULL };
         *text; text++)
        assert_false(zg_read_f64(*text, *text + strlen(*text), &two, &value));
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_doubles), cmocka_unit_test(test_floats),
                                        cmocka_unit_test(test_decimals) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
