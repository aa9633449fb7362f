/* SPDX-License-Identifier: MIT */
/* What compare says, word for word, and whether it is true: each version reads the frames of the other. */
#include "random_definition.h"
#include "random_frames.h"
#include "random_text.h"
#include "support.h"

#include <stdlib.h>
#include <string.h>

#include "analysis/compare.h"
#include "codec/as_text.h"
#include "codec/frame.h"
#include "codec/frame_reader.h"
#include "codec/payload.h"

/* Frames of each message, where a counterexample is sought, and where there must be none. */
enum { FRAMES = 150, FEW = 12 };

/* The values of a frame one by one: the path and the text of each. */
struct leaves {
    GPtrArray *paths;
    GPtrArray *texts;
};

/* What one end reads from a frame of the other. */
struct reading {
    const struct zg_plan_message *message; /* NULL: it was not delivered */
    bool in_range;
    struct leaves leaves;
};

static struct leaves leaves_new(void)
{
    return (struct leaves){ g_ptr_array_new_with_free_func(g_free), g_ptr_array_new_with_free_func(g_free) };
}

static void leaves_clear(struct leaves *leaves)
{
    g_ptr_array_unref(leaves->paths);
    g_ptr_array_unref(leaves->texts);
}

static void add_leaves(struct leaves *leaves, const char *before, const struct zg_block *block,
                       const struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        bool array = step->type.extent != ZG_EXTENT_ONE;
        if (values[i].absent)
            continue;
        for (unsigned k = 0; step->record && k < (array ? values[i].count : 1); k++) {
            g_autofree char *path = g_strdup_printf("%s%s[%u].", before, step->name, k);
            add_leaves(leaves, path, step->record, array ? values[i].items[k].items : values[i].items);
        }
        if (step->record)
            continue;
        GString *text = g_string_new(NULL);
        zg_value_to_text(step, &values[i], text);
        g_ptr_array_add(leaves->texts, g_string_free(text, FALSE));
        g_ptr_array_add(leaves->paths, g_strconcat(before, step->name, NULL));
    }
}

static void read_stretch(const struct zg_stretch *stretch, void *data)
{
    struct reading *reading = data;

    if (stretch->kind != ZG_STRETCH_FRAME)
        return;
    reading->message = stretch->message;
    reading->in_range = zg_block_permits(&stretch->message->payload, stretch->values, NULL);
    add_leaves(&reading->leaves, "", &stretch->message->payload, stretch->values);
}

static const char *text_at(const struct leaves *leaves, unsigned index)
{
    return g_ptr_array_index(leaves->texts, index);
}

/* Whether two ends see the same values: in binary at the same places, and under the names that both know. */
static bool same_values(const struct leaves *sent, const struct leaves *read, bool by_place)
{
    for (unsigned i = 0; by_place && i < MIN(sent->texts->len, read->texts->len); i++)
        if (strcmp(text_at(sent, i), text_at(read, i)) != 0)
            return false;
    for (unsigned i = 0; i < sent->paths->len; i++) {
        unsigned k;
        if (g_ptr_array_find_with_equal_func(read->paths, g_ptr_array_index(sent->paths, i), g_str_equal, &k) &&
            strcmp(text_at(sent, i), text_at(read, k)) != 0)
            return false;
    }
    return true;
}

/* Whether a frame is delivered, within range, with the values that were sent. */
static bool understood(const struct zg_plan *to, const struct zg_plan_message *item, const struct zg_value *values,
                       const GByteArray *frame)
{
    struct reading reading = { NULL, false, leaves_new() };
    struct leaves sent = leaves_new();
    struct zg_frame_reader *stream = zg_frame_reader_new(to, read_stretch, &reading);

    add_leaves(&sent, "", &item->payload, values);
    zg_frame_reader_feed(stream, frame->data, frame->len);
    zg_frame_reader_end(stream);
    bool good = reading.message && reading.in_range && same_values(&sent, &reading.leaves, !item->text);
    zg_frame_reader_free(stream);
    leaves_clear(&reading.leaves);
    leaves_clear(&sent);
    return good;
}

