/* SPDX-License-Identifier: MIT */
/* The verbs that work on a LINK, as processes on pseudo-terminals and sockets, with what goes wrong there. */
#include "processes.h"

#include <fcntl.h>
#include <json-glib/json-glib.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <unistd.h>

#include "posix/channel.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

static gint64 counted_by_device(const char *report, const char *name)
{
    g_autoptr(JsonParser) parser = json_parser_new();
    assert_true(json_parser_load_from_data(parser, report, -1, NULL));
    JsonObject *counters =
        json_object_get_object_member(json_node_get_object(json_parser_get_root(parser)), "counters");
    return json_object_get_int_member(json_object_get_object_member(counters, "device"), name);
}

/* The link with PORT replaced by a free port of this machine. Free with g_free(). */
static char *with_port(const char *link, unsigned port)
{
    g_auto(GStrv) parts = g_strsplit(link, "PORT", 2);
    g_autofree char *number = g_strdup_printf("%u", port);
    return g_strjoinv(number, parts);
}

static unsigned free_port(const char *link)
{
    unsigned port;
    assert_int_equal(close(test_bind_anywhere(g_str_has_prefix(link, "udp") ? SOCK_DGRAM : SOCK_STREAM, &port)), 0);
    return port;
}

/* Frames, a request, an acknowledged message and a variable over each kind; what is captured meanwhile reads back the
 * same. */
static void test_kinds(void **state)
{
    static const char *const kinds[][2] = { { "pty:p", "serial:p" },
                                            { "unix:u", "unix:u" },
                                            { "tcp:127.0.0.1:PORT", "tcp:localhost:PORT" },
                                            { "udp:127.0.0.1:PORT", "udp:127.0.0.1:PORT" } };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(kinds); i++) {
        const unsigned port = free_port(kinds[i][0]);
        g_autofree char *served = with_port(kinds[i][0], port), *link = with_port(kinds[i][1], port);
        struct process device = test_start_device(served, "");
        g_autofree char *watch = g_strdup_printf("watch " LOOM " %s --json --show pick --count 8 --capture seen", link);
        g_autofree char *again = g_strdup("watch " LOOM " file:seen --json --show pick --count 8");
        g_autofree char *request = g_strdup_printf("send " LOOM " %s load_row '{\"row\":77,\"lift\":5}'", link);
        g_autofree char *speed = g_strdup_printf("send " LOOM " %s set_speed '{\"picks_per_min\":5}'", link);
        g_autofree char *write = g_strdup_printf("vars " LOOM " %s target_tension=120.5 rows_woven", link);
        g_autofree char *soak = g_strdup_printf("soak " LOOM " %s --for 200ms --json", link);
        g_autofree char *live = test_run(0, watch), *replayed = test_run(0, again);
        assert_int_equal(test_lines_with(live, "\"message\":\"pick\""), 8);
        const char *first = strstr(live, "\"message\"");
        g_autofree char *pick = g_strndup(first, strcspn(first, "\n"));
        test_assert_in(replayed, pick);
        assert_int_equal(test_lines_with(replayed, "\"message\":\"pick\""), 8);
        test_assert_run(0, request, "row=77");
        test_assert_run(0, speed, "set_speed: delivered");
        test_assert_run(0, write, "120.5 N");
        g_autofree char *soaked = test_run(0, soak);
        test_assert_in(soaked, "\"adds_up\": true");
        assert_int_equal(counted_by_device(soaked, "frames_in") > 10, true);
        assert_int_equal(counted_by_device(soaked, "repeated"), 0); /* although others numbered frames before it */
        assert_int_equal(counted_by_device(soaked, "late"), 0);
        test_end(&device);
    }
}

