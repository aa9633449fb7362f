/* SPDX-License-Identifier: MIT */
/* Links that keep packets apart: interpreter, generated C and Python find the same in any packets; a packet waits while
 * the port is busy, and leaves whole. */
#include "generated.h"
#include "random_frames.h"

#include <glib/gstdio.h>
#include <string.h>

#include "codec/frame.h"
#include "codec/frame_reader.h"
#include "generate/generate.h"
#include "radio_device.h"
#include "radio_host.h"

enum { PACKETS = 3000, SENDS = 500 };

/* --- what is found */

static void on_report(void *context, const struct radio_report *message, const struct zg_frame *frame)
{
    (void)frame;
    g_string_append_printf(context, "report %u %.*s ", message->number, message->text_count, message->text);
}

static void on_order(void *context, const struct radio_order *message, const struct zg_frame *frame)
{
    (void)frame;
    g_string_append_printf(context, "order %u ", message->levels[2]);
}

static const struct radio_host_handlers handlers = { .report = on_report, .order = on_order };

static void note(const struct zg_stretch *stretch, void *data)
{
    if (stretch->kind != ZG_STRETCH_FRAME)
        return;
    if (stretch->message->message->id == 1)
        g_string_append_printf(data, "report %u %.*s ", (unsigned)stretch->values[0].raw.u,
                               (int)stretch->values[1].count, (const char *)stretch->values[1].bytes);
    else
        g_string_append_printf(data, "order %u ", (unsigned)stretch->values[0].items[2].raw.u);
}

static void append_counters(GString *text, const struct zg_counters *c)
{
    g_string_append_printf(text, "%u %u %u %u %u %u %u %u %u %u\n", c->bytes_in, c->bytes_of_frames, c->bytes_failed,
                           c->bytes_noise, c->frames_in, c->failed_check, c->malformed, c->too_long, c->unknown_id,
                           c->bad_payload);
}

static const char driver[] =
    "import sys, radio\n"
    "receiver = radio.Receiver()\n"
    "for line in sys.stdin:\n"
    "    out = ''\n"
    "    for frame in receiver.feed(bytes.fromhex(line)):\n"
    "        m = frame.message\n"
    "        out += 'report %d %s ' % (m.number, m.text) if isinstance(m, radio.Report) else 'order %d ' % "
    "m.levels[2]\n"
    "    print(out)\n"
    "print(*(receiver.counters[name] for name in ('bytes_in', 'bytes_of_frames', 'bytes_failed', 'bytes_noise',\n"
    "        'frames_in', 'failed_check', 'malformed', 'too_long', 'unknown_id', 'bad_payload')))\n";

static char *python_says(const struct zg_plan *plan, const GString *packets)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-packets-XXXXXX", NULL);
    g_autoptr(GPtrArray) files = zg_generate_python(plan);
    g_autofree char *script = g_build_filename(folder, "driver.py", NULL), *in = g_build_filename(folder, "in", NULL);
    g_autofree char *command = g_strdup_printf("sh -c '" TEST_PYTHON " -W error %s < %s'", script, in);
    char *told = NULL;

    assert_true(zg_generated_write(files, folder, false, NULL));
    assert_true(g_file_set_contents(script, driver, -1, NULL));
    assert_true(g_file_set_contents(in, packets->str, (gssize)packets->len, NULL));
    assert_true(g_spawn_command_line_sync(command, &told, NULL, NULL, NULL));
    test_remove_folder(folder);
    return told;
}

/* A packet as it was sent, or with a bit flipped, cut, with more behind it, or of nothing but chance. */
static GByteArray *any_packet(struct zg_random *random, const struct zg_plan *plan)
{
    GByteArray *packet = test_random_frames(random, plan, 1);
    uint8_t more[40];

    for (unsigned i = 0; i < sizeof more; i++)
        more[i] = (uint8_t)zg_random_next(random);
    switch (zg_random_below(random, 6)) {
    case 0: packet->data[zg_random_below(random, packet->len)] ^= (uint8_t)(1U << zg_random_below(random, 8)); break;
    case 1: g_byte_array_set_size(packet, 1 + (guint)zg_random_below(random, packet->len)); break;
    case 2: g_byte_array_append(packet, more, 1 + (guint)zg_random_below(random, sizeof more)); break;
    case 3:
        g_byte_array_set_size(packet, 0);
        g_byte_array_append(packet, more, 1 + (guint)zg_random_below(random, sizeof more));
        break;
    default: break;
    }
    return packet;
}

static uint32_t no_time(void *context)
{
    (void)context;
    return 0;
}