/* Replaces numbers without a name by one that has a name, because no end sends others. */
static void name_number(const struct zg_enum *enumeration, union zg_raw *raw)
{
    const struct zg_enum_value *value = g_ptr_array_index(enumeration->values, raw->u % enumeration->values->len);
    uint64_t named = 0;

    for (unsigned i = 0; enumeration->flags && i < enumeration->values->len; i++)
        named |= UINT64_C(1) << ((struct zg_enum_value *)g_ptr_array_index(enumeration->values, i))->raw.u;
    if (enumeration->flags)
        raw->u &= named;
    else if (!zg_enum_name(enumeration, *raw))
        *raw = value->raw;
}

static void name_all(const struct zg_block *block, struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        bool array = zg_step_is_array(step);
        for (unsigned k = 0; k < (array ? values[i].count : 1); k++) {
            struct zg_value *item = array ? &values[i].items[k] : &values[i];
            if (step->record)
                name_all(step->record, item->items);
            else if (step->type.enumeration)
                name_number(step->type.enumeration, &item->raw);
        }
    }
}

/* Sends random frames of everything that `senders` send from one version to the other. Returns how many are not
 * understood. */
static unsigned lost_on_the_way(struct zg_random *random, const struct zg_plan *from, const struct zg_plan *to,
                                unsigned senders, unsigned frames)
{
    unsigned lost = 0;

    for (unsigned i = 0; i < from->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(from, i);
        for (unsigned round = 0; round < frames && item->message->from & senders; round++) {
            struct zg_value *values = zg_values_new(&item->payload);
            const struct zg_header header = { .id = (uint32_t)item->message->id, .sequence = round };
            (item->text ? test_random_text_values : test_random_values)(random, &item->payload, values);
            name_all(&item->payload, values);
            size_t length = zg_payload_size(item, values);
            g_autofree uint8_t *payload = g_malloc(length + 1);
            zg_payload_pack(item, &header, values, payload);
            if (length <= from->max_payload) {
                g_autoptr(GByteArray) frame = zg_frame_make(from, &header, payload, length);
                lost += !understood(to, item, values, frame);
            }
            zg_values_free(&item->payload, values);
        }
    }
    return lost;
}

/* Frames that are lost or misread while one side is new and the other old. */
static unsigned lost_between(struct zg_random *random, const struct zg_plan *old, const struct zg_plan *new,
                             enum zg_side updated, unsigned frames)
{
    return lost_on_the_way(random, new, old, updated, frames) +
           lost_on_the_way(random, old, new, ZG_SIDE_BOTH & ~(unsigned)updated, frames);
}

/* Whether a verdict is right: a breaking change must have a counterexample, the others must have none. */
static void hold(struct zg_random *random, const char *title, const struct zg_plan *old, const struct zg_plan *new,
                 enum zg_verdict verdict, unsigned first)
{
    unsigned device = lost_between(random, old, new, ZG_SIDE_DEVICE, FRAMES);
    unsigned host = lost_between(random, old, new, ZG_SIDE_HOST, FRAMES);

    if (verdict == ZG_BREAKING) {
        if (device + host == 0)
            fail_msg("%s: said to break, but %u frames were understood", title, FRAMES);
        return;
    }
    if ((!(first & ZG_SIDE_HOST) && device > 0) || (!(first & ZG_SIDE_DEVICE) && host > 0))
        fail_msg("%s: said to be %s (first %u), but %u frames were lost with a new device, %u with a new host", title,
                 zg_verdict_name(verdict), first, device, host);
    if (first == ZG_SIDE_DEVICE && host == 0)
        fail_msg("%s: the device need not be first", title);
    if (first == ZG_SIDE_HOST && device == 0)
        fail_msg("%s: the host need not be first", title);
}

