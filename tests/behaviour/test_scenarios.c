/* SPDX-License-Identifier: MIT */
/* What goes wrong in the middle of something, and what both ends must then see: the table of docs/behaviour.md. */
#include <string.h>

#include "stage.h"

static struct stage stage;

static void send_speed(uint16_t speed)
{
    const struct loom_set_speed message = { speed };
    assert_int_equal(loom_host_send_set_speed(&stage.host, &message), 0);
}

static void send_row(uint16_t number)
{
    const struct loom_load_row row = { number, 1, { 5 } };
    assert_int_equal(loom_host_send_load_row(&stage.host, &row), 0);
}

static void give_device(const uint8_t *bytes, size_t count)
{
    for (size_t i = 0; i < count; i++)
        loom_device_receive_isr(&stage.device, bytes[i], 0);
}

static unsigned times(const struct heard *heard, uint32_t number)
{
    unsigned count = 0;
    for (unsigned i = 0; i < heard->count; i++)
        count += heard->numbers[i] == number;
    return count;
}

/* Whatever happened, the two work together again. */
static void assert_well(void)
{
    unsigned rows = stage.taken.count, speeds = stage.speeds.count;

    stage_run(&stage, 400);
    send_speed(999);
    send_row(999);
    stage_run(&stage, 30);
    assert_int_equal(stage.speeds.count, speeds + 1);
    assert_int_equal(stage.taken.count, rows + 1);
    assert_true(loom_host_hello(&stage.host)->known && loom_device_hello(&stage.device)->known);
    assert_true(stage.host.link.peer.up && stage.device.link.peer.up);
}

static void half_frame_then_silence(void)
{
    static const uint8_t half[] = { 9, 0x49, 1, 2 };

    give_device(half, sizeof half);
    stage_run(&stage, 10);
    assert_int_equal(stage.device.link.counters.timed_out, 0);
    stage_run(&stage, 12);
    assert_int_equal(stage.device.link.counters.timed_out, 1);
    assert_int_equal(loom_device_pending(&stage.device), 0);
    assert_well();
    assert_int_equal(stage.host.link.counters.resent, 0);
}

static void restart_with_half_frame(void)
{
    static const uint8_t half[] = { 9, 0x49, 1, 2 };

    give_device(half, sizeof half);
    stage_restart_device(&stage);
    stage_run(&stage, 20);
    assert_int_equal(stage.device.link.counters.timed_out, 0);
    assert_int_equal(stage.device.link.counters.bytes_failed, 0);
    assert_int_equal(stage_last(&stage.host_events), ZG_LINK_RESTARTED);
    assert_int_equal(stage.host.link.counters.restarts, 1);
    assert_well();
    const struct zg_counters *counters = &stage.host.link.counters; /* its numbers started anew, which is no loss */
    assert_int_equal(counters->lost + counters->late + counters->repeated, 0);
}

static void restart_with_request_open(void)
{
    stage.answers = false;
    send_row(3);
    stage_run(&stage, 5);
    stage_restart_device(&stage);
    stage.answers = true;
    stage_run(&stage, 20);
    assert_int_equal(stage.row_ends.count, 1);
    assert_int_equal(stage_last(&stage.row_ends), ZG_SETTLED_RESTART);
    assert_int_equal(times(&stage.rows, 3), 1);
    assert_int_equal(stage.taken.count, 0);
    assert_well();
}

static void restart_with_variable_written(void)
{
    const struct loom_variable_target_tension tension = { 1234 };

    stage.device_off = true;
    assert_int_equal(loom_host_write_target_tension(&stage.host, &tension), 0);
    stage_run(&stage, 2); /* it is in the device's ring */
    stage_restart_device(&stage);
    stage.device_off = false;
    stage_run(&stage, 20);
    assert_int_equal(stage_last(&stage.write_ends), ZG_SETTLED_RESTART);
    assert_int_equal(stage.device.variables.target_tension.value, 0);
    assert_int_equal(stage.written.count, 0);
    assert_int_equal(loom_host_write_target_tension(&stage.host, &tension), 0);
    stage_run(&stage, 20);
    assert_int_equal(stage.device.variables.target_tension.value, 1234);
    assert_well();
}

static void host_restarts(void)
{
    const struct loom_stopped stopped = { 17 };

    stage.host_off = true;
    assert_int_equal(loom_device_send_stopped(&stage.device, &stopped), 0);
    stage_run(&stage, 5);
    stage_restart_host(&stage);
    stage.host_off = false;
    stage_run(&stage, 20);
    assert_int_equal(stage_last(&stage.stopped_ends), ZG_SETTLED_RESTART);
    assert_int_equal(stage.stops.count, 0);
    assert_int_equal(stage_last(&stage.device_events), ZG_LINK_RESTARTED);
    assert_int_equal(loom_device_send_stopped(&stage.device, &stopped), 0);
    stage_run(&stage, 20);
    assert_int_equal(stage_last(&stage.stops), 17);
    assert_well();
}

static void both_restart(void)
{
    send_speed(1);
    send_row(1);
    stage_restart_device(&stage);
    stage_restart_host(&stage);
    stage_run(&stage, 20);
    assert_int_equal(stage.speeds.count + stage.speed_ends.count,
                     0); /* they died with their sender, before they were sent */
    assert_well();
}

