/* SPDX-License-Identifier: MIT */
/* Generated C and Python in each framing, run: both make the same frames as the interpreter, and read damaged streams
 * as it does. */
#include "generated.h"
#include "streams.h"

#include <stdlib.h>
#include <string.h>

#include "codec/frame.h"
#include "codec/frame_reader.h"
#include "generate/generate.h"

enum { STREAMS = 2 };

static const char driver[] = "import sys, random\n"
                             "sys.path.insert(0, sys.argv[1])\n"
                             "import p\n"
                             "if sys.argv[2] == 'send':\n"
                             "    for i, line in enumerate(sys.stdin):\n"
                             "        print(p.encode(p.M.unpack(bytes.fromhex(line)), sequence=i % 256).hex())\n"
                             "else:\n"
                             "    r, data, numbers = p.Receiver(), sys.stdin.buffer.read(), []\n"
                             "    while data:\n"
                             "        n = random.randint(1, 50)\n"
                             "        numbers += [f.message.n for f in r.feed(data[:n])]\n"
                             "        data = data[n:]\n"
                             "    numbers += [f.message.n for f in r.pause()]\n"
                             "    print(''.join('%d ' % n for n in numbers))\n"
                             "    print(''.join('%s=%d ' % c for c in r.counters.items()))\n";

static void run(const char *format, ...) G_GNUC_PRINTF(1, 2);

static void run(const char *format, ...)
{
    va_list list;
    va_start(list, format);
    g_autofree char *command = g_strdup_vprintf(format, list);
    va_end(list);
    if (system(command) != 0)
        fail_msg("failed: %s", command);
}

static void write_file(const char *folder, const char *name, const void *bytes, size_t length)
{
    g_autofree char *path = g_build_filename(folder, name, NULL);
    assert_true(g_file_set_contents(path, bytes, (gssize)length, NULL));
}

static char *read_file(const char *folder, const char *name)
{
    g_autofree char *path = g_build_filename(folder, name, NULL);
    char *text = NULL;
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    return text;
}

static void append_hex(GString *text, const uint8_t *bytes, size_t length)
{
    for (size_t i = 0; i < length; i++)
        g_string_append_printf(text, "%02x", bytes[i]);
    g_string_append_c(text, '\n');
}

static void hold_senders(const struct zg_plan *plan, struct zg_random *random, const char *folder)
{
    const struct zg_plan_message *message = zg_plan_message_at(plan, 0);
    g_autoptr(GString) payloads = g_string_new(NULL), wanted = g_string_new(NULL);

    for (uint32_t i = 0; i < 50; i++) {
        struct zg_header header = { .id = 1, .sequence = i };
        uint8_t payload[64];
        unsigned length = message->payload_least;
        length += (unsigned)zg_random_below(random, MIN(message->payload_most, sizeof payload) - length + 1);
        for (unsigned k = 0; k < length; k++)
            payload[k] = (uint8_t)(zg_random_one_in(random, 3) ? 0x7E : zg_random_below(random, 256));
        g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, payload, length);
        append_hex(payloads, payload, length);
        append_hex(wanted, frame->data, frame->len);
    }
    write_file(folder, "payloads", payloads->str, payloads->len);
    run("cd %s && ./relay send < payloads > by_c && " TEST_PYTHON " driver.py . send < payloads > by_python", folder);
    g_autofree char *by_c = read_file(folder, "by_c"), *by_python = read_file(folder, "by_python");
    assert_string_equal(by_c, wanted->str);
    assert_string_equal(by_python, wanted->str);
}

static void note(const struct zg_stretch *stretch, void *data)
{
    if (stretch->kind == ZG_STRETCH_FRAME)
        g_string_append_printf(data, "%" G_GUINT64_FORMAT " ", stretch->values[0].raw.u);
}

