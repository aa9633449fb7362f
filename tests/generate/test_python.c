/* SPDX-License-Identifier: MIT */
/* Generated Python, run, compared with the interpreter: random definitions and values, damaged bytes, streams. */
#include "random_definition.h"
#include "random_frames.h"
#include "random_text.h"
#include "support.h"

#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "codec/frame.h"
#include "codec/frame_reader.h"
#include "codec/from_json.h"
#include "codec/payload.h"
#include "codec/text.h"
#include "generate/generate.h"

enum { DEFINITIONS = 16, ROUNDS = 40 };

/* Reads lines of "ID HEX", and for each prints what a message with that id makes of the payload: its dump, whether it
 * is permitted, and the bytes packed again. A line "stream HEX" is fed to a receiver in pieces. */
static const char driver[] =
    "import sys, random\n"
    "sys.path.insert(0, sys.argv[1])\n"
    "import random_ as p\n"
    "def dump(block, before):\n"
    "    out = ''\n"
    "    for s in block._steps:\n"
    "        v = getattr(block, s.name)\n"
    "        path = before + s.name\n"
    "        if v is None:\n"
    "            out += path + ' is absent;'\n"
    "            continue\n"
    "        if s.kind in ('text', 'bytes'):\n"
    "            v = v.encode() if s.kind == 'text' else v\n"
    "            out += path + '=' + (v.ljust(s.most, b'\\0') if s.kind == 'text' and s.extent == 'fixed' else "
    "v).hex() + ';'\n"
    "        elif s.array:\n"
    "            for i, x in enumerate(v): out += item(s, x, '%s[%d]' % (path, i))\n"
    "        else:\n"
    "            out += item(s, v, path)\n"
    "    return out\n"
    "def item(s, v, path):\n"
    "    if s.kind == 'record': return dump(v, path + '.')\n"
    "    raw = p._to_raw(s, v)\n"
    "    text = path + '=' + ('%.17g' % raw if s.kind == 'f' else str(int(raw)))\n"
    "    return text + (' %.17g' % v if s.scale is not None else '') + ';'\n"
    "for line in sys.stdin:\n"
    "    word, data = line.rstrip('\\n').split(' ')\n"
    "    data = bytes.fromhex(data)\n"
    "    if word == 'stream':\n"
    "        r, frames = p.Receiver(), []\n"
    "        name = lambda f: type(f.message).__name__\n"
    "        role = lambda f, k: f.header.get(k, f.header.get('node', 0) if k in ('source', 'destination') else 0)\n"
    "        while data:\n"
    "            n = random.randint(1, 50)\n"
    "            frames += ['%s:%s:%s' % (name(f), ','.join(str(role(f, k)) for k in ('source', "
    "'destination', 'ticket', 'base')), dump(f.message, '')) for f in r.feed(data[:n])]\n"
    "            data = data[n:]\n"
    "        frames += ['%s:%s:%s' % (name(f), ','.join(str(role(f, k)) for k in ('source', "
    "'destination', 'ticket', 'base')), dump(f.message, '')) for f in r.pause()]\n"
    "        print(' '.join(frames))\n"
    "        print(' '.join('%s=%d' % (k, r.counters[k]) for k in ('frames_in', 'failed_check', 'other_version', "
    "'unknown_id', 'bad_payload', 'malformed', 'too_long', 'timed_out', 'bytes_in', 'bytes_of_frames', 'bytes_failed', "
    "'bytes_noise', 'bytes_idle')))\n"
    "        continue\n"
    "    try: m = (p.VARIABLES[int(word[1:])] if word[0] == 'v' else "
    "list(p.MESSAGES.values())[int(word)]).unpack(data)\n"
    "    except p.ProtocolError: print('refused'); continue\n"
    "    try: packed = m.pack().hex()\n"
    "    except p.RangeError: packed = 'out of range'\n"
    "    print(dump(m, ''), packed, sep='|')\n";

static void append_hex(GString *text, const uint8_t *bytes, size_t length)
{
    for (size_t i = 0; i < length; i++)
        g_string_append_printf(text, "%02x", bytes[i]);
}

