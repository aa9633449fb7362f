/* SPDX-License-Identifier: MIT */
/* An open LINK of a kind that needs neither clock nor network: a capture, or a socket whose other end is ours. */
#include "link/wire.h"

#include <string.h>

#include "device/simulated_wire.h"
#include "support.h"

static struct test_plan small;
static char *folder;
static GString *noticed;

static void note(const char *text, void *data)
{
    (void)data;
    g_string_append_printf(noticed, "%s\n", text);
}

static int set_up(void **state)
{
    (void)state;
    small = test_plan_of(test_small_definition);
    folder = g_dir_make_tmp("zeugma-wire-XXXXXX", NULL);
    noticed = g_string_new(NULL);
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    test_plan_clear(&small);
    test_remove_folder(folder);
    g_free(folder);
    g_string_free(noticed, TRUE);
    return 0;
}

static struct zg_wire *open_link(const char *kind, const char *name, struct zg_wire_settings settings, GError **error)
{
    g_autofree char *text = g_strdup_printf("%s:%s%s%s", kind, name[0] ? folder : "", name[0] ? "/" : "", name);
    struct zg_address address;

    settings.plan = small.plan;
    settings.notice = note;
    assert_true(zg_address_parse(text, &address, NULL));
    struct zg_wire *wire = zg_wire_open(&address, &settings, error);
    zg_address_clear(&address);
    return wire;
}

/* What passed over a socket is read back from the capture made meanwhile, in its directions and with what happened. */
static void test_capture(void **state)
{
    g_autofree char *capture = g_build_filename(folder, "seen", NULL), *socket = g_build_filename(folder, "u", NULL);
    struct zg_channel other;
    struct zg_passage passage;
    uint8_t bytes[8];
    (void)state;
    assert_int_equal(zg_channel_listen_unix(&other, socket), 0);
    struct zg_wire *wire = open_link("unix", "u", (struct zg_wire_settings){ .capture = capture }, NULL);
    assert_non_null(wire);
    assert_true(zg_channel_is_open(&other));
    assert_true(zg_wire_is_up(wire));
    assert_int_equal(zg_wire_baud(wire), 0);
    assert_false(zg_wire_set_baud(wire, 9600));
    assert_false(zg_wire_errors(wire, &(struct zg_serial_errors){ 0 }));
    assert_true(zg_wire_write(wire, (const uint8_t *)"abc", 3, NULL));
    assert_int_equal(zg_wire_unwritten(wire), 0);
    assert_int_equal(zg_channel_read(&other, bytes, sizeof bytes), 3);
    assert_int_equal(zg_channel_write(&other, (const uint8_t *)"\xFF\x00", 2), 2);
    assert_true(zg_wire_read(wire, &passage, NULL));
    assert_int_equal(passage.count, 2);
    assert_false(passage.out);
    assert_memory_equal(passage.bytes, "\xFF\x00", 2);
    zg_channel_close(&other);
    g_autoptr(GError) error = NULL;
    assert_false(zg_wire_read(wire, &passage, &error));
    assert_non_null(strstr(error->message, "the other side closed the connection"));
    assert_true(zg_wire_close(wire, NULL));

    struct zg_wire *replay = open_link("file", "seen", (struct zg_wire_settings){ 0 }, NULL);
    g_autoptr(GByteArray) in = g_byte_array_new(), out = g_byte_array_new();
    uint64_t last_ns = 0;
    assert_true(zg_wire_is_replay(replay));
    for (unsigned i = 0; i < 10 && !zg_wire_has_ended(replay); i++) {
        assert_true(zg_wire_read(replay, &passage, NULL));
        g_byte_array_append(passage.out ? out : in, passage.bytes, (guint)passage.count);
        assert_true(zg_wire_event_ns(replay) >= last_ns);
        last_ns = zg_wire_event_ns(replay);
    }
    assert_true(zg_wire_has_ended(replay));
    assert_int_equal(out->len, 3);
    assert_memory_equal(out->data, "abc", 3);
    assert_int_equal(in->len, 2);
    assert_non_null(strstr(noticed->str, "capture: "));
    g_autoptr(GError) refused = NULL;
    assert_false(zg_wire_write(replay, bytes, 1, &refused));
    assert_non_null(strstr(refused->message, "a capture can only be read"));
    assert_true(zg_wire_close(replay, NULL));
}

