/* SPDX-License-Identifier: MIT */
/* Acknowledged messages, requests and replies between generated ends. */
#include <string.h>

#include "stage.h"

static struct stage stage;
static uint32_t sent;

static void send_kinds(struct stage *at)
{
    const struct loom_set_speed speed = { (uint16_t)(sent / 3) };
    const struct loom_load_row row = { (uint16_t)(sent / 3), 2, { 1, 2 } };
    const struct loom_wind wind = { sent / 3 };
    int error;

    if (sent >= 3000)
        return;
    if (sent % 3 == 0)
        error = loom_host_send_set_speed(&at->host, &speed);
    else if (sent % 3 == 1)
        error = loom_host_send_load_row(&at->host, &row);
    else
        error = loom_host_send_wind(&at->host, &wind);
    sent += error == 0;
}

/* How often each number below `count` was heard. */
static const unsigned *times_of(const struct heard *heard, unsigned count)
{
    static unsigned times[STAGE_MOST];

    memset(times, 0, sizeof times);
    for (unsigned i = 0; i < heard->count; i++) {
        assert_true(heard->numbers[i] < count);
        times[heard->numbers[i]]++;
    }
    return times;
}

static void assert_each_once(const struct heard *heard, unsigned count)
{
    const unsigned *times = times_of(heard, count);

    for (unsigned i = 0; i < count; i++)
        if (times[i] != 1)
            fail_msg("message %u arrived %u times", i, times[i]);
}

/* Whatever the line does to the frames, each message arrives once, and those whose order is kept in order. The clock
 * wraps meanwhile. */
static void test_once(void **state)
{
    static const struct zg_sim_faults kinds[] = { { 0 },
                                                  { .bit_error_rate = 1e-4 },
                                                  { .drop = 3e-3, .twice = 2e-3 },
                                                  { .bit_error_rate = 2e-4, .drop = 2e-3, .latency_ns = 4000000 } };
    (void)state;
    for (unsigned i = 0; i < 4; i++) {
        sent = 0;
        stage_begin(&stage, &kinds[i], 11 + i, UINT32_C(0) - 50000);
        stage.act = send_kinds;
        while (stage.speed_ends.count + stage.row_ends.count + stage.wind_ends.count < 3000) {
            assert_true(stage.now_ns < UINT64_C(100000000000));
            stage_run(&stage, 100);
        }
        assert_int_equal(times_of(&stage.speed_ends, STAGE_MOST)[ZG_DELIVERED], 1000);
        assert_int_equal(times_of(&stage.row_ends, STAGE_MOST)[ZG_DELIVERED], 1000);
        assert_int_equal(times_of(&stage.wind_ends, STAGE_MOST)[ZG_DELIVERED], 1000);
        assert_each_once(&stage.speeds, 1000);
        assert_each_once(&stage.rows, 1000);
        assert_each_once(&stage.taken, 1000);
        assert_each_once(&stage.winds, 1000);
        for (unsigned k = 0; k < 1000; k++)
            assert_int_equal(stage.winds.numbers[k], k);
        assert_true(i == 0 ? stage.host.link.counters.resent == 0 : stage.host.link.counters.resent > 20);
        stage_end(&stage);
    }
}

static struct zg_random chaos;
static unsigned host_starts, device_starts;

static void send_and_restart(struct stage *at)
{
    const struct loom_set_speed speed = { (uint16_t)sent };

    if (sent < 2000 && zg_random_one_in(&chaos, 8))
        sent += loom_host_send_set_speed(&at->host, &speed) == 0;
    if (sent < 2000 && zg_random_one_in(&chaos, 3000)) {
        stage_restart_device(at);
        device_starts++;
    }
    if (sent < 2000 && zg_random_one_in(&chaos, 6000)) {
        stage_restart_host(at);
        host_starts++;
    }
}

static void send_within(struct stage *at)
{
    const struct loom_set_speed speed = { (uint16_t)sent };

    if (sent < 2000 && zg_random_one_in(&chaos, 3))
        sent += loom_host_send_set_speed(&at->host, &speed) == 0;
}

