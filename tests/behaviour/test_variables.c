/* SPDX-License-Identifier: MIT */
/* Variables, console and the other services of an end. */
#include <string.h>

#include "stage.h"
#include "zeugma/pace.h"

static struct stage stage;

static void set_up(void)
{
    stage_begin(&stage, NULL, 1, 0);
    stage_run(&stage, 50);
}

static void read_variable(uint8_t index)
{
    const struct loom_variable_read request = { index };
    assert_int_equal(loom_host_send_variable_read(&stage.host, &request), 0);
    stage_run(&stage, 10);
}

static void write_raw(uint8_t index, const uint8_t *value, uint8_t size)
{
    struct loom_variable_write request = { .index = index, .value_count = size };

    memcpy(request.value, value, size);
    assert_int_equal(loom_host_send_variable_write(&stage.host, &request), 0);
    stage_run(&stage, 10);
}

/* Each side sees what the other changes; what is not allowed is refused with its reason, and changes nothing. */
static void test_read_and_write(void **state)
{
    const struct loom_variable_target_tension tension = { 1234 }, too_much = { 25001 };
    const struct loom_variable_code code = { 77 };
    static const uint8_t over[] = { 0xA9, 0x61 }, cut[] = { 1 }, text[] = { 1, 'x' };
    (void)state;
    set_up();
    stage.device.variables.target_tension.value = 42;
    read_variable(LOOM_VARIABLE_TARGET_TENSION_INDEX);
    assert_int_equal(stage_last(&stage.tensions), 42);
    assert_int_equal(stage_last(&stage.read_ends), ZG_DELIVERED);
    assert_int_equal(loom_host_write_target_tension(&stage.host, &tension), 0);
    stage_run(&stage, 10);
    assert_int_equal(stage.device.variables.target_tension.value, 1234);
    assert_int_equal(stage_last(&stage.written), LOOM_VARIABLE_TARGET_TENSION_INDEX);
    assert_int_equal(stage_last(&stage.tensions), 1234); /* and the answer carries it */
    assert_int_equal(stage_last(&stage.write_ends), ZG_DELIVERED);
    assert_int_equal(loom_host_write_code(&stage.host, &code), 0); /* write only: the value written comes back */
    stage_run(&stage, 10);
    assert_int_equal(stage.device.variables.code.value, 77);
    assert_int_equal(stage_last(&stage.write_ends), ZG_DELIVERED);

    assert_int_equal(loom_host_write_target_tension(&stage.host, &too_much), ZG_ERANGE);
    write_raw(LOOM_VARIABLE_TARGET_TENSION_INDEX, over, sizeof over); /* 250.01 */
    assert_int_equal(stage_last(&stage.write_ends), ZG_REFUSED_BAD_VALUE);
    write_raw(LOOM_VARIABLE_TARGET_TENSION_INDEX, cut, sizeof cut);
    assert_int_equal(stage_last(&stage.write_ends), ZG_REFUSED_BAD_PAYLOAD);
    write_raw(LOOM_VARIABLE_TITLE_INDEX, text, sizeof text);
    assert_int_equal(stage_last(&stage.write_ends), ZG_REFUSED_NOT_ALLOWED);
    write_raw(77, text, sizeof text);
    assert_int_equal(stage_last(&stage.write_ends), ZG_REFUSED_NO_VARIABLE);
    read_variable(LOOM_VARIABLE_CODE_INDEX);
    assert_int_equal(stage_last(&stage.read_ends), ZG_REFUSED_NOT_ALLOWED);
    read_variable(78);
    assert_int_equal(stage_last(&stage.read_ends), ZG_REFUSED_NO_VARIABLE);
    assert_int_equal(stage.device.variables.target_tension.value, 1234);
    assert_int_equal(stage.written.count, 2);
    stage_end(&stage);
}

static int stream(uint8_t index, uint16_t period_ms)
{
    const struct loom_variable_stream request = { index, period_ms };
    return loom_host_send_variable_stream(&stage.host, &request);
}

/* A stream gives the current value at its period, changes it, stops, and stops when its listener restarts. */
static void test_stream(void **state)
{
    (void)state;
    set_up();
    assert_int_equal(stream(LOOM_VARIABLE_TARGET_TENSION_INDEX, 20), 0);
    stage_run(&stage, 205);
    assert_in_range(stage.tensions.count, 10, 12);
    stage.device.variables.target_tension.value = 500;
    stage_run(&stage, 25);
    assert_int_equal(stage_last(&stage.tensions), 500);
    assert_int_equal(stream(LOOM_VARIABLE_TARGET_TENSION_INDEX, 50), 0);
    unsigned before = stage.tensions.count;
    stage_run(&stage, 505);
    assert_in_range(stage.tensions.count - before, 10, 12);
    assert_int_equal(stream(LOOM_VARIABLE_TARGET_TENSION_INDEX, 0), 0);
    stage_run(&stage, 10);
    before = stage.tensions.count;
    stage_run(&stage, 300);
    assert_int_equal(stage.tensions.count, before);
    assert_int_equal(stream(LOOM_VARIABLE_TARGET_TENSION_INDEX, 10), 0);
    stage_run(&stage, 30);
    stage_restart_host(&stage);
    stage_run(&stage, 100);
    before = stage.tensions.count;
    stage_run(&stage, 100);
    assert_int_equal(stage.tensions.count, before);
    stage_end(&stage);
}

/* Text of any length in frames, both ways, with other frames in between. */
static void test_console(void **state)
{
    static const char text[] = "warp 3: tension 12.34 N\r\n\xC2\xB5 \x1B[1mbold\x1B[0m, and a line that is longer than "
                               "one frame can be, so that it takes two of them\n";
    const struct loom_pick pick = { 3 };
    size_t done = 0;
    (void)state;
    set_up();
    while (done < sizeof text - 1) {
        size_t took = loom_device_print(&stage.device, text + done, sizeof text - 1 - done);
        done += took;
        if (took == 0)
            stage_run(&stage, 1);
        (void)loom_device_send_pick(&stage.device, &pick);
    }
    stage_run(&stage, 20);
    assert_int_equal(stage.console_size, sizeof text - 1);
    assert_memory_equal(stage.console, text, sizeof text - 1);
    assert_int_equal(stage_last(&stage.picks), 3);
    assert_int_equal(loom_host_print(&stage.host, "help\n", 5), 5);
    assert_int_equal(loom_host_print(&stage.host, "", 0), 0);
    stage_end(&stage);
}

/* How often a sender may send that asks at every turn of its loop. */
static void test_pace(void **state)
{
    struct zg_pace pace = { 0 };
    unsigned often = 0, changes = 0, either = 0;
    (void)state;
    for (uint32_t now = UINT32_C(0) - 50000, i = 0; i < 1000; now += 1000, i++)
        often += zg_pace_at_most(&pace, now, 100000);
    assert_int_equal(often, 10);
    pace = (struct zg_pace){ 0 };
    for (uint32_t now = UINT32_C(0) - 50000, i = 0; i < 1000; now += 1000, i++)
        changes += zg_pace_on_change(&pace, now, i / 300);
    assert_int_equal(changes, 4);
    pace = (struct zg_pace){ 0 };
    for (uint32_t now = UINT32_C(0) - 50000, i = 0; i < 1000; now += 1000, i++)
        either += zg_pace_on_change_or_every(&pace, now, i / 300, 200000);
    assert_int_equal(either, 4 + 3); /* 0, 200, 300, 500, 600, 800, 900 ms */
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_read_and_write), cmocka_unit_test(test_stream),
                                        cmocka_unit_test(test_console), cmocka_unit_test(test_pace) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