static void append_place(GString *text, struct zg_place place)
{
    if (place.line > 0)
        g_string_append_printf(text, "%u:%u ", place.line, place.column);
    else
        g_string_append(text, "- ");
}

static char *told(const GPtrArray *changes, enum zg_verdict verdict, unsigned first)
{
    static const char *const sides[] = { "", " device", " host", " both" };
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "= %s%s\n", zg_verdict_name(verdict), sides[first]);
    for (unsigned i = 0; i < changes->len; i++) {
        const struct zg_change *change = g_ptr_array_index(changes, i);
        g_string_append(text, "> ");
        append_place(text, change->before);
        append_place(text, change->after);
        g_string_append_printf(text, "%s%s: %s\n", zg_verdict_name(change->verdict), sides[change->first],
                               change->text);
    }
    return g_string_free(text, FALSE);
}

static char *replaced(const char *text, const char *from, const char *to)
{
    g_autofree char *old = g_strcompress(from), *new = g_strcompress(to);
    g_auto(GStrv) parts = g_strsplit(text, old, -1);
    if (g_strv_length(parts) < 2)
        fail_msg("\"%s\" is not in the definition", old);
    return g_strjoinv(new, parts);
}

/* The blocks of a file of changes. Those titled "(not in the bytes)" cannot be shown by frames. */
static unsigned check_changes(const char *of, const char *file)
{
    struct zg_random random = zg_random_seeded(51, 0);
    g_autofree char *base = test_data(of), *text = test_data(file);
    g_auto(GStrv) blocks = g_strsplit(text, "\n\n", -1);
    struct test_plan old = test_plan_of(base);
    g_autoptr(GString) all = g_string_new(blocks[0]);
    unsigned held = 0;

    for (char **block = blocks + 1; *block; block++) {
        g_auto(GStrv) lines = g_strsplit(*block, "\n", -1);
        g_autofree char *changed = g_strdup(base);
        g_string_append_printf(all, "\n\n%s\n", lines[0]);
        for (char **line = lines; *line; line++) {
            if (**line != '-')
                continue;
            char *next = replaced(changed, line[0] + 2, line[1] + 2);
            g_free(changed);
            changed = next;
            g_string_append_printf(all, "%s\n%s\n", line[0], line[1]);
        }
        struct test_plan new = test_plan_of(changed);
        g_autoptr(GPtrArray) changes = zg_compare(old.plan, new.plan);
        unsigned first;
        enum zg_verdict verdict = zg_compare_verdict(changes, &first);
        g_autofree char *lines_told = told(changes, verdict, first);
        g_string_append(all, lines_told);
        g_string_truncate(all, all->len - 1);
        if (!strstr(lines[0], "(not in the bytes)"))
            hold(&random, lines[0], old.plan, new.plan, verdict, first);
        test_plan_clear(&new);
        held++;
    }
    g_string_append_c(all, '\n');
    if (strcmp(all->str, text) != 0) {
        g_autofree char *path = g_build_filename(g_get_tmp_dir(), "zeugma-changes.txt", NULL);
        assert_true(g_file_set_contents(path, all->str, -1, NULL));
        fail_msg("what is told is in %s", path);
    }
    test_plan_clear(&old);
    return held;
}

static void test_changes(void **state)
{
    (void)state;
    assert_true(check_changes("compare/base.yaml", "compare/changes.txt") > 50);
    assert_true(check_changes("compare/text_base.yaml", "compare/text_changes.txt") > 20);
}

/* A line of a definition's messages, changed at random; NULL if it cannot be changed that way. */
static char *mutated_line(struct zg_random *random, const char *line)
{
    const char *digit = line + strcspn(line, ":");

    while (*digit && !g_ascii_isdigit(*digit))
        digit++;
    switch (zg_random_below(random, 4)) {
    case 0: return g_strdup(""); /* removed */
    case 1: /* another name */ return strstr(line, "      f") ? g_strdup_printf("      g%s", line + 7) : NULL;
    default: /* another number: a width, a count, a scale, a range, an id */
        if (!*digit)
            return NULL;
        return g_strdup_printf("%.*s%c%s", (int)(digit - line), line, (char)('1' + (char)zg_random_below(random, 9)),
                               digit + 1);
    }
}

