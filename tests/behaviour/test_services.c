/* SPDX-License-Identifier: MIT */
/* What a device's end answers by itself, asked by a generated host: word for word the same from a generated device and
 * from one that a plan drives. */
#include <string.h>

#include "loom_device.h"
#include "loom_host.h"
#include "node/node.h"
#include "support.h"

static struct test_plan plan;
static struct loom_host host;
static GString *told; /* what the host and the device's application were told */

/* --- a device of either kind */

static struct loom_device generated;
static struct zg_node *driven;
static struct loom_variables *values; /* of the generated device; the other one has own_values */
static struct loom_variables own_values;

static struct zg_link *device_link(void)
{
    return driven ? zg_node_link(driven) : &generated.link;
}

static void device_poll(void)
{
    if (driven)
        zg_node_poll(driven);
    else
        loom_device_poll(&generated);
}

static void on_written(void *context, uint8_t index)
{
    (void)context;
    g_string_append_printf(told, "written %u\n", index);
}

static int get_variable(void *data, const struct zg_plan_variable *variable, uint8_t *out, size_t room, size_t *size)
{
    (void)data;
    switch (variable->variable->index) {
    case LOOM_VARIABLE_TARGET_TENSION_INDEX:
        return loom_variable_target_tension_pack(&values->target_tension, out, room, size);
    case LOOM_VARIABLE_TITLE_INDEX: return loom_variable_title_pack(&values->title, out, room, size);
    default:
        *size = 1;
        out[0] = 0;
        return 0;
    }
}

static enum zg_settled set_variable(void *data, const struct zg_plan_variable *variable, const uint8_t *in,
                                    size_t length)
{
    struct loom_variable_target_tension tension;
    size_t ignored;
    (void)data;
    if (variable->variable->index == 9)
        return loom_variable_code_unpack(&values->code, in, length, NULL) == 0 ? ZG_DELIVERED : ZG_REFUSED_BAD_PAYLOAD;
    if (loom_variable_target_tension_unpack(&tension, in, length, &ignored) != 0 || ignored > 0)
        return ZG_REFUSED_BAD_PAYLOAD;
    if (loom_variable_target_tension_check(&tension) != 0)
        return ZG_REFUSED_BAD_VALUE;
    values->target_tension = tension;
    return ZG_DELIVERED;
}

static void variable_written(void *data, const struct zg_plan_variable *variable)
{
    on_written(data, (uint8_t)variable->variable->index);
}

static uint16_t boot_number(void *context)
{
    (void)context;
    return 77;
}

static uint32_t now_us(void *context)
{
    (void)context;
    return test_clock_us;
}

static const struct zg_port port = { now_us, NULL, NULL, NULL, boot_number };

static void begin_device(bool is_driven)
{
    static const struct loom_device_handlers handlers = { .variable_written = on_written };
    static const struct zg_node_calls calls = { .variable_get = get_variable,
                                                .variable_set = set_variable,
                                                .variable_written = variable_written };

    driven = NULL;
    values = is_driven ? &own_values : &generated.variables;
    if (is_driven)
        driven = zg_node_new(plan.plan, ZG_SIDE_DEVICE, LOOM_DEVICE_TRANSMIT_RING, &port, NULL, &calls, NULL);
    else
        assert_int_equal(loom_device_init(&generated, &port, NULL, &handlers, NULL), 0);
    *values = (struct loom_variables){ .target_tension = { 1234 }, .title = { .value_count = 4, .value = "pick" } };
}

/* --- the host */

static void on_echo(void *context, const struct loom_echo_reply *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    g_string_append_printf(told, "echo of %u bytes, the last %u\n", (unsigned)message->data_count,
                           message->data_count > 0 ? message->data[message->data_count - 1] : 0);
}

static void on_counters(void *context, const struct loom_counters *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    g_string_append_printf(told, "counters from %u:", message->first);
    for (unsigned i = 0; i < message->values_count; i++)
        g_string_append_printf(told, " %u", message->values[i]);
    g_string_append_c(told, '\n');
}

