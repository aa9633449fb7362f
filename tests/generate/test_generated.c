/* SPDX-License-Identifier: MIT */
/* Generated C, compiled and loaded, compared with the interpreter: random definitions and values, including extremes.
 */
#include "generated.h"
#include "random_definition.h"
#include "random_frames.h"
#include "random_text.h"

#include <dlfcn.h>
#include <glib/gstdio.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "codec/frame_reader.h"
#include "codec/hex.h"
#include "codec/payload.h"
#include "codec/text.h"
#include "generate/generate.h"
#include "zeugma/error.h"
#include "zeugma/link.h"

enum { DEFINITIONS = 4, ROUNDS = 60 };

/* Headers, written by the generated code and read back, compared with the interpreter; then with every single bit
 * flipped. */
static void check_header(struct zg_random *random, const struct zg_plan *plan, void *handle)
{
    void (*write_header)(void *, const struct zg_header *, uint8_t *);
    int (*admit)(void *, const uint8_t *, size_t, struct zg_header *);
    uint8_t made[ZG_HEADER_MAX], wanted[ZG_HEADER_MAX];

    *(void **)&write_header = dlsym(handle, "glue_write_header");
    *(void **)&admit = dlsym(handle, "glue_admit");
    for (unsigned round = 0; round < 200; round++) {
        const size_t payload = (size_t)zg_random_below(random, plan->max_payload + 1);
        const size_t length = plan->header.size + payload + plan->check.size;
        struct zg_header header = { .version = plan->version,
                                    .id = (uint32_t)zg_random_next(random),
                                    .sequence = (uint32_t)zg_random_next(random),
                                    .minor = plan->minor,
                                    .length = (uint32_t)payload,
                                    .destination = (uint32_t)zg_random_next(random),
                                    .source = (uint32_t)zg_random_next(random) };
        write_header(NULL, &header, made);
        zg_header_pack(plan, &header, payload, wanted);
        assert_memory_equal(made, wanted, plan->header.size);
        for (unsigned bit = 0; bit <= 8 * plan->header.size; bit++) {
            struct zg_header ours = { 0 }, theirs = { 0 };
            if (bit < 8 * plan->header.size)
                made[bit / 8] ^= (uint8_t)(1U << bit % 8);
            int verdict = zg_header_unpack(plan, made, payload, &ours);
            assert_int_equal(admit(NULL, made, length, &theirs), verdict);
            if (verdict != ZG_EFORM)
                assert_memory_equal(&ours, &theirs, sizeof ours);
            if (bit < 8 * plan->header.size)
                made[bit / 8] ^= (uint8_t)(1U << bit % 8);
        }
    }
}

enum { MOST_PAYLOAD = 60000, MOST_TEXT = 4000000 };

static bool has_text(const struct zg_block *block)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if ((step->type.kind == ZG_KIND_TEXT && !step->type.is_ascii) || (step->record && has_text(step->record)))
            return true;
    }
    return false;
}

/* Whether a text of fixed size has a zero before its end, where a C string ends. */
static bool has_inner_zero(const struct zg_block *block, const struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->type.kind == ZG_KIND_TEXT && step->type.extent == ZG_EXTENT_FIXED && values[i].count > 0 &&
            memchr(values[i].bytes, 0, values[i].count))
            return true;
        if (step->record && step->type.extent == ZG_EXTENT_ONE && has_inner_zero(step->record, values[i].items))
            return true;
        for (unsigned k = 0; step->record && step->type.extent != ZG_EXTENT_ONE && k < values[i].count; k++)
            if (has_inner_zero(step->record, values[i].items[k].items))
                return true;
    }
    return false;
}

