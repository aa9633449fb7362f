/* SPDX-License-Identifier: MIT */
/* The LINK of the command line: what it means, and what is wrong with it. */
#include "link/address.h"

#include "support.h"

static void test_sound(void **state)
{
    static const struct {
        const char *text;
        enum zg_address_kind kind;
        const char *name, *path, *port;
    } cases[] = {
        { "serial:/dev/ttyUSB0", ZG_ADDRESS_SERIAL, "serial:/dev/ttyUSB0", "/dev/ttyUSB0", NULL },
        { "serial:x?baud=9600&flow=none", ZG_ADDRESS_SERIAL, "serial:x", "x", NULL },
        { "rfc2217:mill.example:4001", ZG_ADDRESS_RFC2217, "rfc2217:mill.example:4001", "mill.example", "4001" },
        { "pty:/tmp/loom", ZG_ADDRESS_PTY, "pty:/tmp/loom", "/tmp/loom", NULL },
        { "unix:a:b", ZG_ADDRESS_UNIX, "unix:a:b", "a:b", NULL },
        { "tcp:localhost:1", ZG_ADDRESS_TCP, "tcp:localhost:1", "localhost", "1" },
        { "tcp:[::1]:65535", ZG_ADDRESS_TCP, "tcp:[::1]:65535", "::1", "65535" },
        { "udp:10.0.0.7:47", ZG_ADDRESS_UDP, "udp:10.0.0.7:47", "10.0.0.7", "47" },
        { "file:seen.pcap?pace=own", ZG_ADDRESS_FILE, "file:seen.pcap", "seen.pcap", NULL },
        { "sim:", ZG_ADDRESS_SIM, "sim:", "", NULL },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        struct zg_address address;
        assert_true(zg_address_parse(cases[i].text, &address, NULL));
        assert_int_equal(address.kind, cases[i].kind);
        assert_string_equal(address.text, cases[i].name);
        assert_string_equal(address.path, cases[i].path);
        assert_int_equal(g_strcmp0(address.port, cases[i].port), 0);
        assert_int_equal(address.own_time, cases[i].kind == ZG_ADDRESS_FILE);
        zg_address_clear(&address);
    }
}

/* What an address does not say is taken from the definition. */
static void test_settings(void **state)
{
    static const struct zg_line line = { .baud = 19200, .data_bits = 8, .parity = 'N', .half_stops = 2 };
    static const struct {
        const char *text;
        struct zg_serial_settings wanted;
    } cases[] = {
        { "serial:x", { 19200, 8, 'N', 2, false, ZG_LEVEL_LEFT, ZG_LEVEL_LEFT } },
        { "serial:x?baud=100000000&dtr=on", { 100000000, 8, 'N', 2, false, ZG_LEVEL_ON, ZG_LEVEL_LEFT } },
        { "rfc2217:h:1?format=7E1.5&flow=rts_cts&rts=off", { 19200, 7, 'E', 3, true, ZG_LEVEL_LEFT, ZG_LEVEL_OFF } },
        { "serial:x?format=5S2", { 19200, 5, 'S', 4, false, ZG_LEVEL_LEFT, ZG_LEVEL_LEFT } },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        struct zg_address address;
        assert_true(zg_address_parse(cases[i].text, &address, NULL));
        const struct zg_serial_settings got = zg_address_settings(&address, &line), *wanted = &cases[i].wanted;
        assert_int_equal(got.baud, wanted->baud);
        assert_int_equal(got.data_bits, wanted->data_bits);
        assert_int_equal(got.parity, wanted->parity);
        assert_int_equal(got.half_stops, wanted->half_stops);
        assert_int_equal(got.flow, wanted->flow);
        assert_int_equal(got.dtr, wanted->dtr);
        assert_int_equal(got.rts, wanted->rts);
        zg_address_clear(&address);
    }
}

static void test_unsound(void **state)
{
    static const char *const cases[][2] = {
        { "", "expected serial:/dev/ttyUSB0, rfc2217:HOST:PORT" },
        { "serial", "is no link" },
        { "serial:", "is no link" },
        { "sim:x", "is no link" },
        { "/dev/ttyUSB9", "did you mean \"serial:/dev/ttyUSB9\"?" },
        { "mill.example:4000", "did you mean \"tcp:mill.example:4000\"?" },
        { "tcp:localhost", "such as tcp:localhost:4000" },
        { "tcp::80", "expected a host and a port from 1 to 65535" },
        { "udp:h:65536", "expected a host and a port from 1 to 65535" },
        { "rfc2217:h:0", "expected a host and a port from 1 to 65535" },
        { "serial:x?baud=0", "baud: expected a number from 1 to 100000000, found \"0\"" },
        { "serial:x?format=8X1", "5 to 8 data bits" },
        { "serial:x?format=9N1", "5 to 8 data bits" },
        { "serial:x?flow", "flow: expected rts_cts or none, found \"\"" },
        { "serial:x?dtr=1", "dtr: expected on or off" },
        { "serial:x?buad=1", "did you mean \"baud\"?" },
        { "tcp:h:1?baud=1", "this kind of link has no options" },
        { "file:x?pace=slow", "expected own or full" },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        struct zg_address address;
        g_autoptr(GError) error = NULL;
        assert_false(zg_address_parse(cases[i][0], &address, &error));
        if (!strstr(error->message, cases[i][1]))
            fail_msg("\"%s\": %s", cases[i][0], error->message);
        assert_null(address.text); /* nothing is left to be freed */
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_sound), cmocka_unit_test(test_settings),
                                        cmocka_unit_test(test_unsound) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
