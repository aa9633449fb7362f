/* SPDX-License-Identifier: MIT */
/* Runs of the soak on real links: loopback, the proof of the ledger, warm-up, several links, ends that depend on what
 * was seen. */
#include "processes.h"

#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

#define GAUGE TEST_SOURCE "/tests/kernel/gauge.yaml"
#define LOOM TEST_SOURCE "/examples/loom/loom.yaml"
#define PANEL TEST_SOURCE "/examples/panel/panel.yaml"

/* The value of a number in JSON, from a place on. */
static double number(const char *json, const char *place, const char *key)
{
    const char *from = strstr(json, place), *at = from ? strstr(from, key) : NULL;

    if (!at)
        fail_msg("no %s after %s in %s", key, place, json);
    return g_ascii_strtod(strchr(at, ':') + 1, NULL);
}

/* A wire from TX to RX. */
static void *send_back(void *data)
{
    const int link = accept(GPOINTER_TO_INT(data), NULL, NULL);
    uint8_t bytes[4096];

    for (ssize_t count; (count = read(link, bytes, sizeof bytes)) > 0;)
        if (write(link, bytes, (size_t)count) != count)
            break;
    close(link);
    return NULL;
}

static void loopback_is_the_floor(void **state)
{
    unsigned port;
    const int listener = test_bind_anywhere(SOCK_STREAM, &port);
    (void)state;
    assert_int_equal(listen(listener, 1), 0);
    GThread *wire = g_thread_new("wire", send_back, GINT_TO_POINTER(listener));
    g_autofree char *arguments =
        g_strdup_printf("soak " LOOM " tcp:127.0.0.1:%u --loopback --for 2s --faults ber=3e-5 --slow 1us --json", port);
    g_autofree char *text = test_run(0, arguments);
    g_thread_join(wire);
    close(listener);
    test_assert_in(text, "\"adds_up\": true");
    assert_true(number(text, "\"stream_out\": {", "\"sent\"") > 500);
    assert_in_range((uint64_t)number(text, "\"stream_out\": {", "\"lost_out\""), 5, 300);
    assert_true(number(text, "\"slow_answer\": {", "\"count\"") > 400); /* all take longer than 1 us */
    test_assert_run(2, "soak " LOOM " sim: --loopback", "is for a real link");
}

/* What a half-duplex adapter does whose receiver stays on: the host hears itself. */
struct adapter {
    int host, device;
};

static void *hear_oneself(void *data)
{
    const struct adapter *adapter = data;
    uint8_t bytes[4096];

    for (ssize_t count; (count = read(adapter->host, bytes, sizeof bytes)) > 0;)
        if (write(adapter->device, bytes, (size_t)count) != count ||
            write(adapter->host, bytes, (size_t)count) != count)
            break;
    (void)shutdown(adapter->device, SHUT_RDWR);
    return NULL;
}

static void *pass_back(void *data)
{
    const struct adapter *adapter = data;
    uint8_t bytes[4096];

    for (ssize_t count; (count = read(adapter->device, bytes, sizeof bytes)) > 0;)
        if (write(adapter->host, bytes, (size_t)count) != count)
            break;
    return NULL;
}

static int connect_to(const char *name)
{
    struct sockaddr_un address = { .sun_family = AF_UNIX };
    const int link = socket(AF_UNIX, SOCK_STREAM, 0);

    (void)g_snprintf(address.sun_path, sizeof address.sun_path, "%s/%s", test_folder, name);
    assert_int_equal(connect(link, (const struct sockaddr *)&address, sizeof address), 0);
    return link;
}

static void own_echoes_are_told(void **state)
{
    struct process device = test_start_device("unix:e", "");
    unsigned port;
    const int listener = test_bind_anywhere(SOCK_STREAM, &port);
    (void)state;
    assert_int_equal(listen(listener, 1), 0);
    struct process soak =
        test_start("soak " LOOM " tcp:127.0.0.1:%u --traffic echo --for 2s --load 0.2 --store echo.store --json", port);
    struct adapter adapter = { .device = connect_to("e") };
    adapter.host = accept(listener, NULL, NULL);
    GThread *out = g_thread_new("out", hear_oneself, &adapter), *back = g_thread_new("back", pass_back, &adapter);
    (void)test_finish(&soak, 0);
    (void)shutdown(adapter.host, SHUT_RDWR);
    g_thread_join(out);
    g_thread_join(back);
    close(adapter.host);
    close(adapter.device);
    close(listener);
    const double echoes = number(soak.text->str, "\"own_echoes\"", "own_echoes");
    assert_true(echoes > 20);
    assert_true(number(soak.text->str, "\"host\": {", "\"unexpected\"") >= echoes);
    assert_true(number(soak.text->str, "\"host\": {", "\"damaged_accepted\"") == 0);
    g_autofree char *report = test_run(0, "report echo.store --json");
    test_assert_in(report, "\"cause\": \"own_echo\"");
    test_clear(&soak);
    test_end(&device);
}

