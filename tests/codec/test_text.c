/* SPDX-License-Identifier: MIT */
/* Text layouts: what is written is read again, whatever the values; what is read of other texts is written as it would
 * be sent, and that is read alike; numbers are those of the C library where it is exact. */
#include <json-glib/json-glib.h>
#include <math.h>
#include <stdio.h>
#include <string.h>

#include "codec/payload.h"
#include "codec/text.h"
#include "device/typical.h"
#include "plan/spelling.h"
#include "random_frames.h"
#include "random_text.h"
#include "support.h"

enum { DEFINITIONS = 150, VALUES = 40, DAMAGES = 30 };

static GString *written(const struct zg_plan_message *item, const struct zg_value *values, GError **error)
{
    g_autoptr(GString) text = g_string_new(NULL);
    return zg_text_write(item, values, text, error) ? g_steal_pointer(&text) : NULL;
}

/* Reads a text. If it fits, its values are written, and read again as the same. */
static bool holds(const struct zg_plan_message *item, const char *text, size_t length)
{
    struct zg_value *values = zg_values_new(&item->payload), *again = zg_values_new(&item->payload);
    size_t ignored, at;
    const bool good = zg_text_read(item, text, length, values, &ignored);
    g_autofree char *fault = zg_text_fault(item, text, length, 0, &at);
    g_autoptr(GString) first = good ? written(item, values, NULL) : NULL;

    assert_int_equal(good, !fault);
    assert_true(at <= length);
    if (first) { /* what has no width may be too long for one, or a text may hold what ends it */
        if (!zg_text_read(item, first->str, first->len, again, &ignored) || ignored > 0)
            fail_msg("%s, read as %s from %.*s, is not read again", first->str,
                     item->message->layout.pattern ? item->message->layout.pattern : "members", (int)length, text);
        g_autoptr(GString) second = written(item, again, NULL);
        assert_non_null(second);
        assert_true(g_string_equal(first, second));
    }
    zg_values_free(&item->payload, values);
    zg_values_free(&item->payload, again);
    return good;
}

static void damage(struct zg_random *random, const struct zg_plan_message *item, const GString *text)
{
    for (unsigned i = 0; i < DAMAGES; i++) {
        g_autoptr(GString) other = test_damaged_text(random, text);
        (void)holds(item, other->str, other->len);
    }
}

static void test_random_texts(void **state)
{
    struct zg_random random = zg_random_seeded(21, 0);
    (void)state;
    for (unsigned i = 0; i < test_rounds(DEFINITIONS); i++) {
        g_autofree char *definition = test_random_text_definition(&random);
        struct test_plan plan = test_plan_of(definition);
        for (unsigned k = 0; k < VALUES; k++) {
            const struct zg_plan_message *item =
                zg_plan_message_at(plan.plan, test_random_text_message(&random, plan.plan));
            struct zg_value *values = zg_values_new(&item->payload);
            g_autoptr(GError) error = NULL;
            test_random_text_values(&random, &item->payload, values);
            g_autoptr(GString) text = written(item, values, &error);
            if (!text) {
                if (!strstr(error->message, "looks absent") && !strstr(error->message, "not finite"))
                    fail_msg("%s in\n%s", error->message, definition);
                zg_values_free(&item->payload, values);
                continue;
            }
            if (text->len < item->text->least || text->len > item->text->most)
                fail_msg("%s of %zu is not within %u to %u in\n%.1500s", text->str, text->len, item->text->least,
                         item->text->most, definition);
            const double typical = zg_typical_payload(item);
            if (typical > 0)
                assert_true(typical >= item->payload_least && typical <= item->payload_most);
            if (!holds(item, text->str, text->len))
                fail_msg("%s is not read by\n%s", text->str, definition);
            if (item->message->layout.kind == ZG_LAYOUT_JSON) {
                g_autoptr(JsonParser) parser = json_parser_new();
                assert_true(json_parser_load_from_data(parser, text->str, -1, NULL));
            }
            damage(&random, item, text);
            zg_values_free(&item->payload, values);
        }
        test_plan_clear(&plan);
    }
}

