/* SPDX-License-Identifier: MIT */
#include "sim/random.h"
#include "support.h"

#include <math.h>
#include <stdlib.h>
#include <string.h>

#include "codec/as_text.h"
#include "codec/from_json.h"
#include "codec/hex.h"
#include "codec/json.h"
#include "codec/payload.h"

/* One line of data/codec/vectors.txt. */
static void check_vector(const struct zg_plan *plan, char **columns)
{
    const struct zg_plan_message *message = zg_plan_by_name(plan, columns[1]);
    g_autoptr(GByteArray) wanted = zg_bytes_from_hex(columns[3], NULL);
    g_autoptr(GError) error = NULL;
    struct zg_value *values = zg_values_new(&message->payload);
    uint8_t payload[1024];
    struct zg_json json;
    size_t length, ignored;

    if (!zg_values_from_json(message, columns[2], values, &error)) {
        const char *told = columns[4] + 2;
        size_t told_length = g_str_has_suffix(told, "...") ? strlen(told) - 3 : strlen(error->message) + 1;
        zg_values_free(&message->payload, values);
        if (columns[4][0] != '!' || strncmp(error->message, told, told_length) != 0)
            fail_msg("%s: %s", columns[0], error->message);
        return;
    }
    length = zg_block_size(&message->payload, values);
    zg_block_pack(&message->payload, values, payload);
    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    assert_true(zg_block_unpack(&message->payload, payload, length, values, &ignored));
    assert_int_equal(ignored, 0);
    zg_block_to_json(&message->payload, values, &json);
    zg_values_free(&message->payload, values);
    zg_json_close(&json, '}');
    g_autofree char *text = zg_json_end(&json);
    if (wanted->len != length || (wanted->len > 0 && memcmp(payload, wanted->data, wanted->len) != 0) ||
        strcmp(text, columns[4][0] == '=' ? columns[2] : columns[4]) != 0) {
        g_autoptr(GString) hex = g_string_new(NULL);
        for (size_t i = 0; i < length; i++)
            g_string_append_printf(hex, "%02x", payload[i]);
        fail_msg("%s: %s %s", columns[0], hex->str, text);
    }
}

static void test_vectors(void **state)
{
    struct test_plan plan = test_plan_load("codec/fields.yaml");
    g_autofree char *text = test_data("codec/vectors.txt");
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    unsigned checked = 0;
    (void)state;
    for (char **line = lines; *line; line++) {
        if (**line == '#' || **line == '\0')
            continue;
        g_auto(GStrv) columns = g_strsplit(*line, "|", -1);
        assert_int_equal(g_strv_length(columns), 5);
        for (char **column = columns; *column; column++)
            g_strstrip(*column);
        check_vector(plan.plan, columns);
        checked++;
    }
    assert_true(checked >= 30);
    test_plan_clear(&plan);
}

/* For every raw value: its physical value is the double nearest to the exact one, and encodes to it again; the same for
 * the runtime's arithmetic where that is said to be exact. */
static void test_every_raw_value(void **state)
{
    static const char *const scales[] = { "0.01", "0.1", "-0.003", "1/64", "1/3", "7", "1e-20", "123456789.5" };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(scales); i++) {
        g_autofree char *text =
            g_strdup_printf("zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, check: crc8/smbus }\n"
                            "messages: { m: { from: host, fields: { a: { type: i16, scale: %s, offset: -0.7 } } } }\n",
                            scales[i]);
        struct test_plan plan = test_plan_of(text);
        const struct zg_step *step = zg_block_step(&zg_plan_message_at(plan.plan, 0)->payload, 0);
        assert_int_equal(step->exact, i != 6); /* 1e-20 added to -0.7 needs more digits than a double has */
        mpq_t exact, back;
        mpq_inits(exact, back, NULL);
        for (int raw = -32768; raw <= 32767; raw++) {
            union zg_raw in = { .i = raw }, out;
            double physical = zg_step_physical(step, in);
            mpq_set_si(exact, raw, 1);
            mpq_mul(exact, exact, step->field->scale);
            mpq_add(exact, exact, step->field->offset);
            assert_true(physical == zg_nearest_double(exact));
            if (i == 6)
                continue; /* neighbours share a double */
            mpq_set_d(back, physical);
            assert_true(zg_step_raw(step, back, &out) && out.i == raw);
            double number;
            assert_int_equal(zg_scale_raw(&step->scale, physical, &number), 0);
            assert_true(number == raw);
        }
        mpq_clears(exact, back, NULL);
        test_plan_clear(&plan);
    }
}