static void short_cut(void)
{
    send_speed(1);
    stage.cut = true;
    stage_run(&stage, 220);
    stage.cut = false;
    stage_run(&stage, 60);
    assert_int_equal(times(&stage.speeds, 1), 1);
    assert_int_equal(stage_last(&stage.speed_ends), ZG_DELIVERED);
    assert_in_range(stage.host.link.counters.resent, 4, 6);
    assert_int_equal(times(&stage.host_events, ZG_LINK_DOWN), 0);
    assert_well();
}

static void long_cut(void)
{
    stage.cut = true;
    send_speed(1);
    stage_run(&stage, 2400);
    assert_int_equal(times(&stage.host_events, ZG_LINK_DOWN) + times(&stage.device_events, ZG_LINK_DOWN), 0);
    assert_int_equal(stage_last(&stage.speed_ends), ZG_SETTLED_NO_ANSWER);
    stage_run(&stage, 200);
    assert_int_equal(stage_last(&stage.host_events), ZG_LINK_DOWN);
    assert_int_equal(stage_last(&stage.device_events), ZG_LINK_DOWN);
    stage_run(&stage, 5000);
    assert_int_equal(times(&stage.host_events, ZG_LINK_DOWN), 1);
    stage.cut = false;
    stage_run(&stage, 1100); /* the keepalive comes */
    assert_int_equal(stage_last(&stage.host_events), ZG_LINK_UP);
    assert_int_equal(stage_last(&stage.device_events), ZG_LINK_UP);
    assert_int_equal(stage.host.link.counters.restarts, 0);
    assert_int_equal(stage.speeds.count, 0);
    assert_well();
}

static void busy_device(void)
{
    stage.device_off = true;
    for (uint16_t i = 0; i < 4; i++)
        send_speed(i);
    for (unsigned i = 0; i < 10; i++) {
        const struct loom_echo_request echo = { 64, { 0 } };
        (void)loom_host_send_echo_request(&stage.host, &echo);
        stage_run(&stage, 3);
    }
    assert_true(zg_link_counter(&stage.device.link, ZG_COUNTER_INDEX(bytes_dropped)) > 100);
    stage.device_off = false;
    stage_run(&stage, 300);
    for (uint32_t i = 0; i < 4; i++)
        assert_int_equal(times(&stage.speeds, i), 1);
    assert_well();
}

static void noise_on_reply(void)
{
    static const uint8_t noise[] = { 0x55, 0xAA, 3, 0, 7, 7, 7 };

    send_row(8);
    stage_run(&stage, 1);
    for (size_t i = 0; i < sizeof noise; i++)
        loom_host_receive_isr(&stage.host, noise[i], ZG_LINE_FRAMING);
    stage_run(&stage, 120);
    assert_int_equal(times(&stage.rows, 8), 1);
    assert_int_equal(times(&stage.taken, 8), 1);
    assert_int_equal(stage.host.link.counters.line_framing, sizeof noise);
    assert_true(stage.host.link.counters.malformed + stage.host.link.counters.failed_check > 0);
    assert_well();
}

static void quiet_for_an_hour(void)
{
    for (unsigned minutes = 0; minutes < 2; minutes++) /* the clock wraps in the first */
        stage_run(&stage, 60000);
    assert_int_equal(times(&stage.host_events, ZG_LINK_DOWN) + times(&stage.device_events, ZG_LINK_DOWN), 0);
    assert_in_range(stage.host.link.counters.frames_out, 100, 130);
    assert_well();
}

static const struct {
    const char *title;
    void (*act)(void);
} rows[] = {
    { "Half a frame, then silence", half_frame_then_silence },
    { "The device restarts with half a frame in its ring", restart_with_half_frame },
    { "The device restarts with a request open", restart_with_request_open },
    { "The device restarts while a variable is being written", restart_with_variable_written },
    { "The host restarts while a message of the device is open", host_restarts },
    { "Both restart at once", both_restart },
    { "The line is cut for less than the retries last", short_cut },
    { "The line is cut for longer than link_timeout", long_cut },
    { "The device is busy, and its receive ring overflows", busy_device },
    { "Noise in the middle of a reply", noise_on_reply },
    { "Nothing is sent while the clock wraps", quiet_for_an_hour },
};

/* In each round the clock wraps at another moment of each row. */
static void test_rows(void **state)
{
    static const uint32_t wraps_in_ms[] = { 50, 103, 130, 700, 1500 };
    g_autofree char *text = NULL;
    (void)state;
    assert_true(g_file_get_contents(TEST_SOURCE "/docs/behaviour.md", &text, NULL, NULL));
    for (unsigned i = 0; i < G_N_ELEMENTS(rows); i++) {
        for (unsigned k = 0; k < G_N_ELEMENTS(wraps_in_ms); k++) {
            stage_begin(&stage, NULL, 31 * i + k, UINT32_C(0) - wraps_in_ms[k] * 1000);
            stage_run(&stage, 100);
            rows[i].act();
            stage_end(&stage);
        }
        if (!strstr(text, rows[i].title))
            fail_msg("docs/behaviour.md does not list \"%s\"", rows[i].title);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_rows) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