/* Ends that restart at any moment on a bad line, with handlers that send: no message is taken twice; one reported as
 * delivered was taken; each is settled once, except those whose sender restarted. */
static void test_restarts(void **state)
{
    const struct zg_sim_faults faults = { .bit_error_rate = 1e-4, .drop = 1e-3, .latency_ns = 2000000 };
    (void)state;
    for (unsigned round = 0; round < test_rounds(4); round++) {
        sent = host_starts = device_starts = 0;
        chaos = zg_random_seeded(round, 77);
        stage_begin(&stage, &faults, 100 + round, UINT32_C(0) - 2000000);
        stage.act = send_and_restart;
        stage.within = send_within;
        stage_run(&stage, 15000);
        assert_int_equal(sent, 2000);
        assert_true(host_starts > 0 && device_starts > 2);
        const unsigned *times = times_of(&stage.speeds, 2000);
        unsigned taken = 0;
        for (unsigned i = 0; i < 2000; i++) {
            if (times[i] > 1)
                fail_msg("round %u: message %u was taken %u times", round, i, times[i]);
            taken += times[i];
        }
        unsigned lost = 0;
        for (unsigned i = 0; i < stage.failed_speeds.count; i++)
            lost += times[stage.failed_speeds.numbers[i]] == 0;
        unsigned delivered = stage.speed_ends.count - stage.failed_speeds.count;
        assert_true(delivered <= taken);
        assert_in_range(2000 - stage.speed_ends.count, 0, 4 * host_starts); /* one window for each start */
        assert_in_range(2000 - taken - lost, 0, 4 * host_starts);
        const unsigned *ends = times_of(&stage.speed_ends, STAGE_MOST);
        assert_int_equal(ends[ZG_DELIVERED] + ends[ZG_SETTLED_RESTART] + ends[ZG_SETTLED_NO_ANSWER],
                         stage.speed_ends.count);
        assert_true(ends[ZG_SETTLED_RESTART] > 0);
        stage_end(&stage);
    }
}

/* Sends until the window is full, once the first wind has ended and the line works again. */
static void send_when_ended(struct stage *at)
{
    if (at->wind_ends.count == 0 || sent > 0)
        return;
    at->cut = false;
    for (struct loom_wind wind = { 100 }; loom_host_send_wind(&at->host, &wind) == 0; sent++)
        wind.turn++;
}

/* What a handler sends while open messages are processed gets a ticket of its own: it arrives in order, once. */
static void test_sends_when_settled(void **state)
{
    const struct loom_wind wind = { 1 };
    const struct loom_jog jog = { 2 };
    (void)state;
    sent = 0;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 100);
    stage.cut = true;
    stage.within = send_when_ended;
    assert_int_equal(loom_host_send_wind(&stage.host, &wind), 0);
    assert_int_equal(loom_host_send_jog(&stage.host, &jog), 0); /* it ends first, so that two slots are free at once */
    stage_run(&stage, 2000);
    assert_int_equal(sent, 4);
    assert_int_equal(stage.winds.count, 4);
    for (unsigned i = 0; i < 4; i++)
        assert_int_equal(stage.winds.numbers[i], 100 + i);
    assert_int_equal(stage_last(&stage.wind_ends), ZG_DELIVERED);
    stage_end(&stage);
}

/* Sends the next speed for each one that a restart ended, and as soon as the device is heard. */
static void send_at_restart(struct stage *at)
{
    const unsigned told =
        at->matches.count + at->speed_ends.count - times_of(&at->speed_ends, STAGE_MOST)[ZG_DELIVERED];
    const struct loom_set_speed speed = { (uint16_t)(100 + sent) };

    if (told > sent)
        sent += loom_host_send_set_speed(&at->host, &speed) == 0;
}

