/* SPDX-License-Identifier: MIT */
/* Messages of a soak's own traffic: values that stay and values that are drawn. */
#include "support.h"

#include <string.h>

#include "sim/random.h"
#include "soak/own.h"

static const char definition[] =
    "zeugma: 1\nprotocol: kiln\nversion: 1.0\nframe: { framing: cobs, header: [id: u8], check: crc8/smbus }\n"
    "messages:\n"
    "  set: { id: 1, from: host, fields: { u: u64, i: i64, note: \"text[..4]\" } }\n";

struct drawn {
    const char *u, *i;
    uint64_t first_u, last_u;
    int64_t first_i, last_i;
};

/* Each value of a small range comes, and none outside it, wherever among 64 bits it lies; what stays, stays. */
static void test_ranges(void **state)
{
    static const struct drawn cases[] = {
        { "set.u=0..3", "set.i=-2..1", 0, 3, -2, 1 },
        { "set.u=18446744073709551612..18446744073709551615", "set.i=-9223372036854775808..-9223372036854775805",
          UINT64_MAX - 3, UINT64_MAX, INT64_MIN, INT64_MIN + 3 },
        { "set.u=0x7FFFFFFFFFFFFFFE..0x8000000000000001", "set.i=9223372036854775804..9223372036854775807",
          (uint64_t)INT64_MAX - 1, (uint64_t)INT64_MAX + 2, INT64_MAX - 3, INT64_MAX },
    };
    struct test_plan plan = test_plan_of(definition);

    (void)state;
    for (unsigned k = 0; k < G_N_ELEMENTS(cases); k++) {
        struct zg_own *own = zg_own_new(plan.plan);
        struct zg_random random = zg_random_seeded(1, k);
        unsigned seen_u = 0, seen_i = 0;
        assert_true(zg_own_add(own, "set={\"u\": 7, \"note\": \"a\\u0000\"}", NULL));
        assert_true(zg_own_add(own, "set.u=5..6", NULL)); /* what is said last counts */
        assert_true(zg_own_add(own, cases[k].u, NULL) && zg_own_add(own, cases[k].i, NULL));
        for (unsigned round = 0; round < 200; round++) {
            g_autoptr(GError) error = NULL;
            const struct zg_value *values = zg_own_values(own, 0, &random, &error);
            assert_non_null(values);
            assert_true(values[0].raw.u >= cases[k].first_u && values[0].raw.u <= cases[k].last_u);
            assert_true(values[1].raw.i >= cases[k].first_i && values[1].raw.i <= cases[k].last_i);
            assert_true(values[2].count == 2 && memcmp(values[2].bytes, "a", 2) == 0);
            seen_u |= 1U << (values[0].raw.u - cases[k].first_u);
            seen_i |= 1U << (values[1].raw.i - cases[k].first_i);
        }
        assert_true(seen_u == 15 && seen_i == 15);
        zg_own_free(own);
    }
    test_plan_clear(&plan);
}

static void test_unsound(void **state)
{
    static const char *const cases[][2] = {
        { "set={", "set: not JSON: the { at position 1 is not closed" },
        { "set=5", "set: expected set={\"field\": value, ...}, found 5" },
        { "set={\"u\":1,\"u\":2}", "set: the name \"u\" at position 8 already stands in this object" },
        { "set.u=3..2", "\"set.u=3..2\": expected NAME.FIELD=A..B, such as set.u=0..100" },
        { "set.u=-1..18446744073709551615", "\"set.u=-1..18446744073709551615\": expected NAME.FIELD=A..B, ..." },
        { "set.u=0..1e999", "\"set.u=0..1e999\": expected NAME.FIELD=A..B, ..." },
        { "sett", "unknown message \"sett\"; did you mean \"set\"?" },
    };
    struct test_plan plan = test_plan_of(definition);

    (void)state;
    for (unsigned k = 0; k < G_N_ELEMENTS(cases); k++) {
        struct zg_own *own = zg_own_new(plan.plan);
        g_autoptr(GError) error = NULL;
        assert_false(zg_own_add(own, cases[k][0], &error));
        const size_t told = strlen(cases[k][1]) - (g_str_has_suffix(cases[k][1], ", ...") ? 3 : 0);
        if (strncmp(error->message, cases[k][1], told) != 0)
            fail_msg("\"%s\", not \"%s\"", error->message, cases[k][1]);
        zg_own_free(own);
    }
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_ranges), cmocka_unit_test(test_unsound) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
