/* SPDX-License-Identifier: MIT */
/* Generated C, compiled and loaded, held against the interpreter: random definitions, random values, extremes included.
 */
#include "support.h"

#include <dlfcn.h>
#include <glib/gstdio.h>
#include <math.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "codec/payload.h"
#include "generate/generate.h"
#include "zeugma/error.h"
#include "zeugma/link.h"

enum { DEFINITIONS = 24, ROUNDS = 60 };

static void glue_leaf(GString *code, const struct zg_step *step, const char *owner)
{
    bool array = step->type.extent != ZG_EXTENT_ONE;
    const char *at = array ? "[i]" : "";

    if (step->record) {
        g_string_append_printf(code, "        dump_%s(&m->%s%s, path);\n", step->record->name, step->name, at);
        return;
    }
    if (step->type.kind == ZG_KIND_FLOAT)
        g_string_append_printf(
            code, "        add(m->%s%s != m->%s%s ? \"%%s=nan\" : \"%%s=%%.17g\", path, (double)m->%s%s);\n",
            step->name, at, step->name, at, step->name, at);
    else if (step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED)
        g_string_append_printf(code, "        add(\"%%s=%%lld\", path, (long long)m->%s%s);\n", step->name, at);
    else
        g_string_append_printf(code, "        add(\"%%s=%%llu\", path, (unsigned long long)m->%s%s);\n", step->name,
                               at);
    if (step->field->scaled)
        g_string_append_printf(
            code,
            "        { struct random_%s o = *m; double v = random_%s_%s_value(m%s); o.%s%s = 0;\n"
            "          if (random_%s_set_%s_value(&o%s, v) != 0 || o.%s%s != m->%s%s) add(\"not set back\");\n"
            "          add(\" %%.17g\", v); }\n",
            owner, owner, step->name, array ? ", i" : "", step->name, at, owner, step->name, array ? ", i" : "",
            step->name, at, step->name, at);
    g_string_append(code, "        add(\";\");\n");
}

/* A function that prints a struct as dump_block() prints values. */
static void glue_dump(GString *code, const struct zg_block *block)
{
    g_string_append_printf(code,
                           "static void dump_%s(const struct random_%s *m, const char *before)\n{\n    char "
                           "path[500];\n    unsigned i = 0;\n"
                           "    (void)m; (void)before; (void)path; (void)i;\n",
                           block->name, block->name);
    for (unsigned k = 0; k < block->steps->len; k++) {
        const struct zg_step *step = zg_block_step(block, k);
        bool counted = step->type.extent == ZG_EXTENT_COUNTED || step->type.extent == ZG_EXTENT_REST;
        g_autofree char *count =
            counted ? g_strdup_printf("m->%s_count", step->name) : g_strdup_printf("%u", step->most);
        if (step->type.kind == ZG_KIND_TEXT || step->type.kind == ZG_KIND_BYTES) {
            g_string_append_printf(code,
                                   "    add(\"%%s%s=\", before);\n    for (i = 0; i < %s; i++)\n        add(\"%%02x\", "
                                   "(unsigned char)m->%s[i]);\n"
                                   "    add(\";\");\n",
                                   step->name, count, step->name);
        } else if (step->type.extent == ZG_EXTENT_ONE) {
            g_string_append_printf(code, "    {\n        sprintf(path, \"%%s%s%s\", before);\n", step->name,
                                   step->record ? "." : "");
            glue_leaf(code, step, block->name);
            g_string_append(code, "    }\n");
        } else {
            g_string_append_printf(
                code, "    for (i = 0; i < %s; i++) {\n        sprintf(path, \"%%s%s[%%u]%s\", before, i);\n", count,
                step->name, step->record ? "." : "");
            glue_leaf(code, step, block->name);
            g_string_append(code, "    }\n");
        }
    }
    g_string_append(code, "}\n");
}

/* Unpacks, prints, checks and packs again. */
static void print_glue(GString *code, const struct zg_plan_message *item)
{
    const char *name = item->message->name;

    glue_dump(code, &item->payload);
    g_string_append_printf(
        code,
        "int glue_%s(const uint8_t *in, size_t length, char *text, int *check, uint8_t *out, size_t room, size_t "
        "*size,\n"
        "            int *packed)\n{\n    static struct random_%s m;\n    memset(&m, 0x55, sizeof m);\n"
        "    int result = random_%s_unpack(&m, in, length);\n    at = text;\n    *at = 0;\n"
        "    if (result < 0)\n        return result;\n    dump_%s(&m, \"\");\n    *check = random_%s_check(&m);\n"
        "    *packed = random_%s_pack(&m, out, room, size);\n    return result;\n}\n",
        name, name, name, name, name, name);
}

