/* SPDX-License-Identifier: MIT */
/*
 * Every example of docs/definition.md, docs/framings.md and docs/existing_devices.md is true. A block of `yaml` is
 * sound; one of `yaml warning` or `yaml error` gives exactly the diagnostics listed below it. A block of `payload` says
 * what the last definition makes of values and bytes: "MESSAGE JSON = HEX", "MESSAGE HEX : JSON" or "MESSAGE HEX :
 * refused". A block of `frame` is "MESSAGE JSON" and that message's frame, byte by byte. A block of `wire` has lines
 * "BYTES = MESSAGE JSON ...": what a listener makes of bytes, given in hex behind 0x or as text with \\r, \\n. What an
 * example omits is filled in.
 */
#include "support.h"

#include <string.h>

#include "analysis/explain.h"
#include "codec/as_text.h"
#include "codec/frame_reader.h"
#include "codec/from_json.h"
#include "codec/hex.h"
#include "codec/json.h"
#include "codec/payload.h"

/* A definition of the parts that the example lacks, with the example; bare fields are those of a message m. */
static char *completed(const char *example)
{
    static const struct {
        const char *key;
        const char *text;
    } parts[] = {
        { "zeugma:", "zeugma: 1\n" },
        { "protocol:", "protocol: p\n" },
        { "version:", "version: 1.0\n" },
        { "frame:",
          "frame: { framing: cobs, header: [id: u8, sequence: u8], check: crc32/iso-hdlc, max_payload: 64 }\n" },
        { "messages:", "messages: { m: { id: 1, from: host, fields: { x: u8 } } }\n" },
    };
    g_auto(GStrv) lines = g_strsplit(example, "\n", -1);
    GString *text = g_string_new(NULL);
    bool in_fields = false, has_fields = false;

    for (char **line = lines; *line; line++) {
        in_fields = g_str_has_prefix(*line, "fields:") || (in_fields && g_str_has_prefix(*line, "  "));
        has_fields = has_fields || in_fields;
        if (g_str_has_prefix(*line, "fields:"))
            g_string_append(text, "messages:\n  m:\n    id: 1\n    from: host\n");
        g_string_append_printf(text, "%s%s\n", in_fields ? "    " : "", *line);
    }
    for (size_t i = 0; i < G_N_ELEMENTS(parts); i++) {
        g_autofree char *later = g_strconcat("\n", parts[i].key, NULL);
        if (!g_str_has_prefix(text->str, parts[i].key) && !strstr(text->str, later))
            g_string_append(text, parts[i].text); /* at the end, so that the example's own lines keep their numbers */
    }
    return g_string_free(text, FALSE);
}

/* The lines "# MESSAGE" at an example's end, in order. */
static char *wanted_messages(const char *example)
{
    const char *at = strstr(example, "\n# ");
    g_auto(GStrv) lines = g_strsplit(at ? at + 1 : "", "\n", -1);
    GString *wanted = g_string_new(NULL);

    for (char **line = lines; *line && **line; line++)
        g_string_append_printf(wanted, "%s\n", *line + 2);
    return g_string_free(wanted, FALSE);
}

static void check_diagnostics(const char *example, bool sound)
{
    g_autofree char *text = completed(example), *wanted = wanted_messages(example);
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("x");
    struct zg_definition *definition = zg_definition_parse("x", text, strlen(text), diagnostics);
    struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;
    g_autoptr(GString) told = g_string_new(NULL);

    for (unsigned i = 0; i < zg_diagnostics_count(diagnostics); i++)
        g_string_append_printf(told, "%s\n", zg_diagnostics_get(diagnostics, i)->message);
    if (strcmp(told->str, wanted) != 0 || sound != (plan != NULL))
        fail_msg("%s\ntold:\n%s", text, told->str);
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
}

/* "MESSAGE JSON = HEX": packing values. */
static void check_packing(const struct zg_plan_message *item, const char *json, const char *hex)
{
    const struct zg_header header = { 0 };
    struct zg_value *values = zg_values_new(&item->payload);
    g_autoptr(GByteArray) wanted = zg_bytes_from_hex(hex, NULL);
    g_autoptr(GError) error = NULL;
    uint8_t payload[300] = { 0 };

    if (!zg_values_from_json(item, json, values, &error))
        fail_msg("%s", error->message);
    assert_int_equal(zg_payload_size(item, values), wanted->len);
    zg_payload_pack(item, &header, values, payload);
    if (memcmp(payload, wanted->data, wanted->len) != 0)
        fail_msg("%s is not %s", json, hex);
    zg_values_free(&item->payload, values);
}