/* Between raw values the runtime's arithmetic rounds like the exact one, including ties. */
static void test_rounding_in_between(void **state)
{
    struct test_plan plan = test_plan_load("codec/fields.yaml");
    const struct zg_block *block = &zg_plan_by_name(plan.plan, "scaled")->payload;
    struct zg_random random = zg_random_seeded(7, 0);
    unsigned accepted = 0;
    mpq_t exact;
    (void)state;
    mpq_init(exact);
    for (unsigned round = 0; round < 200000; round++) {
        const struct zg_step *step = zg_block_step(block, (unsigned)zg_random_below(&random, 4));
        double span = step->scale.high - step->scale.low + 2;
        double value = step->scale.low - 1 + span * zg_random_unit(&random);
        if (round % 2)
            value =
                round % 4 == 1 ? rint(value * 200) / 200 : rint(value * 6) / 6; /* the middles, as decimals give them */
        union zg_raw raw;
        double number = NAN;
        mpq_set_d(exact, value);
        bool good = zg_step_raw(step, exact, &raw);
        assert_int_equal(zg_scale_raw(&step->scale, value, &number) == 0, good);
        if (good)
            assert_true(number == (step->type.kind == ZG_KIND_SIGNED ? (double)raw.i : (double)raw.u));
        accepted += good;
    }
    assert_true(accepted > 50000 && accepted < 199000);
    mpq_clear(exact);
    test_plan_clear(&plan);
}

/* The nearest double agrees with the C library's reading of the same decimal, including subnormal and huge ones. */
static void test_nearest_double(void **state)
{
    struct zg_random random = zg_random_seeded(8, 0);
    mpq_t value;
    mpz_t power;
    (void)state;
    mpq_init(value);
    mpz_init(power);
    for (unsigned round = 0; round < 20000; round++) {
        uint64_t digits = zg_random_next(&random) >> zg_random_below(&random, 64);
        int exponent = (int)zg_random_below(&random, 660) - 345;
        g_autofree char *text = g_strdup_printf("%" G_GUINT64_FORMAT "e%d", digits, exponent);
        mpz_set_ui(mpq_numref(value), digits);
        mpz_set_ui(mpq_denref(value), 1);
        mpz_ui_pow_ui(power, 10, (unsigned long)abs(exponent));
        if (exponent < 0)
            mpz_set(mpq_denref(value), power);
        else
            mpz_mul(mpq_numref(value), mpq_numref(value), power);
        mpq_canonicalize(value);
        if (isfinite(strtod(text, NULL)))
            assert_true(zg_nearest_double(value) == strtod(text, NULL));
    }
    mpq_clear(value);
    mpz_clear(power);
}

static void test_hex(void **state)
{
    static const char *const bad[][2] = {
        { "0", "hex: the digit at position 1 is alone; expected two digits for each byte" },
        { "00 1 22", "hex: the digit at position 4 is alone; expected two digits for each byte" },
        { "0g", "hex: expected a hex digit at position 2, found \"g\"" },
        { "00\xc3\xa9", "hex: expected a hex digit at position 3, found \"\xc3\xa9\"" }
    };
    g_autoptr(GByteArray) good = zg_bytes_from_hex(" 0aFF\n 7e", NULL);
    (void)state;
    assert_int_equal(good->len, 3);
    assert_memory_equal(good->data, "\x0a\xff\x7e", 3);
    g_autoptr(GByteArray) spelt = zg_bytes_from_hex("7E 01 7e01 0x7E, 0x01;\\x7e\\x01 7E:01-7e 0X01", NULL);
    assert_int_equal(spelt->len, 12);
    for (unsigned i = 0; i < spelt->len; i++)
        assert_int_equal(spelt->data[i], i % 2 ? 0x01 : 0x7e);
    for (size_t i = 0; i < G_N_ELEMENTS(bad); i++) {
        g_autoptr(GError) error = NULL;
        assert_null(zg_bytes_from_hex(bad[i][0], &error));
        assert_string_equal(error->message, bad[i][1]);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_vectors), cmocka_unit_test(test_every_raw_value),
                                        cmocka_unit_test(test_rounding_in_between),
                                        cmocka_unit_test(test_nearest_double), cmocka_unit_test(test_hex) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
