/* SPDX-License-Identifier: MIT */
/* Ends of different versions: what hello says, and what passes between them. */
#include <string.h>

#include "newer_device.h"
#include "newer_host.h"
#include "stage.h"

static struct stage stage;

/* Makes the device say that it has this version, and returns what the host concludes. */
static enum zg_match match_of(int major, int minor, int fingerprint)
{
    uint8_t content[2 + ZG_HELLO_LEAST] = { LOOM_HELLO_ID << 3 | 1, (uint8_t)stage.device.link.sequence++ };
    uint8_t *const payload = content + 2, whole[LOOM_HELLO_MAX_PAYLOAD];
    const struct loom_hello *last = &stage.hello;
    size_t size;

    assert_int_equal(loom_hello_pack(last, whole, sizeof whole, &size), 0);
    memcpy(payload, whole, ZG_HELLO_LEAST - 1);
    payload[0] = (uint8_t)(payload[0] + major);
    payload[1] = (uint8_t)(payload[1] + minor);
    payload[2] = (uint8_t)(payload[2] + fingerprint);
    payload[ZG_HELLO_BOOT] = 3;
    const unsigned before = stage.matches.count;
    stage_pass_to_host(&stage, content, sizeof content);
    stage_run(&stage, 5);
    assert_true(stage.matches.count > before); /* and then the device's own, in answer to the host's */
    return (enum zg_match)stage.matches.numbers[before];
}

static void test_match(void **state)
{
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 100);
    assert_int_equal(stage_last(&stage.matches), ZG_MATCH_SAME);
    assert_int_equal(loom_device_hello(&stage.device)->match, ZG_MATCH_SAME);
    assert_int_equal(match_of(0, 1, 9), ZG_MATCH_NEWER_MINOR);
    assert_int_equal(match_of(0, -1, 9), ZG_MATCH_OLDER_MINOR);
    assert_int_equal(match_of(0, 0, 1), ZG_MATCH_OTHER_DEFINITION);
    assert_int_equal(match_of(1, 0, 1), ZG_MATCH_NEWER_MAJOR);
    assert_int_equal(match_of(-1, 4, 1), ZG_MATCH_OLDER_MAJOR);
    assert_int_equal(match_of(0, 0, 0), ZG_MATCH_SAME);
    stage_end(&stage);
    /* in words that say which end must be updated */
    assert_non_null(strstr(zg_match_text(ZG_MATCH_NEWER_MAJOR), "update this end"));
    assert_non_null(strstr(zg_match_text(ZG_MATCH_OLDER_MAJOR), "other end has an older major version: update it"));
    assert_non_null(strstr(zg_match_text(ZG_MATCH_OTHER_DEFINITION), "zeugma compare"));
}

/* A frame of another major version is not delivered, and reported once until one of ours comes. */
static void test_other_major(void **state)
{
    (void)state;
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 100);
    unsigned events = stage.host_events.count;
    for (unsigned i = 0; i < 3; i++) {
        const uint8_t content[] = { 1 << 3 | 2, (uint8_t)(40 + i) }; /* version 2, id 1 */
        stage_pass_to_host(&stage, content, sizeof content);
        stage_run(&stage, 1);
    }
    assert_int_equal(stage.host.link.counters.other_version, 3);
    assert_int_equal(stage.host_events.count, events + 1);
    assert_int_equal(stage_last(&stage.host_events), ZG_LINK_OTHER_VERSION);
    assert_int_equal(stage.picks.count, 0);
    stage_end(&stage);
}

/* --- a minor version apart */

static struct newer_device newer_device;
static struct newer_host newer_host;
static struct loom_device loom_device;
static struct loom_host loom_host;
static struct heard heard;

static void note(uint32_t number)
{
    heard.numbers[heard.count++] = number;
}

static void on_newer_pick(void *context, const struct newer_pick *pick, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    note(pick->number * 1000 + pick->sag);
}

static void on_level_settled(void *context, const struct newer_level *level, enum zg_settled how)
{
    (void)context;
    (void)level;
    note(how);
}

static void on_newer_speed(void *context, const struct newer_set_speed *speed, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    note(speed->picks_per_min * 1000U + speed->ramp);
}

static void on_loom_pick(void *context, const struct loom_pick *pick, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    note(pick->number);
}

