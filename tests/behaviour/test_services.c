/* SPDX-License-Identifier: MIT */
/* What a device's end answers by itself, asked by a host: word for word the same from a generated device and from one
 * that a plan drives, and for a host in C and one in Python. */
#include <string.h>

#include "codec/hex.h"
#include "generated.h"
#include "loom_device.h"
#include "loom_host.h"
#include "node/node.h"
#include "support.h"

static struct test_plan plan;
static struct loom_host host;
static GString *told;      /* what the host and the device's application were told */
static GByteArray *passed; /* bytes that reached the device, */
static guint hit;          /* of which this one is inverted on the way */

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

static const struct zg_port port = { .now_us = now_us, .boot_number = boot_number };

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

static void on_report(void *context, const struct loom_traffic_report *message, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    g_string_append_printf(told,
                           "report of %u: taken %u of %u, wrong %u, repeated %u, skipped %u, sent %u, refused %u\n",
                           message->seed, message->taken, message->expected, message->wrong, message->repeated,
                           message->skipped, message->sent, message->refused);
    g_string_append_printf(told, "here: taken %u of %u, wrong %u, repeated %u, skipped %u\n",
                           host.traffic.counts[ZG_TRAFFIC_TAKEN], host.traffic.counts[ZG_TRAFFIC_EXPECTED],
                           host.traffic.counts[ZG_TRAFFIC_WRONG], host.traffic.counts[ZG_TRAFFIC_REPEATED],
                           host.traffic.counts[ZG_TRAFFIC_SKIPPED]);
}

/* Where the bytes are among those that reached the device. */
static void on_damage(void *context, const struct loom_traffic_damage *message, const struct zg_frame *frame)
{
    guint at = 0;
    (void)context;
    (void)frame;
    assert_int_equal(message->data_count, MIN(message->size, 48));
    while (memcmp(passed->data + at, message->data, message->data_count) != 0) {
        at++;
        assert_true(at + message->data_count <= passed->len);
    }
    g_string_append_printf(told, "damage of %u bytes from %u on, when %u was due\n", message->size, at,
                           message->expected);
    assert_in_range(hit, at, at + message->size - 1);
    assert_int_equal(passed->data[at - 1], 0);
    assert_int_equal(passed->data[at + message->size - 1], 0);
    assert_in_range(message->size, 20, 70);
    assert_in_range(message->expected, 1, host.traffic.counts[ZG_TRAFFIC_SENT] - 1);
}

/* Milliseconds pass in steps of `step`, after each of which both ends are polled; all bytes reach the other end at
 * once. */
static void run(unsigned ms, unsigned step)
{
    uint8_t byte;

    for (unsigned gone = 0; gone < ms; gone += step) {
        test_clock_us += step * 1000;
        loom_host_poll(&host);
        while (loom_host_transmit_isr(&host, &byte)) {
            byte = passed->len == hit ? (uint8_t)~byte : byte;
            g_byte_array_append(passed, &byte, 1);
            zg_link_receive_isr(device_link(), byte, 0);
        }
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
                                                        .traffic_report = on_report,
                                                        .traffic_damage = on_damage,
                                                        .variable_value = on_value,
                                                        .variable_read_settled = on_read,
                                                        .variable_write_settled = on_write,
                                                        .variable_stream_settled = on_stream };

    test_clock_us = UINT32_C(0) - 300000; /* the clock wraps meanwhile */
    told = g_string_new(NULL);
    passed = g_byte_array_new();
    hit = G_MAXUINT;
    begin_device(is_driven);
    assert_int_equal(loom_host_init(&host, &port, NULL, &handlers, NULL), 0);
    run(50, 1);
}

static char *end_both(void)
{
    zg_node_free(driven);
    g_byte_array_unref(passed);
    return g_string_free(told, FALSE);
}

/* --- scenarios: what the host does, a line each, for the C host here and for the Python host in generated/meet.py */

/* Sizes up to the largest payload. */
static const char echoes[] = "echo 0\nrun 2 1\necho 21\nrun 2 1\necho 42\nrun 2 1\necho 63\nrun 2 1\n";

static const char counters[] = "counters 14 1\nrun 2 1\ncounters 14 0\nrun 2 1\n"
                               "counters 30 0\nrun 2 1\ncounters 31 1\nrun 2 1\ncounters 255 1\nrun 2 1\n";

/* What passed so far, which differs by the hellos of the two hosts. */
static const char traffic[] = "counters 0 0\nrun 2 1\n";