/* Messages from a file are sent at the times given there; if the file has an error, nothing is sent. */
static void test_script(void **state)
{
    (void)state;
    g_autofree char *path = g_build_filename(test_folder, "script", NULL);
    assert_true(g_file_set_contents(path,
                                    "{\"at\":7.0,\"message\":\"set_speed\",\"fields\":{\"picks_per_min\":10}}\n"
                                    "{\"at\":7.1,\"message\":\"pick\",\"from\":\"device\",\"fields\":{}}\n"
                                    "{\"at\":7.3,\"message\":\"load_row\",\"fields\":{\"row\":1,\"lift\":2}}\n",
                                    -1, NULL));
    const gint64 before = g_get_monotonic_time();
    test_assert_run(0, "send " LOOM " sim: --file script", "row=1");
    assert_true(g_get_monotonic_time() - before >= 300000);
    assert_true(g_file_set_contents(path,
                                    "{\"message\":\"set_speed\",\"fields\":{\"picks_per_min\":10}}\n"
                                    "{\"message\":\"load_row\",\"fields\":{\"row\":1}}\n",
                                    -1, NULL));
    test_assert_run(1, "send " LOOM " sim: --file script", "script:2: load_row: the field \"lift\" is missing");
    test_assert_run(3, "send " LOOM " sim: --file nowhere", "nowhere");
}

/* A device that restarts is noticed, and served as before. */
static void test_restart(void **state)
{
    (void)state;
    struct process device = test_start_device("pty:p", "--capture d");
    struct process watch = test_start("watch " LOOM " serial:p --answer");
    test_await(&watch, "the device has said who it is");
    assert_int_equal(kill(device.id, SIGUSR1), 0);
    test_await(&watch, "the device has restarted");
    test_end(&watch);
    test_assert_run(0, "send " LOOM " serial:p load_row '{\"row\":3,\"lift\":5}' --capture c", "row=3");
    assert_int_equal(kill(device.id, SIGINT), 0);
    assert_int_equal(test_finish(&device, 0), 0);
    test_assert_in(device.text->str, "1 restarts");
    test_clear(&device);
    for (unsigned i = 0; i < 2; i++) { /* both ends captured the same, in the same directions */
        g_autofree char *seen = test_run(0, i == 0 ? "watch " LOOM " file:c" : "watch " LOOM " file:d");
        test_assert_in(seen, "→ load_row     row=3");
        test_assert_in(seen, "← row_taken    row=3");
    }
}

static void test_vanishing(void **state)
{
    (void)state;
    struct process device = test_start_device("pty:p", "");
    struct process watch = test_start("watch " LOOM " serial:p --capture gone");
    test_await(&watch, "pick");
    test_assert_run(3, "watch " LOOM " serial:p --for 1s", "is in use by zeugma (process ");
    assert_int_equal(test_finish(&device, SIGKILL), -SIGKILL);
    test_clear(&device);
    test_await(&watch, "p is gone; waiting for it to come back");
    device = test_start_device("pty:p", "--seed 9"); /* over the link that the killed one left */
    test_await(&watch, "p is back");
    g_string_truncate(watch.text, 0);
    test_await(&watch, "pick");
    test_end(&watch);
    test_end(&device);
    test_assert_run(0, "watch " LOOM " file:gone", "capture: p is gone; waiting for it to come back");
    device = test_start_device("unix:u", "");
    watch = test_start("watch " LOOM " unix:u");
    test_await(&watch, "pick");
    test_end(&device);
    assert_int_equal(test_finish(&watch, 0), 3);
    test_assert_in(watch.errors->str, "the other side closed the connection");
    test_clear(&watch);
    test_assert_run(3, "send " LOOM " unix:u set_speed '{\"picks_per_min\":5}'", "nobody serves there");
    test_assert_run(3, "watch " LOOM " serial:/dev/null", "is no serial port");
    test_assert_run(3, "sim " LOOM " --on pty:script --for 1s", "exists and is something else");
    test_assert_run(2, "sim " LOOM " --on file:x --for 1s", "nobody can connect to file:x");
}