/* Bytes that the other side does not take are kept, up to a limit, and sent once it does. */
static void test_held_back(void **state)
{
    static uint8_t piece[65536];
    g_autofree char *socket = g_build_filename(folder, "v", NULL);
    g_autoptr(GError) error = NULL;
    struct zg_channel other;
    struct zg_passage passage;
    size_t given = 0, read = 0;
    (void)state;
    assert_int_equal(zg_channel_listen_unix(&other, socket), 0);
    struct zg_wire *wire = open_link("unix", "v", (struct zg_wire_settings){ 0 }, NULL);
    assert_true(zg_channel_is_open(&other));
    while (zg_wire_unwritten(wire) < 4 * sizeof piece) {
        assert_true(zg_wire_write(wire, piece, sizeof piece, NULL));
        given += sizeof piece;
    }
    for (long count; read < given; read += (size_t)count) {
        count = zg_channel_read(&other, piece, sizeof piece);
        assert_true(count >= 0);
        assert_true(zg_wire_read(wire, &passage, NULL)); /* which writes on */
    }
    assert_int_equal(zg_wire_unwritten(wire), 0);
    while (zg_wire_write(wire, piece, sizeof piece, &error))
        assert_true(zg_wire_unwritten(wire) <= 1 << 20);
    assert_non_null(strstr(error->message, "the other side no longer takes bytes"));
    assert_true(zg_wire_close(wire, NULL));
    zg_channel_close(&other);
}

static void test_refused(void **state)
{
    static const struct {
        const char *kind, *name;
        struct zg_wire_settings settings;
        int code;
        const char *wanted;
    } cases[] = {
        { "sim", "", { .serves = true, .simulated = &zg_simulated_wire }, ZG_WIRE_ERROR_USE, "nobody can connect to" },
        { "sim", "", { 0 }, ZG_WIRE_ERROR_USE, "cannot be opened here" },
        { "file", "nowhere", { .serves = true }, ZG_WIRE_ERROR_USE, "nobody can connect to" },
        { "unix", "nowhere", { 0 }, ZG_WIRE_ERROR_TROUBLE, "nobody serves there" },
        { "serial", "nowhere", { 0 }, ZG_WIRE_ERROR_TROUBLE, "there is no such port" },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autoptr(GError) error = NULL;
        assert_null(open_link(cases[i].kind, cases[i].name, cases[i].settings, &error));
        assert_true(g_error_matches(error, ZG_WIRE_ERROR, cases[i].code));
        if (!strstr(error->message, cases[i].wanted))
            fail_msg("%s", error->message);
    }
    g_autoptr(GError) error = NULL;
    assert_null(open_link("file", "nowhere", (struct zg_wire_settings){ 0 }, &error));
    assert_non_null(strstr(error->message, "nowhere"));
}

/* What a serial port makes of a line: bytes are turned round if their most significant bit goes first, and what no UART
 * of a PC does is refused. */
static void test_serial_lines(void **state)
{
    static const struct {
        const char *line, *wanted;
    } rows[] = { { "format: { order: msb }", NULL },
                 { "format: { idle: low }", "a line that idles low" },
                 { "format: { stop_level: low }", "stop bits at another level" },
                 { "carrier: 1 MHz", "a carrier" },
                 { "kind: clocked, pair: { byte_gap: 1 ms }", "a clocked line" } };
    g_autofree char *terminal = g_build_filename(folder, "tty", NULL);
    const struct test_plan usual = small;
    struct zg_passage passage = { 0 };
    struct zg_channel other;
    uint8_t bytes[8];
    (void)state;
    assert_int_equal(zg_channel_open_pty(&other, terminal), 0);
    for (size_t i = 0; i < G_N_ELEMENTS(rows); i++) {
        g_autofree char *text = g_strdup_printf("line: { %s }\n%s", rows[i].line, test_small_definition);
        g_autoptr(GError) error = NULL;
        small = test_plan_of(text);
        struct zg_wire *wire = open_link("serial", "tty", (struct zg_wire_settings){ 0 }, &error);
        if (rows[i].wanted) {
            assert_null(wire);
            assert_non_null(strstr(error->message, rows[i].wanted));
            assert_non_null(strstr(error->message, "ports/"));
            test_plan_clear(&small);
            continue;
        }
        assert_non_null(wire);
        assert_true(zg_channel_is_open(&other));
        assert_true(zg_wire_write(wire, (const uint8_t *)"\x01\xA0\xFF", 3, NULL));
        assert_int_equal(zg_channel_read(&other, bytes, sizeof bytes), 3);
        assert_memory_equal(bytes, "\x80\x05\xFF", 3);
        assert_int_equal(zg_channel_write(&other, (const uint8_t *)"\x02\xC0", 2), 2);
        while (passage.count == 0)
            assert_true(zg_wire_read(wire, &passage, NULL));
        assert_int_equal(passage.count, 2);
        assert_memory_equal(passage.bytes, "\x40\x03", 2);
        assert_true(zg_wire_close(wire, NULL));
        test_plan_clear(&small);
    }
    zg_channel_close(&other);
    small = usual;
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_capture), cmocka_unit_test(test_held_back),
                                        cmocka_unit_test(test_refused), cmocka_unit_test(test_serial_lines) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