/* 100 N; out of range; too short; too long; read only; no variable; write only. */
static const char variables[] = "read 0\nrun 5 1\nread 4\nrun 5 1\nread 9\nrun 5 1\nread 5\nrun 5 1\n"
                                "write 0 1027\nrun 5 1\nwrite 0 ffff\nrun 5 1\nwrite 0 01\nrun 5 1\n"
                                "write 0 010203\nrun 5 1\nwrite 4 78\nrun 5 1\nwrite 5 01\nrun 5 1\n"
                                "write 9 01020304\nrun 5 1\n";

/* A stream keeps its phase when polls are late, and omits what was missed while the device was held up. */
static const char phase[] = "stream 0 20\nrun 10 1\nrun 2002 7\nhold 500\nrun 30 1\nstream 0 0\nrun 100 1\n";

/* Streams beyond the number of places are refused. */
static const char streams[] =
    "stream 5 9\nrun 5 1\nstream 9 9\nrun 5 1\nstream 4 50\nrun 120 1\nstream 0 500\nrun 5 1\n"
    "stream 11 500\nrun 5 1\nstream 12 500\nrun 5 1\nstream 13 500\nrun 5 1\n";

/* Both ways, with a report between and after; stopped, begun anew with another seed and one size, one way and the
 * other. */
static const char frames[] =
    "traffic 5 40 65535 2000 3\nrun 41 1\ntraffic 5 0 0 0 0\nrun 60 1\ntraffic 5 40 65535 2000 3\n"
    "run 9 1\ntraffic 6 4294967295 7 1000 1\nrun 20 1\ntraffic 6 1 0 0 0\nrun 20 1\n"
    "traffic 7 25 0 500 2\nrun 30 1\ntraffic 7 0 0 0 0\nrun 5 1\n";

static void play_line(const char *line)
{
    g_auto(GStrv) words = g_strsplit(line, " ", -1);
    const unsigned first = (unsigned)strtoul(words[1], NULL, 10);
    const unsigned second = words[2] ? (unsigned)strtoul(words[2], NULL, 10) : 0;

    if (strcmp(words[0], "echo") == 0) {
        struct loom_echo_request request = { .data_count = (uint8_t)first };
        memset(request.data, (int)first, first);
        assert_int_equal(loom_host_send_echo_request(&host, &request), 0);
    } else if (strcmp(words[0], "counters") == 0) {
        const struct loom_counters_request request = { (uint8_t)first, second != 0 };
        assert_int_equal(loom_host_send_counters_request(&host, &request), 0);
    } else if (strcmp(words[0], "read") == 0) {
        assert_int_equal(loom_host_send_variable_read(&host, &(struct loom_variable_read){ (uint8_t)first }), 0);
    } else if (strcmp(words[0], "write") == 0) {
        g_autoptr(GByteArray) bytes = zg_bytes_from_hex(words[2], NULL);
        struct loom_variable_write request = { .index = (uint8_t)first, .value_count = (uint8_t)bytes->len };
        memcpy(request.value, bytes->data, bytes->len);
        assert_int_equal(loom_host_send_variable_write(&host, &request), 0);
    } else if (strcmp(words[0], "stream") == 0) {
        const struct loom_variable_stream request = { (uint8_t)first, (uint16_t)second };
        assert_int_equal(loom_host_send_variable_stream(&host, &request), 0);
    } else if (strcmp(words[0], "traffic") == 0) {
        const struct loom_traffic_request request = { first, second, (uint16_t)strtoul(words[3], NULL, 10),
                                                      (uint32_t)strtoul(words[4], NULL, 10),
                                                      (uint8_t)strtoul(words[5], NULL, 10) };
        assert_int_equal(loom_host_traffic(&host, &request), 0);
    } else if (strcmp(words[0], "hold") == 0) {
        test_clock_us += first * 1000;
    } else {
        assert_string_equal(words[0], "run");
        run(first, second);
    }
}

static char *play(const char *scenario, bool is_driven)
{
    g_auto(GStrv) lines = g_strsplit(scenario, "\n", -1);

    begin_both(is_driven);
    for (char **line = lines; **line; line++)
        play_line(*line);
    return end_both();
}

