/* SPDX-License-Identifier: MIT */
/* A console that shares the line: text and frames are separated, whatever the text, with noise and damage in between.
 */
#include <stdlib.h>
#include <string.h>

#include "codec/frame.h"
#include "codec/frame_reader.h"
#include "generate/generate.h"
#include "plain_device.h"
#include "plain_host.h"
#include "random_frames.h"
#include "sim/line.h"
#include "support.h"
#include "zeugma/text.h"

static const char *const framings[] = { "{ kind: cobs, lead: true }",
                                        "slip",
                                        "hdlc",
                                        "{ kind: length, sync: [0xA5, 0x5A] }",
                                        "{ kind: fixed, size: 30, sync: [0xA5, 0x96] }",
                                        "{ kind: marks, start: [2], end: [3], escape: 0x1A }" };

static char *definition(const char *framing)
{
    return g_strdup_printf("zeugma: 1\nprotocol: mixed\nversion: 1.0\nconsole: interleaved\n"
                           "frame: { framing: %s, header: [length: u8, id: u8, sequence: u8], check: crc16/kermit, "
                           "max_payload: 20 }\nmessages:\n"
                           "  note: { id: 1, from: both, fields: { data: \"bytes[..]\" } }\n",
                           framing);
}

/* Appends words of everything that is text, except the tilde, which is a delimiter of hdlc. */
static void append_words(struct zg_random *random, GString *text)
{
    static const char *const words[] = {
        "shed ", "warp\t3: ", "12.34 N\r\n", "\xC2\xB5m ", "\xE2\x82\xAC", "\xF0\x9F\xA7\xB5", "\x1B[1m",
        "}",     "ok",        "x",           "\n"
    };
    for (uint64_t count = 1 + zg_random_below(random, 9); count > 0; count--)
        g_string_append(text, words[zg_random_below(random, G_N_ELEMENTS(words))]);
}

struct told {
    GString *text;   /* of the console */
    GString *events; /* everything, in order */
    unsigned frames;
};

static void take_stretch(const struct zg_stretch *stretch, void *data)
{
    struct told *told = data;

    if (stretch->kind == ZG_STRETCH_CONSOLE)
        g_string_append_len(told->text, (const char *)stretch->raw, (gssize)stretch->raw_length);
    if (stretch->kind == ZG_STRETCH_CONSOLE || stretch->kind == ZG_STRETCH_SKIPPED)
        for (size_t i = 0; i < stretch->raw_length; i++)
            g_string_append_printf(told->events, stretch->kind == ZG_STRETCH_CONSOLE ? "%02x" : "(%02x)",
                                   stretch->raw[i]);
    else
        g_string_append_printf(told->events, "[%u]", stretch->header.sequence);
    told->frames += stretch->kind == ZG_STRETCH_FRAME;
}

static void assert_sum(const struct zg_counters *c, size_t total)
{
    assert_int_equal(c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console + c->bytes_idle, total);
}

/* What the host's frame reader reports of bytes fed in pieces of at most `piece`. */
static struct told stream_told(const struct zg_plan *plan, const GByteArray *bytes, size_t piece,
                               struct zg_random *random, struct zg_counters *counters)
{
    struct told told = { g_string_new(NULL), g_string_new(NULL), 0 };
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, take_stretch, &told);

    for (size_t at = 0, count; at < bytes->len; at += count) {
        count = 1 + (size_t)zg_random_below(random, piece);
        count = MIN(count, bytes->len - at);
        zg_frame_reader_feed(stream, bytes->data + at, count);
    }
    zg_frame_reader_end(stream);
    *counters = *zg_frame_reader_counters(stream);
    assert_sum(counters, bytes->len);
    zg_frame_reader_free(stream);
    return told;
}

static void append_text(void *owner, const uint8_t *text, size_t size)
{
    g_string_append_len(owner, (const char *)text, (gssize)size);
}

static int admit(void *owner, const uint8_t *content, size_t length, struct zg_header *header)
{
    const struct zg_plan *plan = owner;
    return zg_header_unpack(plan, content, length - plan->header.size - plan->check.size, header);
}

