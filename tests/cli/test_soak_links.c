/* SPDX-License-Identifier: MIT */
/* What happens to a soak of a real link: the other side disappears, restarts, is replaced, cannot answer. */
#include "processes.h"

#include <signal.h>
#include <string.h>

#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"

/* Whatever ends it, it prints what was measured, what ended it, and when. */
static void test_other_side_goes(void **state)
{
    static const char *const kinds[][3] = {
        { "pty:p", "serial:p", "the device no longer answers; its last byte came at " },
        { "unix:u", "unix:u", "the other side closed the connection" },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(kinds); i++) {
        struct process device = test_start_device(kinds[i][0], "");
        struct process soak = test_start("soak " LOOM " %s --for 3s --require \"lost <= 0.5\"", kinds[i][1]);
        g_usleep(1500000);
        test_end(&device);
        assert_int_equal(test_finish(&soak, 0), 3);
        test_assert_in(soak.text->str, "ended early: ");
        test_assert_in(soak.text->str, kinds[i][2]);
        if (i == 0) /* a socket shows that at once */
            test_assert_in(soak.text->str, "cut off, not known");
        test_assert_in(soak.text->str,
                       "verdict: none, because the soak did not run to its end; what was measured until then adds up");
        test_assert_in(soak.errors->str, kinds[i][2]);
        test_clear(&soak);
    }
}

/* A terminal that is closed ends it like Ctrl-C. */
static void test_hangup(void **state)
{
    struct process device = test_start_device("pty:p", "");
    struct process soak = test_start("soak " LOOM " serial:p --for 1h --json");
    (void)state;
    g_usleep(700000);
    assert_int_equal(test_finish(&soak, SIGHUP), 0);
    test_assert_in(soak.text->str, "\"stopped\": true");
    test_assert_in(soak.text->str, "\"adds_up\": true");
    test_clear(&soak);
    test_end(&device);
}

/* The value of a number in JSON. */
static double number(const char *json, const char *key)
{
    const char *at = strstr(json, key);

    assert_non_null(at);
    return g_ascii_strtod(strchr(at, ':') + 1, NULL);
}

/* A device that answers late, after it was asked for its counters again: which request it answered is not mistaken. */
static void test_late_counters(void **state)
{
    struct process device = test_start_device("pty:p", "");
    (void)state;
    assert_int_equal(kill(device.id, SIGSTOP), 0);
    struct process soak = test_start("soak " LOOM " serial:p --for 500ms --slow 1s --json");
    g_usleep(2500000);
    assert_int_equal(kill(device.id, SIGCONT), 0);
    assert_int_equal(test_finish(&soak, 0), 0);
    test_assert_in(soak.text->str, "\"adds_up\": true");
    assert_true(number(soak.text->str, "\"written\"") > 0);
    assert_float_equal(number(soak.text->str, "\"written\""), number(soak.text->str, "\"taken\""), 0);
    test_clear(&soak);
    test_end(&device);
}

/* A device that stands still for a second of three: what it never sent was not lost on the way back, and the times from
 * when echoes were due show how long they waited. */
static void test_standstill(void **state)
{
    struct process device = test_start_device("pty:p", "");
    struct process soak = test_start("soak " LOOM " serial:p --for 3s --json");
    (void)state;
    g_usleep(1200000);
    assert_int_equal(kill(device.id, SIGSTOP), 0);
    g_usleep(1000000);
    assert_int_equal(kill(device.id, SIGCONT), 0);
    assert_int_equal(test_finish(&soak, 0), 0);
    test_assert_in(soak.text->str, "\"adds_up\": true");
    const char *back = strstr(soak.text->str, "\"echo_back\""), *due = strstr(soak.text->str, "from_due");
    assert_non_null(back);
    assert_non_null(due);
    assert_true(number(back, "\"lost_back\"") <= 1);
    assert_true(number(due, "\"p99\"") > 0.3);
    test_clear(&soak);
    test_end(&device);
}