/* "MESSAGE HEX : JSON" or "refused": unpacking bytes. */
static void check_unpacking(const struct zg_plan_message *item, const char *hex, const char *json)
{
    struct zg_value *values = zg_values_new(&item->payload);
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(hex, NULL);
    struct zg_header header;
    struct zg_json made;
    size_t ignored;

    assert_non_null(bytes);
    bool good = zg_payload_unpack(item, bytes->data, bytes->len, &header, values, &ignored);
    zg_json_begin(&made, false);
    zg_json_open(&made, NULL, '{');
    zg_block_to_json(&item->payload, values, &made);
    zg_json_close(&made, '}');
    g_autofree char *text = zg_json_end(&made);
    if (strcmp(good ? text : "refused", json) != 0)
        fail_msg("%s is %s, not %s", hex, good ? text : "refused", json);
    zg_values_free(&item->payload, values);
}

static void check_payloads(const char *definition, const char *block)
{
    g_autofree char *text = completed(definition);
    struct test_plan plan = test_plan_of(text);
    g_auto(GStrv) lines = g_strsplit(block, "\n", -1);

    for (char **line = lines; **line; line++) {
        g_auto(GStrv) words = g_strsplit(*line, " ", 2);
        const struct zg_plan_message *item = zg_plan_by_name(plan.plan, words[0]);
        const char *sign = words[1][0] == '{' ? "} = " : " : ";
        char *at = strstr(words[1], sign);
        assert_non_null(item);
        assert_non_null(at);
        g_autofree char *left = g_strndup(words[1], (gsize)(at - words[1]) + (sign[0] == '}'));
        if (sign[0] == '}')
            check_packing(item, left, at + strlen(sign));
        else
            check_unpacking(item, left, at + strlen(sign));
    }
    test_plan_clear(&plan);
}

/* "MESSAGE JSON", and the frame byte by byte. */
static void check_frame(const char *definition, const char *block)
{
    g_autofree char *text = completed(definition);
    struct test_plan plan = test_plan_of(text);
    const char *drawing = strchr(block, '\n') + 1;
    g_autofree char *first = g_strndup(block, (gsize)(drawing - block - 1));
    g_auto(GStrv) words = g_strsplit(first, " ", 2);
    const struct zg_plan_message *item = zg_plan_by_name(plan.plan, words[0]);
    struct zg_value *values = zg_values_new(&item->payload);
    const struct zg_header header = { .id = (uint32_t)item->message->id };
    g_autoptr(GError) error = NULL;

    if (!zg_values_from_json(item, words[1], values, &error))
        fail_msg("%s", error->message);
    g_autofree char *made = zg_explain_text(plan.plan, item, &header, values);
    if (strcmp(made, drawing) != 0)
        fail_msg("%s\nis\n%s\nnot\n%s", first, made, drawing);
    zg_values_free(&item->payload, values);
    test_plan_clear(&plan);
}

/* "MESSAGE JSON = TEXT", "MESSAGE JSON refused: WHY", "MESSAGE TEXT : JSON" or "refused"; the text is the whole
 * payload, with \\n for a line's end. */
static void check_texts(const char *definition, const char *block)
{
    g_autofree char *text = completed(definition);
    struct test_plan plan = test_plan_of(text);
    g_auto(GStrv) lines = g_strsplit(block, "\n", -1);

    for (char **line = lines; **line; line++) {
        g_auto(GStrv) words = g_strsplit(*line, " ", 2);
        const struct zg_plan_message *item = zg_plan_by_name(plan.plan, words[0]);
        const char *made = strstr(words[1], "} = "), *refused = strstr(words[1], "} refused: "), *read = NULL;
        assert_non_null(item);
        for (const char *at = words[1]; (at = strstr(at, " : ")); at++)
            read = at; /* the last */
        g_autoptr(GString) hex = g_string_new(NULL);
        g_autofree char *left =
            made || !read ? g_strdup(made ? made + 4 : words[1]) : g_strndup(words[1], (gsize)(read - words[1]));
        g_autofree char *plain = g_strcompress(left);
        for (size_t i = 0; plain[i]; i++)
            g_string_append_printf(hex, "%02x", (uint8_t)plain[i]);
        g_autofree char *json = g_strndup(words[1], made      ? (gsize)(made + 1 - words[1])
                                                    : refused ? (gsize)(refused + 1 - words[1])
                                                              : 0);
        if (made) {
            check_packing(item, json, hex->str);
        } else if (refused) {
            struct zg_value *values = zg_values_new(&item->payload);
            g_autoptr(GError) error = NULL;
            assert_false(zg_values_from_json(item, json, values, &error));
            assert_string_equal(error->message, refused + 11);
            zg_values_free(&item->payload, values);
        } else {
            assert_non_null(read);
            check_unpacking(item, hex->str, read + 3);
        }
    }
    test_plan_clear(&plan);
}