/* One payload, after its tag: a line of input, and the line expected in return. */
static void expect(const struct zg_block *block, const struct zg_tag *tag, const char *word, const uint8_t *bytes,
                   size_t length, GString *input, GString *wanted)
{
    struct zg_value *values = zg_values_new(block);
    size_t ignored;

    g_string_append_printf(input, "%s ", word);
    append_hex(input, tag ? tag->bytes : NULL, tag ? tag->size : 0);
    append_hex(input, bytes, length);
    g_string_append_c(input, '\n');
    if (!zg_block_unpack(block, bytes, length, values, &ignored)) {
        g_string_append(wanted, "refused\n");
    } else {
        test_dump(wanted, block, values);
        g_string_append_c(wanted, '|');
        if (zg_block_permits(block, values, NULL)) {
            size_t size = zg_block_size(block, values);
            g_autofree uint8_t *packed = g_malloc(size + 1);
            zg_block_pack(block, values, packed);
            append_hex(wanted, tag ? tag->bytes : NULL, tag ? tag->size : 0);
            append_hex(wanted, packed, size);
        } else {
            g_string_append(wanted, "out of range");
        }
        g_string_append_c(wanted, '\n');
    }
    zg_values_free(block, values);
}

/* `word` is a message's index, or "v" and a variable's index. */
static void expect_block(struct zg_random *random, const struct zg_block *block, const struct zg_tag *tag,
                         const char *word, GString *input, GString *wanted)
{
    for (unsigned round = 0; round < ROUNDS; round++) {
        struct zg_value *values = zg_values_new(block);
        test_random_values(random, block, values);
        size_t length = zg_block_size(block, values);
        g_autofree uint8_t *bytes = g_malloc0(length + 8);
        zg_block_pack(block, values, bytes);
        expect(block, tag, word, bytes, length, input, wanted);
        expect(block, tag, word, bytes, zg_random_below(random, length + 1), input, wanted);
        for (unsigned i = 0; i < 4 && length > 0; i++)
            bytes[zg_random_below(random, length)] = (uint8_t)zg_random_next(random);
        expect(block, tag, word, bytes, length + zg_random_below(random, 9), input, wanted);
        zg_values_free(block, values);
    }
}

/* Notes what the host's frame reader delivers. */
static void note_stretch(const struct zg_stretch *stretch, void *data)
{
    GString *frames = data;
    if (stretch->kind != ZG_STRETCH_FRAME)
        return;
    g_autofree char *name = zg_python_name(stretch->message->message->name);
    g_string_append_printf(frames, "%s%s:%u,%u,%u,%u:", frames->len ? " " : "", name, stretch->header.source,
                           stretch->header.destination, stretch->header.ticket, stretch->header.base);
    test_dump(frames, &stretch->message->payload, stretch->values);
}

static void expect_stream(const struct zg_plan *plan, const GByteArray *arrived, GString *input, GString *wanted)
{
    g_autoptr(GString) frames = g_string_new(NULL);

    struct zg_frame_reader *stream = zg_frame_reader_new(plan, note_stretch, frames);
    zg_frame_reader_feed(stream, arrived->data, arrived->len);
    const struct zg_counters *c = zg_frame_reader_counters(stream);
    g_string_append(input, "stream ");
    append_hex(input, arrived->data, arrived->len);
    g_string_append_c(input, '\n');
    zg_frame_reader_end(stream);
    g_string_append_printf(
        wanted,
        "%s\nframes_in=%u failed_check=%u other_version=%u unknown_id=%u bad_payload=%u malformed=%u "
        "too_long=%u timed_out=%u bytes_in=%u bytes_of_frames=%u bytes_failed=%u bytes_noise=%u "
        "bytes_idle=%u\n",
        frames->str, c->frames_in, c->failed_check, c->other_version, c->unknown_id, c->bad_payload, c->malformed,
        c->too_long, c->timed_out, c->bytes_in, c->bytes_of_frames, c->bytes_failed, c->bytes_noise, c->bytes_idle);
    zg_frame_reader_free(stream);
}

static void compare_lines(const char *wanted, const char *told, const char *input)
{
    g_auto(GStrv) wanted_lines = g_strsplit(wanted, "\n", -1);
    g_auto(GStrv) told_lines = g_strsplit(told, "\n", -1);

    for (unsigned i = 0; wanted_lines[i]; i++)
        if (!told_lines[i] || strcmp(wanted_lines[i], told_lines[i]) != 0)
            fail_msg("line %u: wanted %.400s\ntold %.400s\nof %.3000s", i, wanted_lines[i],
                     told_lines[i] ? told_lines[i] : "nothing", input);
}