static void on_value(void *context, const struct loom_variable_value *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    g_string_append_printf(told, "variable %u of %u bytes:", message->index, (unsigned)message->value_count);
    for (unsigned i = 0; i < message->value_count; i++)
        g_string_append_printf(told, " %02x", message->value[i]);
    g_string_append_c(told, '\n');
}

static void tell_end(const char *what, uint8_t index, enum zg_settled how)
{
    g_string_append_printf(told, "%s %u: %s\n", what, index, zg_settled_text(how));
}

static void on_read(void *context, const struct loom_variable_read *message, enum zg_settled how)
{
    (void)context;
    tell_end("read", message->index, how);
}

static void on_write(void *context, const struct loom_variable_write *message, enum zg_settled how)
{
    (void)context;
    tell_end("write", message->index, how);
}

static void on_stream(void *context, const struct loom_variable_stream *message, enum zg_settled how)
{
    (void)context;
    tell_end("stream", message->index, how);
}

/* Milliseconds pass in steps of `step`, after each of which both ends are polled; all bytes reach the other end at
 * once. */
static void run(unsigned ms, unsigned step)
{
    uint8_t byte;

    for (unsigned passed = 0; passed < ms; passed += step) {
        test_clock_us += step * 1000;
        loom_host_poll(&host);
        while (loom_host_transmit_isr(&host, &byte))
            zg_link_receive_isr(device_link(), byte, 0);
        device_poll();
        while (zg_link_transmit_isr(device_link(), &byte))
            loom_host_receive_isr(&host, byte, 0);
        loom_host_poll(&host);
    }
}

static void begin_both(bool is_driven)
{
    static const struct loom_host_handlers handlers = { .echo_reply = on_echo,
                                                        .counters = on_counters,
                                                        .variable_value = on_value,
                                                        .variable_read_settled = on_read,
                                                        .variable_write_settled = on_write,
                                                        .variable_stream_settled = on_stream };

    test_clock_us = UINT32_C(0) - 300000; /* the clock wraps meanwhile */
    told = g_string_new(NULL);
    begin_device(is_driven);
    assert_int_equal(loom_host_init(&host, &port, NULL, &handlers, NULL), 0);
    run(50, 1);
}

static char *end_both(void)
{
    zg_node_free(driven);
    return g_string_free(told, FALSE);
}

/* --- scenarios */

static void echoes(void)
{
    for (unsigned size = 0; size <= LOOM_MAX_PAYLOAD; size += 21) {
        struct loom_echo_request request = { .data_count = (uint8_t)size };
        memset(request.data, (int)size, size);
        assert_int_equal(loom_host_send_echo_request(&host, &request), 0);
        run(2, 1);
    }
    struct zg_ring *ring = &device_link()->transmit; /* full: there is no answer, and that is counted */
    while (zg_ring_put(ring, 0))
        ;
    assert_int_equal(loom_host_send_echo_request(&host, &(struct loom_echo_request){ .data_count = 9 }), 0);
    run(2, 1);
    g_string_append_printf(told, "%u not answered\n", device_link()->counters.unanswered);
}

static void counters(void)
{
    static const struct loom_counters_request requests[] = { { 0, false },  { 14, true }, { 14, false },
                                                             { 30, false }, { 31, true }, { 255, true } };
    for (unsigned i = 0; i < G_N_ELEMENTS(requests); i++) {
        assert_int_equal(loom_host_send_counters_request(&host, &requests[i]), 0);
        run(2, 1);
    }
}