/* The greatest length is that of the greatest number that is written, also where the type holds greater ones. */
static void test_longest(void **state)
{
    struct test_plan plan = test_plan_of("zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: slip, check: none, "
                                         "max_payload: 40 }\nmessages: { m: { "
                                         "from: device, layout: { pattern: \"M{x}\" }, fields: { x: { type: u64, "
                                         "scale: 2/7, as: { decimals: 3 } } } } }\n");
    const struct zg_plan_message *item = zg_plan_message_at(plan.plan, 0);
    struct zg_value *values = zg_values_new(&item->payload);

    (void)state;
    values[0].raw = zg_block_step(&item->payload, 0)->high;
    assert_true(zg_step_permits(zg_block_step(&item->payload, 0), values[0].raw));
    g_autoptr(GString) text = written(item, values, NULL);
    assert_true(g_str_has_prefix(text->str, "18446744073709551.") && text->len == 21);
    assert_true(text->len <= item->text->most && 1 + text->len <= item->payload_most);
    zg_values_free(&item->payload, values);
    test_plan_clear(&plan);
}

/* Fewer decimals than the scale has round the last values beyond their type: just those are outside the limits. */
static void test_rounded_limits(void **state)
{
    static const char *const types[] = { "i8", "u8", "u7", "i16" }, *const scales[] = { "0.01", "-0.03", "1/3",
                                                                                        "0.07", "2.5",   "0.001" };
    unsigned narrowed = 0;

    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(types) * G_N_ELEMENTS(scales) * 3; i++) {
        g_autofree char *definition = g_strdup_printf(
            "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: slip, check: none, max_payload: 40 }\nmessages: { "
            "m: "
            "{ from: device, layout: { pattern: \"M{x}\" }, fields: { x: { type: %s, scale: %s, as: { "
            "decimals: %u } } } } }\n",
            types[i % 4], scales[i / 4 % G_N_ELEMENTS(scales)], i / 4 / (unsigned)G_N_ELEMENTS(scales));
        struct test_plan plan = test_plan_of(definition);
        const struct zg_step *step = zg_block_step(&zg_plan_message_at(plan.plan, 0)->payload, 0);
        const bool is_signed = zg_step_is_signed(step);
        const int64_t least = is_signed ? -(INT64_C(1) << (step->bits - 1)) : 0;
        for (int64_t raw = least; raw < least + (INT64_C(1) << step->bits); raw++) {
            const union zg_raw in = { .i = raw };
            g_autoptr(GString) text = g_string_new(NULL);
            union zg_raw out;
            const bool good = zg_spell(step, in, text) && zg_unspell(step, text->str, text->len, &out);
            narrowed += !good;
            if (good != zg_step_permits(step, in))
                fail_msg("%" G_GINT64_FORMAT " is %s, of\n%s", raw, text->str, definition);
        }
        test_plan_clear(&plan);
    }
    assert_true(narrowed > 500);
}

/* Why a payload is none, in words. */
static void test_faults(void **state)
{
    static const char *const cases[][2] = {
        { "V1,2", NULL },
        { "V1;2", "v.x cannot be \"1;2\"" },
        { "V1", "v has no \",\" at byte 3 of its payload" },
        { "V,2", "v.x is empty" },
        { "V1,256", "v.y cannot be \"256\"" },
        { "V1,2/3/x", "v.y cannot be \"2/3/x\"" },
        { "W12", "w.x cannot be \"12\", expected 4 characters" },
        { "W00x1", "w.x cannot be \"00x1\"" },
        { "Pb=2,k=1,a=1", NULL },
        { "Pa=1,,b=2", "p has an empty pair at byte 6 of its payload" },
        { "Pa=1,b", "p: \"b\" is no pair with \"=\"" },
        { "Pa=1,a=2", "p.a comes twice" },
        { "Pk=1,a=1", "p.beta is missing" },
        { "Pa=1,b=2", "p.k is missing" },
        { "Pa=1,b=", "p.beta is empty" },
        { "Pk=2,a=1,b=2", "p.k cannot be \"2\"" },
        { "{\"t\":\"j\",\"a\":7}", NULL },
        { "{\"t\":\"j\",\"a\": 1.5e3 }", "j.a cannot be 1.5e3" },
        { "{\"t\":\"j\",\"a\":\"7\"}", "j.a cannot be \"7\"" },
        { "{\"t\":\"j\",\"a\":7,\"a\":7}", "j.a comes twice" },
        { "{\"t\":\"j\",\"a\":null}", "j.a is missing" },
        { "{\"t\":\"j\",\"a\":7", "j cannot be read as JSON from byte 15 of its payload on" },
        { "{\"t\":\"j\",\"a\":7]", "j cannot be read as JSON from byte 15 of its payload on" },
        { "{\"t\":\"l\",\"a\":7}", "l.list is missing" }, /* the one that could be read farthest */
        { "{\"t\":\"l\",\"list\":[1,2,3]}", "l.list cannot be [1,2,3]" },
        { "B\001", "b has 2 bytes, at least 3 expected" },
    };
    struct test_plan plan = test_plan_of(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: slip, check: none, max_payload: 400 }\nmessages:\n"
        "  v: { from: device, layout: { pattern: \"V{x},{y}\" }, fields: { x: u8, y: { type: \"u8[..3]\", as: { "
        "between: "
        "\"/\" } } } }\n"
        "  p: { from: device, tag: \"P\", layout: { pairs: { assign: \"=\", between: \",\" } }, fields: { k: { const: "
        "1 }, "
        "a: u8, beta: { type: u8, key: b } } }\n"
        "  j: { from: device, layout: json, fields: { t: { const: \"j\" }, a: u8 } }\n"
        "  l: { from: device, layout: json, fields: { t: { const: \"l\" }, list: \"u8[2]\" } }\n"
        "  w: { from: device, layout: { pattern: \"W{x}\" }, fields: { x: { type: u8, as: { width: 4, pad: \"0\" } } } "
        "}\n"
        "  b: { from: device, tag: \"B\", fields: { x: u16 } }\n");

    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        const uint8_t *payload = (const uint8_t *)cases[i][0];
        const size_t length = strlen(cases[i][0]);
        const struct zg_plan_message *told = zg_plan_told(plan.plan, ZG_SIDE_DEVICE, 0, payload, length);
        g_autofree char *fault = zg_payload_fault(plan.plan, told, payload, length);
        if (g_strcmp0(fault, cases[i][1]) != 0)
            fail_msg("%s: %s", cases[i][0], fault);
    }
    test_plan_clear(&plan);
}