static void expect_damaged(struct zg_random *random, const struct zg_plan *plan, GString *input, GString *wanted)
{
    g_autoptr(GByteArray) bytes = test_random_frames(random, plan, 60);
    g_autoptr(GByteArray) touched = NULL;
    g_autoptr(GArray) origin = NULL;
    g_autoptr(GByteArray) arrived = test_damage(random, bytes->data, bytes->len, 8, &touched, &origin);

    expect_stream(plan, arrived, input, wanted);
}

/* Runs a script with the module of a plan on lines of input, and compares what it prints. */
static void run_script(const struct zg_plan *plan, const char *text, const char *input, const char *wanted)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-python-XXXXXX", NULL);
    g_autoptr(GPtrArray) files = zg_generate_python(plan);
    g_autofree char *script = g_build_filename(folder, "driver.py", NULL);
    g_autofree char *lines = g_build_filename(folder, "input", NULL);
    g_autofree char *command = g_strdup_printf(TEST_PYTHON " -W error %s %s < %s", script, folder, lines);
    const char *shell[] = { "sh", "-c", command, NULL };
    g_autofree char *told = NULL;
    int status = 0;

    assert_true(zg_generated_write(files, folder, false, NULL));
    assert_true(g_file_set_contents(script, text, -1, NULL));
    assert_true(g_file_set_contents(lines, input, -1, NULL));
    assert_true(g_spawn_sync(NULL, (char **)shell, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &told, NULL, &status, NULL));
    compare_lines(wanted, told, input);
    assert_int_equal(status, 0);
    test_remove_folder(folder);
}

/* A random definition with the protocol's name changed: "random" is a module of Python's. */
static struct test_plan renamed_plan(const char *text)
{
    g_autofree char *named =
        g_strdup_printf("%.*srandom_%s", (int)(strstr(text, "random\n") - text), text, strstr(text, "random\n") + 6);
    return test_plan_of(named);
}

static void test_random_definitions(void **state)
{
    struct zg_random random = zg_random_seeded(10, 0);
    (void)state;
    for (unsigned i = 0; i < test_rounds(DEFINITIONS); i++) {
        g_autofree char *text = test_random_definition(&random);
        struct test_plan plan = renamed_plan(text);
        g_autoptr(GString) input = g_string_new(NULL), wanted = g_string_new(NULL);
        for (unsigned k = 0; k < plan.plan->messages->len; k++) {
            const struct zg_plan_message *item = zg_plan_message_at(plan.plan, k);
            g_autofree char *word = g_strdup_printf("%u", k);
            expect_block(&random, &item->payload, zg_plan_tag(item), word, input, wanted);
        }
        for (unsigned k = 0; k < plan.plan->variables->len; k++) {
            const struct zg_plan_variable *item = zg_plan_variable_at(plan.plan, k);
            g_autofree char *word = g_strdup_printf("v%u", item->variable->index);
            expect_block(&random, &item->block, NULL, word, input, wanted);
        }
        for (unsigned k = 0; k < 3; k++)
            expect_damaged(&random, plan.plan, input, wanted);
        run_script(plan.plan, driver, input->str, wanted->str);
        test_plan_clear(&plan);
    }
}

/* As expect(), of a text. */
static void expect_text(const struct zg_plan *plan, const struct zg_plan_message *item, const char *word,
                        const GString *text, GString *input, GString *wanted)
{
    const struct zg_tag *tag = zg_plan_tag(item);
    struct zg_value *values = zg_values_new(&item->payload);
    g_autoptr(GString) again = g_string_new(NULL);
    size_t ignored;

    g_string_append_printf(input, "%s ", word);
    append_hex(input, tag ? tag->bytes : NULL, tag ? tag->size : 0);
    append_hex(input, (const uint8_t *)text->str, text->len);
    g_string_append_c(input, '\n');
    if (!zg_text_read(item, text->str, text->len, values, &ignored)) {
        g_string_append(wanted, "refused\n");
    } else {
        test_dump(wanted, &item->payload, values);
        g_string_append_c(wanted, '|');
        if (zg_block_permits(&item->payload, values, NULL) && zg_text_write(item, values, again, NULL) &&
            zg_plan_carries(plan, item, (const uint8_t *)again->str, again->len)) {
            append_hex(wanted, tag ? tag->bytes : NULL, tag ? tag->size : 0);
            append_hex(wanted, (const uint8_t *)again->str, again->len);
        } else {
            g_string_append(wanted, "out of range");
        }
        g_string_append_c(wanted, '\n');
    }
    zg_values_free(&item->payload, values);
}