static void write_definition(const char *name, const char *services, const char *fields)
{
    g_autofree char *path = g_build_filename(test_folder, name, NULL);
    g_autofree char *text = g_strdup_printf(
        "zeugma: 1\nprotocol: loom\nversion: 1.0\nline: { baud: 500000 }\n"
        "frame: { framing: cobs, header: [id: u8, sequence: u8], check: crc16/xmodem, max_payload: 40 }\n"
        "services: [%s]\nmessages: { pick: { id: 1, from: device, every: 80 ms, fields: { %s } } }\n",
        services, fields);
    assert_true(g_file_set_contents(path, text, -1, NULL));
}

/* A restart is reported with its time, its losses have a class, the rest adds up, and a requirement may fail. Without
 * hello the counters show it. */
static void test_restarts(void **state)
{
    (void)state;
    write_definition("quiet.yaml", "echo, counters", "n: u32");
    struct process device = test_start_device("pty:p", "--restart 900ms");
    g_autofree char *text = test_run(1, "soak " LOOM " serial:p --for 2500ms --require \"lost <= 1e-4\"");
    test_assert_in(text, "the device restarted at ");
    test_assert_in(text, "lost in a restart");
    test_assert_in(text, "failed:    lost <= 0.0001");
    test_assert_in(text, "verdict: failed, not all requirements are met; every frame and byte is accounted for");
    test_end(&device);

    struct process quiet = test_start("sim quiet.yaml --on pty:q --restart 900ms");
    test_await(&quiet, "Ctrl-C ends it");
    g_autofree char *told = test_run(0, "soak quiet.yaml serial:q --for 1500ms");
    test_assert_in(told, "and did not say so");
    test_assert_in(told, "lost, one way or the other");
    test_assert_in(told, "every frame and byte is accounted for");
    test_end(&quiet);
}

/* A device with another definition is reported, and so is a link that is faster than its line. */
static void test_stale_and_fast(void **state)
{
    (void)state;
    write_definition("newer.yaml", "hello, echo, counters", "n: u32, more: u8");
    write_definition("older.yaml", "hello, echo, counters", "n: u32");
    struct process device = test_start("sim newer.yaml --on pty:p");
    test_await(&device, "Ctrl-C ends it");
    g_autofree char *text = test_run(0, "soak older.yaml serial:p --for 500ms");
    test_assert_in(text, "the device was built from another definition (its fingerprint is ");
    g_autofree char *json = test_run(0, "soak newer.yaml serial:p --for 300ms --json");
    test_assert_in(json, "\"same_definition\": true");
    test_assert_in(json, "\"keeps_rate\": true"); /* the simulated device keeps it, even on a pty */
    test_end(&device);
}

/* The number of a flow in the report. */
static double of_flow(const char *json, const char *flow, const char *key)
{
    g_autofree char *quoted = g_strdup_printf("\"%s\": {", flow), *name = g_strdup_printf("\"%s\"", key);
    const char *at = strstr(json, quoted);

    assert_non_null(at);
    return number(at, name);
}

/* What the device told of damage on the way out is found among what was sent: a byte or more is missing, the others are
 * in their order. */
static void check_stretches_out(const char *table)
{
    g_auto(GStrv) rows = g_strsplit(table, "\n", -1);
    unsigned count = 0;

    for (char **row = rows; *row; row++) {
        g_auto(GStrv) cells = g_strsplit(*row, ",", -1);
        if (g_strv_length(cells) < 11 || strcmp(cells[3], "out") != 0)
            continue;
        const char *sent = cells[9], *arrived = cells[10];
        assert_in_range(strlen(arrived), 2, 96);
        for (; *sent && *arrived; sent += 2)
            arrived += strncmp(sent, arrived, 2) == 0 ? 2 : 0;
        assert_string_equal(arrived, "");
        count++;
    }
    assert_in_range(count, 2, 9); /* one a report at most */
}

/* Streams of both ends: all is delivered, or what is lost is found in its direction; each way alone; one that an
 * earlier soak left going is not mistaken; a restart leaves little unknown. */