static void on_loom_speed(void *context, const struct loom_set_speed *speed, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    note(speed->picks_per_min);
}

static void run(struct zg_sim_line *line, unsigned ms, void (*poll)(void))
{
    uint64_t now = zg_sim_now(line);

    for (uint64_t until = now + UINT64_C(1000000) * ms; now < until;) {
        now += 100000;
        zg_sim_advance(line, now);
        poll();
    }
}

static void poll_newer_host(void)
{
    newer_host_poll(&newer_host);
    loom_device_poll(&loom_device);
}

static void poll_newer_device(void)
{
    newer_device_poll(&newer_device);
    loom_host_poll(&loom_host);
}

static const struct zg_sim_settings settings = { .baud = 500000, .half_bits = 20, .seed = 4 };

/* A host one minor version ahead: what the device lacks takes its default, or is refused by name. */
static void test_newer_host(void **state)
{
    static const struct newer_host_handlers host_handlers = { .pick = on_newer_pick,
                                                              .level_settled = on_level_settled };
    static const struct loom_device_handlers device_handlers = { .set_speed = on_loom_speed };
    const struct loom_pick pick = { 12 };
    const struct newer_set_speed speed = { 300, 9 };
    const struct newer_level level = { 1 };
    struct zg_sim_line *line = zg_sim_line_new(&settings);
    (void)state;
    heard.count = 0;
    (void)newer_host_init(&newer_host, &zg_sim_port, zg_sim_context(line, 1), &host_handlers, NULL);
    (void)loom_device_init(&loom_device, &zg_sim_port, zg_sim_context(line, 0), &device_handlers, NULL);
    zg_sim_attach(line, 0, &loom_device.link);
    zg_sim_attach(line, 1, &newer_host.link);
    run(line, 50, poll_newer_host);
    assert_int_equal(newer_host_hello(&newer_host)->match, ZG_MATCH_OLDER_MINOR);
    assert_int_equal(loom_device_hello(&loom_device)->match, ZG_MATCH_NEWER_MINOR);
    assert_int_equal(loom_device_send_pick(&loom_device, &pick), 0);
    assert_int_equal(newer_host_send_set_speed(&newer_host, &speed), 0);
    run(line, 10, poll_newer_host);
    assert_int_equal(newer_host_send_level(&newer_host, &level), 0);
    run(line, 70, poll_newer_host);
    assert_int_equal(heard.count, 3);
    assert_int_equal(heard.numbers[0], 12077); /* the default of a missing field */
    assert_int_equal(heard.numbers[1], 300);   /* what is extra is ignored */
    assert_int_equal(heard.numbers[2], ZG_REFUSED_UNKNOWN_ID);
    assert_int_equal(loom_device.link.counters.extra_bytes, 1);
    zg_sim_line_free(line);
}

static void test_newer_device(void **state)
{
    static const struct newer_device_handlers device_handlers = { .set_speed = on_newer_speed };
    static const struct loom_host_handlers host_handlers = { .pick = on_loom_pick };
    const struct newer_pick pick = { 12, 3 };
    const struct loom_set_speed speed = { 300 };
    struct zg_sim_line *line = zg_sim_line_new(&settings);
    (void)state;
    heard.count = 0;
    (void)loom_host_init(&loom_host, &zg_sim_port, zg_sim_context(line, 1), &host_handlers, NULL);
    (void)newer_device_init(&newer_device, &zg_sim_port, zg_sim_context(line, 0), &device_handlers, NULL);
    zg_sim_attach(line, 0, &newer_device.link);
    zg_sim_attach(line, 1, &loom_host.link);
    run(line, 50, poll_newer_device);
    assert_int_equal(loom_host_hello(&loom_host)->match, ZG_MATCH_NEWER_MINOR);
    assert_int_equal(newer_device_send_pick(&newer_device, &pick), 0);
    run(line, 10, poll_newer_device);
    assert_int_equal(loom_host_send_set_speed(&loom_host, &speed), 0);
    run(line, 10, poll_newer_device);
    assert_int_equal(heard.count, 2);
    assert_int_equal(heard.numbers[0], 12);
    assert_int_equal(heard.numbers[1], 300005);
    zg_sim_line_free(line);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_match), cmocka_unit_test(test_other_major),
                                        cmocka_unit_test(test_newer_host), cmocka_unit_test(test_newer_device) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