/* The other side stops reading: the device goes on, loses what is not read, and ends cleanly; the PC's end gives up. */
static void test_stalling(void **state)
{
    (void)state;
    struct zg_channel channel;
    g_autofree char *path = g_build_filename(test_folder, "u", NULL);
    struct process device = test_start_device("unix:u", "--busy --baud 20000000");
    uint8_t byte;
    assert_int_equal(zg_channel_connect_unix(&channel, path), 0);
    g_usleep(700000);
    assert_int_equal(zg_channel_read(&channel, &byte, 1), 1);
    zg_channel_close(&channel);
    test_end(&device);
    /* nobody reads what send writes, or answers */
    assert_int_equal(zg_channel_listen_unix(&channel, path), 0);
    test_assert_run(1, "send " LOOM " unix:u set_speed '{\"picks_per_min\":5}'", "set_speed: no answer");
    zg_channel_close(&channel);
}

/* A closed pipe, which is no error, and a full disk end what they make pointless; Ctrl-C keeps what was captured. */
static void test_outputs(void **state)
{
    (void)state;
    struct process watch = test_start("watch " LOOM " sim: --json");
    test_await(&watch, "pick");
    close(watch.out);
    watch.out = open("/dev/null", O_RDONLY);
    assert_int_equal(test_finish(&watch, 0), 0);
    assert_null(strstr(watch.errors->str, "cannot write"));
    test_clear(&watch);
    test_assert_run(3, "watch " LOOM " sim: --capture /dev/full --for 9s",
                    "cannot write the capture /dev/full: No space");
    test_assert_run(3, "watch " LOOM " sim: --capture nowhere/x --for 9s", "cannot create the capture nowhere/x");
    watch = test_start("watch " LOOM " sim: --json --capture kept");
    test_await(&watch, "\"number\":3");
    assert_int_equal(test_finish(&watch, SIGINT), 0);
    test_assert_in(watch.text->str, "{\"summary\":{\"seconds\":");
    g_autofree char *replayed = test_run(0, "watch " LOOM " file:kept --json");
    assert_int_equal(test_lines_with(replayed, "\"message\":\"pick\""),
                     test_lines_with(watch.text->str, "\"message\":\"pick\""));
    test_clear(&watch);
}

/* A path is removed at the end if it is still its own; one that leads to a terminal in use is not taken. */
static void test_paths(void **state)
{
    g_autofree char *path = g_build_filename(test_folder, "p", NULL), *other = g_build_filename(test_folder, "o", NULL);
    (void)state;
    struct process device = test_start_device("pty:p", "");
    g_autofree char *terminal = g_file_read_link(path, NULL);
    assert_int_equal(symlink(terminal, other), 0);
    test_assert_run(3, "sim " LOOM " --on pty:o", "o is in use: it leads to the terminal of a running program");
    test_assert_run(3, "sim " LOOM " --on pty:p", "p is in use: it leads to the terminal of a running program");
    assert_int_equal(remove(path), 0);
    assert_true(g_file_set_contents(path, "mine", -1, NULL));
    test_end(&device);
    assert_true(g_file_test(path, G_FILE_TEST_EXISTS));
    assert_int_equal(remove(path), 0);
    device = test_start_device("pty:o", ""); /* its terminal no longer exists */
    test_end(&device);
    assert_false(g_file_test(other, G_FILE_TEST_EXISTS));
}

/* An example's definition with the services that a soak needs. */
static char *with_echo(const char *example)
{
    g_autofree char *path = g_build_filename(TEST_SOURCE "/examples", example, NULL), *text = NULL;

    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    g_auto(GStrv) parts = g_strsplit(text, "services: [hello, delivery]", 2);
    return g_strjoinv("services: [hello, delivery, echo, counters]", parts);
}

/* The device's counters come in several frames, with frames of its own in between: the sums still agree. */
static void test_counters_in_pieces(void **state)
{
    g_autofree char *path = g_build_filename(test_folder, "pieces.yaml", NULL);
    (void)state;
    assert_true(g_file_set_contents(path,
                                    "zeugma: 1\nprotocol: pieces\nversion: 1.0\nline: { baud: 115200 }\n"
                                    "frame: { framing: cobs, header: [id: u8, sequence: u8], check: crc16/ibm-3740, "
                                    "max_payload: 9 }\nservices: [echo, counters]\n"
                                    "messages: { tick: { id: 1, from: device, every: 3 ms, fields: { n: u8 } } }\n",
                                    -1, NULL));
    struct process device = test_start("sim pieces.yaml --on pty:p");
    test_await(&device, "Ctrl-C ends it");
    for (unsigned i = 0; i < 3; i++)
        test_assert_run(0, "soak pieces.yaml serial:p --for 100ms", "every frame and byte is accounted for");
    test_end(&device);
}