/* The same, seen by the Python host of a generated device in a process of its own. */
static char *play_in_python(const char *folder, const char *scenario)
{
    g_autofree char *script = g_build_filename(folder, "scenario", NULL);
    g_autofree char *run =
        g_strdup_printf("%s -B " TEST_DATA "/generated/meet.py %s %s/meet 0 %s", TEST_PYTHON, folder, folder, script);
    char *text = NULL;
    int status = -1;

    assert_true(g_file_set_contents(script, scenario, -1, NULL));
    assert_true(g_spawn_command_line_sync(run, &text, NULL, &status, NULL));
    assert_int_equal(status, 0);
    return text;
}

static void test_same(void **state)
{
    static const struct {
        const char *scenario;
        const char *wanted[5];
    } all[] = {
        { echoes, { "echo of 0 bytes, the last 0\n", "echo of 63 bytes, the last 63\n" } },
        { traffic, { "counters from 0: " } },
        { counters, { "counters from 14:", "counters from 30: 0\n", "counters from 255:\n" } },
        { variables,
          { "variable 0 of 2 bytes: d2 04\n", "read 9: refused: not allowed\n",
            "read 5: refused: no variable has this index\n", "written 0\nwrite 0: delivered\n" } },
        { phase, { "stream 0: delivered\n" } },
        { frames,
          { "report of 5: taken 21 of 21,",
            "report of 5: taken 40 of 40, wrong 0, repeated 0, skipped 0, sent 40, refused 0\n"
            "here: taken 40 of 40,",
            "report of 6: taken 0 of 0, wrong 0, repeated 0, skipped 0, sent 2",
            "report of 7: taken 25 of 25, wrong 0, repeated 0, skipped 0, sent 0, refused 0\n" } },
        { streams,
          { "stream 5: refused: no variable has this index\n", "stream 9: refused: not allowed\n",
            "variable 4 of 5 bytes: 04 70 69 63 6b\n", "stream 12: delivered\n",
            "stream 13: refused: the other end has no place for it at present\n" } },
    };
    g_autofree char *folder = g_dir_make_tmp("zeugma-services-XXXXXX", NULL);
    (void)state;
    test_build_meeting(plan.plan, folder);
    for (unsigned i = 0; i < G_N_ELEMENTS(all); i++) {
        g_autofree char *by_generated = play(all[i].scenario, false), *by_node = play(all[i].scenario, true);
        g_autofree char *in_python = play_in_python(folder, all[i].scenario);
        assert_string_equal(by_generated, by_node);
        if (all[i].scenario != traffic)
            assert_string_equal(by_generated, in_python);
        for (unsigned k = 0; k < G_N_ELEMENTS(all[i].wanted) && all[i].wanted[k]; k++)
            if (!strstr(by_generated, all[i].wanted[k]))
                fail_msg("no \"%s\" in\n%s", all[i].wanted[k], by_generated);
        g_auto(GStrv) values_of_0 = g_strsplit(by_generated, "variable 0 of 2 bytes", -1);
        if (all[i].scenario == phase)
            assert_in_range(g_strv_length(values_of_0) - 1, 103, 106);
    }
    test_remove_folder(folder);
}

/* What only the device knows: how its variables are then, and that there was no room for an answer. */
static void test_inside(void **state)
{
    (void)state;
    for (unsigned is_driven = 0; is_driven < 2; is_driven++) {
        g_free(play(variables, is_driven));
        assert_int_equal(values->target_tension.value, 10000);
        assert_int_equal(values->code.value, 0x04030201);
        begin_both(is_driven);
        struct zg_ring *ring = &device_link()->transmit;
        while (zg_ring_put(ring, 0))
            ;
        play_line("echo 9");
        run(2, 1);
        assert_int_equal(device_link()->counters.unanswered, 1);
        g_free(end_both());
    }
}

/* What arrived damaged is told after the next report, once, as it came. */
static void test_damage(void **state)
{
    (void)state;
    for (unsigned is_driven = 0; is_driven < 2; is_driven++) {
        begin_both(is_driven);
        play_line("traffic 9 1000 20 2000 2");
        for (unsigned times = 1; times <= 2; times++) {
            run(9, 1);
            hit = passed->len + 12;
            run(11, 1);
            play_line("traffic 9 0 0 0 0");
            run(2, 1);
            play_line("traffic 9 0 0 0 0");
            assert_int_equal(device_link()->counters.bytes_failed > 0, 1);
        }
        g_autofree char *text = end_both();
        g_auto(GStrv) damages = g_strsplit(text, "damage of ", -1);
        assert_int_equal(g_strv_length(damages) - 1, 2);
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
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_same), cmocka_unit_test(test_inside),
                                        cmocka_unit_test(test_damage) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