/* Any bytes: both read the same values from them, or both refuse them, and both write the same bytes again. */
static void compare(const struct zg_block *block, const struct zg_tag *tag, test_glue *glue, const uint8_t *bytes,
                    size_t length, bool must_be_good)
{
    static uint8_t in[MOST_PAYLOAD + 128], out[MOST_PAYLOAD + 16], wanted[MOST_PAYLOAD + 16];
    static char text[MOST_TEXT];
    struct zg_value *values = zg_values_new(block);
    size_t ignored, size = 0;
    int check = 0, packed = 0;
    bool good = zg_block_unpack(block, bytes, length, values, &ignored);
    const unsigned front = tag ? tag->size : 0;

    memcpy(in, tag ? tag->bytes : bytes, front);
    memcpy(in + front, bytes, length);
    memcpy(wanted, in, front);
    int result = glue(in, front + length, text, &check, out, sizeof out, &size, &packed);

    assert_true(good || !must_be_good);
    if (good || !has_text(block)) /* the host refuses text that is not UTF-8, a device passes it on */
        assert_int_equal(result, good ? (int)ignored : ZG_ESIZE);
    if (good) {
        g_autoptr(GString) dump = g_string_new(NULL);
        bool permitted = zg_block_permits(block, values, NULL);
        test_dump(dump, block, values);
        if (strcmp(dump->str, text) != 0)
            fail_msg("%s:\n%s\n%s", block->name, dump->str, text);
        assert_int_equal(check, permitted ? 0 : ZG_ERANGE);
        assert_int_equal(packed, check);
        if (permitted && !has_inner_zero(block, values)) {
            assert_int_equal(size, front + zg_block_size(block, values));
            zg_block_pack(block, values, wanted + front);
            assert_memory_equal(out, wanted, size);
            memset(out, 0xAA, size + 1);
            (void)glue(in, front + length, text, &check, out, size - (size > 0), &size, &packed);
            assert_int_equal(packed, size > 0 ? ZG_EROOM : 0);
            assert_int_equal(out[0], 0xAA);
        }
    }
    zg_values_free(block, values);
}

static void check_block(struct zg_random *random, const struct zg_block *block, const struct zg_tag *tag, void *handle)
{
    static uint8_t bytes[MOST_PAYLOAD + 64];
    test_glue *glue;

    *(void **)&glue = test_symbol(handle, "glue_", block->name);
    for (unsigned round = 0; round < ROUNDS; round++) {
        struct zg_value *values = zg_values_new(block);
        test_random_values(random, block, values);
        size_t length = zg_block_size(block, values);
        assert_true(length <= block->most_size && length >= block->size);
        zg_block_pack(block, values, bytes);
        compare(block, tag, glue, bytes, length, true);
        for (size_t cut = length > 40 ? length - 40 : 0; cut < length && round < 20; cut++)
            compare(block, tag, glue, bytes, cut, false); /* older senders, and frames cut short */
        for (unsigned i = 0; i < 64; i++)
            bytes[length + i] = (uint8_t)zg_random_next(random);
        for (size_t i = 0; i < MIN(length, 64) && round < 20; i++) { /* including counts one too large */
            bytes[i]++;
            compare(block, tag, glue, bytes, length + zg_random_below(random, 65), false);
            bytes[i]--;
        }
        compare(block, tag, glue, bytes, length + zg_random_below(random, 9), false);
        for (unsigned i = 0; i < 4 && length > 0; i++)
            bytes[zg_random_below(random, length)] = (uint8_t)zg_random_next(random);
        compare(block, tag, glue, bytes, length, false);
        zg_values_free(block, values);
    }
}

/* The names that a build may omit. */
static void check_names(const struct zg_plan *plan, void *handle)
{
    const char *(*message_text)(uint32_t);
    const char *(*flag_text)(uint64_t);

    *(void **)&message_text = test_symbol(handle, "random_", "message_text");
    *(void **)&flag_text = test_symbol(handle, "random_", "e0_text");
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        assert_string_equal(message_text((uint32_t)message->id),
                            plan->id_bits == 0 && plan->messages->len > 1 ? "?" : message->name);
    }
    assert_string_equal(message_text(UINT32_MAX), "?");
    assert_string_equal(flag_text(4), "third");
    assert_string_equal(flag_text(2), "?");
}

static void test_random_definitions(void **state)
{
    struct zg_random random = zg_random_seeded(9, 0);
    (void)state;
    for (unsigned i = 0; i < test_rounds(DEFINITIONS); i++) {
        g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
        g_autofree char *text = test_random_definition(&random);
        struct test_plan plan = test_plan_of(text);
        void *handle = test_build_c(plan.plan, folder);
        check_header(&random, plan.plan, handle);
        for (unsigned k = 0; k < plan.plan->messages->len; k++)
            check_block(&random, &zg_plan_message_at(plan.plan, k)->payload,
                        zg_plan_tag(zg_plan_message_at(plan.plan, k)), handle);
        for (unsigned k = 0; k < plan.plan->variables->len; k++)
            check_block(&random, &zg_plan_variable_at(plan.plan, k)->block, NULL, handle);
        check_names(plan.plan, handle);
        dlclose(handle);
        test_plan_clear(&plan);
        test_remove_folder(folder);
    }
}