/* The same from the runtime's receiver and sorter. */
static void sorter_told(const struct zg_plan *plan, const GByteArray *bytes, size_t piece, GString *text,
                        struct zg_counters *counters)
{
    struct zg_protocol protocol = zg_plan_protocol(plan);
    g_autofree uint8_t *memory = g_malloc(plan->receive_room);
    size_t room = ZG_TEXT_ROOM(plan->max_frame, plan->receive_room);
    g_autofree uint8_t *raw = g_malloc(room);
    struct zg_receiver receiver;
    struct zg_text_sorter sorter;
    struct zg_found found, ended;
    struct zg_header header;

    protocol.admit = admit;
    memset(counters, 0, sizeof *counters);
    zg_receiver_init(&receiver, &protocol, (void *)plan, counters, memory);
    zg_text_sorter_init(&sorter, raw, room, append_text, text);
    for (size_t at = 0, taken; at < bytes->len || found.outcome != ZG_OUTCOME_OPEN; at += taken) {
        taken = zg_receiver_take(&receiver, bytes->data + at, MIN(piece, bytes->len - at), &found, &header);
        zg_text_sorter_take(&sorter, counters, bytes->data + at, taken, &found);
    }
    do {
        zg_receiver_pause(&receiver, &ended, &header);
        zg_text_sorter_take(&sorter, counters, NULL, 0, &ended);
        do {
            (void)zg_receiver_take(&receiver, bytes->data, 0, &found, &header);
            zg_text_sorter_take(&sorter, counters, NULL, 0, &found);
        } while (found.outcome != ZG_OUTCOME_OPEN);
    } while (ended.outcome != ZG_OUTCOME_OPEN);
    assert_sum(counters, bytes->len);
}

/* A stream of text and frames, damaged or clean; the text also by itself. */
static GByteArray *mixed_stream(const struct zg_plan *plan, struct zg_random *random, bool clean, unsigned frames,
                                GString *text)
{
    GByteArray *sent = g_byte_array_new();

    for (unsigned i = 0; i < frames; i++) {
        gsize before = text->len;
        uint8_t payload[20];
        size_t size = (size_t)zg_random_below(random, sizeof payload + 1);
        for (size_t k = 0; k < size; k++)
            payload[k] = (uint8_t)zg_random_next(random);
        const struct zg_header header = { .id = 1, .sequence = i };
        g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, payload, size);
        append_words(random, text);
        g_byte_array_append(sent, (const uint8_t *)text->str + before, (guint)(text->len - before));
        g_byte_array_append(sent, frame->data, frame->len);
    }
    if (!clean) {
        GByteArray *touched;
        GArray *origin;
        GByteArray *damaged = test_damage(random, sent->data, sent->len, 6, &touched, &origin);
        g_byte_array_unref(sent);
        g_byte_array_unref(touched);
        g_array_unref(origin);
        sent = damaged;
    }
    return sent;
}

/* All readers agree; on a clean line all text and all frames arrive. */
static void test_framing(const char *framing, struct zg_random *random, bool clean)
{
    g_autofree char *source = definition(framing);
    struct test_plan plan = test_plan_of(source);
    g_autoptr(GString) text = g_string_new(NULL), sorted = g_string_new(NULL);
    const unsigned frames = 3 + (unsigned)zg_random_below(random, 8);
    g_autoptr(GByteArray) sent = mixed_stream(plan.plan, random, clean, frames, text);
    struct zg_counters all, single, by_sorter;

    struct told whole = stream_told(plan.plan, sent, 4096, random, &all);
    struct told bytes = stream_told(plan.plan, sent, 1, random, &single);
    struct told pieces = stream_told(plan.plan, sent, 9, random, &single);
    assert_string_equal(whole.text->str, bytes.text->str);
    assert_string_equal(whole.events->str, bytes.events->str);
    assert_string_equal(whole.events->str, pieces.events->str);
    assert_memory_equal(&all, &single, sizeof all);
    for (size_t piece = 1; piece <= ZG_TEXT_PIECE; piece += ZG_TEXT_PIECE - 1) {
        g_string_set_size(sorted, 0);
        sorter_told(plan.plan, sent, piece, sorted, &by_sorter);
        assert_string_equal(sorted->str, whole.text->str);
        assert_int_equal(by_sorter.bytes_console, all.bytes_console);
        assert_int_equal(by_sorter.bytes_noise, all.bytes_noise);
        assert_int_equal(by_sorter.bytes_failed, all.bytes_failed);
        assert_int_equal(by_sorter.malformed + by_sorter.failed_check + by_sorter.too_long + by_sorter.timed_out,
                         all.malformed + all.failed_check + all.too_long + all.timed_out);
    }
    if (clean) {
        assert_string_equal(whole.text->str, text->str);
        assert_int_equal(whole.frames, frames);
        assert_int_equal(all.bytes_failed + all.bytes_noise, 0);
    }
    struct told *const tolds[] = { &whole, &bytes, &pieces };
    for (unsigned i = 0; i < 3; i++) {
        g_string_free(tolds[i]->text, TRUE);
        g_string_free(tolds[i]->events, TRUE);
    }
    test_plan_clear(&plan);
}

