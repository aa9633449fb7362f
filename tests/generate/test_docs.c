/* SPDX-License-Identifier: MIT */
/* What the generated specification says is true: its examples are frames that decode to the values given with them. */
#include "random_definition.h"
#include "support.h"

#include <string.h>

#include "codec/as_text.h"
#include "codec/describe.h"
#include "codec/frame_reader.h"
#include "codec/hex.h"
#include "codec/json.h"
#include "generate/generate.h"

static void keep_json(const struct zg_stretch *stretch, void *data)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '{');
    assert_int_equal(stretch->kind, ZG_STRETCH_FRAME);
    assert_true(zg_block_permits(&stretch->message->payload, stretch->values, NULL));
    zg_block_to_json(&stretch->message->payload, stretch->values, &json);
    zg_json_close(&json, '}');
    g_autofree char *text = zg_json_end(&json);
    g_string_append(data, text);
}

/* The values of the only frame in some hex digits. */
static char *decoded(const struct zg_plan *plan, const char *hex)
{
    g_autoptr(GByteArray) bytes = zg_bytes_from_hex(hex, NULL);
    GString *fields = g_string_new(NULL);
    struct zg_frame_reader *stream = zg_frame_reader_new(plan, keep_json, fields);

    assert_non_null(bytes);
    zg_frame_reader_feed(stream, bytes->data, bytes->len);
    zg_frame_reader_end(stream);
    zg_frame_reader_free(stream);
    return g_string_free(fields, FALSE);
}

/* The digits between `quote` in cell `column` of a row "| a | b | ..."; NULL: there are none. */
static char *cell_digits(const char *row, unsigned column)
{
    g_auto(GStrv) cells = g_strsplit(row, "|", -1);
    assert_true(g_strv_length(cells) > column);
    char *cell = g_strstrip(cells[column]);
    return cell[0] == '`' ? g_strndup(cell + 1, 2) : g_strdup("");
}

static void check_markdown(const struct zg_plan *plan, const char *text)
{
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    unsigned examples = 0;
    g_autofree char *last_json = NULL;
    g_autoptr(GString) wire = g_string_new(NULL);
    bool in_table = false;

    for (unsigned i = 1; lines[i]; i++) {
        if (strcmp(lines[i], "|---|---|---|---|") == 0 && strstr(lines[i - 1], "on the wire")) {
            in_table = true;
        } else if (in_table && lines[i][0] == '|') {
            g_autofree char *byte = cell_digits(lines[i], 2);
            g_string_append(wire, byte);
        } else if (lines[i][0] == '{') {
            g_free(last_json);
            last_json = g_strdup(lines[i]);
        } else if (last_json && lines[i - 1][0] == '{' && g_ascii_isxdigit(lines[i][0])) {
            g_autofree char *fields = decoded(plan, lines[i]);
            assert_string_equal(fields, last_json);
            examples++;
        }
    }
    bool has_short = false; /* a message whose frame fits an example */
    for (unsigned i = 0; i < plan->messages->len; i++)
        has_short = has_short || zg_plan_message_at(plan, i)->frame_most <= 80;
    assert_true(examples > 0 || !has_short);
    g_autofree char *fields = decoded(plan, wire->str); /* the worked example, which comes last */
    assert_string_equal(fields, last_json);
    for (unsigned i = 0; i < plan->messages->len; i++)
        assert_non_null(strstr(text, zg_plan_message_at(plan, i)->message->name));
}

/* Every tag is closed, and nothing is loaded from elsewhere. */
static void check_html(const char *text)
{
    static const char *const empty[] = { "!DOCTYPE", "!--", "meta", NULL };
    g_autoptr(GPtrArray) open = g_ptr_array_new_with_free_func(g_free);

    assert_null(strstr(text, "http"));
    assert_null(strstr(text, "src="));
    assert_null(strstr(text, "@import"));
    for (const char *at = strchr(text, '<'); at; at = strchr(at + 1, '<')) {
        bool closes = at[1] == '/';
        g_autofree char *name = g_strndup(at + 1 + closes, strcspn(at + 1 + closes, " >\n"));
        if (closes) {
            assert_true(open->len > 0);
            assert_string_equal(name, g_ptr_array_index(open, open->len - 1));
            g_ptr_array_remove_index(open, open->len - 1);
        } else if (!g_strv_contains(empty, name)) {
            g_ptr_array_add(open, g_strdup(name));
        }
        if (strcmp(name, "!--") == 0)
            at = strstr(at, "-->");
    }
    assert_int_equal(open->len, 0);
}

static void check(const char *definition)
{
    struct test_plan plan = test_plan_of(definition);
    g_autoptr(GPtrArray) files = zg_generate_docs(plan.plan);

    assert_int_equal(files->len, 2);
    check_markdown(plan.plan, ((struct zg_generated *)g_ptr_array_index(files, 0))->text);
    check_html(((struct zg_generated *)g_ptr_array_index(files, 1))->text);
    test_plan_clear(&plan);
}

static void test_known_definitions(void **state)
{
    static const char *const names[] = { "codec/fields.yaml", "codec/weigher.yaml", "definitions/sound.yaml",
                                         "definitions/behaviour.yaml" };
    (void)state;
    for (size_t i = 0; i < G_N_ELEMENTS(names); i++) {
        g_autofree char *text = test_data(names[i]);
        check(text);
    }
}

/* Summaries, units and enum names with any text do not break the page. */
static void test_hostile_texts(void **state)
{
    (void)state;
    check("zeugma: 1\nprotocol: p\nversion: 1.0\nsummary: \"a <b> & | `c --> */ d\"\n"
          "frame: { framing: cobs, check: crc16/usb }\nmessages:\n  m:\n    from: host\n"
          "    summary: \"`code` <script>|x\\ny\"\n    fields:\n"
          "      a: { type: u8, unit: \"<&|>\", summary: \"*`|`*\" }\n");
}

/* If a payload has room for few elements, or none, the example has as many as fit. */
static void test_little_room(void **state)
{
    (void)state;
    for (unsigned room = 5; room < 24; room++) {
        g_autofree char *text = g_strdup_printf(
            "zeugma: 1\nprotocol: p\nversion: 1.0\nframe: { framing: cobs, check: crc16/usb, max_payload: %u }\n"
            "records: { r: { a: \"u8[..9]\", b: uleb32 } }\nmessages: { m: { from: host, fields: { x: f32, "
            "rest: \"r[..]\" } } }\n",
            room);
        check(text);
    }
}

static void test_random_definitions(void **state)
{
    struct zg_random random = zg_random_seeded(31, 0);
    (void)state;
    for (unsigned i = 0; i < test_rounds(60); i++) {
        g_autofree char *text = test_random_definition(&random);
        check(text);
    }
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_known_definitions), cmocka_unit_test(test_hostile_texts),
                                        cmocka_unit_test(test_little_room), cmocka_unit_test(test_random_definitions) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
