/* SPDX-License-Identifier: MIT */
/* A serial port behind Telnet: the bytes of RFC 854, 856 and 2217. */
#include "link/com_port.h"

#include "codec/hex.h"
#include "sim/random.h"
#include "support.h"

static void take(struct zg_com_port *port, GByteArray *data, const char *hex)
{
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(hex, NULL);
    zg_com_port_take(port, bytes->data, bytes->len, data);
}

static void assert_replies(struct zg_com_port *port, const char *hex)
{
    g_autoptr(GByteArray) wanted = zg_bytes_from_hex(hex, NULL);
    assert_int_equal(port->replies->len, wanted->len);
    assert_memory_equal(port->replies->data, wanted->data, wanted->len);
    g_byte_array_set_size(port->replies, 0);
}

/* What is negotiated and requested, and how it is answered. */
static void test_dialogue(void **state)
{
    const struct zg_serial_settings settings = { 115200, 7, 'E', 3, true, ZG_LEVEL_OFF, ZG_LEVEL_ON };
    g_autoptr(GByteArray) data = g_byte_array_new();
    struct zg_com_port port;
    (void)state;
    zg_com_port_begin(&port);
    assert_replies(&port, "fffb2c fffb00 fffd00 fffb03 fffd03");
    take(&port, data, "fffd2c fffd00 fffb00 fffb03 fffd03"); /* all agreed: nothing to reply */
    assert_replies(&port, "");
    assert_int_equal(port.control, ZG_AGREEMENT_YES);
    assert_int_equal(port.binary_in, ZG_AGREEMENT_YES);
    assert_int_equal(port.binary_out, ZG_AGREEMENT_YES);
    take(&port, data, "fffb01 fffd18 fffb2c"); /* the server's echo, our terminal's type: declined */
    assert_replies(&port, "fffe01 fffc18 fffd2c");
    take(&port, data, "fffc01 fffe18"); /* which it confirms */
    assert_replies(&port, "");
    zg_com_port_set(&port, &settings);
    assert_replies(&port, "fffa2c0a1efff0 fffa2c0bf0fff0 fffa2c010001c200fff0 fffa2c0207fff0 fffa2c0303fff0"
                          "fffa2c0403fff0 fffa2c0503fff0 fffa2c0509fff0 fffa2c050bfff0");
    take(&port, data, "fffa2c650001c200fff0 fffa2c6607fff0 fffa2c6703fff0 fffa2c6803fff0");
    assert_int_equal(port.answered, ZG_COM_ALL & ~ZG_COM_FLOW);
    take(&port, data, "fffa2c6909fff0"); /* DTR */
    assert_int_equal(port.answered, ZG_COM_ALL & ~ZG_COM_FLOW);
    take(&port, data, "fffa2c6903fff0");
    assert_int_equal(port.answered, ZG_COM_ALL);
    assert_int_equal(port.baud, 115200);
    assert_int_equal(port.data_bits, 7);
    assert_int_equal(port.parity, 'E');
    assert_int_equal(port.half_stops, 3);
    assert_true(port.flow);
    zg_com_port_set_baud(&port, 0xFF00FF);
    assert_replies(&port, "fffa2c0100ffff00fffffff0"); /* values are doubled like data */
    take(&port, data, "fffa2c6500ffff00fffffff0");
    assert_int_equal(port.baud, 0xFF00FF);
    take(&port, data, "fffa2c6a1cfff0 fffa2c6a02fff0 fffa2c6b30fff0 fffa2c6cfff0");
    assert_int_equal(port.errors.parity, 1);
    assert_int_equal(port.errors.framing, 1);
    assert_int_equal(port.errors.breaks, 1);
    assert_int_equal(port.errors.overrun, 1);
    assert_int_equal(port.modem, ZG_MODEM_CTS | ZG_MODEM_DSR);
    assert_true(port.is_held);
    take(&port, data, "fffa2c6dfff0 fffe2c");
    assert_false(port.is_held);
    assert_int_equal(port.control, ZG_AGREEMENT_NO);
    assert_int_equal(data->len, 0);
    zg_com_port_clear(&port);
}

/* Data passes whatever its bytes, in pieces of any size, with commands in between, including ones that are cut short,
 * too long or unknown. */
static void test_pieces(void **state)
{
    static const char *const between[] = { "fff1",           "fffb55",         "fffa2c6a08fff0", "fffa2c65fff0",
                                           "fffa2cfff0",     "fffafff0",       "fffa1800fff0",   "fffa2cff7f",
                                           "fffa2c6501fff1", "fffa2c6b20fff0", "fffa2c63fff0" };
    struct zg_random random = zg_random_seeded(22, 0);
    g_autofree char *filler = g_strnfill(400, '4'), *longer = g_strdup_printf("fffa2c65%sfff0", filler);
    struct zg_com_port port;
    (void)state;
    for (unsigned round = 0; round < test_rounds(200); round++) {
        g_autoptr(GByteArray) wanted = g_byte_array_new(), sent = g_byte_array_new(), got = g_byte_array_new();
        zg_com_port_begin(&port);
        for (unsigned i = 0; i < 20; i++) {
            uint8_t bytes[64];
            const size_t count = zg_random_below(&random, sizeof bytes);
            for (size_t k = 0; k < count; k++) /* many of FF */
                bytes[k] = zg_random_one_in(&random, 3) ? 0xFF : (uint8_t)zg_random_below(&random, 256);
            zg_com_port_give(bytes, count, sent);
            g_byte_array_append(wanted, bytes, (guint)count);
            const uint64_t choice = zg_random_below(&random, G_N_ELEMENTS(between) + 1);
            g_autoptr(GByteArray) raw =
                zg_bytes_from_hex(choice < G_N_ELEMENTS(between) ? between[choice] : longer, NULL);
            g_byte_array_append(sent, raw->data, raw->len);
        }
        for (guint at = 0; at < sent->len;) {
            const guint most = 1 + (guint)zg_random_below(&random, 9), count = MIN(sent->len - at, most);
            zg_com_port_take(&port, sent->data + at, count, got);
            at += count;
        }
        assert_int_equal(got->len, wanted->len);
        assert_memory_equal(got->data, wanted->data, wanted->len);
        zg_com_port_clear(&port);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_dialogue), cmocka_unit_test(test_pieces) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