/* Headers: written by the generated code and read back, beside the interpreter; then with every bit flipped in turn. */
static void check_header(struct zg_random *random, const struct zg_plan *plan, void *handle)
{
    void (*write_header)(void *, const struct zg_header *, uint8_t *);
    int (*admit)(void *, const uint8_t *, size_t, struct zg_header *);
    uint8_t made[ZG_HEADER_MAX], wanted[ZG_HEADER_MAX];

    *(void **)&write_header = dlsym(handle, "random_write_header");
    *(void **)&admit = dlsym(handle, "random_admit");
    for (unsigned round = 0; round < 200; round++) {
        const size_t payload = (size_t)zg_random_below(random, plan->max_payload + 1);
        const size_t length = plan->header.size + payload + plan->check.size;
        struct zg_header header = { .version = plan->version,
                                    .id = (uint32_t)zg_random_next(random),
                                    .sequence = (uint32_t)zg_random_next(random),
                                    .minor = plan->minor,
                                    .length = (uint32_t)payload };
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

/* Generates, compiles and loads; the folder is the caller's to remove. */
static void *build(const struct zg_plan *plan, const char *folder)
{
    g_autoptr(GPtrArray) files = zg_generate_c(plan);
    g_autoptr(GString) glue =
        g_string_new("#include \"random.h\"\n#include <stdarg.h>\n#include <stdio.h>\n#include <string.h>\n"
                     "static char *at;\nstatic void add(const char *format, ...)\n{\n    va_list list;\n"
                     "    va_start(list, format);\n    at += vsprintf(at, format, list);\n    va_end(list);\n}\n");
    g_autofree char *path = g_build_filename(folder, "glue.c", NULL);
    g_autofree char *library = g_build_filename(folder, "random.so", NULL);

    assert_true(zg_generated_write(files, folder, false, NULL));
    for (unsigned i = 0; i < plan->records->len; i++)
        glue_dump(glue, g_ptr_array_index(plan->records, i));
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_glue(glue, zg_plan_message_at(plan, i));
    assert_true(g_file_set_contents(path, glue->str, -1, NULL));
    g_autofree char *command = g_strdup_printf(
        TEST_CC
        " -std=c11 -O1 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -c -fPIC -I" TEST_SOURCE
        "/include %s/random.c -o %s/random.o && " TEST_CC " -std=c11 -Wall -Wextra -Werror -c -fPIC -I" TEST_SOURCE
        "/include %s/random_device.c -o %s/d.o && " TEST_CC " -std=c11 -Wall -Wextra -Werror -c -fPIC -I" TEST_SOURCE
        "/include %s/random_host.c -o %s/h.o && " TEST_CC " -std=c11 -shared -fPIC -I" TEST_SOURCE
        "/include %s/glue.c %s/random.o " TEST_SOURCE "/runtime/scale.c " TEST_SOURCE "/runtime/leb.c " TEST_SOURCE
        "/runtime/bits.c -o %s",
        folder, folder, folder, folder, folder, folder, folder, folder, library);
    assert_int_equal(system(command), 0);
    void *handle = dlopen(library, RTLD_NOW | RTLD_LOCAL);
    if (!handle)
        fail_msg("%s", dlerror());
    return handle;
}

static void *symbol(void *handle, const char *prefix, const char *name)
{
    g_autofree char *full = g_strconcat(prefix, name, NULL);
    void *found = dlsym(handle, full);
    assert_non_null(found);
    return found;
}

typedef int glue_function(const uint8_t *in, size_t length, char *text, int *check, uint8_t *out, size_t room,
                          size_t *size, int *packed);

enum { MOST_PAYLOAD = 60000, MOST_TEXT = 4000000 };

static bool has_text(const struct zg_block *block)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->type.kind == ZG_KIND_TEXT || (step->record && has_text(step->record)))
            return true;
    }
    return false;
}

/* Whether a fixed text has a zero before its end: a C string ends there. */
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

/* Bytes, whatever they are: both read the same values from them or both refuse them, and write the same again. */
static void compare(const struct zg_plan_message *item, glue_function *glue, const uint8_t *bytes, size_t length,
                    bool must_be_good)
{
    static uint8_t out[MOST_PAYLOAD + 16], wanted[MOST_PAYLOAD + 16];
    static char text[MOST_TEXT];
    const struct zg_block *block = &item->payload;
    struct zg_value *values = zg_values_new(block);
    size_t ignored, size = 0;
    int check = 0, packed = 0;
    bool good = zg_block_unpack(block, bytes, length, values, &ignored);
    int result = glue(bytes, length, text, &check, out, sizeof out, &size, &packed);

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
            assert_int_equal(size, zg_block_size(block, values));
            zg_block_pack(block, values, wanted);
            assert_memory_equal(out, wanted, size);
            memset(out, 0xAA, size + 1);
            (void)glue(bytes, length, text, &check, out, size - (size > 0), &size, &packed);
            assert_int_equal(packed, size > 0 ? ZG_EROOM : 0);
            assert_int_equal(out[0], 0xAA);
        }
    }
    zg_values_free(block, values);
}