/* The ledger finds what was damaged; the real soak comes after it, and after a warm-up that is not counted. */
static void the_ledger_is_proven(void **state)
{
    struct process device = test_start_device("pty:p", "");
    g_autofree char *text =
        test_run(0, "soak " LOOM " serial:p --prove-ledger --warm-up 1s --for 1s --load 0.3 --json");
    (void)state;
    test_end(&device);
    assert_true(number(text, "\"proof\": {", "\"hit\"") >= 10);
    assert_int_equal(number(text, "\"proof\": {", "\"missed\""), 0);
    test_assert_in(text, "\"holds\": true");
    assert_true(number(text, "\"line\": {", "\"flipped_bits\"") == 0); /* nothing of the proof is left, */
    assert_true(number(text, "\"sent\": {", "\"sent\"") < 700);        /* nor of the warm-up */
}

/* Two devices at once; one whose loop and interrupts stand still now and then, which its counters and the store show.
 */
static void several_links_have_one_verdict(void **state)
{
    struct process sound = test_start_device("unix:u", "");
    struct process troubled = test_start_device("pty:q", "--faults blackout=1/400ms,mask=5/5ms");
    struct process soak = test_start("soak " LOOM " unix:u serial:q --for 4s --load 0.2 --require \"lost <= 1e-2\"");
    (void)state;
    assert_int_equal(test_finish(&soak, 0), 1);
    test_assert_in(soak.text->str, "verdict of all: 1 of 2 links passed");
    test_assert_in(soak.text->str, "line_overrun");
    test_clear(&soak);
    test_end(&sound);
    test_end(&troubled);
}

/* What is sent to a device that stands still is lost in an outage, which the store has with its time. */
static void outages_have_their_losses(void **state)
{
    struct process device = test_start("sim " GAUGE " --on pty:r --faults blackout=1/500ms");
    (void)state;
    test_await(&device, "Ctrl-C ends it");
    g_autofree char *text =
        test_run(0, "soak " GAUGE " serial:r --traffic both --for 5s --slow 100ms --store outage.store --json");
    test_assert_in(text, "\"adds_up\": true");
    for (unsigned i = 0; i < 2; i++) {
        const char *flow = i == 0 ? "\"echo_out\": {" : "\"stream_out\": {";
        const double outages = number(text, flow, "\"lost_outage\"");
        assert_true(outages > 10 && outages > 5 * number(text, flow, "\"lost_out\""));
    }
    g_autofree char *events = test_run(0, "report outage.store --csv event");
    test_assert_in(events, "outage,nothing came for 0.");
    test_end(&device);
}

/* Frames of both streams that hold hardly more than their number look alike: none is taken for an echo of the other. */
static void short_frames_are_told_apart(void **state)
{
    struct process device = test_start("sim " TEST_SOURCE "/examples/port_test/port_test.yaml --on pty:short");
    (void)state;
    test_await(&device, "Ctrl-C ends it");
    for (unsigned size = 4; size <= 5; size++) {
        g_autofree char *soak = g_strdup_printf("soak " TEST_SOURCE "/examples/port_test/port_test.yaml serial:short "
                                                "--traffic stream --size %u --for 1s --slow 1s --json",
                                                size);
        g_autofree char *text = test_run(0, soak);
        assert_true(number(text, "\"stream_back\": {", "\"delivered\"") > 100);
        assert_true(number(text, "\"stream_back\": {", "\"lost_back\"") == 0);
        assert_true(number(text, "\"unexpected\": {", "\"count\"") == 0);
    }
    test_end(&device);
}

/* Messages of the definition: what is answered has arrived; losses back show by the numbers; values are as was asked.
 */
static void own_messages_are_accounted_for(void **state)
{
    struct process device = test_start_device("pty:o", "--faults \"back:ber=2e-4\"");
    g_autofree char *text =
        test_run(0, "soak " LOOM " serial:o --traffic own --send 'load_row={\"row\": 1, \"lift\": 7}' "
                    "--send load_row.row=10..12 --every 10ms --for 3s --json --capture own.capture");
    (void)state;
    assert_in_range((uint64_t)number(text, "\"echo_out\": {", "\"sent\""), 200, 301);
    /* some are sent again; on a busy machine one may be given up, and is then in the class of those */
    const double sent = number(text, "\"echo_out\": {", "\"sent\""),
                 came = number(text, "\"echo_out\": {", "\"delivered\"");
    assert_true(came > 0.9 * sent && came + number(text, "\"echo_out\": {", "\"lost_either\"") == sent);
    assert_true(number(text, "\"stream_back\": {", "\"lost_back\"") >= 3);
    assert_true(number(text, "\"damages\": {", "\"count\"") >= 3);
    test_assert_in(text, "\"adds_up\": true");
    g_autofree char *first =
        test_run(0, "soak " LOOM " serial:o --traffic own --send 'load_row={\"row\": 1, \"lift\": 7}' "
                    "--for 60s --stop-on lost --json");
    test_assert_in(first, "\"stopped_on\": \"lost");
    g_autofree char *seen = test_run(0, "watch " LOOM " file:own.capture");
    assert_true(test_lines_with(seen, "row=11  lift=7") > 50 && test_lines_with(seen, "row=12  lift=7") > 50);
    assert_int_equal(test_lines_with(seen, "row=1 "), 0);
    test_assert_run(2, "soak " LOOM " serial:o --traffic own", "--random-values");
    test_assert_run(2, "soak " LOOM " serial:o --traffic own --send load_rwo", "did you mean \"load_row\"");
    test_assert_run(3, "soak " LOOM " serial:o --traffic own --send load_row.row=1..2",
                    "the field \"lift\" is missing");
    test_assert_run(2, "soak " LOOM " serial:o --send load_row", "belong to --traffic own");
    test_end(&device);
}