/* Any text: both read the same values from it, or both refuse it, and both write the same text again, or refuse. */
static void compare_text(const struct zg_plan *plan, const struct zg_plan_message *item, test_glue *glue,
                         const GString *in)
{
    static char dumped[MOST_TEXT];
    static uint8_t out[4096];
    struct zg_value *values = zg_values_new(&item->payload);
    const struct zg_tag *tag = zg_plan_tag(item);
    const unsigned front = tag ? tag->size : 0;
    size_t ignored = 0, size = 0;
    int check = 0, packed = 0;
    const bool good = zg_text_read(item, in->str, in->len, values, &ignored);
    g_autofree uint8_t *tagged = g_malloc(front + in->len + 1);

    memcpy(tagged, tag ? tag->bytes : tagged, front);
    memcpy(tagged + front, in->str, in->len);
    const int result = glue(tagged, front + in->len, dumped, &check, out, sizeof out, &size, &packed);
    if (good ? result != (int)ignored : result >= 0)
        fail_msg("%s \"%s\": the interpreter says %d (%zu ignored), generated code %d", item->message->name, in->str,
                 good, ignored, result);
    if (good) {
        g_autoptr(GString) dump = g_string_new(NULL), again = g_string_new(NULL);
        const bool permitted = zg_block_permits(&item->payload, values, NULL);
        test_dump(dump, &item->payload, values);
        if (strcmp(dump->str, dumped) != 0)
            fail_msg("%s \"%s\":\n%s\n%s", item->message->name, in->str, dump->str, dumped);
        assert_int_equal(check, permitted ? 0 : ZG_ERANGE);
        const bool writes = permitted && zg_text_write(item, values, again, NULL) &&
                            zg_plan_carries(plan, item, (const uint8_t *)again->str, again->len);
        if ((packed == 0) != writes)
            fail_msg("%s \"%s\": the interpreter writes \"%s\", generated code says %d: %.*s", item->message->name,
                     in->str, again->str, packed, (int)size, (const char *)out);
        if (writes) {
            assert_int_equal(size, front + again->len);
            assert_memory_equal(out + front, again->str, again->len);
            (void)glue(tagged, front + in->len, dumped, &check, out, size - 1, &size, &packed);
            assert_int_equal(packed, ZG_EROOM);
        }
    }
    zg_values_free(&item->payload, values);
}

static void check_texts(struct zg_random *random, const struct zg_plan *plan, const struct zg_plan_message *item,
                        void *handle)
{
    test_glue *glue;

    *(void **)&glue = test_symbol(handle, "glue_", item->payload.name);
    for (unsigned round = 0; round < ROUNDS; round++) {
        struct zg_value *values = zg_values_new(&item->payload);
        g_autoptr(GString) text = g_string_new(NULL);
        test_random_text_values(random, &item->payload, values);
        if (zg_text_write(item, values, text, NULL)) {
            compare_text(plan, item, glue, text);
            for (unsigned i = 0; i < 40; i++) {
                g_autoptr(GString) other = test_damaged_text(random, text);
                compare_text(plan, item, glue, other);
            }
        }
        zg_values_free(&item->payload, values);
    }
}

/* Characters that are not printable are refused in records too, single ones and in arrays; and a record of one size
 * that holds its own length needs no function for its size. */
