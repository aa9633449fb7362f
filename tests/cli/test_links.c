/* SPDX-License-Identifier: MIT */
/* The verbs that work on a LINK, as processes on pseudo-terminals, sockets and captures, with what goes wrong there. */
#include "processes.h"

#include <errno.h>
#include <fcntl.h>
#include <json-glib/json-glib.h>
#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include "codec/hex.h"
#include "link/capture.h"
#include "posix/channel.h"
#include "sim/random.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

/* --- every kind of link */

static gint64 counted_by_device(const char *report, const char *name)
{
    g_autoptr(JsonParser) parser = json_parser_new();
    assert_true(json_parser_load_from_data(parser, report, -1, NULL));
    JsonObject *counters =
        json_object_get_object_member(json_node_get_object(json_parser_get_root(parser)), "counters");
    return json_object_get_int_member(json_object_get_object_member(counters, "device"), name);
}

/* A link with a port of this machine's that is free in the place of PORT, as text; free with g_free(). */
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

/* Frames, a request, an acknowledged message and a variable over each; what is captured on the way reads back the same.
 */
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
        assert_int_equal(counted_by_device(soaked, "repeated"), 0); /* though others numbered frames before it */
        assert_int_equal(counted_by_device(soaked, "late"), 0);
        test_end(&device);
    }
}

/* --- values, selections, forms */

static void test_forms(void **state)
{
    (void)state;
    struct process device = test_start_device("pty:p", "");
    test_assert_run(0, "watch " LOOM " serial:p --csv --show pick --count 2",
                    "at,number,tension [N],state,locked,drive_temp [degC],sag [mm]\n");
    test_assert_run(0, "watch " LOOM " serial:p --csv --count 2", "at,message,field,value,unit\n");
    test_assert_run(0, "watch " LOOM " serial:p --count 2 --show pick.sag --mark 'sag > -100'", " mm !\n");
    test_assert_run(0, "watch " LOOM " serial:p --count 2 --depth frames", "pick         seq ");
    g_autofree char *raw = test_run(0, "watch " LOOM " serial:p --for 300ms --depth raw");
    test_assert_in(raw, "\xE2\x88\x85"); /* the sign of 00 */
    test_assert_run(1, "watch " LOOM " serial:p --count 500 --for 200ms", "frames");
    test_assert_run(2, "watch " LOOM " serial:p --json --csv", "exclude each other");
    test_assert_run(2, "watch " LOOM " serial:p --table", "needs a terminal");
    test_assert_run(0, "vars " LOOM " serial:p --follow 50ms --for 300ms rows_woven", "rows_woven = ");
    test_assert_run(1, "vars " LOOM " serial:p rows_woven=5", "refused: not allowed");
    test_assert_run(0, "send " LOOM " serial:p echo_request '{\"data\":\"00ff7e\"}'", "data=00ff7e");
    test_end(&device);
}

/* What was written to a file with times is sent at those times; an error in it sends nothing. */
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

