/* SPDX-License-Identifier: MIT */
/* What is said about bytes that do not match the definition; and nothing about those that do. Times are given. */
#include "view/suspect.h"

#include <string.h>

#include "plan/fingerprint.h"
#include "sim/random.h"
#include "view.h"

static const char definition[] =
    "zeugma: 1\nprotocol: kiln\nversion: 2.3\n"
    "frame: { framing: cobs, header: [version: u4, id: u4, sequence: u8], check: crc16/xmodem, max_payload: 40 }\n"
    "services: [hello]\n"
    "messages:\n  heat: { id: 1, from: device, fields: { t: { type: u16, range: [0, 2000] }, n: u8 } }\n";

static struct test_plan plan, older;

static int set_up(void **state)
{
    (void)state;
    g_auto(GStrv) parts = g_strsplit(definition, "2.3", -1);
    g_autofree char *before = g_strjoinv("1.3", parts);
    plan = test_plan_of(definition);
    older = test_plan_of(before);
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    test_plan_clear(&plan);
    test_plan_clear(&older);
    return 0;
}

struct listening {
    struct zg_suspect *suspect;
    struct zg_frame_reader *stream;
    uint64_t now_ns;
};

static void take(const struct zg_stretch *stretch, void *data)
{
    zg_suspect_stretch(((struct listening *)data)->suspect, false, stretch);
}

static struct listening begin(void)
{
    return (struct listening){ zg_suspect_new(plan.plan), NULL, 0 };
}

static void hear(struct listening *listening, const uint8_t *bytes, size_t count)
{
    const struct zg_passage passage = { listening->now_ns, false, bytes, count };

    if (!listening->stream)
        listening->stream = zg_frame_reader_new(plan.plan, take, listening);
    zg_suspect_bytes(listening->suspect, &passage);
    zg_frame_reader_feed(listening->stream, bytes, count);
}

/* What is said by now; "": nothing. Free with g_free(). */
static char *judged(struct listening *listening, bool *noise)
{
    static const struct zg_counters none;
    bool ignored;
    char *text =
        zg_suspect_judge(listening->suspect, listening->stream ? zg_frame_reader_counters(listening->stream) : &none,
                         listening->now_ns, noise ? noise : &ignored);
    return text ? text : g_strdup("");
}

static void end(struct listening *listening)
{
    zg_frame_reader_free(listening->stream);
    zg_suspect_free(listening->suspect);
}

static GByteArray *heat(unsigned t, uint32_t version)
{
    const struct zg_header header = { .id = 1 };
    const uint8_t payload[] = { (uint8_t)t, (uint8_t)(t >> 8), 5 };
    return zg_frame_make(version == 1 ? older.plan : plan.plan, &header, payload, sizeof payload);
}

static uint8_t same(uint8_t byte)
{
    return byte;
}

static uint8_t inverted(uint8_t byte)
{
    return (uint8_t)~byte;
}

static uint8_t mirrored(uint8_t byte)
{
    uint8_t result = 0;
    for (unsigned i = 0; i < 8; i++)
        result = (uint8_t)((unsigned)result << 1 | ((unsigned)byte >> i & 1U));
    return result;
}

/* Text of 7 bits, read as 8: with a parity bit, and with one that is always set. */
static void test_seventh_bit(void **state)
{
    static const char *const wanted[] = { "even parity: the line is 7E1", "odd parity: the line is 7O1",
                                          "no data: the line has 7 data bits" };
    const struct test_plan usual = plan;
    (void)state;
    plan = test_plan_of(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: { kind: marks, start: \"#\", end: [13] }, "
        "coding: hex, header: [id: u8], check: crc16/xmodem }\n"
        "messages: { m: { id: 1, from: device, fields: { x: u16 } } }\n");
    for (unsigned way = 0; way < G_N_ELEMENTS(wanted); way++) {
        struct listening listening = begin();
        for (unsigned k = 0; k < 60; k++) {
            const struct zg_header header = { .id = 1 };
            const uint8_t payload[2] = { (uint8_t)(k * 37), (uint8_t)k };
            g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, payload, sizeof payload);
            for (guint i = 0; i < frame->len; i++) {
                const unsigned odd = (unsigned)__builtin_popcount(frame->data[i]) & 1U;
                if (way == 2 || odd != way)
                    frame->data[i] |= 0x80;
            }
            hear(&listening, frame->data, frame->len);
        }
        g_autofree char *told = judged(&listening, NULL);
        if (!strstr(told, wanted[way]))
            fail_msg("%s", told);
        end(&listening);
    }
    test_plan_clear(&plan);
    plan = usual;
}