static void test_records(void **state)
{
    static const char *const payloads[] = { "0161622020"
                                            "61622020"
                                            "61626364"
                                            "0261620000", /* sound */
                                            "01612f2020"
                                            "61622020"
                                            "6162637f"
                                            "0261620000",
                                            "0161620020"
                                            "61622020"
                                            "61626364"
                                            "0261620000",
                                            "0161622020"
                                            "6162200a"
                                            "61626364"
                                            "0261620000",
                                            "0161622020"
                                            "61622020"
                                            "61620064"
                                            "0261620000" };
    struct test_plan plan = test_plan_of(
        "zeugma: 1\nprotocol: random\nversion: 1.0\nframe: { framing: cobs, header: [id: u8], check: crc16/arc, "
        "max_payload: 60 }\n"
        "records: { word: { t: \"ascii[4]\" }, told: { own: { type: u8, counts: rest }, t: \"bytes[2]\" } }\n"
        "messages: { m: { id: 1, from: both, fields: { n: u8, one: word, two: \"word[2]\", told: told } } }\n");
    g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
    void *handle = test_build_c(plan.plan, folder);
    const struct zg_plan_message *item = zg_plan_message_at(plan.plan, 0);
    test_glue *glue;

    (void)state;
    *(void **)&glue = test_symbol(handle, "glue_", item->payload.name);
    for (unsigned i = 0; i < G_N_ELEMENTS(payloads); i++) {
        g_autoptr(GByteArray) bytes = zg_bytes_from_hex(payloads[i], NULL);
        compare(&item->payload, NULL, glue, bytes->data, bytes->len, i == 0);
    }
    dlclose(handle);
    test_plan_clear(&plan);
    test_remove_folder(folder);
}

/* The host's end of a definition, which prints the names of the messages in the lines that it reads. */
static char *build_reader(const struct zg_plan *plan, const char *folder)
{
    g_autoptr(GString) code = g_string_new("#include <stdio.h>\n#include \"random_host.h\"\n");
    g_autofree char *source = g_build_filename(folder, "reader.c", NULL);
    char *program = g_build_filename(folder, "reader", NULL);

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const char *name = zg_plan_message_at(plan, i)->message->name;
        g_string_append_printf(code,
                               "static void on_%s(void *context, const struct random_%s *message, const struct "
                               "zg_frame *frame)\n{\n    (void)context; (void)message; (void)frame; puts(\"%s\");\n}\n",
                               name, name, name);
    }
    g_string_append(code, "static const struct random_host_handlers handlers = { ");
    for (unsigned i = 0; i < plan->messages->len; i++)
        g_string_append_printf(code, ".%s = on_%s, ", zg_plan_message_at(plan, i)->message->name,
                               zg_plan_message_at(plan, i)->message->name);
    g_string_append(
        code, "};\nstatic uint32_t now(void *context) { (void)context; return 0; }\n"
              "static void start(void *context) { (void)context; }\n"
              "int main(void)\n{\n    static const struct zg_port port = { .now_us = now, .start_transmit = start };\n"
              "    static struct random_host host;\n    int c;\n"
              "    random_host_init(&host, &port, NULL, &handlers, NULL);\n"
              "    while ((c = getchar()) != EOF) {\n        const uint8_t byte = (uint8_t)c;\n"
              "        random_host_receive(&host, &byte, 1);\n        random_host_poll(&host);\n    }\n"
              "    return 0;\n}\n");
    assert_true(g_file_set_contents(source, code->str, -1, NULL));
    g_autofree char *command = g_strdup_printf("cd %s && " TEST_CC " -std=c11 -O1 -Wall -Wextra -Wshadow -Werror "
                                               "-I" TEST_SOURCE "/include reader.c random.c random_host.c %s -o reader",
                                               folder, test_runtime());
    assert_int_equal(system(command), 0);
    return program;
}

static void note_name(const struct zg_stretch *stretch, void *data)
{
    if (stretch->kind == ZG_STRETCH_FRAME)
        g_string_append_printf(data, "%s\n", stretch->message->message->name);
}

/* A line of texts, sound and damaged ones: the generated host takes them for the messages that the interpreter does. */
static void check_choice(struct zg_random *random, const struct zg_plan *plan, const char *folder)
{
    g_autoptr(GByteArray) line = test_random_lines(random, plan, 4 * ROUNDS);
    g_autoptr(GString) wanted = g_string_new(NULL);
    g_autofree char *program = build_reader(plan, folder), *in = g_build_filename(folder, "line", NULL), *out = NULL;

    struct zg_frame_reader *reader = zg_frame_reader_new(plan, note_name, wanted);
    zg_frame_reader_hear(reader, ZG_SIDE_DEVICE);
    zg_frame_reader_feed(reader, line->data, line->len);
    zg_frame_reader_end(reader);
    zg_frame_reader_free(reader);
    assert_true(g_file_set_contents(in, (const char *)line->data, (gssize)line->len, NULL));
    g_autofree char *command = g_strdup_printf("sh -c '%s <%s'", program, in);
    assert_true(g_spawn_command_line_sync(command, &out, NULL, NULL, NULL));
    assert_string_equal(out, wanted->str);
}