/* What an older sender lacks takes its default, whatever the values were before. */
static void test_missing_values(void **state)
{
    static const char *const layouts[] = { "{ pairs: { assign: \"=\", between: \",\" } }", "json" };
    static const char *const texts[2][3] = { { "a=1,b=hello,c=7;8,d=2", "a=3", "a=3,b=,c=,d=5" },
                                             { "{\"a\":1,\"b\":\"hello\",\"c\":[7,8],\"d\":2}", "{\"a\":3}",
                                               "{\"a\":3,\"b\":\"\",\"c\":[],\"d\":5}" } };
    (void)state;
    for (unsigned i = 0; i < 2; i++) {
        g_autofree char *definition = g_strdup_printf(
            "zeugma: 1\nprotocol: p\nversion: 1.3\nframe: { framing: slip, check: none, max_payload: 400 }\nmessages:\n"
            "  m: { from: device, layout: %s, fields: { a: u8, b: { type: \"text[..9]\", since: 1.1 }, "
            "c: { type: \"u8[..3]\", as: { between: \";\" }, since: 1.2 }, d: { type: u8, since: 1.3, default: 5 } } "
            "}\n",
            layouts[i]);
        struct test_plan plan = test_plan_of(definition);
        const struct zg_plan_message *item = zg_plan_message_at(plan.plan, 0);
        struct zg_value *values = zg_values_new(&item->payload);
        size_t ignored;
        assert_true(zg_text_read(item, texts[i][0], strlen(texts[i][0]), values, &ignored));
        assert_true(zg_text_read(item, texts[i][1], strlen(texts[i][1]), values, &ignored));
        g_autoptr(GString) text = written(item, values, NULL);
        assert_string_equal(text->str, texts[i][2]);
        zg_values_free(&item->payload, values);
        test_plan_clear(&plan);
    }
}

/* Whether a number lies in the middle between two of so many decimals. */
static bool is_tie(const char *format, double value, unsigned decimals)
{
    char digits[500];

    g_snprintf(digits, sizeof digits, format, value); /* exactly */
    const char *rest = strchr(digits, '.') + 1 + decimals;
    return rest[0] == '5' && strspn(rest + 1, "0") >= 59 - decimals;
}

