/* SPDX-License-Identifier: MIT */
#include "support.h"

#include <fcntl.h>
#include <glib/gstdio.h>
#include <math.h>
#include <stdlib.h>
#include <string.h>
#include <termios.h>
#include <unistd.h>

static struct test_plan plan_of(const char *file, const char *text)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new(file);
    struct test_plan plan = { zg_definition_parse(file, text, strlen(text), diagnostics), NULL };

    if (plan.definition)
        plan.plan = zg_plan_new(plan.definition, diagnostics);
    for (unsigned i = 0; !plan.plan && i < zg_diagnostics_count(diagnostics); i++) {
        g_autofree char *line = zg_diagnostics_line(diagnostics, i);
        print_error("%s\n", line);
    }
    if (!plan.plan)
        print_error("%s\n", text);
    assert_non_null(plan.plan);
    zg_diagnostics_free(diagnostics);
    return plan;
}

struct test_plan test_plan_of(const char *text)
{
    return plan_of("test.yaml", text);
}

struct test_plan test_plan_load(const char *name)
{
    g_autofree char *text = test_data(name);
    return plan_of(name, text);
}

void test_plan_clear(struct test_plan *plan)
{
    zg_plan_free(plan->plan);
    zg_definition_free(plan->definition);
}

unsigned test_rounds(unsigned usual)
{
    const char *times = g_getenv("ZEUGMA_TEST_ROUNDS");
    guint64 factor = 1;

    if (times && !g_ascii_string_to_unsigned(times, 10, 1, 10000, &factor, NULL))
        fail_msg("ZEUGMA_TEST_ROUNDS is %s", times);
    return MAX(usual * (unsigned)factor / TEST_SHARE, 1U);
}

const char test_small_definition[] =
    "zeugma: 1\nprotocol: small\nversion: 2.0\n"
    "frame: { framing: cobs, header: [version: u3, id: u5, sequence: u8], check: crc16/xmodem, max_payload: 64 }\n"
    "messages:\n  data: { id: 1, from: both, fields: { value: u64 } }\n  tiny: { id: 2, from: both, fields: { value: "
    "u8 } }\n";

uint32_t test_clock_us;

static uint32_t now_us(void *context)
{
    (void)context;
    return test_clock_us;
}

static void start_transmit(void *context)
{
    (void)context;
}

const struct zg_port test_port = { .now_us = now_us, .start_transmit = start_transmit };

static int add_number(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    uint32_t number;

    (void)frame;
    assert_true(length >= sizeof number);
    memcpy(&number, payload, sizeof number);
    g_array_append_val((GArray *)data, number);
    return 0;
}

const struct zg_node_calls test_numbering = { .deliver = add_number };

char *test_data(const char *name)
{
    g_autofree char *path = g_build_filename(TEST_DATA, name, NULL);
    char *text = NULL;
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    return text;
}

/* Every leaf of a message as text, "path=value;": printed here from the interpreter's values, and by glue from the C
 * structs. */
static void dump_item(GString *text, const struct zg_step *step, const struct zg_value *value, const char *path);

static void dump_block(GString *text, const struct zg_block *block, const struct zg_value *values, const char *before)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_autofree char *path = g_strconcat(before, step->code, NULL);
        if (values[i].absent) {
            g_string_append_printf(text, "%s is absent;", path);
            continue;
        }
        if (step->type.kind == ZG_KIND_TEXT || step->type.kind == ZG_KIND_BYTES) {
            g_string_append_printf(text, "%s=", path);
            unsigned shown =
                step->type.kind == ZG_KIND_BYTES || step->type.extent != ZG_EXTENT_FIXED ? values[i].count : step->most;
            for (unsigned k = 0; k < shown; k++)
                g_string_append_printf(text, "%02x", k < values[i].count ? values[i].bytes[k] : 0);
            g_string_append_c(text, ';');
        } else if (step->type.extent == ZG_EXTENT_ONE) {
            dump_item(text, step, &values[i], path);
        }
        for (unsigned k = 0; step->type.extent != ZG_EXTENT_ONE && values[i].items && k < values[i].count; k++) {
            g_autofree char *inner = g_strdup_printf("%s[%u]", path, k);
            dump_item(text, step, &values[i].items[k], inner);
        }
    }
}

static void dump_item(GString *text, const struct zg_step *step, const struct zg_value *value, const char *path)
{
    g_autofree char *inner = g_strconcat(path, ".", NULL);

    if (step->record) {
        dump_block(text, step->record, value->items, inner);
        return;
    }
    g_string_append_printf(text, "%s=", path);
    if (step->type.kind == ZG_KIND_FLOAT && isnan(value->raw.f))
        g_string_append(text, "nan");
    else if (step->type.kind == ZG_KIND_FLOAT)
        g_string_append_printf(text, "%.17g", value->raw.f);
    else if (step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED)
        g_string_append_printf(text, "%" G_GINT64_FORMAT, value->raw.i);
    else
        g_string_append_printf(text, "%" G_GUINT64_FORMAT, value->raw.u);
    if (step->field->scaled)
        g_string_append_printf(text, " %.17g", zg_step_physical(step, value->raw));
    g_string_append_c(text, ';');
}

void test_dump(GString *text, const struct zg_block *block, const struct zg_value *values)
{
    dump_block(text, block, values, "");
}

void test_remove_folder(const char *folder)
{
    g_autoptr(GDir) directory = g_dir_open(folder, 0, NULL);
    for (const char *name; (name = g_dir_read_name(directory));) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        if (g_file_test(path, G_FILE_TEST_IS_DIR))
            test_remove_folder(path);
        else
            (void)g_remove(path);
    }
    (void)g_rmdir(folder);
}

int test_open_pty(char **path)
{
    int own = posix_openpt(O_RDWR | O_NOCTTY);
    assert_true(own >= 0 && grantpt(own) == 0 && unlockpt(own) == 0);
    *path = g_strdup(ptsname(own));
    int other = open(*path, O_RDWR | O_NOCTTY); /* raw, so that every byte arrives as it is */
    struct termios settings;
    assert_int_equal(tcgetattr(other, &settings), 0);
    cfmakeraw(&settings);
    assert_int_equal(tcsetattr(other, TCSANOW, &settings), 0);
    close(other);
    return own;
}