/* A restart ends what is open when it is noticed, oldest first; what handlers send meanwhile is delivered. */
static void test_sends_at_restart(void **state)
{
    (void)state;
    for (unsigned before = 0; before < 8; before++) { /* with tickets in each of the slots */
        sent = 0;
        stage_begin(&stage, NULL, 1, 0);
        stage_run(&stage, 100);
        for (unsigned turn = 0; turn < before + 3; turn++) {
            const struct loom_set_speed speed = { (uint16_t)turn };
            stage.device_off = turn >= before;
            assert_int_equal(loom_host_send_set_speed(&stage.host, &speed), 0);
            stage_run(&stage, 5);
        }
        stage_restart_device(&stage);
        stage.device_off = false;
        stage.matches.count = 0;
        stage.within = send_at_restart;
        stage_run(&stage, 500);
        assert_int_equal(stage.speed_ends.count, before + 3 + sent);
        assert_true(sent >= 4);
        for (unsigned i = before; i < before + 3; i++) {
            assert_int_equal(stage.speed_ends.numbers[i], ZG_SETTLED_RESTART);
            assert_int_equal(stage.failed_speeds.numbers[i - before], i);
        }
        for (unsigned i = 0; i < sent; i++) {
            assert_int_equal(stage.speed_ends.numbers[before + 3 + i], ZG_DELIVERED);
            assert_int_equal(stage.speeds.numbers[before + i], 100 + i);
        }
        stage_end(&stage);
    }
}

/* However many messages in a row are lost, those after them are neither mistaken for old ones nor falsely reported as
 * delivered. */
static void test_long_outage(void **state)
{
    (void)state;
    for (unsigned lost = 80; lost < 600; lost += 35) {
        stage_begin(&stage, NULL, 1, 0);
        stage_run(&stage, 100);
        stage.cut = true;
        for (unsigned i = 0; i < lost;) {
            const struct loom_jog jog = { 1 };
            i += loom_host_send_jog(&stage.host, &jog) == 0;
            stage_run(&stage, 10);
        }
        stage_run(&stage, 100);
        assert_int_equal(stage.jog_ends.count, lost);
        stage.cut = false;
        stage_run(&stage, 4000); /* the longest wait for a hello */
        for (uint16_t i = 0; i < 40; i++) {
            const struct loom_set_speed speed = { i };
            assert_int_equal(loom_host_send_set_speed(&stage.host, &speed), 0);
            stage_run(&stage, 20);
        }
        assert_each_once(&stage.speeds, 40);
        assert_int_equal(times_of(&stage.speed_ends, STAGE_MOST)[ZG_DELIVERED], 40);
        assert_int_equal(stage.jogs.count, 0);
        stage_end(&stage);
    }
}

static void send_winds(struct stage *at)
{
    const struct loom_wind wind = { sent };
    sent += loom_host_send_wind(&at->host, &wind) == 0;
}

/* Four milliseconds each way: the window limits the rate to one window for each round trip. */
static void test_throughput(void **state)
{
    const struct zg_sim_faults slow = { .latency_ns = 4000000 };
    (void)state;
    sent = 0;
    stage_begin(&stage, &slow, 5, 0);
    stage_run(&stage, 100);
    stage.act = send_winds;
    stage_run(&stage, 5000);
    /* a frame of 12 bytes and its acknowledgement of 8 take 20 us a byte, and each of the two waits up to three steps
     * of 100 us for a poll; the window's other frames are sent meanwhile */
    const double trip_s = 2 * 0.004 + (4 * 12 + 8) * 20e-6;
    assert_true(stage.winds.count >= 0.9 * 4 * 5 / trip_s);
    stage_end(&stage);
}