static void test_random_texts(void **state)
{
    struct zg_random random = zg_random_seeded(12, 0);
    (void)state;
    for (unsigned i = 0; i < test_rounds(2 * DEFINITIONS); i++) {
        g_autofree char *definition = test_random_text_definition(&random);
        struct test_plan plan = renamed_plan(definition);
        g_autoptr(GString) input = g_string_new(NULL), wanted = g_string_new(NULL);
        for (unsigned k = 0; k < ROUNDS; k++) {
            const unsigned which = test_random_text_message(&random, plan.plan);
            const struct zg_plan_message *item = zg_plan_message_at(plan.plan, which);
            struct zg_value *values = zg_values_new(&item->payload);
            g_autofree char *word = g_strdup_printf("%u", which);
            g_autoptr(GString) text = g_string_new(NULL);
            test_random_text_values(&random, &item->payload, values);
            if (zg_text_write(item, values, text, NULL)) {
                expect_text(plan.plan, item, word, text, input, wanted);
                g_auto(GStrv) halves = g_strsplit(text->str, "\"version\":", 2);
                if (halves[0] && halves[1]) { /* a constant that is a number, as a string */
                    g_autoptr(GString) string = g_string_new(NULL);
                    g_string_printf(string, "%s\"version\":\"%.1s\"%s", halves[0], halves[1], halves[1] + 1);
                    expect_text(plan.plan, item, word, string, input, wanted);
                }
                for (unsigned at = 0; at < 20; at++) {
                    g_autoptr(GString) other = test_damaged_text(&random, text);
                    expect_text(plan.plan, item, word, other, input, wanted);
                }
            }
            zg_values_free(&item->payload, values);
        }
        g_autoptr(GByteArray) lines = test_random_lines(&random, plan.plan, ROUNDS);
        expect_stream(plan.plan, lines, input, wanted);
        run_script(plan.plan, driver, input->str, wanted->str);
        test_plan_clear(&plan);
    }
}

/* U+0000 is a character like any other, and is refused where zero bytes fill a text up: in Python as on the host. */
static void test_zero_bytes(void **state)
{
    static const char *const texts[] = { "a\\u0000b", "a\\u0000", "\\u0000", "ab" };
    struct test_plan plan = test_plan_of(
        "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, check: crc8/smbus, max_payload: 60 "
        "}\nmessages:\n"
        "  fixed: { tag: 1, from: both, fields: { text: \"text[4]\" } }\n"
        "  counted: { tag: 2, from: both, fields: { text: \"text[..4]\" } }\n"
        "  j_fixed: { from: both, layout: json, fields: { t: { const: \"f\" }, text: \"text[4]\" } }\n"
        "  j_counted: { from: both, layout: json, fields: { t: { const: \"c\" }, text: \"text[..4]\" } }\n");
    g_autoptr(GString) script = g_string_new("import p\n"
                                             "def show(kind, text):\n"
                                             "    try: print(p.MESSAGES[kind](text=text).pack().hex())\n"
                                             "    except p.RangeError: print('refused')\n");
    g_autoptr(GString) wanted = g_string_new(NULL);
    unsigned refused = 0;

    (void)state;
    for (unsigned k = 0; k < plan.plan->messages->len; k++)
        for (unsigned i = 0; i < G_N_ELEMENTS(texts); i++) {
            const struct zg_plan_message *item = zg_plan_message_at(plan.plan, k);
            g_autofree char *json = g_strdup_printf("{\"text\": \"%s\"}", texts[i]);
            struct zg_given given;
            g_string_append_printf(script, "show('%s', '%s')\n", item->message->name, texts[i]);
            const bool good = zg_given_from_json(plan.plan, item, json, NULL, &given, NULL);
            if (good)
                append_hex(wanted, given.payload->data, given.payload->len);
            g_string_append(wanted, good ? "\n" : "refused\n");
            refused += !good;
            zg_given_clear(&given);
        }
    assert_int_equal(refused, 2 + 3); /* at the end of a text that is filled up, and anywhere in one in JSON */
    run_script(plan.plan, script->str, "", wanted->str);
    test_plan_clear(&plan);
}