/* Messages that only what fits tells apart. */
static void test_what_fits(void **state)
{
    static const char definition[] =
        "zeugma: 1\nprotocol: random\nversion: 1.0\n"
        "frame: { framing: { kind: marks, end: \"\\r\\n\" }, check: none, max_payload: 80, layout: { pairs: { assign: "
        "\"=\", between: \",\" } } }\nmessages:\n"
        "  any: { from: device, layout: { pattern: \"{line}\" }, fields: { line: \"text[..70]\" } }\n"
        "  level: { from: device, fields: { kind: { const: \"level\" }, x: { type: u8, range: [0, 99] } } }\n"
        "  alarm: { from: device, fields: { kind: { const: \"alarm\" }, x: u8 } }\n";
    g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
    struct zg_random random = zg_random_seeded(11, 0);
    struct test_plan plan = test_plan_of(definition);
    (void)state;
    test_write_c(plan.plan, folder);
    check_choice(&random, plan.plan, folder);
    test_plan_clear(&plan);
    test_remove_folder(folder);
}

static char *text_of(const char *path)
{
    char *text = NULL;
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    return text;
}

/* Random ones, and at first one with all that json can hold and floats in every layout. */
static void test_random_texts(void **state)
{
    struct zg_random random = zg_random_seeded(10, 0);
    (void)state;
    for (unsigned i = 0; i < 1 + test_rounds(DEFINITIONS); i++) {
        g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
        g_autofree char *text =
            i == 0 ? text_of(TEST_DATA "/codec/readings.yaml") : test_random_text_definition(&random);
        struct test_plan plan = test_plan_of(text);
        void *handle = test_build_c(plan.plan, folder);
        for (unsigned k = 0; k < plan.plan->messages->len; k++)
            if (zg_plan_message_at(plan.plan, k)->text)
                check_texts(&random, plan.plan, zg_plan_message_at(plan.plan, k), handle);
        if (i > 0)
            check_choice(&random, plan.plan, folder);
        dlclose(handle);
        test_plan_clear(&plan);
        test_remove_folder(folder);
    }
}

/* The same plan prints the same text; files written again are unchanged; a file that was not generated, or was edited,
 * is left alone, and then nothing at all is written. */
static void test_writing(void **state)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
    g_autofree char *inner = g_build_filename(folder, "new", NULL);
    g_autofree char *first = g_build_filename(inner, "small.h", NULL);
    g_autofree char *last = g_build_filename(inner, "small_host.c", NULL);
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan, ZG_SIDE_BOTH);
    g_autoptr(GPtrArray) again = zg_generate_c(plan.plan, ZG_SIDE_BOTH);
    g_autoptr(GError) error = NULL;
    (void)state;
    assert_int_equal(files->len, 11);
    g_autoptr(GPtrArray) device = zg_generate_c(plan.plan, ZG_SIDE_DEVICE);
    assert_int_equal(device->len, 9); /* all but the host's end, the same byte for byte */
    for (unsigned i = 0; i < device->len; i++)
        assert_string_equal(((struct zg_generated *)g_ptr_array_index(files, i))->text,
                            ((struct zg_generated *)g_ptr_array_index(device, i))->text);
    for (unsigned i = 0; i < files->len; i++)
        assert_string_equal(((struct zg_generated *)g_ptr_array_index(files, i))->text,
                            ((struct zg_generated *)g_ptr_array_index(again, i))->text);
    struct stat before, after;
    assert_true(zg_generated_write(files, inner, false, NULL));
    assert_int_equal(stat(first, &before), 0);
    assert_true(zg_generated_write(again, inner, false, NULL));
    assert_int_equal(stat(first, &after), 0); /* the same file: nothing that uses it is rebuilt */
    assert_true(before.st_ino == after.st_ino && before.st_mtim.tv_nsec == after.st_mtim.tv_nsec);
    g_autofree char *text = text_of(first);
    assert_string_equal(text, ((struct zg_generated *)g_ptr_array_index(files, 0))->text);

    g_autofree char *text_of_last = text_of(last);
    g_autofree char *edited = g_strconcat(text_of_last, "/* mine */\n", NULL);
    assert_true(g_file_set_contents(last, edited, -1, NULL));
    assert_int_equal(g_remove(first), 0);
    assert_false(zg_generated_write(files, inner, false, &error));
    assert_non_null(strstr(error->message, "small_host.c was edited since it was generated; --force replaces it"));
    assert_false(g_file_test(first, G_FILE_TEST_EXISTS));
    g_clear_error(&error);
    assert_true(g_file_set_contents(last, "mine", -1, NULL));
    assert_false(zg_generated_write(files, inner, false, &error));
    assert_non_null(strstr(error->message, "small_host.c exists and was not generated"));
    assert_false(g_file_test(first, G_FILE_TEST_EXISTS));
    assert_true(zg_generated_write(files, inner, true, NULL));
    g_autofree char *forced = text_of(last);
    assert_string_equal(forced, text_of_last);
    test_remove_folder(folder);
    g_clear_error(&error);
    assert_false(zg_generated_write(files, "/proc/nowhere", false, &error));
    assert_non_null(strstr(error->message, "cannot make the folder /proc/nowhere"));
    test_plan_clear(&plan);
}