/* A message that nobody takes is sent as often as its definition says, then given up and reported. */
static void test_given_up(void **state)
{
    const struct loom_jog jog = { -3 };
    const struct loom_set_speed speed = { 321 };
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 100);
    stage.device_off = true;
    assert_int_equal(loom_host_send_jog(&stage.host, &jog), 0);
    assert_int_equal(loom_host_send_jog(&stage.host, &jog), ZG_EROOM);
    assert_int_equal(loom_host_send_set_speed(&stage.host, &speed), 0);
    uint32_t before = stage.host.link.counters.frames_out;
    stage_run(&stage, 49);
    assert_int_equal(stage.jog_ends.count, 0);
    stage_run(&stage, 3);
    assert_int_equal(stage_last(&stage.jog_ends), ZG_SETTLED_NO_ANSWER);
    stage_run(&stage, 380);
    assert_int_equal(stage.speed_ends.count, 0);
    stage_run(&stage, 25);
    assert_int_equal(stage_last(&stage.speed_ends), ZG_SETTLED_NO_ANSWER);
    assert_int_equal(stage_last(&stage.failed_speeds), 321);
    assert_int_equal(stage.host.link.counters.frames_out - before, 1 + 9);
    assert_int_equal(stage.host.link.counters.resent, 8);
    assert_int_equal(stage.host.link.counters.given_up, 2);
    stage_end(&stage);
}

/* Messages wait until the two ends know each other: without the other end nothing is sent, and everything is reported
 * after the usual time. */
static void test_held_back(void **state)
{
    const struct loom_set_speed speed = { 5 };
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage.device_off = true;
    for (unsigned i = 0; i < 4; i++)
        assert_int_equal(loom_host_send_set_speed(&stage.host, &speed), 0);
    assert_int_equal(loom_host_send_set_speed(&stage.host, &speed), ZG_EROOM);
    stage_run(&stage, 300);
    stage.device_off = false;
    stage_run(&stage, 140);
    assert_int_equal(times_of(&stage.speed_ends, STAGE_MOST)[ZG_DELIVERED], 4);
    assert_int_equal(stage.host.link.counters.resent, 0);
    stage.device_off = true;
    stage_restart_host(&stage);
    assert_int_equal(loom_host_send_set_speed(&stage.host, &speed), 0);
    stage_run(&stage, 460);
    assert_int_equal(stage_last(&stage.speed_ends), ZG_SETTLED_NO_ANSWER);
    stage_end(&stage);
}

/* A lost reply is sent again when its request comes again; a late one is still taken; one without a request is refused
 * at once, and a refusal settles the request. */
static void test_replies(void **state)
{
    const struct loom_load_row row = { 7, 1, { 9 } };
    const struct loom_row_taken taken = { 7, 1 };
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 100);
    stage.answers = false;
    assert_int_equal(loom_host_send_load_row(&stage.host, &row), 0);
    stage_run(&stage, 120); /* it arrived, and so did two copies */
    assert_int_equal(stage.rows.count, 1);
    assert_int_equal(stage.row_ends.count, 0);
    assert_int_equal(stage.host.link.counters.resent, 2);
    assert_int_equal(loom_device_send_row_taken(&stage.device, &taken, (uint8_t)(stage.row_ticket + 1)), ZG_EINVALID);
    assert_int_equal(loom_device_send_row_taken(&stage.device, &taken, stage.row_ticket), 0);
    assert_int_equal(loom_device_send_row_taken(&stage.device, &taken, stage.row_ticket), ZG_EINVALID);
    stage_run(&stage, 20);
    assert_int_equal(stage_last(&stage.taken), 7);
    assert_int_equal(stage_last(&stage.row_ends), ZG_DELIVERED);

    stage.answers = true;
    assert_int_equal(loom_host_send_load_row(&stage.host, &row), 0);
    stage_run(&stage, 1);
    stage.host_off = true; /* its ring has room only for the first copy of the reply */
    stage_run(&stage, 20);
    stage.host.link.receive.tail = stage.host.link.receive.head;
    stage.host_off = false;
    stage_run(&stage, 60);
    assert_int_equal(stage.rows.count, 2);
    assert_int_equal(stage.taken.count, 2);

    stage.answers = false;
    assert_int_equal(loom_host_send_load_row(&stage.host, &row), 0);
    stage_run(&stage, 10);
    assert_int_equal(loom_device_refuse(&stage.device, stage.row_ticket, ZG_REFUSED_BUSY), 0);
    stage_run(&stage, 10);
    assert_int_equal(stage_last(&stage.row_ends), ZG_REFUSED_BUSY);
    assert_int_equal(stage.host.link.counters.refused, 1);
    stage_end(&stage);
}

