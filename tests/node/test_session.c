/* SPDX-License-Identifier: MIT */
/* A session on a capture: what passed is reported with its direction and time, including what silence ends; no time
 * passes. */
#include "node/session.h"

#include <string.h>

#include "codec/frame.h"
#include "link/capture.h"
#include "support.h"

static char *folder, *path;
static GString *told;

static int set_up(void **state)
{
    (void)state;
    folder = g_dir_make_tmp("zeugma-session-XXXXXX", NULL);
    path = g_build_filename(folder, "seen", NULL);
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    test_remove_folder(folder);
    g_free(folder);
    g_free(path);
    return 0;
}

static void tell(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    (void)data;
    g_string_append_printf(told, "%u ms %s ", (unsigned)(at_ns / 1000000), out ? "out" : "in");
    if (stretch->kind == ZG_STRETCH_FRAME)
        g_string_append_printf(told, "%u\n", (unsigned)stretch->values[0].raw.u);
    else
        g_string_append_printf(told, "%u bytes: %s\n", (unsigned)stretch->raw_length, stretch->why);
}

static void tell_bytes(void *data, const struct zg_passage *passage)
{
    *(size_t *)data += passage->count;
}

/* Runs a session over a capture to its end; `parts` are its records: ms, direction, a frame's number or half of it. */
struct part {
    unsigned ms;
    bool out;
    unsigned number;
    bool half;
};

static char *run(const char *definition, const struct part *parts, unsigned count)
{
    static const struct zg_session_calls calls = { .stretch = tell, .bytes = tell_bytes };
    struct test_plan plan = test_plan_of(definition);
    struct zg_capture_writer *writer = zg_capture_create(path, NULL);
    struct zg_address address;
    size_t written = 0, heard = 0;

    for (unsigned i = 0; i < count; i++) {
        const struct zg_header header = { .id = 1 };
        const uint8_t payload[] = { (uint8_t)parts[i].number, 0 };
        g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, payload, sizeof payload);
        const guint size = parts[i].half ? frame->len / 2 : frame->len;
        assert_true(zg_capture_add(writer, parts[i].out ? ZG_CAPTURE_OUT : ZG_CAPTURE_IN, 0,
                                   UINT64_C(1700000000000000000) + parts[i].ms * UINT64_C(1000000), 0, frame->data,
                                   size, NULL));
        written += size;
    }
    assert_true(zg_capture_close(writer, NULL));
    g_autofree char *text = g_strconcat("file:", path, NULL);
    assert_true(zg_address_parse(text, &address, NULL));
    struct zg_wire *wire = zg_wire_open(&address, &(struct zg_wire_settings){ .plan = plan.plan }, NULL);
    struct zg_session *session = zg_session_new(plan.plan, wire, false, &calls, &heard);
    told = g_string_new(NULL);
    assert_null(zg_session_node(session));
    assert_true(zg_session_run(session, UINT64_MAX, NULL, NULL));
    assert_int_equal(heard, written);
    zg_session_end(session);
    assert_true(zg_session_reported_ns(session) == UINT64_MAX); /* nothing is open any more */
    g_string_append_printf(told, "%u from the device, %u to it\n", zg_session_counters(session, false)->frames_in,
                           zg_session_counters(session, true)->frames_in);
    zg_session_free(session);
    assert_true(zg_wire_close(wire, NULL));
    zg_address_clear(&address);
    test_plan_clear(&plan);
    return g_string_free(told, FALSE);
}

static void test_directions(void **state)
{
    static const struct part parts[] = { { 0, false, 1, false }, { 5, true, 2, false }, { 6, false, 3, false } };
    (void)state;
    g_autofree char *text = run("zeugma: 1\nprotocol: kiln\nversion: 1.0\n"
                                "frame: { framing: cobs, header: [id: u8], check: crc16/xmodem, max_payload: 8 }\n"
                                "messages: { heat: { id: 1, from: both, fields: { n: u16 } } }\n",
                                parts, G_N_ELEMENTS(parts));
    assert_string_equal(text, "0 ms in 1\n5 ms out 2\n6 ms in 3\n2 from the device, 1 to it\n");
}

/* Half a frame is ended by silence although the other direction continues; what silence ends has the time of its last
 * byte. */
static void test_silence(void **state)
{
    static const struct part parts[] = {
        { 0, false, 1, true }, { 10, true, 2, false }, { 400, true, 3, false }, { 900, false, 4, false }
    };
    (void)state;
    g_autofree char *text = run("zeugma: 1\nprotocol: kiln\nversion: 1.0\nline: { byte_timeout: 20 ms }\n"
                                "frame: { framing: cobs, header: [id: u8], check: crc16/xmodem, max_payload: 8 }\n"
                                "messages: { heat: { id: 1, from: both, fields: { n: u16 } } }\n",
                                parts, G_N_ELEMENTS(parts));
    assert_string_equal(text, "10 ms out 2\n0 ms in 3 bytes: cut short\n400 ms out 3\n900 ms in 4\n"
                              "1 from the device, 2 to it\n");
}

/* The same where silence ends every frame: two halves make one, and what comes before it is over belongs to it. */
static void test_gaps(void **state)
{
    static const struct part parts[] = {
        { 0, false, 1, false }, { 2, true, 2, false }, { 20, false, 3, true }, { 40, false, 4, false }
    };
    (void)state;
    g_autofree char *text =
        run("zeugma: 1\nprotocol: kiln\nversion: 1.0\nline: { baud: 38400 }\n"
            "frame: { framing: { kind: gap, gap: 5 ms }, header: [id: u8], check: crc16/modbus, max_payload: 8 }\n"
            "messages: { heat: { id: 1, from: both, fields: { n: u16 } } }\n",
            parts, G_N_ELEMENTS(parts));
    assert_string_equal(text, "0 ms in 1\n2 ms out 2\n20 ms in 2 bytes: too short\n40 ms in 4\n"
                              "2 from the device, 1 to it\n");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_directions), cmocka_unit_test(test_silence),
                                        cmocka_unit_test(test_gaps) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