static void test_text_and_frames(void **state)
{
    struct zg_random random = zg_random_seeded(12, 1);
    (void)state;
    for (unsigned round = 0; round < test_rounds(30); round++)
        for (unsigned i = 0; i < G_N_ELEMENTS(framings); i++) {
            test_framing(framings[i], &random, true);
            test_framing(framings[i], &random, false);
        }
}

/* The generated Python separates the same text. */
static void test_python(void **state)
{
    static const char driver[] =
        "import sys\n"
        "sys.path.insert(0, sys.argv[1])\n"
        "import mixed\n"
        "for line in sys.stdin:\n"
        "    told, receiver = bytearray(), mixed.Receiver()\n"
        "    receiver.text = told.extend\n"
        "    frames = len(list(receiver.feed(bytes.fromhex(line)))) + len(list(receiver.pause()))\n"
        "    c = receiver.counters\n"
        "    print(told.hex(), frames, c['bytes_console'], c['bytes_noise'], c['bytes_failed'])\n";
    struct zg_random random = zg_random_seeded(12, 9);
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(framings); i++) {
        g_autofree char *folder = g_dir_make_tmp("zeugma-text-XXXXXX", NULL);
        g_autofree char *run = g_strdup_printf("cd %s && %s -B driver.py . < in > out", folder, TEST_PYTHON);
        g_autofree char *source = definition(framings[i]);
        g_autofree char *script = g_build_filename(folder, "driver.py", NULL);
        g_autofree char *in = g_build_filename(folder, "in", NULL), *out = g_build_filename(folder, "out", NULL);
        g_autofree char *told = NULL;
        g_autoptr(GString) streams = g_string_new(NULL), wanted = g_string_new(NULL);
        struct test_plan plan = test_plan_of(source);
        g_autoptr(GPtrArray) module = zg_generate_python(plan.plan);
        for (unsigned k = 0; k < test_rounds(12); k++) {
            g_autoptr(GString) text = g_string_new(NULL);
            g_autoptr(GByteArray) sent = mixed_stream(plan.plan, &random, k % 4 == 0, 6, text);
            struct zg_counters counters;
            struct told whole = stream_told(plan.plan, sent, 4096, &random, &counters);
            for (guint at = 0; at < sent->len; at++)
                g_string_append_printf(streams, "%02x", sent->data[at]);
            for (gsize at = 0; at < whole.text->len; at++)
                g_string_append_printf(wanted, "%02x", (uint8_t)whole.text->str[at]);
            g_string_append_c(streams, '\n');
            g_string_append_printf(wanted, " %u %u %u %u\n", whole.frames, counters.bytes_console, counters.bytes_noise,
                                   counters.bytes_failed);
            g_string_free(whole.text, TRUE);
            g_string_free(whole.events, TRUE);
        }
        assert_true(zg_generated_write(module, folder, false, NULL));
        assert_true(g_file_set_contents(script, driver, -1, NULL) && g_file_set_contents(in, streams->str, -1, NULL));
        assert_int_equal(system(run), 0);
        assert_true(g_file_get_contents(out, &told, NULL, NULL));
        assert_string_equal(told, wanted->str);
        test_remove_folder(folder);
        test_plan_clear(&plan);
    }
}