static void note_frame(const struct zg_stretch *stretch, void *data)
{
    struct zg_json json;

    if (stretch->kind != ZG_STRETCH_FRAME) {
        g_string_append_printf(data, " (%s)", stretch->why);
        return;
    }
    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    zg_block_to_json(&stretch->message->payload, stretch->values, &json);
    zg_json_close(&json, '}');
    g_autofree char *text = zg_json_end(&json);
    g_string_append_printf(data, " %s %s", stretch->message->message->name, text);
}

/* "BYTES = MESSAGE JSON MESSAGE JSON ...", or "(why)" for what is no frame. */
static void check_wire(const char *definition, const char *block)
{
    g_autofree char *text = completed(definition);
    struct test_plan plan = test_plan_of(text);
    g_auto(GStrv) lines = g_strsplit(block, "\n", -1);

    for (char **line = lines; **line; line++) {
        const char *sign = strstr(*line, " = ");
        assert_non_null(sign);
        g_autofree char *left = g_strndup(*line, (gsize)(sign - *line)), *plain = g_strcompress(left);
        g_autoptr(GByteArray) bytes = g_str_has_prefix(left, "0x") ? zg_bytes_from_hex(left + 2, NULL) : NULL;
        g_autoptr(GString) read = g_string_new(NULL);
        struct zg_frame_reader *reader = zg_frame_reader_new(plan.plan, note_frame, read);
        if (bytes)
            zg_frame_reader_feed(reader, bytes->data, bytes->len);
        else
            zg_frame_reader_feed(reader, (const uint8_t *)plain, strlen(plain));
        zg_frame_reader_end(reader);
        zg_frame_reader_free(reader);
        if (strcmp(read->str, sign + 2) != 0)
            fail_msg("%s\nis%s", *line, read->str);
    }
    test_plan_clear(&plan);
}

struct counted {
    unsigned examples, payloads, frames;
};

static struct counted check_page(const char *path)
{
    g_autofree char *text = NULL, *definition = NULL;
    struct counted counted = { 0 };

    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    g_auto(GStrv) parts = g_strsplit(text, "```", -1);
    assert_int_equal(g_strv_length(parts) % 2, 1);
    for (unsigned i = 1; parts[i]; i += 2) {
        const char *body = strchr(parts[i], '\n') + 1;
        g_autofree char *kind = g_strndup(parts[i], (gsize)(body - 1 - parts[i]));
        if (strcmp(kind, "payload") == 0) {
            check_payloads(definition, body);
            counted.payloads++;
            continue;
        }
        if (strcmp(kind, "text") == 0) {
            check_texts(definition, body);
            counted.payloads++;
            continue;
        }
        if (strcmp(kind, "wire") == 0) {
            check_wire(definition, body);
            counted.frames++;
            continue;
        }
        if (strcmp(kind, "frame") == 0) {
            check_frame(definition, body);
            counted.frames++;
            continue;
        }
        assert_true(strcmp(kind, "yaml") == 0 || strcmp(kind, "yaml error") == 0 || strcmp(kind, "yaml warning") == 0);
        check_diagnostics(body, strcmp(kind, "yaml error") != 0);
        g_free(definition);
        definition = g_strdup(body);
        counted.examples++;
    }
    return counted;
}

static void test_examples(void **state)
{
    struct counted language = check_page(TEST_SOURCE "/docs/definition.md");
    struct counted framings = check_page(TEST_SOURCE "/docs/framings.md");
    struct counted devices = check_page(TEST_SOURCE "/docs/existing_devices.md");
    (void)state;
    assert_true(devices.examples >= 12 && devices.frames >= 12);
    assert_true(language.examples >= 35 && language.payloads >= 8);
    assert_true(framings.examples >= 8 && framings.frames >= 8);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_examples) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
