/* SPDX-License-Identifier: MIT */
/* The verb watch: what it shows, in which order and form, what it suspects, what it captures. */
#include "processes.h"

#include <poll.h>
#include <pty.h>
#include <signal.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "codec/hex.h"
#include "link/capture.h"
#include "posix/channel.h"
#include "sim/random.h"

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"
#define MAST TEST_SOURCE "/examples/tide_mast/tide_mast.yaml"
#define BEACON TEST_SOURCE "/examples/beacon/beacon.yaml"

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

/* A capture that is cut anywhere is read as far as possible; a damaged one, or a file that is none, is reported. */
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

/* Lines come in the order of their times, although a frame that silence ends becomes known later than what the other
 * side sends meanwhile, and than a remark. */
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
    assert_true(zg_capture_add(writer, ZG_CAPTURE_IN, 0, start, 0, frame->data, frame->len, NULL));
    assert_true(zg_capture_add(writer, ZG_CAPTURE_REMARK, 0, start + 1 * ms, 0, (const uint8_t *)"lid open", 8, NULL));
    for (unsigned i = 0; i < 5; i++)
        assert_true(
            zg_capture_add(writer, ZG_CAPTURE_OUT, 0, start + (2 + i * 10) * ms, 0, frame->data, frame->len, NULL));
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

/* What a watch says about bytes that are repeated for ever. */
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

/* A watch that is held up in the middle of a frame, as on a busy machine, finds the rest when it continues. */
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
    assert_suspects(LOOM, noise, "bytes arrived, but no frame of loom among them");
    for (guint i = 0; i < frame->len; i++)
        frame->data[i] = (uint8_t)~frame->data[i];
    assert_suspects(LOOM, frame, "the line is inverted");
    for (guint i = 0; i < frame->len; i++) {
        uint8_t turned = 0;
        for (unsigned bit = 0; bit < 8; bit++)
            turned = (uint8_t)(turned | ((uint8_t)~frame->data[i] >> bit & 1U) << (7 - bit));
        frame->data[i] = turned;
    }
    assert_suspects(LOOM, frame, "the bits of each byte come in the opposite order");
    /* the same definition, except for the order of its check, and for its name */
    g_autofree char *definition = NULL;
    assert_true(g_file_get_contents(LOOM, &definition, NULL, NULL));
    g_autofree char *other = g_build_filename(test_folder, "other.yaml", NULL);
    g_auto(GStrv) parts = g_strsplit(definition, "check: crc16/ibm-3740", 2);
    g_autofree char *turned = g_strjoinv("check: { name: crc16/ibm-3740, order: big }", parts);
    assert_true(g_file_set_contents(other, turned, -1, NULL));
    g_autoptr(GByteArray) swapped = frames_of("encode other.yaml load_row '{\"row\":7,\"lift\":9}'");
    assert_suspects(LOOM, swapped, "checks would pass with their bytes in reverse order");
    g_auto(GStrv) fields = g_strsplit(definition, "tension: { type: i16,", 2);
    g_autofree char *big = g_strjoinv("tension: { type: i16, order: big,", fields);
    assert_true(g_file_set_contents(other, big, -1, NULL));
    assert_suspects("other.yaml", stray, "values of tension are out of range, but within it with their bytes");
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
    device = test_start_device("pty:p", "--baud 455000");
    watch = test_start("watch " LOOM " serial:p");
    test_await(&watch, "the device's clock makes a rate that is about");
    test_await(&watch, "% too slow"); /* 9, on a computer that is not too busy */
    test_end(&watch);
    test_end(&device);
}

/* On a healthy line nothing is suspected while a long frame arrives, in pieces or whole. The summary mentions a device
 * that was built from another definition, and lost frames. */