/* A device that was held up continues, without sending what that time would have brought. */
static void test_held_up(void **state)
{
    static const char *const kinds[] = { "unix:u", "udp:127.0.0.1:PORT" };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(kinds); i++) {
        g_autofree char *link = with_port(kinds[i], free_port(kinds[i]));
        struct process device = test_start_device(link, "--busy");
        struct process watch = test_start("watch " LOOM " %s --json --for 4s", link);
        test_await(&watch, "pick");
        assert_int_equal(kill(device.id, SIGSTOP), 0);
        g_usleep(2500000);
        assert_int_equal(kill(device.id, SIGCONT), 0);
        assert_int_equal(test_finish(&watch, 0), 0);
        test_clear(&watch);
        test_end(&device);
    }
}

/* Packets over UDP, by the verbs and by generated C: also lost, repeated and overtaken ones; no other link keeps them
 * apart. */
static void test_packets(void **state)
{
    static const char definition[] = TEST_SOURCE "/examples/buoy/buoy.yaml";
    const unsigned port = free_port("udp");
    g_autofree char *serve =
        g_strdup_printf("sim %s --on udp:127.0.0.1:%u --faults drop=0.02,double=0.05,reorder=0.02", definition, port);
    g_autofree char *send = g_strdup_printf("send %s udp:127.0.0.1:%u pace '{\"seconds\": 2}'", definition, port);
    g_autofree char *watch =
        g_strdup_printf("watch %s udp:127.0.0.1:%u --json --show sea --count 1 --capture packets", definition, port);
    g_autofree char *again = g_strdup_printf("watch %s file:packets --json --show sea --count 1", definition);
    g_autofree char *soak = g_strdup_printf("soak %s udp:127.0.0.1:%u --for 4s", definition, port);
    g_autofree char *harbour = g_strdup_printf(TEST_BIN "/buoy_udp 127.0.0.1 %u 12", port);
    g_autofree char *wrong = g_strdup_printf("watch %s unix:u --for 1s", definition);
    g_autofree char *unfit = g_strdup_printf("sim %s --on udp:127.0.0.1:0 --faults fifo=3", definition);
    (void)state;
    test_assert_run(2, wrong, "unix:u is a stream of bytes, which does not keep packets apart");
    test_assert_run(2, unfit, "not for this link, which keeps packets apart: fifo");
    struct process device = test_start("%s", serve);
    test_await(&device, "Ctrl-C ends it");
    test_assert_run(0, send, "delivered");
    g_autofree char *seen = test_run(0, watch), *read = test_run(0, again);
    const char *frame = strstr(seen, "\"message\":\"sea\""), *end = frame ? strstr(frame, "\"raw\"") : NULL;
    assert_non_null(end);
    g_autofree char *fields = g_strndup(frame, (gsize)(end - frame));
    test_assert_in(read, fields);
    g_autofree char *report = test_run(0, soak);
    test_assert_in(report, "every frame and byte is accounted for");
    struct process host = test_start_program(harbour);
    assert_int_equal(test_finish(&host, 0), 0);
    test_assert_in(host.text->str, " V\n");
    test_clear(&host);
    test_end(&device);
}

/* On a shared line a soak works with one device. */
static void test_soak_of_one(void **state)
{
    g_autofree char *path = g_build_filename(test_folder, "shared.yaml", NULL),
                    *served = with_echo("carillon/carillon.yaml");
    (void)state;
    assert_true(g_file_set_contents(path, served, -1, NULL));
    struct process device = test_start("sim shared.yaml --on pty:p --address 3");
    test_await(&device, "Ctrl-C ends it");
    g_autofree char *report = test_run(0, "soak shared.yaml serial:p --to 3 --for 300ms --slow 1s");
    test_assert_in(report, "on serial:p, device 3, ");
    test_assert_in(report, "every frame and byte is accounted for");
    test_assert_run(1, "soak shared.yaml serial:p --for 300ms", "expected --to with a device's address from 1 to 14");
    test_assert_run(1, "soak shared.yaml sim: --to 3", "the simulated line has one device; leave --to out");
    test_end(&device);
}

