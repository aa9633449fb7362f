/* SPDX-License-Identifier: MIT */
/* The verb ports, on a made-up folder of devices. */
#include "processes.h"

#include <json-glib/json-glib.h>
#include <string.h>

static void make_file(const char *path, const char *text)
{
    g_autofree char *whole = g_build_filename(test_folder, "root", path, NULL), *parent = g_path_get_dirname(whole);
    assert_int_equal(g_mkdir_with_parents(parent, 0755), 0);
    assert_true(g_file_set_contents(whole, text, -1, NULL));
}

static void make_link(const char *target, const char *path)
{
    g_autofree char *whole = g_build_filename(test_folder, "root", path, NULL), *parent = g_path_get_dirname(whole);
    assert_int_equal(g_mkdir_with_parents(parent, 0755), 0);
    assert_int_equal(symlink(target, whole), 0);
}

/* Shows what the system's folders say; omits a port without a chip, and a terminal that is no port. */
static void test_ports(void **state)
{
    (void)state;
    make_file("sys/devices/usb1/1-1/idVendor", "1209\n");
    make_file("sys/devices/usb1/1-1/idProduct", "0001\n");
    make_file("sys/devices/usb1/1-1/manufacturer", "Weavers\n");
    make_file("sys/devices/usb1/1-1/product", "Loom head\n");
    make_file("sys/devices/usb1/1-1/1-1:1.0/ttyACM3/dev", "166:3\n");
    make_link("../../../devices/usb1/1-1/1-1:1.0", "sys/class/tty/ttyACM3/device");
    make_link("../../../../bus/usb/drivers/cdc_acm", "sys/devices/usb1/1-1/1-1:1.0/driver");
    make_file("sys/devices/pnp/00:01/id", "PNP0501\n");
    make_link("../../../devices/pnp/00:01", "sys/class/tty/ttyS1/device");
    make_file("sys/class/tty/ttyS1/type", "0\n");
    make_file("sys/class/tty/console/dev", "5:1\n");
    make_file("dev/ttyACM3", "");
    make_link("../../ttyACM3", "dev/serial/by-id/usb-Weavers_Loom_head-if00");
    g_autofree char *text = test_run(0, "ports --root root"), *json = test_run(0, "ports --root root --json");
    test_assert_in(text, "root/dev/ttyACM3  Weavers Loom head  [1209:0001]  (cdc_acm)\n");
    test_assert_in(text, "root/dev/serial/by-id/usb-Weavers_Loom_head-if00\n");
    assert_null(strstr(text, "ttyS1"));
    g_autoptr(JsonParser) parser = json_parser_new();
    assert_true(json_parser_load_from_data(parser, json, -1, NULL));
    assert_int_equal(json_array_get_length(json_node_get_array(json_parser_get_root(parser))), 1);
}

#define LINK_TEST(test) cmocka_unit_test_teardown(test, test_kill_running)

int main(void)
{
    const struct CMUnitTest tests[] = { LINK_TEST(test_ports) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