/* A device that restarts in the middle is seen, and served on. */
static void test_restart(void **state)
{
    (void)state;
    struct process device = test_start_device("pty:p", "--capture d");
    struct process watch = test_start("watch " LOOM " serial:p --answer");
    test_await(&watch, "the device has told who it is");
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

/* --- what goes wrong with the link */

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
    device = test_start_device("pty:p", "--seed 9"); /* over the link that the killed one left behind */
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

/* One that stops reading: the device goes on, what is not read is lost, and it ends cleanly; the PC's end gives up. */
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

/* A closed pipe, which is no error, and a full disk end what they make senseless; Ctrl-C keeps what was captured. */
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

/* A capture that was cut anywhere is read as far as it goes; one that is damaged, or none, is told. */
static void test_captures(void **state)
{
    g_autofree char *whole = NULL, *path = g_build_filename(test_folder, "cut", NULL);
    g_autofree char *source = g_build_filename(test_folder, "whole", NULL);
    gsize length;
    unsigned before = 0;
    (void)state;
    g_free(test_run(0, "watch " LOOM " sim: --for 900ms --capture whole"));
    assert_true(g_file_get_contents(source, &whole, &length, NULL));
    assert_true(length > 500);
    for (gsize size = 0; size <= length; size += size < 200 ? 7 : 61) {
        assert_true(g_file_set_contents(path, whole, (gssize)size, NULL));
        struct process watch = test_start("watch " LOOM " file:cut --json");
        int status = test_finish(&watch, 0);
        assert_int_equal(status, size < 24 ? 3 : 0); /* the file's own header */
        unsigned now = test_lines_with(watch.text->str, "\"message\"");
        assert_true(now >= before);
        before = now;
        test_clear(&watch);
    }
    whole[length / 2] = (char)~whole[length / 2];
    memset(whole + length - 200, 0x55, 8);
    assert_true(g_file_set_contents(path, whole, (gssize)length, NULL));
    g_free(test_run(0, "watch " LOOM " file:cut --json"));
    test_assert_run(3, "watch " LOOM " file:" LOOM, "is no capture: ");
    test_assert_run(2, "soak " LOOM " file:whole", "a capture can only be read");
    const gint64 begin = g_get_monotonic_time();
    g_free(test_run(0, "watch " LOOM " file:whole"));
    const gint64 middle = g_get_monotonic_time();
    g_free(test_run(0, "watch " LOOM " 'file:whole?pace=own'"));
    assert_true(g_get_monotonic_time() - middle >= 700000 && middle - begin < 700000);
}

static GByteArray *frames_of(const char *arguments)
{
    g_autofree char *hex = test_run(0, arguments);
    return zg_bytes_from_hex(g_strstrip(hex), NULL);
}

/* Lines come in the order of their times, though a frame that silence ends is known later than what the other side
 * sends meanwhile, and than a remark. */
static void test_in_order(void **state)
{
    static const uint64_t ms = 1000000, start = 1700000000 * UINT64_C(1000000000);
    g_autofree char *path = g_build_filename(test_folder, "kiln.yaml", NULL);
    g_autofree char *capture = g_build_filename(test_folder, "both", NULL);
    (void)state;
    assert_true(g_file_set_contents(path,
                                    "zeugma: 1\nprotocol: kiln\nversion: 1.0\nline: { baud: 38400 }\n"
                                    "frame: { framing: { kind: gap, gap: 5 ms }, header: [id: u8], "
                                    "check: crc16/modbus, max_payload: 8 }\n"
                                    "messages: { heat: { id: 1, from: both, fields: { n: u16 } } }\n",
                                    -1, NULL));
    g_autoptr(GByteArray) frame = frames_of("encode kiln.yaml heat '{\"n\":7}'");
    struct zg_capture_writer *writer = zg_capture_create(capture, NULL);
    assert_true(zg_capture_add(writer, ZG_CAPTURE_IN, start, 0, frame->data, frame->len, NULL));
    assert_true(zg_capture_add(writer, ZG_CAPTURE_REMARK, start + 1 * ms, 0, (const uint8_t *)"lid open", 8, NULL));
    for (unsigned i = 0; i < 5; i++)
        assert_true(
            zg_capture_add(writer, ZG_CAPTURE_OUT, start + (2 + i * 10) * ms, 0, frame->data, frame->len, NULL));
    assert_true(zg_capture_close(writer, NULL));
    for (unsigned i = 0; i < 3; i++) {
        static const char *const forms[] = { "", " --json", " --depth frames" };
        g_autofree char *arguments = g_strdup_printf("watch kiln.yaml 'file:both%s'%s", i ? "?pace=own" : "", forms[i]);
        g_autofree char *text = test_run(0, arguments);
        g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
        double last = 0;
        for (unsigned line = 0; line < 7; line++) {
            const double at = g_ascii_strtod(lines[line] + (i == 1 ? strlen("{\"at\":") : 0), NULL);
            assert_true(at >= last);
            last = at;
        }
        assert_true(last > 0.041 && last < 0.043);
        test_assert_in(lines[1], "lid open");
    }
}

/* --- what looks wrong */

/* What a watch says of bytes that come again and again. */
static void assert_suspects(const char *definition, const GByteArray *bytes, const char *wanted)
{
    struct zg_channel channel;
    g_autofree char *path = g_build_filename(test_folder, "u", NULL);
    assert_int_equal(zg_channel_listen_unix(&channel, path), 0);
    struct process watch = test_start("watch %s unix:u --for 15s", definition);
    for (unsigned i = 0; i < 2000 && !zg_channel_is_open(&channel); i++)
        g_usleep(1000);
    for (unsigned i = 0; bytes && i < 12; i++) {
        assert_int_equal(zg_channel_write(&channel, bytes->data, bytes->len), bytes->len);
        g_usleep(2000);
    }
    test_await(&watch, wanted);
    zg_channel_close(&channel);
    (void)test_finish(&watch, SIGINT);
    test_clear(&watch);
}

/* A watch that is held up in the middle of a frame, as on a busy machine, finds the rest when it goes on. */
static void test_late_watch(void **state)
{
    struct zg_channel channel;
    g_autofree char *path = g_build_filename(test_folder, "u", NULL);
    g_autoptr(GByteArray) first = frames_of("encode " LOOM " load_row '{\"row\":7,\"lift\":9}'");
    g_autoptr(GByteArray) second = frames_of("encode " LOOM " load_row '{\"row\":8,\"lift\":9}'");
    const guint half = second->len / 2;
    (void)state;
    assert_int_equal(zg_channel_listen_unix(&channel, path), 0);
    struct process watch = test_start("watch " LOOM " unix:u");
    for (unsigned i = 0; i < 2000 && !zg_channel_is_open(&channel); i++)
        g_usleep(1000);
    g_byte_array_append(first, second->data, half);
    assert_int_equal(zg_channel_write(&channel, first->data, first->len), first->len);
    test_await(&watch, "row=7");
    assert_int_equal(kill(watch.id, SIGSTOP), 0);
    g_usleep(500000);
    assert_int_equal(zg_channel_write(&channel, second->data + half, second->len - half), second->len - half);
    assert_int_equal(kill(watch.id, SIGCONT), 0);
    test_await(&watch, "row=8");
    test_end(&watch);
    zg_channel_close(&channel);
}

static void test_suspicions(void **state)
{
    static const char text[] = "rst cause:2, boot mode:(3,6)\r\nload 0x40100000, len 1024\r\n";
    (void)state;
    g_autoptr(GByteArray) frame = frames_of("encode " LOOM " load_row '{\"row\":7,\"lift\":9}'");
    g_autoptr(GByteArray) words = g_byte_array_append(g_byte_array_new(), (const uint8_t *)text, sizeof text - 1);
    g_autoptr(GByteArray) noise = g_byte_array_new();
    struct zg_random random = zg_random_seeded(4, 4);
    for (unsigned i = 0; i < 200; i++) {
        const uint8_t byte = (uint8_t)zg_random_next(&random);
        g_byte_array_append(noise, &byte, 1);
    }
    g_autoptr(GByteArray) stray = frames_of("encode " LOOM " pick '{\"number\":5,\"tension\":120,\"state\":\"idle\","
                                            "\"locked\":false,\"drive_temp\":20,\"sag\":0}'");
    assert_suspects(LOOM, NULL, "nothing has arrived in 3 s: is the device powered");
    assert_suspects(LOOM, words, "only text arrives, no frame of loom: \"rst cause:2, boot mode:");
    assert_suspects(LOOM, noise, "bytes arrived and no frame of loom among them");
    for (guint i = 0; i < frame->len; i++)
        frame->data[i] = (uint8_t)~frame->data[i];
    assert_suspects(LOOM, frame, "the line is inverted");
    for (guint i = 0; i < frame->len; i++) {
        uint8_t turned = 0;
        for (unsigned bit = 0; bit < 8; bit++)
            turned = (uint8_t)(turned | ((uint8_t)~frame->data[i] >> bit & 1U) << (7 - bit));
        frame->data[i] = turned;
    }
    assert_suspects(LOOM, frame, "the bits of each byte come in the other order");
    /* the same definition, but for the order of its check, and for a name */
    g_autofree char *definition = NULL;
    assert_true(g_file_get_contents(LOOM, &definition, NULL, NULL));
    g_autofree char *other = g_build_filename(test_folder, "other.yaml", NULL);
    g_auto(GStrv) parts = g_strsplit(definition, "check: crc16/ibm-3740", 2);
    g_autofree char *turned = g_strjoinv("check: { name: crc16/ibm-3740, order: big }", parts);
    assert_true(g_file_set_contents(other, turned, -1, NULL));
    g_autoptr(GByteArray) swapped = frames_of("encode other.yaml load_row '{\"row\":7,\"lift\":9}'");
    assert_suspects(LOOM, swapped, "checks would pass if their bytes came the other way round");
    g_auto(GStrv) fields = g_strsplit(definition, "tension: { type: i16,", 2);
    g_autofree char *big = g_strjoinv("tension: { type: i16, order: big,", fields);
    assert_true(g_file_set_contents(other, big, -1, NULL));
    assert_suspects("other.yaml", stray, "values of tension are out of range, and within it with their bytes");
    g_auto(GStrv) names = g_strsplit(definition, "drive_temp", 2);
    g_autofree char *renamed = g_strjoinv("motor_temp", names);
    assert_true(g_file_set_contents(other, renamed, -1, NULL));
    struct process device = test_start_device("pty:p", "");
    struct process watch = test_start("watch other.yaml serial:p");
    test_await(&watch, "the same version number but was built from another definition");
    test_end(&watch);
    test_end(&device);
}

/* A device at another speed: what arrives is what a UART would read, and the speed is found. */
static void test_other_speed(void **state)
{
    (void)state;
    struct process device = test_start_device("pty:p", "--baud 57600");
    struct process watch = test_start("watch " LOOM " serial:p");
    test_await(&watch, "at 57600 baud frames arrive");
    g_string_truncate(watch.text, 0);
    test_await(&watch, "tension=");
    test_end(&watch);
    test_assert_run(0, "send " LOOM " 'serial:p?baud=57600' load_row '{\"row\":1,\"lift\":2}'", "row=1");
    test_end(&device);
}

/* The device's counters come in many frames, between which it sends its own: the account holds all the same. */
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

/* An example's definition with the services that a soak asks for. */
static char *with_echo(const char *example)
{
    g_autofree char *path = g_build_filename(TEST_SOURCE "/examples", example, NULL), *text = NULL;

    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    g_auto(GStrv) parts = g_strsplit(text, "services: [hello, delivery]", 2);
    return g_strjoinv("services: [hello, delivery, echo, counters]", parts);
}

/* A healthy line is left in peace while a long frame arrives, in pieces or whole; what the summary tells of a device
 * that was built from another definition, and of frames that were lost. */
static void test_healthy_and_stale(void **state)
{
    static const char *const framings[] = { "cobs", "slip", "{ kind: length, sync: [0xA5] }" };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(framings); i++) {
        g_autofree char *path = g_build_filename(test_folder, "long.yaml", NULL);
        g_autofree char *text = g_strdup_printf(
            "zeugma: 1\nprotocol: beam\nversion: 1.0\nline: { baud: 19200, byte_timeout: 50 ms }\n"
            "frame: { framing: %s, header: [id: u8, sequence: u8, length: u16], check: crc16/xmodem, max_payload: 310 "
            "}\n"
            "messages: { block: { id: 1, from: device, every: 400 ms, fields: { n: u32, data: \"bytes[300]\" } } }\n",
            framings[i]);
        assert_true(g_file_set_contents(path, text, -1, NULL));
        struct process device = test_start("sim long.yaml --on pty:q");
        test_await(&device, "Ctrl-C ends it");
        g_autofree char *seen = test_run(0, "watch long.yaml serial:q --count 4 --json --for 9s");
        assert_int_equal(test_lines_with(seen, "\"message\":\"block\""), 4);
        assert_null(strstr(seen, "bytes arrived and no frame"));
        test_assert_in(seen, "\"lost\":0");
        test_end(&device);
    }
    g_autofree char *path = g_build_filename(test_folder, "stale.yaml", NULL);
    assert_true(g_file_set_contents(
        path,
        "zeugma: 1\nprotocol: loom\nversion: 1.0\nline: { baud: 500000 }\n"
        "frame: { framing: cobs, header: [version: u3, id: u5, sequence: u8], check: crc16/ibm-3740, max_payload: 64 "
        "}\n"
        "messages: { pick: { id: 1, from: device, every: 80 ms, fields: { number: u64, more: \"u32[4]\" } } }\n",
        -1, NULL));
    struct process device = test_start_device("pty:p", "");
    g_autofree char *text = test_run(0, "watch stale.yaml serial:p --for 1s");
    test_assert_in(text, "the device was built from another one; zeugma compare tells what differs");
    test_assert_in(text, " not delivered, ");
    assert_null(strstr(text, ", 0 not delivered"));
    test_end(&device);
}