/* A copy with any of the last tickets, however old, is recognised and acknowledged; a ticket that was skipped is not.
 */
static void test_old_copies(void **state)
{
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 100);
    for (unsigned ticket = 0; ticket < 300; ticket += ticket % 50 == 20 ? 2 : 1) { /* 21, 71, ... are given up */
        const uint8_t frame[] = { (uint8_t)ticket, (uint8_t)ticket, 0 };
        stage_send_raw(&stage, LOOM_SET_SPEED_ID, frame, sizeof frame);
        stage_run(&stage, 1);
    }
    const unsigned taken = stage.speeds.count;
    assert_int_equal(taken, 294);
    for (unsigned back = 0; back < 120; back++) {
        const uint8_t frame[] = { (uint8_t)(299 - back), 1, 1 };
        uint32_t before = stage.device.link.counters.frames_out;
        stage_send_raw(&stage, LOOM_SET_SPEED_ID, frame, sizeof frame);
        stage_run(&stage, 1);
        assert_int_equal(stage.speeds.count, taken);
        assert_int_equal(stage.device.link.counters.frames_out, before + 1);
    }
    const uint8_t next[] = { (uint8_t)301, 7, 0 }, late[] = { (uint8_t)300, 8, 0 };
    stage_send_raw(&stage, LOOM_SET_SPEED_ID, next, sizeof next);
    stage_send_raw(&stage, LOOM_SET_SPEED_ID, late, sizeof late);
    stage_run(&stage, 1);
    assert_int_equal(stage.speeds.count, taken + 2);
    assert_int_equal(stage_last(&stage.speeds), 8);
    stage_end(&stage);
}

/* Opens set_speed and loses its frame; returns its ticket. */
static uint8_t lose_speed(void)
{
    const struct loom_set_speed speed = { 5 };

    stage.device_off = true;
    assert_int_equal(loom_host_send_set_speed(&stage.host, &speed), 0);
    stage_run(&stage, 1);
    stage.device.link.receive.tail = stage.device.link.receive.head;
    stage.device_off = false;
    return (uint8_t)(stage.host.session.delivery.next - 1);
}

/* A ticketed message whose payload does not fit is refused, and its sender informed. One with an unknown id may have no
 * ticket: its refusal settles no other message that looks like it, unless nothing else comes. */
static void test_refused(void **state)
{
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 100);
    const uint8_t cut[] = { lose_speed(), 5 };
    stage_send_raw(&stage, LOOM_SET_SPEED_ID, cut, sizeof cut);
    stage_run(&stage, 10);
    assert_int_equal(stage_last(&stage.speed_ends), ZG_REFUSED_BAD_PAYLOAD);
    assert_int_equal(stage.device.link.counters.bad_payload, 1);
    assert_int_equal(stage.speeds.count, 0);

    const uint8_t plain[] = { lose_speed(), 9, 9 };
    stage_send_raw(&stage, 15, plain, sizeof plain);
    stage_run(&stage, 10);
    assert_int_equal(stage.device.link.counters.unknown_id, 1);
    assert_int_equal(stage.host.link.counters.refused, 2);
    assert_int_equal(stage.speed_ends.count, 1);
    stage_run(&stage, 100);
    assert_int_equal(stage_last(&stage.speed_ends), ZG_DELIVERED);
    assert_int_equal(stage.speeds.count, 1);
    stage_end(&stage);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_once),
                                        cmocka_unit_test(test_restarts),
                                        cmocka_unit_test(test_sends_when_settled),
                                        cmocka_unit_test(test_sends_at_restart),
                                        cmocka_unit_test(test_long_outage),
                                        cmocka_unit_test(test_throughput),
                                        cmocka_unit_test(test_given_up),
                                        cmocka_unit_test(test_held_back),
                                        cmocka_unit_test(test_replies),
                                        cmocka_unit_test(test_refused),
                                        cmocka_unit_test(test_old_copies) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