/* Whether the counters in a line, "name=value ", are those of the frame reader. */
static void compare_counters(const char *line, const struct zg_counters *counters, unsigned least)
{
    unsigned compared = 0;

    for (unsigned i = 0; i < ZG_COUNTERS; i++) {
        g_autofree char *wanted =
            g_strdup_printf("%s=%u ", zg_counter_names[i], (unsigned)zg_counters_get(counters, i));
        g_autofree char *named = g_strdup_printf("%s=", zg_counter_names[i]);
        bool link_only = strcmp(zg_counter_names[i], "lost") == 0 || strcmp(zg_counter_names[i], "repeated") == 0 ||
                         strcmp(zg_counter_names[i], "late") == 0;
        if (!strstr(line, named) || link_only)
            continue;
        if (!strstr(line, wanted))
            fail_msg("wanted %s in %s", wanted, line);
        compared++;
    }
    assert_true(compared >= least);
}

static void hold_receivers(const struct test_framing *framing, const struct zg_plan *plan, struct zg_random *random,
                           const char *folder)
{
    g_autoptr(GPtrArray) frames = g_ptr_array_new_with_free_func(test_unref_bytes);
    g_autoptr(GByteArray) bytes = test_framing_stream(random, framing, plan, frames);
    g_autoptr(GString) wanted = g_string_new(NULL);
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, note, wanted);

    zg_frame_reader_feed(stream, bytes->data, bytes->len);
    zg_frame_reader_end(stream);
    write_file(folder, "stream", bytes->data, bytes->len);
    run("cd %s && ./relay receive < stream > by_c && " TEST_PYTHON " driver.py . receive < stream > by_python", folder);
    for (unsigned i = 0; i < 2; i++) {
        g_autofree char *told = read_file(folder, i == 0 ? "by_c" : "by_python");
        g_auto(GStrv) lines = g_strsplit(told, "\n", -1);
        assert_string_equal(lines[0], wanted->str);
        compare_counters(lines[1], zg_frame_reader_counters(stream), i == 0 ? 25 : 13);
    }
    zg_frame_reader_free(stream);
}

static void hold_code(const struct test_framing *framing, struct zg_random *random, const char *option)
{
    static const char flags[] =
        "-std=c11 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -I" TEST_SOURCE "/include";
    struct test_plan plan = test_framing_plan(framing);
    g_autofree char *folder = g_dir_make_tmp("zeugma-framed-XXXXXX", NULL);
    g_autoptr(GPtrArray) code = zg_generate_c(plan.plan, ZG_SIDE_BOTH), python = zg_generate_python(plan.plan);

    assert_true(zg_generated_write(code, folder, false, NULL));
    assert_true(zg_generated_write(python, folder, false, NULL));
    write_file(folder, "driver.py", driver, strlen(driver));
    run("cd %s && " TEST_CC " %s %s -DP_HOST_HELD_BACK_US=0 -I. p.c p_device.c p_host.c " TEST_SOURCE
        "/tests/data/generated/relay.c %s -o relay",
        folder, flags, option, test_runtime());
    hold_senders(plan.plan, random, folder);
    for (unsigned i = 0; i < test_rounds(STREAMS); i++)
        hold_receivers(framing, plan.plan, random, folder);
    test_remove_folder(folder);
    test_plan_clear(&plan);
}

static void test_code_in_each_framing(void **state)
{
    struct zg_random random = zg_random_seeded(31, 0);
    (void)state;
    for (unsigned k = 0; k < test_framings_length; k += TEST_SHARE)
        hold_code(&test_framings[k], &random, "");
}

/* What small processors compile. */
static void test_code_in_place(void **state)
{
    struct zg_random random = zg_random_seeded(32, 0);
    (void)state;
    for (unsigned i = 0; i < test_rounds(1); i++)
        hold_code(&test_framings[0], &random, "-DZG_COBS_IN_PLACE=1");
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_code_in_each_framing),
                                        cmocka_unit_test(test_code_in_place) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