/* With half duplex the services' answers wait until the line is free, and only one echo is open at a time. */
static void test_half_duplex(void **state)
{
    g_autofree char *path = g_build_filename(test_folder, "pair.yaml", NULL),
                    *served = with_echo("tide_mast/tide_mast.yaml");
    (void)state;
    g_auto(GStrv) lines = g_strsplit(served, "baud: 1200", 2);
    g_autofree char *faster = g_strjoinv("baud: 38400", lines);
    g_auto(GStrv) frames = g_strsplit(faster, "max_frame: 20", 2);
    g_autofree char *whole = g_strjoinv("max_frame: 64", frames);
    assert_true(g_file_set_contents(path, whole, -1, NULL));
    struct process device = test_start("sim pair.yaml --on pty:p");
    test_await(&device, "Ctrl-C ends it");
    test_assert_run(0, "send pair.yaml serial:p echo_request '{\"data\":\"0102\"}'", "data=0102");
    test_assert_run(0, "send pair.yaml serial:p counters_request '{\"first\":1,\"clear\":false}'", "first=1");
    test_assert_run(0, "soak pair.yaml serial:p --for 1s --slow 500ms", "every frame and byte is accounted for");
    test_end(&device);
}

/* The generated hosts, in C and Python, at the full rate of 921600 baud: nothing is lost, and what they send is
 * answered. A pseudo-terminal holds 44 ms of it, and a busy machine may stop a host for longer, hence three tries. */
static void test_hosts(void **state)
{
    static const char *const hosts[] = { TEST_BIN "/loom_port", "env PYTHONPATH=code " TEST_PYTHON " -B " TEST_SOURCE
                                                                "/examples/loom/host.py" };
    const unsigned seconds = 2 + test_rounds(2); /* a slow machine answers late */
    (void)state;
    struct process device = test_start_device("pty:p", "--busy --baud 921600");
    g_free(test_run(0, "generate " LOOM " -o code --target python"));
    for (unsigned i = 0; i < G_N_ELEMENTS(hosts); i++) {
        g_autofree char *command = g_strdup_printf("%s p 921600 %u", hosts[i], seconds);
        bool passed = false;
        for (unsigned tries = 0; !passed; tries++) {
            struct process host = test_start_program(command);
            const int status = test_finish(&host, 0);
            const char *text = host.text->str, *last = g_strrstr(text, " picks, "); /* after lines of the console */
            if (status != 0 && tries == 2)
                fail_msg("%s%s", text, host.errors->str);
            passed = status == 0;
            if (passed) {
                while (last > text && last[-1] != '\n')
                    last--;
                assert_true(strtoul(last, NULL, 10) > 1000UL * seconds); /* of 5000; a busy machine takes the rest */
                test_assert_in(last, " 0 frames lost");
                assert_null(strstr(last, " 0 rows answered"));
            }
            test_clear(&host);
        }
    }
    test_end(&device);
}

#define LINK_TEST(test) cmocka_unit_test_teardown(test, test_kill_running)

int main(void)
{
    const struct CMUnitTest tests[] = { LINK_TEST(test_kinds),
                                        LINK_TEST(test_script),
                                        LINK_TEST(test_restart),
                                        LINK_TEST(test_vanishing),
                                        LINK_TEST(test_stalling),
                                        LINK_TEST(test_outputs),
                                        LINK_TEST(test_paths),
                                        LINK_TEST(test_held_up),
                                        LINK_TEST(test_soak_of_one),
                                        LINK_TEST(test_half_duplex),
                                        LINK_TEST(test_counters_in_pieces),
                                        LINK_TEST(test_packets),
                                        LINK_TEST(test_hosts) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