/* A path is removed at the end if it is still its own, and one that leads to a living terminal is not taken. */
static void test_paths(void **state)
{
    g_autofree char *path = g_build_filename(test_folder, "p", NULL), *other = g_build_filename(test_folder, "o", NULL);
    (void)state;
    struct process device = test_start_device("pty:p", "");
    g_autofree char *terminal = g_file_read_link(path, NULL);
    assert_int_equal(symlink(terminal, other), 0);
    test_assert_run(3, "sim " LOOM " --on pty:o", "o is in use: it leads to the terminal of a program that runs");
    test_assert_run(3, "sim " LOOM " --on pty:p", "p is in use: it leads to the terminal of a program that runs");
    assert_int_equal(remove(path), 0);
    assert_true(g_file_set_contents(path, "mine", -1, NULL));
    test_end(&device);
    assert_true(g_file_test(path, G_FILE_TEST_EXISTS));
    assert_int_equal(remove(path), 0);
    device = test_start_device("pty:o", ""); /* its terminal is gone now */
    test_end(&device);
    assert_false(g_file_test(other, G_FILE_TEST_EXISTS));
}

/* A device that was held up goes on, and does not send what that time would have been. */
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

/* On a shared line a soak is with one device. */
static void test_soak_of_one(void **state)
{
    g_autofree char *path = g_build_filename(test_folder, "shared.yaml", NULL),
                    *served = with_echo("carillon/carillon.yaml");
    (void)state;
    assert_true(g_file_set_contents(path, served, -1, NULL));
    struct process device = test_start("sim shared.yaml --on pty:p --address 3");
    test_await(&device, "Ctrl-C ends it");
    g_autofree char *report = test_run(0, "soak shared.yaml serial:p --to 3 --for 300ms --late 1s");
    test_assert_in(report, "on serial:p, device 3, ");
    test_assert_in(report, "every frame and byte is accounted for");
    test_assert_run(1, "soak shared.yaml serial:p --for 300ms", "expected --to with a device's address from 1 to 14");
    test_assert_run(1, "soak shared.yaml sim: --to 3", "the simulated line has one device; leave --to out");
    test_end(&device);
}