static void write_all(int handle, const GByteArray *bytes)
{
    assert_int_equal(write(handle, bytes->data, bytes->len), bytes->len);
}

/* examples/loom/listen.py reads a live port, here a pseudo-terminal: frames, noise between them, all byte values. */
static void test_live_port(void **state)
{
    static const char *const wanted[] = {
        "0 Pick(number=0, tension=12.34, state=<HeadState.WEAVING: 1>, locked=True, drive_temp=-40.0, sag=0.5)\n",
        "1 Pick(number=4294967295, tension=250.0, state=7, locked=False, drive_temp=215.0, sag=-1.0)\n",
        "2 Stop(pick=218959117, cause=<StopCause.WEFT_BREAK: 1>)\n"
    };
    static const char *const values[][2] = {
        { "pick", "{\"number\":0,\"tension\":12.34,\"state\":1,\"locked\":true,\"drive_temp\":-40,\"sag\":0.5}" },
        { "pick",
          "{\"number\":4294967295,\"tension\":250,\"state\":7,\"locked\":false,\"drive_temp\":215,\"sag\":-1}" },
        { "stop", "{\"pick\":218959117,\"cause\":\"weft_break\"}" } /* 0x0D0D0D0D */
    };
    g_autofree char *folder = g_dir_make_tmp("zeugma-live-XXXXXX", NULL), *text = NULL, *path = NULL;
    GPid child = 0;
    int out = -1;
    (void)state;
    assert_true(g_file_get_contents(TEST_SOURCE "/examples/loom/loom.yaml", &text, NULL, NULL));
    struct test_plan plan = test_plan_of(text);
    g_autoptr(GPtrArray) files = zg_generate_python(plan.plan);
    assert_true(zg_generated_write(files, folder, false, NULL));
    int port = test_open_pty(&path);
    g_auto(GStrv) environment = g_environ_setenv(g_get_environ(), "PYTHONPATH", folder, TRUE);
    const char *argv[] = { TEST_PYTHON, TEST_SOURCE "/examples/loom/listen.py", path, NULL };
    assert_true(g_spawn_async_with_pipes(NULL, (char **)argv, environment,
                                         G_SPAWN_SEARCH_PATH | G_SPAWN_DO_NOT_REAP_CHILD, NULL, NULL, &child, NULL,
                                         &out, NULL, NULL));
    FILE *lines = fdopen(out, "r");
    char line[300] = "";
    alarm(30); /* instead of hanging if nothing comes */
    assert_non_null(fgets(line, sizeof line, lines));
    assert_true(g_str_has_prefix(line, "listening on /dev/")); /* opening discards what arrived before */
    for (unsigned i = 0; i < G_N_ELEMENTS(values); i++) {
        const struct zg_plan_message *item = zg_plan_by_name(plan.plan, values[i][0]);
        const struct zg_header header = { .id = (uint32_t)item->message->id, .sequence = i };
        struct zg_value *value = zg_values_new(&item->payload);
        uint8_t payload[64];
        assert_true(zg_values_from_json(item, values[i][1], value, NULL));
        zg_payload_pack(item, &header, value, payload);
        g_autoptr(GByteArray) frame = zg_frame_make(plan.plan, &header, payload, zg_payload_size(item, value));
        g_autoptr(GByteArray) noise = g_byte_array_append(g_byte_array_new(), (const guint8 *)"\x11\x13\xFF\x00", 4);
        write_all(port, noise);
        write_all(port, frame);
        assert_non_null(fgets(line, sizeof line, lines));
        assert_string_equal(line, wanted[i]);
        zg_values_free(&item->payload, value);
    }
    alarm(0);
    assert_int_equal(kill(child, SIGTERM), 0);
    assert_true(waitpid(child, NULL, 0) == child);
    fclose(lines);
    close(port);
    test_plan_clear(&plan);
    test_remove_folder(folder);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_random_definitions), cmocka_unit_test(test_random_texts),
                                        cmocka_unit_test(test_zero_bytes), cmocka_unit_test(test_live_port) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