/* Floats against the C library's exact printing, which rounds ties to even: those are left out. */
static void test_floats(void **state)
{
    static const char definition[] =
        "zeugma: 1\nprotocol: f\nversion: 1.0\nframe: { framing: slip, check: none, max_payload: 400 }\nmessages:\n"
        "  m: { tag: \"a\", from: device, layout: json, fields: { d: { type: f64, as: { decimals: 3 } }, "
        "e: { type: f64, as: { exponent: 5 } }, s: { type: f32, as: { exponent: 8 } } } }\n";
    struct test_plan plan = test_plan_of(definition);
    const struct zg_block *block = &zg_plan_message_at(plan.plan, 0)->payload;
    struct zg_random random = zg_random_seeded(22, 0);
    (void)state;
    for (unsigned i = 0; i < 20000; i++) {
        const double value = ((double)zg_random_below(&random, 1U << 30) - (1 << 29)) *
                             pow(10, (double)zg_random_below(&random, 40) - 30);
        char wanted[64];
        for (unsigned k = 0; k < 3; k++) {
            const struct zg_step *step = zg_block_step(block, k);
            g_autoptr(GString) text = g_string_new(NULL);
            union zg_raw raw = { .f = k == 2 ? (double)(float)value : value }, again;
            if (!zg_spell(step, raw, text)) {
                assert_true(k == 0 && fabs(value) * 1000 >= 1.8e19);
                continue;
            }
            g_snprintf(wanted, sizeof wanted, k == 0 ? "%.3f" : k == 1 ? "%.5E" : "%.8E", raw.f);
            if (k == 0 && strtod(wanted, NULL) == 0 && wanted[0] == '-')
                memmove(wanted, wanted + 1, strlen(wanted));
            if (is_tie(k == 0 ? "%.60f" : "%.60E", raw.f, k == 0 ? 3 : k == 1 ? 5 : 8))
                continue;
            assert_string_equal(text->str, wanted);
            assert_true(zg_unspell(step, text->str, text->len, &again));
            assert_true(k == 2 ? (float)again.f == strtof(wanted, NULL) : again.f == strtod(wanted, NULL));
            if (k == 2) /* nine digits give a float back */
                assert_true((float)again.f == (float)raw.f);
        }
    }
    test_plan_clear(&plan);
}

/* Numbers meant to do harm: as long as a payload, beyond all bounds, nested. */
static void test_hostile(void **state)
{
    static const char definition[] = "zeugma: 1\nprotocol: h\nversion: 1.0\nframe: { framing: slip, check: none, "
                                     "max_payload: 60000, layout: json }\n"
                                     "messages:\n  m: { from: device, fields: { a: { type: i32, optional: true }, t: { "
                                     "type: \"text[..40]\", optional: "
                                     "true } } }\n";
    struct test_plan plan = test_plan_of(definition);
    const struct zg_plan_message *item = zg_plan_message_at(plan.plan, 0);
    g_autofree char *zeros = g_strnfill(50000, '0'), *nines = g_strnfill(50000, '9'), *deep = g_strnfill(20000, '[');
    const struct {
        char *text;
        bool good;
    } rows[] = {
        { g_strdup_printf("{\"a\":1.%s}", zeros), true },
        { g_strdup_printf("{\"a\":1e-%s}", nines), true },
        { g_strdup_printf("{\"a\":%s}", nines), false },
        { g_strdup_printf("{\"a\":1e%s}", nines), false },
        { g_strdup_printf("{\"a\":0.%s1e50001}", zeros), true },
        { g_strdup("{\"a\":1e400}"), false },
        { g_strdup_printf("{\"x\":%s}", deep), false },
        { g_strdup("{\"x\":[[[[[[[[1]]]]]]]]}"), true },
        { g_strdup("{\"x\":[[[[[[[[[1]]]]]]]]]}"), false },
        { g_strdup("{\"t\":\"\\ud83d\"}"), false },
        { g_strdup("{\"t\":\"\\ude00\"}"), false },
        { g_strdup("{\"t\":\"\\ud83d\\ude00\"}"), true },
        { g_strdup("{\"t\":\"\\u0000a\"}"), true },
        { g_strdup("{\"t\":\"\xC3\"}"), false },
        { g_strdup("{\"t\":\"a\tb\"}"), false },
        { g_strdup("{\"a\":01}"), false },
        { g_strdup("{\"a\":+1}"), false },
        { g_strdup("{\"a\":1,}"), false },
        { g_strdup("{\"a\":null,\"a\":1}"), false },
        { g_strdup("{\"a\":1} x"), false },
        { g_strdup(""), false },
        { g_strdup("{"), false },
        { g_strdup(" { } "), true },
        { g_strdup("{\"a\":-2147483648}"), true },
        { g_strdup("{\"a\":2147483647.5}"), false },
        { g_strdup("{\"a\":2147483647.4}"), true },
    };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        if (holds(item, rows[i].text, strlen(rows[i].text)) != rows[i].good)
            fail_msg("%.60s", rows[i].text);
        g_free(rows[i].text);
    }
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_random_texts),   cmocka_unit_test(test_longest),
                                        cmocka_unit_test(test_rounded_limits), cmocka_unit_test(test_faults),
                                        cmocka_unit_test(test_missing_values), cmocka_unit_test(test_floats),
                                        cmocka_unit_test(test_hostile) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