/* With half duplex the services' answers wait until the line is free, and one echo is open at a time. */
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
    test_assert_run(0, "soak pair.yaml serial:p --for 1s --late 500ms", "every frame and byte is accounted for");
    test_end(&device);
}

/* The generated hosts, in C and Python, at the full rate of 921600 baud: nothing is lost, and what they send is
 * answered.
 */
static void test_hosts(void **state)
{
    const unsigned seconds = 2 + test_rounds(2); /* a slow machine answers late */
    (void)state;
    struct process device = test_start_device("pty:p", "--busy --baud 921600");
    g_free(test_run(0, "generate " LOOM " -o code --target python"));
    g_autofree char *in_c = g_strdup_printf("cd %s && " TEST_BIN "/loom_port p 921600 %u > told", test_folder, seconds);
    g_autofree char *in_python =
        g_strdup_printf("cd %s && PYTHONPATH=code " TEST_PYTHON " -B " TEST_SOURCE "/examples/loom/host.py p 921600 %u "
                        ">> told",
                        test_folder, seconds);
    g_autofree char *path = g_build_filename(test_folder, "told", NULL), *told = NULL;
    const int failed = system(in_c) + system(in_python);
    assert_true(g_file_get_contents(path, &told, NULL, NULL));
    if (failed != 0)
        fail_msg("%s", told);
    const char *python = strstr(told, "times\n");
    assert_non_null(python);
    const char *own = g_strrstr(python, "\n") - 1; /* the console may have spoken */
    while (own > python && own[-1] != '\n')
        own--;
    for (unsigned i = 0; i < 2; i++) {
        const char *line = i == 0 ? told : own;
        assert_true(strtoul(line, NULL, 10) > 4000UL * seconds);
        test_assert_in(line, " 0 frames lost");
        assert_null(strstr(line, " 0 rows answered"));
    }
    test_end(&device);
}