static void test_streams(void **state)
{
    (void)state;
    write_definition("stream.yaml", "hello, echo, counters, traffic", "n: u16");
    struct process device = test_start("sim stream.yaml --on pty:p");
    test_await(&device, "Ctrl-C ends it");
    struct process killed = test_start("soak stream.yaml serial:p --for 1h --traffic stream");
    g_usleep(1500000);
    assert_int_equal(test_finish(&killed, SIGKILL), -SIGKILL);
    test_clear(&killed);
    g_autofree char *both = test_run(0, "soak stream.yaml serial:p --for 1s --json");
    test_assert_in(both, "\"adds_up\": true");
    for (unsigned i = 0; i < 4; i++) {
        static const char *const flows[] = { "echo_out", "echo_back", "stream_out", "stream_back" };
        assert_true(of_flow(both, flows[i], "sent") > 50);
        assert_true(of_flow(both, flows[i], "delivered") > 0.9 * of_flow(both, flows[i], "sent")); /* a busy machine */
    }
    assert_null(strstr(both, "\"unexpected\": 1"));
    g_autofree char *damaged =
        test_run(0, "soak stream.yaml serial:p --for 2s --traffic stream --faults drop=1e-3 --store s.db --json");
    g_autofree char *stretches = test_run(0, "report s.db --csv stretch");
    check_stretches_out(stretches);
    test_assert_in(damaged, "\"adds_up\": true");
    assert_true(of_flow(damaged, "stream_out", "lost_out") > 2 && of_flow(damaged, "stream_back", "lost_back") > 2);
    assert_true(of_flow(damaged, "stream_out", "lost_out") + of_flow(damaged, "stream_out", "delivered") ==
                of_flow(damaged, "stream_out", "sent"));
    assert_true(of_flow(damaged, "echo_out", "sent") == 0);
    g_autofree char *out = test_run(0, "soak stream.yaml serial:p --for 500ms --traffic stream --way out --json");
    assert_true(of_flow(out, "stream_out", "delivered") > 20 && of_flow(out, "stream_back", "sent") < 1);
    g_autofree char *back = test_run(0, "soak stream.yaml serial:p --for 500ms --traffic stream --way back");
    test_assert_in(back, "traffic: stream back\n");
    struct process soak = test_start("soak stream.yaml serial:p --for 2s --traffic stream --json");
    g_usleep(1500000);
    assert_int_equal(kill(device.id, SIGUSR1), 0); /* restarts it */
    assert_int_equal(test_finish(&soak, 0), 0);
    test_assert_in(soak.text->str, "\"adds_up\": true");
    assert_true(of_flow(soak.text->str, "stream_out", "delivered") > of_flow(soak.text->str, "stream_out", "sent") / 3);
    assert_null(strstr(soak.text->str, "\"restarts_at\": []"));
    test_clear(&soak);
    test_end(&device);
    write_definition("none.yaml", "hello, echo, counters", "n: u16");
    test_assert_run(1, "soak none.yaml serial:p --traffic stream",
                    "add `services: [traffic, counters]` to the definition");
    test_assert_run(2, "soak stream.yaml sim: --traffic stream", "--traffic: sim: always has all traffic");
    test_assert_run(2, "soak stream.yaml serial:p --way up", "--way: expected one of back, out, both, found \"up\"");
}

/* A device that only sends is soaked without a byte to it; what is lost is told by its numbers. */
static void test_listening(void **state)
{
    (void)state;
    write_definition("mute.yaml", "", "n: u16");
    struct process device = test_start("sim mute.yaml --on pty:p --busy");
    test_await(&device, "Ctrl-C ends it");
    g_autofree char *heard = test_run(0, "soak mute.yaml serial:p --for 2s --faults drop=2e-3 --capture all --json");
    test_assert_in(heard, "\"adds_up\": true");
    test_assert_in(heard, "\"listen\"");
    assert_true(of_flow(heard, "stream_back", "delivered") > 300 && of_flow(heard, "stream_back", "lost_back") > 3);
    g_autofree char *all = test_run(0, "watch mute.yaml file:all");
    assert_true(test_lines_with(all, "pick") > 300);
    assert_int_equal(test_lines_with(all, "→"), 0);
    test_end(&device);
}

#define LINK_TEST(test) cmocka_unit_test_teardown(test, test_kill_running)

int main(void)
{
    const struct CMUnitTest tests[] = { LINK_TEST(test_other_side_goes), LINK_TEST(test_hangup),
                                        LINK_TEST(test_late_counters),   LINK_TEST(test_standstill),
                                        LINK_TEST(test_restarts),        LINK_TEST(test_stale_and_fast),
                                        LINK_TEST(test_streams),         LINK_TEST(test_listening) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