static void test_what_is_found(void **state)
{
    static struct radio_host node;
    static const struct zg_port port = { .now_us = no_time };
    g_autofree char *definition = NULL;
    g_autoptr(GString) packets = g_string_new(NULL), c = g_string_new(NULL), read = g_string_new(NULL);
    struct zg_random random = zg_random_seeded(31, 0);
    (void)state;
    assert_true(g_file_get_contents(TEST_SOURCE "/tests/generate/radio.yaml", &definition, NULL, NULL));
    struct test_plan plan = test_plan_of(definition);
    struct zg_frame_reader *reader = zg_frame_reader_new(plan.plan, note, read);
    assert_int_equal(radio_host_init(&node, &port, NULL, &handlers, c), 0);
    for (unsigned i = 0; i < test_rounds(PACKETS); i++) {
        g_autoptr(GByteArray) packet = any_packet(&random, plan.plan);
        zg_frame_reader_feed(reader, packet->data, packet->len);
        radio_host_receive_packet(&node, packet->data, packet->len);
        assert_false(zg_frame_reader_is_open(reader));
        assert_int_equal(radio_host_pending(&node), 0);
        g_string_append_c(read, '\n');
        g_string_append_c(c, '\n');
        for (guint k = 0; k < packet->len; k++)
            g_string_append_printf(packets, "%02x", packet->data[k]);
        g_string_append_c(packets, '\n');
    }
    append_counters(read, zg_frame_reader_counters(reader));
    append_counters(c, &node.link.counters);
    g_autofree char *python = python_says(plan.plan, packets);
    assert_string_equal(c->str, read->str);
    assert_string_equal(python, read->str);
    const struct zg_counters *counters = &node.link.counters;
    assert_true(MIN(MIN(counters->frames_in, counters->failed_check), counters->too_long) > test_rounds(PACKETS) / 20);
    zg_frame_reader_free(reader);
    test_plan_clear(&plan);
}

/* --- how they leave */

struct radio {
    bool busy;
    GPtrArray *sent; /* GBytes */
};

static bool send_packet(void *context, const uint8_t *bytes, size_t size)
{
    struct radio *radio = context;

    if (!radio->busy)
        g_ptr_array_add(radio->sent, g_bytes_new(bytes, size));
    return !radio->busy;
}

/* Each packet leaves whole and once; while one waits, a second is refused. */
static void test_how_they_leave(void **state)
{
    static const struct zg_port port = { .now_us = no_time, .send_packet = send_packet };
    static struct radio_device device;
    static struct radio_host host;
    struct radio radio = { .sent = g_ptr_array_new_with_free_func((GDestroyNotify)g_bytes_unref) };
    struct zg_random random = zg_random_seeded(32, 0);
    g_autoptr(GString) wanted = g_string_new(NULL), told = g_string_new(NULL);
    unsigned refused = 0;
    (void)state;
    assert_int_equal(radio_device_init(&device, &port, &radio, NULL, NULL), 0);
    assert_int_equal(radio_host_init(&host, &port, &radio, &handlers, told), 0);
    for (unsigned i = 0; i < SENDS; i++) {
        struct radio_report report = { .number = (uint16_t)i, .text_count = (uint8_t)zg_random_below(&random, 19) };
        memset(report.text, 'a' + (int)(i % 26), report.text_count);
        const bool waits = device.link.counters.frames_out > radio.sent->len;
        radio.busy = zg_random_one_in(&random, 2);
        const int result = radio_device_send_report(&device, &report);
        assert_int_equal(result, waits && radio.busy ? ZG_EROOM : 0);
        refused += result == ZG_EROOM;
        if (result == 0)
            g_string_append_printf(wanted, "report %u %.*s ", i, report.text_count, report.text);
        radio.busy = zg_random_one_in(&random, 2);
        radio_device_poll(&device);
        assert_true(radio.busy || device.link.counters.frames_out == radio.sent->len);
    }
    radio.busy = false;
    radio_device_poll(&device);
    for (guint i = 0; i < radio.sent->len; i++) {
        size_t size;
        const uint8_t *bytes = g_bytes_get_data(radio.sent->pdata[i], &size);
        radio_host_receive_packet(&host, bytes, size);
    }
    assert_string_equal(told->str, wanted->str);
    assert_true(refused > SENDS / 10);
    assert_int_equal(host.link.counters.lost, 0);
    assert_int_equal(host.link.counters.bytes_of_frames, device.link.counters.bytes_out);
    g_ptr_array_unref(radio.sent);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_what_is_found), cmocka_unit_test(test_how_they_leave) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