/* Of random changes, those that compare calls harmless are harmless. */
static void test_random_changes(void **state)
{
    struct zg_random random = zg_random_seeded(52, 0);
    const unsigned rounds = test_rounds(TEST_SHARE > 1 ? 120 : 400); /* slow with sanitizers */
    unsigned verdicts[3] = { 0, 0, 0 };
    (void)state;
    for (unsigned round = 0; round < rounds; round++) {
        g_autofree char *text = test_random_definition(&random);
        g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
        unsigned count = g_strv_length(lines), at = 8 + (unsigned)zg_random_below(&random, count - 9);
        char *line = mutated_line(&random, lines[at]);
        struct zg_diagnostics *diagnostics = zg_diagnostics_new("x");
        if (!line) {
            zg_diagnostics_free(diagnostics);
            continue;
        }
        g_free(lines[at]);
        lines[at] = line;
        g_autofree char *changed = g_strjoinv("\n", lines);
        struct zg_definition *definition = zg_definition_parse("x", changed, strlen(changed), diagnostics);
        struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;
        if (plan) {
            struct test_plan old = test_plan_of(text);
            g_autoptr(GPtrArray) changes = zg_compare(old.plan, plan);
            unsigned first;
            enum zg_verdict verdict = zg_compare_verdict(changes, &first);
            g_autofree char *what = told(changes, verdict, first);
            g_autofree char *title = g_strdup_printf("%s\n%s%s", line, what, text);
            verdicts[verdict]++;
            if (verdict != ZG_BREAKING) {
                if (!(first & ZG_SIDE_HOST) && lost_between(&random, old.plan, plan, ZG_SIDE_DEVICE, FEW) > 0)
                    fail_msg("a new device is not understood: %s", title);
                if (!(first & ZG_SIDE_DEVICE) && lost_between(&random, old.plan, plan, ZG_SIDE_HOST, FEW) > 0)
                    fail_msg("a new host is not understood: %s", title);
            }
            test_plan_clear(&old);
        }
        zg_plan_free(plan);
        zg_definition_free(definition);
        zg_diagnostics_free(diagnostics);
    }
    assert_true(verdicts[ZG_BREAKING] > rounds / 60);
    assert_true(rounds < 400 || (verdicts[ZG_SAME] > 1 && verdicts[ZG_COMPATIBLE] > 0));
}

/* Another check of the same size changes every frame, whatever the two are. */
static void test_checks(void **state)
{
    static const char *const names[] = { "sum8", "sum8/negated", "sum8/inverted", "xor8", "crc8/smbus" };
    struct test_plan plans[G_N_ELEMENTS(names)];
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++) {
        g_autofree char *text =
            g_strdup_printf("zeugma: 1\nprotocol: p\nversion: 1.0\n"
                            "frame: { framing: cobs, header: [id: u8], check: %s, max_payload: 9 }\n"
                            "messages: { m: { id: 1, from: device, fields: { n: u8 } } }\n",
                            names[i]);
        plans[i] = test_plan_of(text);
    }
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++)
        for (unsigned k = 0; k < G_N_ELEMENTS(names); k++) {
            unsigned first;
            g_autoptr(GPtrArray) changes = zg_compare(plans[i].plan, plans[k].plan);
            assert_int_equal(zg_compare_verdict(changes, &first), i == k ? ZG_SAME : ZG_BREAKING);
        }
    for (unsigned i = 0; i < G_N_ELEMENTS(names); i++)
        test_plan_clear(&plans[i]);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_changes), cmocka_unit_test(test_random_changes),
                                        cmocka_unit_test(test_checks) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