/* Whichever file cannot be written, all files are as before, and nothing is left beside them; a user's file named like
 * one of them plus ".new" stays. */
static void test_each_file_failing(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan, ZG_SIDE_BOTH);
    (void)state;
    for (unsigned i = 0; i < 2 * files->len; i++) {
        g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
        const struct zg_generated *file = g_ptr_array_index(files, i / 2);
        g_autofree char *path = g_build_filename(folder, file->name, NULL);
        g_autofree char *blocker = g_build_filename(path, "in the way", NULL);
        g_autofree char *users = g_strconcat(path, ".new", NULL);
        g_autoptr(GError) error = NULL;
        unsigned left = 0;
        const bool exist = i % 2 == 1;
        for (unsigned k = 0; k < files->len && exist; k++) {
            g_autofree char *other = g_build_filename(folder, ((struct zg_generated *)files->pdata[k])->name, NULL);
            assert_true(g_file_set_contents(other, "older", -1, NULL));
        }
        (void)g_remove(path);
        assert_int_equal(g_mkdir(path, 0777), 0);
        assert_true(g_file_set_contents(blocker, "", -1, NULL));
        assert_true(g_file_set_contents(users, "mine", -1, NULL));
        assert_false(zg_generated_write(files, folder, true, &error));
        assert_non_null(strstr(error->message, file->name));
        g_autoptr(GDir) directory = g_dir_open(folder, 0, NULL);
        for (const char *name; (name = g_dir_read_name(directory)); left++) {
            g_autofree char *each = g_build_filename(folder, name, NULL);
            g_autofree char *text = strcmp(each, path) != 0 ? text_of(each) : NULL;
            if (text)
                assert_string_equal(text, strcmp(each, users) == 0 ? "mine" : "older");
        }
        assert_int_equal(left, exist ? files->len + 1 : 2);
        test_remove_folder(folder);
    }
    test_plan_clear(&plan);
}

/* A bundle compiles by itself, and contains what its messages need and no more. */
static void test_bundle(void **state)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-bundle-XXXXXX", NULL);
    g_autofree char *command =
        g_strdup_printf("cd %s && " TEST_CC " -std=c11 -Wall -Wextra -Wpedantic -Wconversion -Werror -c *.c", folder);
    g_autofree char *leb = g_build_filename(folder, "zg_leb.c", NULL),
                    *link = g_build_filename(folder, "zg_link.c", NULL);
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan, ZG_SIDE_BOTH);
    g_autoptr(GError) error = NULL;
    (void)state;
    assert_true(zg_generate_bundle(files, NULL));
    assert_true(zg_generated_write(files, folder, false, NULL));
    assert_true(g_file_test(link, G_FILE_TEST_EXISTS));
    assert_false(g_file_test(leb, G_FILE_TEST_EXISTS));
    assert_int_equal(system(command), 0);
    assert_true(zg_generated_write(files, folder, false, NULL));
    test_remove_folder(folder);
    test_plan_clear(&plan);

    g_auto(GStrv) parts = g_strsplit(test_small_definition, "protocol: small", 2);
    g_autofree char *text = g_strjoin("protocol: zg_link", parts[0], parts[1], NULL);
    struct test_plan clash = test_plan_of(text);
    g_autoptr(GPtrArray) clashing = zg_generate_c(clash.plan, ZG_SIDE_BOTH);
    assert_false(zg_generate_bundle(clashing, &error));
    assert_non_null(strstr(error->message, "zg_link.c is also the name of a runtime file"));
    test_plan_clear(&clash);
}

