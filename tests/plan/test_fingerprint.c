/* SPDX-License-Identifier: MIT */
/* The fingerprint: which changes of a definition change it. */
#include <string.h>

#include "plan/fingerprint.h"
#include "support.h"

static const char base[] =
    "zeugma: 1\nprotocol: loom\nversion: 1.2\nsummary: First\n"
    "line: { baud: 9600 }\n"
    "frame: { framing: cobs, header: [id: u8, sequence: u8], check: crc16/kermit, max_payload: 40 }\n"
    "enums: { state: { type: u8, values: { idle: 0, busy: 1 } } }\n"
    "messages:\n"
    "  one: { id: 1, from: device, every: 5 s, fields: { a: u16, b: { type: u16, unit: N, range: [0, 9] } } }\n"
    "  two: { id: 2, from: host, delivery: acknowledged, timeout: 50 ms, fields: { s: state } }\n"
    "services: [hello, delivery]\n";

static uint32_t fingerprint_of(const char *text)
{
    struct test_plan plan = test_plan_of(text);
    uint32_t fingerprint = zg_fingerprint(plan.plan);
    test_plan_clear(&plan);
    return fingerprint;
}

static char *changed(const char *from, const char *to)
{
    g_auto(GStrv) parts = g_strsplit(base, from, 2);
    if (!parts[1])
        fail_msg("the definition has no %s", from);
    return g_strconcat(parts[0], to, parts[1], NULL);
}

static void test_changes(void **state)
{
    static const struct {
        const char *from, *to;
        bool same;
    } rows[] = { { "First", "Second", true },
                 { "protocol: loom", "protocol: lathe", true },
                 { "version: 1.2", "version: 1.3", true },
                 { "baud: 9600", "baud: 19200", true },
                 { "baud: 9600", "format: { data: 8, order: lsb, stop_level: high }, clock: { device: 1 MHz }", true },
                 { "baud: 9600", "format: 8E1", false },
                 { "baud: 9600", "format: { order: msb }", false },
                 { "baud: 9600", "format: { idle: low }", false },
                 { "baud: 9600", "format: { stop_level: low }", false },
                 { "baud: 9600", "carrier: 1 MHz", false },
                 { "baud: 9600", "kind: clocked, pair: { byte_gap: 1 ms }", false },
                 { "every: 5 s", "every: 6 s", true },
                 { "unit: N", "unit: kN", true },
                 { "range: [0, 9]", "range: [0, 8]", true },
                 { "timeout: 50 ms", "timeout: 60 ms, retries: 7", true },
                 { "{ idle: 0, busy: 1 }", "{ busy: 1, idle: 0 }", true },
                 { "framing: cobs", "framing: slip", false },
                 { "framing: cobs", "framing: { kind: cobs, lead: true }", false },
                 { "crc16/kermit", "crc16/xmodem", false },
                 { "crc16/kermit", "{ name: crc16/kermit, order: big }", false },
                 { "[id: u8, sequence: u8]", "[sequence: u8, id: u8]", false },
                 { "max_payload: 40", "max_payload: 41", false },
                 { "idle: 0", "idle: 2", false },
                 { "a: u16, ", "", false },
                 { "a: u16", "a: i16", false },
                 { "a: u16", "a: { type: u16, order: big }", false },
                 { "a: u16", "a: { type: u16, scale: 0.1 }", false },
                 { "id: 2", "id: 3", false },
                 { "from: host", "from: both", false },
                 { "delivery: acknowledged", "delivery: acknowledged, order: kept", false },
                 { "[hello, delivery]", "[hello, delivery, echo]", false } };
    const uint32_t before = fingerprint_of(base);
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autofree char *text = changed(rows[i].from, rows[i].to);
        if ((fingerprint_of(text) == before) != rows[i].same)
            fail_msg("%s instead of %s: the fingerprint is %s", rows[i].to, rows[i].from,
                     rows[i].same ? "another" : "the same");
    }
}

/* It never changes between versions of this program: computed once by hand, with another CRC-32. */
static void test_value(void **state)
{
    static const char text[] =
        "zeugma: 1\nprotocol: p\nversion: 1.0\n"
        "frame: { framing: cobs, header: [id: u8], check: sum8, max_payload: 4 }\n"
        "messages: { m: { id: 1, from: both, fields: { x: { type: i8, scale: 1/4, offset: 2 } } } }\n";
    struct test_plan plan = test_plan_of(text);
    g_autofree char *canonical = zg_fingerprint_text(plan.plan);
    (void)state;
    assert_string_equal(canonical, "zeugma 1\nframing cobs\nmax_payload 4\ncheck sum8 little covers content\n"
                                   "header id u8 little\nmessage 1 m from both\n  x i8 little scale 1/4 offset 2\n"
                                   "console none\n");
    assert_int_equal(zg_fingerprint(plan.plan), 0xD0A3FC0F);
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_changes), cmocka_unit_test(test_value) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
