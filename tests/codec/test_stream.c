/* SPDX-License-Identifier: MIT */
/* The frame reader: the same bytes fed whole, one by one and in pieces give the same reports; every byte is reported
 * once; the reports are JSON. */
#include "random_frames.h"
#include "support.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "codec/describe.h"
#include "codec/frame_reader.h"

/* What a reader reported: one JSON object on each line. */
struct told {
    const struct zg_plan *plan;
    GString *lines;
    uint64_t next; /* the next stretch must not begin before this offset */
    size_t bytes;
};

static void note(const struct zg_stretch *stretch, void *data)
{
    struct told *told = data;
    g_autofree char *json = zg_stretch_to_json(told->plan, stretch);
    g_autofree char *text = zg_stretch_to_text(told->plan, stretch);

    assert_true(stretch->offset + stretch->shared >= told->next); /* idle delimiters may come in between */
    assert_null(strchr(json, '\n'));
    assert_true(strlen(text) > 10);
    told->next = stretch->offset + stretch->raw_length;
    told->bytes += stretch->raw_length - stretch->shared;
    g_string_append_printf(told->lines, "%s\n", json);
}

static char *tell(const struct zg_plan *plan, const GByteArray *bytes, struct zg_random *random, unsigned most)
{
    struct told told = { plan, g_string_new(NULL), 0, 0 };
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, note, &told);

    for (size_t at = 0; at < bytes->len;) {
        size_t left = bytes->len - at;
        size_t piece = most == 0 ? left : 1 + (size_t)zg_random_below(random, MIN(left, most));
        zg_frame_reader_feed(stream, bytes->data + at, piece);
        at += piece;
    }
    zg_frame_reader_end(stream);
    const struct zg_counters *c = zg_frame_reader_counters(stream);
    assert_int_equal(told.bytes + c->bytes_idle, bytes->len);
    assert_int_equal(c->bytes_in, bytes->len);
    assert_int_equal(c->bytes_in, c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_idle);
    zg_frame_reader_free(stream);
    return g_string_free(told.lines, FALSE);
}

static void check_lines(const char *lines)
{
    g_auto(GStrv) all = g_strsplit(lines, "\n", -1);

    for (char **line = all; *line && **line; line++) {
        g_autoptr(JsonParser) parser = json_parser_new();
        assert_true(json_parser_load_from_data(parser, *line, -1, NULL));
        JsonObject *object = json_node_get_object(json_parser_get_root(parser));
        const char *raw = json_object_get_string_member(object, "raw");
        if (json_object_has_member(object, "skipped"))
            assert_int_equal(json_object_get_int_member(object, "skipped"), strlen(raw) / 2);
        else
            assert_true(json_object_has_member(object, "header"));
        assert_int_equal(json_object_has_member(object, "message"), json_object_has_member(object, "fields"));
        assert_int_equal(json_object_has_member(object, "expected"), json_object_has_member(object, "found"));
    }
}

static void test_pieces_of_any_size(void **state)
{
    struct test_plan plan = test_plan_load("codec/fields.yaml");
    struct zg_random random = zg_random_seeded(13, 0);
    (void)state;
    for (unsigned round = 0; round < 60; round++) {
        g_autoptr(GByteArray) bytes = test_random_frames(&random, plan.plan, 40);
        g_autoptr(GByteArray) touched = NULL;
        g_autoptr(GArray) origin = NULL;
        g_autoptr(GByteArray) arrived = test_damage(&random, bytes->data, bytes->len, 12, &touched, &origin);
        g_autofree char *whole = tell(plan.plan, arrived, &random, 0);
        g_autofree char *singly = tell(plan.plan, arrived, &random, 1);
        g_autofree char *pieces = tell(plan.plan, arrived, &random, 90);
        assert_string_equal(whole, singly);
        assert_string_equal(whole, pieces);
        check_lines(whole);
    }
    test_plan_clear(&plan);
}

/* Noise without an end is reported in pieces, so that memory stays bounded. */
static void test_endless_noise(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GByteArray) noise = g_byte_array_new();
    struct zg_random random = zg_random_seeded(14, 0);
    (void)state;
    for (unsigned i = 0; i < 100000; i++) {
        uint8_t byte = 255; /* the longest possible blocks */
        g_byte_array_append(noise, &byte, 1);
    }
    g_autofree char *told = tell(plan.plan, noise, &random, 5000);
    assert_non_null(strstr(told, "\"reason\":\"too long\""));
    g_auto(GStrv) lines = g_strsplit(told, "\n", -1);
    assert_true(g_strv_length(lines) > 100000 / 8200);
    for (char **line = lines; *line; line++)
        assert_true(strlen(*line) < 4 * 8192);
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_pieces_of_any_size),
                                        cmocka_unit_test(test_endless_noise) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