/* What a program of data/generated prints, with the code of its definition. */
static char *run_program(const struct zg_plan *plan, const char *name)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-nodes-XXXXXX", NULL);
    g_autofree char *command =
        g_strdup_printf("cd %s && " TEST_CC " -std=c11 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -I. "
                        "*.c " TEST_DATA "/generated/%s.c -o program && ./program > told",
                        folder, name);
    g_autofree char *told = g_build_filename(folder, "told", NULL);
    g_autoptr(GPtrArray) files = zg_generate_c(plan, ZG_SIDE_BOTH);

    assert_true(zg_generate_bundle(files, NULL));
    assert_true(zg_generated_write(files, folder, false, NULL));
    assert_int_equal(system(command), 0);
    char *text = text_of(told);
    test_remove_folder(folder);
    return text;
}

/* Whole nodes of generated code on a shared line: tickets, addresses, replies, turns. */
static void test_nodes(void **state)
{
    static const char wanted[] = "asked in turn: 2 1 2\n"
                                 "device 1: load_row 0 from 0, ticket 0\n"
                                 "host: row 0 taken by 1, ticket 0\n"
                                 "device 1: speed 100, ticket 1, base 1\n"
                                 "host: speed 100 of 1: delivered\n"
                                 "device 2: load_row 1 from 0, ticket 0\n"
                                 "host: row 1 taken by 2, ticket 0\n"
                                 "device 2: speed 101, ticket 1, base 1\n"
                                 "host: speed 101 of 2: delivered\n"
                                 "host: speed 200 of 2: one of the ends restarted\n"
                                 "device 2: speed 201, ticket 2, base 2\n"
                                 "host: speed 201 of 2: delivered\n"
                                 "device 1: 17 frames, 13 not for it, 0 lost\n"
                                 "device 2: 3 frames, 0 not for it, 0 lost\n";
    struct test_plan plan = test_plan_load("definitions/behaviour.yaml");
    (void)state;
    g_autofree char *text = run_program(plan.plan, "nodes");
    assert_string_equal(text, wanted);
    test_plan_clear(&plan);
}

/* With a destination and no source, a host chooses whom it sends to. */
static void test_aimed(void **state)
{
    static const char definition[] =
        "zeugma: 1\nprotocol: aimed\nversion: 1.0\n"
        "frame: { framing: cobs, header: [destination: u4, id: u4], check: crc16/xmodem }\n"
        "messages: { lift: { id: 1, from: host, fields: { n: u8 } }, told: { id: 2, from: device, fields: { n: u8 } } "
        "}\n";
    struct test_plan plan = test_plan_of(definition);
    (void)state;
    g_autofree char *text = run_program(plan.plan, "aimed");
    assert_string_equal(text, "device 1: 0\ndevice 2: 1\ndevice 1: 3\ndevice 2: 3\n"
                              "device 1: 4 frames, 2 not for it\ndevice 2: 4 frames, 2 not for it\n"
                              "device 3: 4 frames, 2 not for it\n");
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_random_definitions),
                                        cmocka_unit_test(test_records),
                                        cmocka_unit_test(test_random_texts),
                                        cmocka_unit_test(test_what_fits),
                                        cmocka_unit_test(test_writing),
                                        cmocka_unit_test(test_each_file_failing),
                                        cmocka_unit_test(test_bundle),
                                        cmocka_unit_test(test_nodes),
                                        cmocka_unit_test(test_aimed) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