static void test_text_run(void **state)
{
    static const struct {
        const char *bytes;
        size_t run;
        bool cut;
    } rows[] = { { "abc", 3, false },
                 { "a\x01", 1, false },
                 { "a\x7F", 1, false },
                 { "a\xC2", 1, true },
                 { "a\xC2\xB5", 3, false },
                 { "\xC1\x80", 0, false },
                 { "\xE0\x80\x80", 0, false },
                 { "\xE0\xA0", 0, true },
                 { "\xED\xA0\x80", 0, false },
                 { "\xF4\x90", 0, false },
                 { "\xF4\x8F\xBF\xBF", 4, false },
                 { "\xF5", 0, false },
                 { "\x80", 0, false },
                 { "\xE2\x82\x41", 0, false },
                 { "\xE2\x82", 0, true } };
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(rows); i++) {
        bool cut;
        assert_int_equal(zg_text_run((const uint8_t *)rows[i].bytes, strlen(rows[i].bytes), &cut), rows[i].run);
        assert_int_equal(cut, rows[i].cut);
    }
}

/* --- generated ends */

static GString *heard;
static uint32_t last_pick;

static void on_text(void *context, const char *text, size_t size)
{
    (void)context;
    g_string_append_len(heard, text, (gssize)size);
}

static void on_pick(void *context, const struct plain_pick *pick, const struct zg_frame *frame)
{
    (void)context;
    (void)frame;
    last_pick = pick->number;
}

static void test_generated(void **state)
{
    static struct plain_device device;
    static struct plain_host host;
    static const struct plain_device_handlers device_handlers = { .console_text = on_text };
    static const struct plain_host_handlers host_handlers = { .pick = on_pick, .console_text = on_text };
    const struct zg_sim_settings settings = { .baud = 500000, .half_bits = 20, .seed = 4 };
    struct zg_sim_line *line = zg_sim_line_new(&settings);
    struct zg_random random = zg_random_seeded(5, 5);
    g_autoptr(GString) text = g_string_new(NULL);
    struct plain_pick pick = { 0 };
    size_t done = 0;
    uint64_t now = 0;
    (void)state;
    heard = g_string_new(NULL);
    assert_int_equal(plain_device_init(&device, &zg_sim_port, zg_sim_context(line, 0), &device_handlers, NULL), 0);
    assert_int_equal(plain_host_init(&host, &zg_sim_port, zg_sim_context(line, 1), &host_handlers, NULL), 0);
    zg_sim_attach(line, 0, &device.link);
    zg_sim_attach(line, 1, &host.link);
    while (text->len < 3000)
        append_words(&random, text);
    for (unsigned step = 0; step < 4000; step++) {
        if (step % 7 == 0 && done < text->len) {
            size_t count = MIN(text->len - done, 4 + zg_random_below(&random, 60)); /* more than there is room for */
            while (((uint8_t)text->str[done + count] & 0xC0) == 0x80)
                count--;
            done += plain_device_print(&device, text->str + done, count);
        }
        if (step % 9 == 0 && plain_device_send_pick(&device, &pick) == 0)
            pick.number++;
        now += 100000;
        zg_sim_advance(line, now);
        plain_device_poll(&device);
        plain_host_poll(&host);
    }
    assert_int_equal(done, text->len);
    assert_string_equal(heard->str, text->str);
    assert_int_equal(last_pick, pick.number - 1);
    assert_int_equal(host.link.counters.bytes_console, text->len);
    assert_int_equal(host.link.counters.bytes_failed + host.link.counters.malformed, 0);
    g_string_set_size(heard, 0);
    assert_int_equal(plain_host_print(&host, "help\n", 5),
                     5); /* and towards the device, where byte_timeout releases it */
    for (unsigned step = 0; step < 100; step++) {
        now += 100000;
        zg_sim_advance(line, now);
        plain_device_poll(&device);
    }
    assert_string_equal(heard->str, "help\n");
    g_string_free(heard, TRUE);
    zg_sim_line_free(line);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_text_run), cmocka_unit_test(test_text_and_frames),
                                        cmocka_unit_test(test_python), cmocka_unit_test(test_generated) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