/* --- the table, on a terminal */

static void test_table(void **state)
{
    const struct winsize size = { 40, 120, 0, 0 };
    g_autoptr(GString) seen = g_string_new(NULL);
    const gint64 limit = g_get_monotonic_time() + 20000000;
    unsigned asked = 0;
    int master, status = 0;
    (void)state;
    pid_t child = forkpty(&master, NULL, NULL, &size);
    if (child == 0) {
        setenv("TERM", "xterm-256color", 1);
        (void)execl(TEST_ZEUGMA, "zeugma", "watch", LOOM, "sim:", "--table", "--mark", "tension > 1", NULL);
        _exit(9);
    }
    static const char *const wanted[] = { "latest values", "raw bytes", "frames", "HELD" };
    static const char *const keys[] = { "1", "2", "3 ", "zq" };
    struct pollfd readable = { master, POLLIN, 0 };
    while (g_get_monotonic_time() < limit && poll(&readable, 1, 1000) >= 0 && test_read_some(master, seen))
        if (asked < G_N_ELEMENTS(keys) && strstr(seen->str, wanted[asked])) {
            g_string_truncate(seen, 0);
            g_usleep(asked == 0 ? 500000 : 150000);
            (void)!write(master, keys[asked], strlen(keys[asked]));
            asked++;
        }
    assert_int_equal(waitpid(child, &status, 0), child);
    assert_true(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    assert_int_equal(asked, G_N_ELEMENTS(keys));
    test_assert_in(seen->str, "frames and "); /* the summary, */
    test_assert_in(seen->str, "\033[?1049l"); /* after the terminal was given back */
    close(master);
}

/* --- ports */

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

/* What the system's folders say is told; a port without a chip, and a terminal that is none, are left out. */
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
    const struct CMUnitTest tests[] = { LINK_TEST(test_kinds),
                                        LINK_TEST(test_forms),
                                        LINK_TEST(test_script),
                                        LINK_TEST(test_restart),
                                        LINK_TEST(test_vanishing),
                                        LINK_TEST(test_stalling),
                                        LINK_TEST(test_outputs),
                                        LINK_TEST(test_captures),
                                        LINK_TEST(test_in_order),
                                        LINK_TEST(test_late_watch),
                                        LINK_TEST(test_suspicions),
                                        LINK_TEST(test_other_speed),
                                        LINK_TEST(test_half_duplex),
                                        LINK_TEST(test_hosts),
                                        LINK_TEST(test_table),
                                        LINK_TEST(test_ports),
                                        LINK_TEST(test_healthy_and_stale),
                                        LINK_TEST(test_paths),
                                        LINK_TEST(test_held_up),
                                        LINK_TEST(test_counters_in_pieces),
                                        LINK_TEST(test_soak_of_one) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