/* Frames each changed in one way; it is said once, and again only after frames have come. */
static void test_frames(void **state)
{
    static const struct {
        unsigned t, version;
        bool swaps_check;
        uint8_t (*change)(uint8_t byte);
        const char *wanted;
    } cases[] = {
        { 900, 2, false, same, "" },
        { 900, 2, false, inverted, "the line is inverted" },
        { 900, 2, false, mirrored, "come in the opposite order" },
        { 900, 2, true, same, "checks would pass" },
        { 0x0103 << 4, 2, false, same,
          "values of t are out of range, but within it with their bytes in reverse order" },
        { 900, 1, false, same, "frames of another major version than 2 arrive" },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        struct listening listening = begin();
        g_autofree char *told = g_strdup("");
        for (unsigned k = 0; k < 60; k++) {
            g_autoptr(GByteArray) frame =
                heat(cases[i].t == 900 ? 900 + k % 7 : 0x0105 + (k % 3) * 0x100 + 0x1000, cases[i].version);
            if (cases[i].swaps_check) { /* without a zero, and with two different bytes before the delimiter */
                const uint8_t last = frame->data[frame->len - 2];
                frame->data[frame->len - 2] = frame->data[frame->len - 3];
                frame->data[frame->len - 3] = last;
            }
            for (guint at = 0; at < frame->len; at++)
                frame->data[at] = cases[i].change(frame->data[at]);
            listening.now_ns += 50000000;
            hear(&listening, frame->data, frame->len);
            g_autofree char *text = judged(&listening, NULL);
            if (text[0] && told[0])
                fail_msg("said twice: %s", text);
            if (text[0]) {
                g_free(told);
                told = g_steal_pointer(&text);
            }
        }
        if (cases[i].wanted[0] ? !strstr(told, cases[i].wanted) : told[0] != '\0')
            fail_msg("case %u: no \"%s\" in \"%s\"", i, cases[i].wanted, told);
        end(&listening);
    }
}

static void test_silence(void **state)
{
    struct listening listening = begin();
    g_autoptr(GByteArray) frame = heat(5, 2);
    (void)state;
    listening.now_ns = UINT64_C(2900000000);
    g_autofree char *early = judged(&listening, NULL);
    listening.now_ns = UINT64_C(3000000000);
    g_autofree char *never = judged(&listening, NULL);
    g_autofree char *again = judged(&listening, NULL);
    hear(&listening, frame->data, frame->len);
    g_autofree char *heard = judged(&listening, NULL);
    listening.now_ns += UINT64_C(3000000000);
    g_autofree char *stopped = judged(&listening, NULL);
    assert_string_equal(early, "");
    assert_non_null(strstr(never, "is the device powered and running"));
    assert_string_equal(again, "");
    assert_string_equal(heard, "");
    assert_string_equal(stopped, "nothing has arrived for 3 s");
    end(&listening);
}

/* Text is quoted. What makes no sense is noise, at which other speeds may be tried, unless frames came before. */
static void test_bytes(void **state)
{
    struct zg_random random = zg_random_seeded(31, 0);
    uint8_t noise_bytes[600];
    (void)state;
    for (unsigned i = 0; i < sizeof noise_bytes; i++)
        noise_bytes[i] = (uint8_t)zg_random_below(&random, 256);
    for (unsigned framed = 0; framed < 2; framed++) {
        struct listening listening = begin();
        g_autoptr(GByteArray) frame = heat(5, 2);
        bool noise;
        if (framed)
            hear(&listening, frame->data, frame->len);
        g_free(judged(&listening, NULL));
        hear(&listening, noise_bytes, sizeof noise_bytes);
        g_autofree char *text = judged(&listening, &noise);
        assert_non_null(strstr(text, "bytes arrived, but no frame of kiln among them"));
        assert_int_equal(noise, !framed);
        end(&listening);
    }
    struct listening listening = begin();
    for (unsigned i = 0; i < 40; i++)
        hear(&listening, (const uint8_t *)"loader 1.2 waits\r\n", 18);
    hear(&listening, (const uint8_t *)"\0", 1);
    g_autofree char *text = judged(&listening, NULL);
    assert_non_null(strstr(text, "only text arrives"));
    assert_non_null(strstr(text, "loader 1.2 waits"));
    end(&listening);
}

/* A hello tells which definition the other end has. */
static void test_hello(void **state)
{
    static const struct {
        unsigned major, minor;
        bool same;
        const char *wanted;
    } cases[] = { { 2, 3, true, "" },
                  { 2, 3, false, "was built from another definition" },
                  { 2, 4, false, "has a newer minor version" },
                  { 2, 1, false, "has an older minor version" } };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        struct listening listening = begin();
        g_autofree char *json =
            g_strdup_printf("{\"major\":%u,\"minor\":%u,\"fingerprint\":%u,\"max_payload\":40,\"boot\":1,\"peer\":0,"
                            "\"name\":\"kiln\"}",
                            cases[i].major, cases[i].minor, zg_fingerprint(plan.plan) + (cases[i].same ? 0 : 1));
        g_autoptr(GByteArray) frame = view_frame(plan.plan, "hello", json, 0);
        hear(&listening, frame->data, frame->len);
        g_autofree char *text = judged(&listening, NULL);
        if (cases[i].wanted[0] ? !strstr(text, cases[i].wanted) : text[0] != '\0')
            fail_msg("no \"%s\" in \"%s\"", cases[i].wanted, text);
        end(&listening);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_frames), cmocka_unit_test(test_seventh_bit),
                                        cmocka_unit_test(test_silence), cmocka_unit_test(test_bytes),
                                        cmocka_unit_test(test_hello) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