static void check_message(struct zg_random *random, const struct zg_plan_message *item, void *handle)
{
    static uint8_t bytes[MOST_PAYLOAD + 64];
    const struct zg_block *block = &item->payload;
    glue_function *glue;

    *(void **)&glue = symbol(handle, "glue_", item->message->name);
    for (unsigned round = 0; round < ROUNDS; round++) {
        struct zg_value *values = zg_values_new(block);
        test_random_values(random, block, values);
        size_t length = zg_block_size(block, values);
        assert_true(length <= block->most_size && length >= block->size);
        zg_block_pack(block, values, bytes);
        compare(item, glue, bytes, length, true);
        for (size_t cut = length > 40 ? length - 40 : 0; cut < length && round < 20; cut++)
            compare(item, glue, bytes, cut, false); /* older senders, and frames cut short */
        for (unsigned i = 0; i < 64; i++)
            bytes[length + i] = (uint8_t)zg_random_next(random);
        for (size_t i = 0; i < MIN(length, 64) && round < 20; i++) { /* counts one too large, among others */
            bytes[i]++;
            compare(item, glue, bytes, length + zg_random_below(random, 65), false);
            bytes[i]--;
        }
        compare(item, glue, bytes, length + zg_random_below(random, 9), false);
        for (unsigned i = 0; i < 4 && length > 0; i++)
            bytes[zg_random_below(random, length)] = (uint8_t)zg_random_next(random);
        compare(item, glue, bytes, length, false);
        zg_values_free(block, values);
    }
}

static void test_random_definitions(void **state)
{
    struct zg_random random = zg_random_seeded(9, 0);
    (void)state;
    for (unsigned i = 0; i < DEFINITIONS; i++) {
        g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
        g_autofree char *text = test_random_definition(&random);
        struct test_plan plan = test_plan_of(text);
        void *handle = build(plan.plan, folder);
        check_header(&random, plan.plan, handle);
        for (unsigned k = 0; k < plan.plan->messages->len; k++)
            check_message(&random, zg_plan_message_at(plan.plan, k), handle);
        dlclose(handle);
        test_plan_clear(&plan);
        test_remove_folder(folder);
    }
}

static char *text_of(const char *path)
{
    char *text = NULL;
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    return text;
}

/* The same plan prints the same text; what is written again is unchanged; what was not generated, or was edited, is
 * left alone, and then nothing at all is written. */
static void test_writing(void **state)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
    g_autofree char *inner = g_build_filename(folder, "new", NULL);
    g_autofree char *first = g_build_filename(inner, "small.h", NULL);
    g_autofree char *last = g_build_filename(inner, "small_host.c", NULL);
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan);
    g_autoptr(GPtrArray) again = zg_generate_c(plan.plan);
    g_autoptr(GError) error = NULL;
    (void)state;
    assert_int_equal(files->len, 6);
    for (unsigned i = 0; i < files->len; i++)
        assert_string_equal(((struct zg_generated *)g_ptr_array_index(files, i))->text,
                            ((struct zg_generated *)g_ptr_array_index(again, i))->text);
    assert_true(zg_generated_write(files, inner, false, NULL));
    assert_true(zg_generated_write(again, inner, false, NULL));
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

/* Whichever file cannot be written, none is, and nothing is left beside them. */
static void test_each_file_failing(void **state)
{
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan);
    (void)state;
    for (unsigned i = 0; i < files->len; i++) {
        g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
        const struct zg_generated *file = g_ptr_array_index(files, i);
        g_autofree char *beside = g_strconcat(folder, "/", file->name, ".new", NULL);
        g_autofree char *blocker = g_build_filename(beside, "in the way", NULL);
        g_autoptr(GError) error = NULL;
        unsigned left = 0;
        assert_int_equal(g_mkdir(beside, 0777), 0); /* where the new file would be written first */
        assert_true(g_file_set_contents(blocker, "", -1, NULL));
        assert_false(zg_generated_write(files, folder, false, &error));
        assert_non_null(strstr(error->message, file->name));
        g_autoptr(GDir) directory = g_dir_open(folder, 0, NULL);
        while (g_dir_read_name(directory))
            left++;
        assert_int_equal(left, 1); /* the folder in the way */
        test_remove_folder(folder);
    }
    test_plan_clear(&plan);
}

/* A bundle compiles by itself, and holds what its messages need and no more. */
static void test_bundle(void **state)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-bundle-XXXXXX", NULL);
    g_autofree char *command =
        g_strdup_printf("cd %s && " TEST_CC " -std=c11 -Wall -Wextra -Wpedantic -Wconversion -Werror -c *.c", folder);
    g_autofree char *leb = g_build_filename(folder, "leb.c", NULL), *link = g_build_filename(folder, "link.c", NULL);
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan);
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
    g_autofree char *text = g_strjoin("protocol: link", parts[0], parts[1], NULL);
    struct test_plan clash = test_plan_of(text);
    g_autoptr(GPtrArray) clashing = zg_generate_c(clash.plan);
    assert_false(zg_generate_bundle(clashing, &error));
    assert_non_null(strstr(error->message, "link.c is the name of a runtime file, too"));
    test_plan_clear(&clash);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_random_definitions), cmocka_unit_test(test_writing),
                                        cmocka_unit_test(test_each_file_failing), cmocka_unit_test(test_bundle) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