static void test_healthy_and_stale(void **state)
{
    static const char *const framings[] = { "cobs", "slip", "{ kind: length, sync: [0xA5] }" };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(framings); i++) {
        g_autofree char *path = g_build_filename(test_folder, "long.yaml", NULL);
        g_autofree char *text = g_strdup_printf(
            "zeugma: 1\nprotocol: beam\nversion: 1.0\nline: { baud: 19200, byte_timeout: 500 ms }\n"
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
    test_assert_in(text, "the device was built from another one; zeugma compare shows what differs");
    test_assert_in(text, " not delivered, ");
    assert_null(strstr(text, ", 0 not delivered"));
    test_end(&device);
}

/* Runs it on a terminal with more arguments, and presses each of the keys once what is wanted before it was drawn. */
static void use_screen(const char *more, const char *const *wanted, const char *const *keys, unsigned count)
{
    g_autofree char *line = g_strconcat("zeugma watch " LOOM " sim: --mark tension>1 ", more, NULL);
    g_auto(GStrv) arguments = g_strsplit(line, " ", -1);
    const struct winsize size = { 40, 120, 0, 0 };
    g_autoptr(GString) seen = g_string_new(NULL);
    const gint64 limit = g_get_monotonic_time() + 20000000;
    unsigned asked = 0;
    int master, status = 0;
    pid_t child = forkpty(&master, NULL, NULL, &size);
    if (child == 0) {
        setenv("TERM", "xterm-256color", 1);
        setenv("LC_ALL", "C.UTF-8", 1);
        (void)execv(TEST_ZEUGMA, arguments);
        _exit(9);
    }
    struct pollfd readable = { master, POLLIN, 0 };
    while (g_get_monotonic_time() < limit && poll(&readable, 1, 1000) >= 0 && test_read_some(master, seen))
        if (asked < count && strstr(seen->str, wanted[asked])) {
            g_string_truncate(seen, 0);
            g_usleep(asked == 0 ? 500000 : 150000);
            (void)!write(master, keys[asked], strlen(keys[asked]));
            asked++;
        }
    if (asked < count) {
        (void)kill(child, SIGKILL);
        fail_msg("\"%s\" was never drawn: %s", wanted[asked], seen->str);
    }
    assert_int_equal(waitpid(child, &status, 0), child);
    assert_true(WIFEXITED(status) && WEXITSTATUS(status) == 0);
    test_assert_in(seen->str, "frames and "); /* the summary */
    test_assert_in(seen->str, "\033[?1049l"); /* after the terminal was given back */
    close(master);
}

static void test_table(void **state)
{
    static const char *const wanted[] = { "latest values", "raw bytes", "frames", "HELD" };
    static const char *const keys[] = { "1", "2", "3 ", "zq" };
    (void)state;
    use_screen("--table", wanted, keys, G_N_ELEMENTS(keys));
}

/* The keys show a plot; those after Tab go to the device, until the next one. */
static void test_typing(void **state)
{
    static const char *const wanted[] = { "p plots   Tab types", "pick.number", "tension, N", "Tab leaves it", "qp1x" };
    static const char *const keys[] = { "p", "p", "\t", "qp1x\n", "\tq" };
    (void)state;
    use_screen("--table --answer", wanted, keys, G_N_ELEMENTS(keys));
}

static void test_plot(void **state)
{
    static const char *const wanted[] = { "pick.tension, N", "\xE2\xA0", "HELD" }; /* dots of Braille */
    static const char *const keys[] = { "z", " ", "q" };
    (void)state;
    use_screen("--plot tension,sag", wanted, keys, G_N_ELEMENTS(keys));
    test_assert_run(2, "watch " LOOM " sim: --plot tensoin", "did you mean \"tension\"?");
    test_assert_run(2, "watch " LOOM " sim: --plot tension --json", "exclude each other");
    test_assert_run(2, "watch " LOOM " sim: --plot tension", "needs a terminal");
}

static int by_text(const void *a, const void *b)
{
    return strcmp(*(char *const *)a, *(char *const *)b);
}

/* The lines with frames, sorted. Their times never go back. Free with g_strfreev(). */
static char **frames_in(const char *text)
{
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    GPtrArray *frames = g_ptr_array_new();
    double last = 0;

    for (char **line = lines; *line; line++) {
        if (!strstr(*line, "\"message\""))
            continue;
        const double at = g_ascii_strtod(*line + strlen("{\"at\":"), NULL);
        assert_true(at >= last);
        last = at;
        g_ptr_array_add(frames, g_strdup(*line));
    }
    qsort(frames->pdata, frames->len, sizeof(char *), by_text);
    g_ptr_array_add(frames, NULL);
    return (char **)g_ptr_array_free(frames, FALSE);
}

/* Several devices: each line says of which it is, the capture holds them all and is read in the same order, by any
 * pace, together or each alone; options may name one. */
static void test_several(void **state)
{
    static const char *const names[] = { "loom", "loom-2", "tide_mast" };
    static const char *const paces[] = { "", "?pace=own" };
    (void)state;
    g_autofree char *seen =
        test_run(0, "watch " LOOM " sim: " LOOM " sim: " MAST " sim: --json --for 1500ms --capture bench");
    g_auto(GStrv) frames = frames_in(seen);
    assert_true(g_strv_length(frames) > 40);
    for (unsigned i = 0; i < 2; i++) {
        g_autofree char *replay =
            g_strdup_printf("watch " LOOM " 'file:bench%s' " LOOM " 'file:bench%s' " MAST " 'file:bench%s' --json",
                            paces[i], paces[i], paces[i]);
        g_autofree char *again = test_run(0, replay);
        g_auto(GStrv) same = frames_in(again);
        assert_true(g_strv_equal((const char *const *)frames, (const char *const *)same));
    }
    for (unsigned i = 0; i < 3; i++) {
        g_autofree char *device = g_strdup_printf("\"device\":\"%s\"", names[i]);
        g_autofree char *message = g_strconcat(device, ",\"message\"", NULL);
        assert_true(test_lines_with(seen, message) > 0);
        assert_int_equal(test_lines_with(seen, device) - test_lines_with(seen, message), 1); /* its summary */
    }
    g_autofree char *alone = test_run(0, "watch " MAST " file:bench --json");
    assert_int_equal(test_lines_with(alone, "\"message\""), test_lines_with(seen, "\"tide_mast\",\"message\""));
    assert_null(strstr(alone, "\"device\":"));
    test_assert_run(2, "watch " BEACON " file:bench",
                    "has the devices loom, loom-2, tide_mast; none of them is beacon");
    test_assert_run(0, "watch " LOOM " file:bench " MAST " file:bench --csv", "at,device,message,field,value,unit\n0.");
    g_autofree char *shown = test_run(0, "watch " LOOM " file:bench " LOOM " file:bench --show loom-2:pick.sag");
    assert_true(strstr(shown, " loom-2 ") && strstr(shown, "sag=") && !strstr(shown, " loom   "));
    test_assert_run(2, "watch " LOOM " file:bench " MAST " file:bench --show sog",
                    "loom has no message or field \"sog\"");
    test_assert_run(2, "watch " LOOM " sim: " MAST, "expected DEF LINK for each device");
    test_assert_run(0, "plot " LOOM " file:bench " LOOM " file:bench loom:tension,loom-2:tension sag -o two.svg",
                    "two.svg: ");
    test_assert_run(2, "plot " LOOM " file:bench " LOOM " file:bench -o two.svg", "expected a FIELD behind file:bench");
}

/* A link that fails ends its device alone. */
static void test_one_fails(void **state)
{
    struct zg_channel channel;
    g_autofree char *path = g_build_filename(test_folder, "u", NULL);
    (void)state;
    assert_int_equal(zg_channel_listen_unix(&channel, path), 0);
    struct process watch = test_start("watch " MAST " unix:u " LOOM " sim: --for 2s");
    test_await(&watch, "number=3");
    assert_true(zg_channel_is_open(&channel));
    zg_channel_close(&channel);
    test_await(&watch, "* tide_mast: ");
    test_await(&watch, "number=15");
    assert_int_equal(test_finish(&watch, 0), 3);
    test_assert_in(watch.text->str, "closed the connection");
    test_clear(&watch);
}

/* The table of two: the key d looks at the other's console and bytes. */
static void test_two_in_a_table(void **state)
{
    static const char *const wanted[] = { "loom: last bytes", "tide_mast: last bytes" };
    static const char *const keys[] = { "d", "q" };
    (void)state;
    use_screen(MAST " sim: --plot loom:tension,tide_mast:height", wanted, keys, G_N_ELEMENTS(keys));
}

#define LINK_TEST(test) cmocka_unit_test_teardown(test, test_kill_running)

int main(void)
{
    const struct CMUnitTest tests[] = { LINK_TEST(test_forms),
                                        LINK_TEST(test_captures),
                                        LINK_TEST(test_in_order),
                                        LINK_TEST(test_late_watch),
                                        LINK_TEST(test_suspicions),
                                        LINK_TEST(test_other_speed),
                                        LINK_TEST(test_healthy_and_stale),
                                        LINK_TEST(test_table),
                                        LINK_TEST(test_typing),
                                        LINK_TEST(test_plot),
                                        LINK_TEST(test_several),
                                        LINK_TEST(test_one_fails),
                                        LINK_TEST(test_two_in_a_table) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