/* Requests of text have no ticket, and their device's frames no numbers: what is answered has arrived, the answers'
 * times are kept, and what is not known is said to be unknown. */
static void own_texts_are_answered(void **state)
{
    struct process device = test_start("sim " PANEL " --on pty:o --faults drop=5e-3");
    test_await(&device, "Ctrl-C ends it");
    g_autofree char *text = test_run(0, "soak " PANEL " serial:o --traffic own --random-values --every 40ms --for 4s "
                                        "--json --store own.db");
    const double sent = number(text, "\"echo_out\": {", "\"sent\""),
                 came = number(text, "\"echo_out\": {", "\"delivered\"");
    (void)state;
    assert_true(sent > 50 && came > 0.8 * sent);
    assert_true(came + number(text, "\"echo_out\": {", "\"lost_either\"") == sent);
    assert_true(number(text, "\"stream_out\": {", "\"sent\"") == 0);
    assert_true(number(text, "\"slow_answer\": {", "\"of\"") == came);
    assert_true(number(text, "\"damages\": {", "\"of\"") == 0 && number(text, "\"lost_back\": {", "\"of\"") == 0);
    g_autofree char *stored = test_run(0, "report own.db --json");
    assert_true(number(stored, "\"slow_answer\": {", "\"of\"") == came);
    assert_true(number(stored, "\"slow_answer\": {", "\"count\"") == number(text, "\"slow_answer\": {", "\"count\""));
    test_end(&device);
}

static void runs_end_by_what_they_show(void **state)
{
    (void)state;
    g_autofree char *met = test_run(0, "soak " LOOM " sim: --until \"lost <= 1e-3\" --at-most 1h --json");
    test_assert_in(met, "\"reached\": true");
    assert_true(number(met, "{", "\"ran_seconds\"") < 10);
    g_autofree char *failed = test_run(0, "soak " LOOM " sim: --faults ber=1e-4 --until \"lost <= 1e-3\" --at-most 1h");
    test_assert_in(failed, "failed:    lost <= 0.001, because at 95 % confidence, at any time, it is at least");
    g_autofree char *neither = test_run(0, "soak " LOOM " sim: --until \"lost <= 1e-6\" --at-most 2s");
    test_assert_in(neither, "without showing that or the contrary");
    g_autofree char *stopped = test_run(0, "soak " LOOM " sim: --for 1h --faults ber=1e-5 --stop-on damaged_detected");
    test_assert_in(stopped, "it ended with the first: damaged, detected");
    test_assert_run(2, "soak " LOOM " sim: --until \"lost <= 1e-6\"", "--at-most 24h");
    test_assert_run(2, "soak " LOOM " unix:u --traffic echo --way out", "--way: is for streams");
    test_assert_run(2, "soak " LOOM " sim: --stop-on lsot", "did you mean \"lost\"");
    test_assert_run(2, "soak " LOOM " sim: --stretches few", "for --stretches; zeugma soak --help lists the options");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test_teardown(loopback_is_the_floor, test_kill_running),
                                        cmocka_unit_test_teardown(own_echoes_are_told, test_kill_running),
                                        cmocka_unit_test_teardown(the_ledger_is_proven, test_kill_running),
                                        cmocka_unit_test_teardown(several_links_have_one_verdict, test_kill_running),
                                        cmocka_unit_test_teardown(outages_have_their_losses, test_kill_running),
                                        cmocka_unit_test_teardown(short_frames_are_told_apart, test_kill_running),
                                        cmocka_unit_test_teardown(own_messages_are_accounted_for, test_kill_running),
                                        cmocka_unit_test_teardown(own_texts_are_answered, test_kill_running),
                                        cmocka_unit_test_teardown(runs_end_by_what_they_show, test_kill_running) };
    return test_run_processes(tests, G_N_ELEMENTS(tests));
}