static void variables(void)
{
    static const uint8_t indices[] = { 0, 4, 9, 5 };
    static const struct loom_variable_write writes[] = {
        { .index = 0, .value_count = 2, .value = { 0x10, 0x27 } }, /* 100 N */
        { .index = 0, .value_count = 2, .value = { 0xFF, 0xFF } }, /* out of range */
        { .index = 0, .value_count = 1, .value = { 1 } },
        { .index = 0, .value_count = 3, .value = { 1, 2, 3 } },
        { .index = 4, .value_count = 1, .value = { 'x' } }, /* read only */
        { .index = 5, .value_count = 1, .value = { 1 } },
        { .index = 9, .value_count = 4, .value = { 1, 2, 3, 4 } },
    };
    for (unsigned i = 0; i < G_N_ELEMENTS(indices); i++) {
        assert_int_equal(loom_host_send_variable_read(&host, &(struct loom_variable_read){ indices[i] }), 0);
        run(5, 1);
    }
    for (unsigned i = 0; i < G_N_ELEMENTS(writes); i++) {
        assert_int_equal(loom_host_send_variable_write(&host, &writes[i]), 0);
        run(5, 1);
    }
    g_string_append_printf(told, "tension %d, code %u\n", values->target_tension.value, (unsigned)values->code.value);
}

/* A stream keeps its phase when polls are late, and omits what was missed while the device was held up. Streams beyond
 * the number of places are refused; a host's restart ends all of them. */
static void streams(void)
{
    const gsize before = told->len;
    assert_int_equal(loom_host_send_variable_stream(&host, &(struct loom_variable_stream){ 0, 20 }), 0);
    run(10, 1);
    run(2002, 7);
    unsigned seen = 0;
    for (const char *at = told->str + before; (at = strstr(at, "variable 0 of 2 bytes")); at++)
        seen++;
    assert_in_range(seen, 100, 102); /* one is the answer */
    test_clock_us += 500000;
    run(30, 1);
    assert_int_equal(loom_host_send_variable_stream(&host, &(struct loom_variable_stream){ 0, 0 }), 0);
    run(100, 1);
    assert_int_equal(loom_host_send_variable_stream(&host, &(struct loom_variable_stream){ 5, 9 }), 0);
    assert_int_equal(loom_host_send_variable_stream(&host, &(struct loom_variable_stream){ 9, 9 }), 0);
    assert_int_equal(loom_host_send_variable_stream(&host, &(struct loom_variable_stream){ 4, 50 }), 0);
    run(120, 1);
    static const uint8_t more[] = { 0, 11, 12, 13 };
    for (unsigned i = 0; i < G_N_ELEMENTS(more); i++)
        assert_int_equal(loom_host_send_variable_stream(&host, &(struct loom_variable_stream){ more[i], 500 }), 0);
    run(20, 1);
}

static void test_same(void **state)
{
    static void (*const scenarios[])(void) = { echoes, counters, variables, streams };
    static const char *const wanted[][5] = {
        { "echo of 0 bytes, the last 0\n", "echo of 63 bytes, the last 63\n", "1 not answered\n", "" },
        { "counters from 0: ", "counters from 14:", "counters from 30: 0\n", "counters from 255:\n" },
        { "variable 0 of 2 bytes: d2 04\n",
          "read 9: refused: not allowed\nread 5: refused: no variable has this index\n",
          "written 0\nwrite 0: delivered\n", "tension 10000, code 67305985\n" },
        { "stream 0: delivered\n", "stream 5: refused: no variable has this index\n",
          "stream 9: refused: not allowed\n", "stream 13: refused: the other end has no place for it at present\n",
          "variable 4 of 5 bytes: 04 70 69 63 6b\n" },
    };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(scenarios); i++) {
        begin_both(false);
        scenarios[i]();
        g_autofree char *generated_told = end_both();
        begin_both(true);
        scenarios[i]();
        g_autofree char *driven_told = end_both();
        assert_string_equal(generated_told, driven_told);
        for (unsigned k = 0; k < G_N_ELEMENTS(wanted[i]) && wanted[i][k]; k++)
            if (!strstr(generated_told, wanted[i][k]))
                fail_msg("no \"%s\" in\n%s", wanted[i][k], generated_told);
    }
}

static int set_up(void **state)
{
    g_autofree char *definition = NULL;
    (void)state;
    assert_true(g_file_get_contents(TEST_SOURCE "/tests/behaviour/loom.yaml", &definition, NULL, NULL));
    plan = test_plan_of(definition);
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    test_plan_clear(&plan);
    return 0;
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_same) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
