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

enum { DEFINITIONS = 16, ROUNDS = 400, MOST_FIELDS = 12 };

/* Glue with one signature for every message: raw values in and out, by the names of the fields. */
static void print_glue(GString *text, const struct zg_plan_message *item)
{
    const char *name = item->message->name;
    const struct zg_block *block = &item->payload;

    g_string_append_printf(text,
                           "int glue_pack_%s(const union raw *v, uint8_t *out, size_t room, size_t *size)\n{\n"
                           "    struct random_%s m;\n    (void)v;\n    memset(&m, 0, sizeof m);\n",
                           name, name);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_string_append_printf(text,
                               step->type.kind == ZG_KIND_FLOAT    ? "    m.%s = (float)v[%u].f;\n"
                               : step->type.kind == ZG_KIND_BOOL   ? "    m.%s = v[%u].b;\n"
                               : step->type.kind == ZG_KIND_SIGNED ? "    m.%s = v[%u].i;\n"
                                                                   : "    m.%s = v[%u].u;\n",
                               step->name, i);
    }
    g_string_append_printf(text,
                           "    return random_%s_pack(&m, out, room, size);\n}\n"
                           "int glue_unpack_%s(const uint8_t *in, size_t length, union raw *v, double *physical)\n{\n"
                           "    struct random_%s m;\n    int result = random_%s_unpack(&m, in, length);\n"
                           "    (void)v;\n    (void)physical;\n    if (result < 0)\n        return result;\n",
                           name, name, name, name);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        g_string_append_printf(text,
                               step->type.kind == ZG_KIND_FLOAT    ? "    v[%u].f = m.%s;\n"
                               : step->type.kind == ZG_KIND_BOOL   ? "    v[%u].u = m.%s;\n"
                               : step->type.kind == ZG_KIND_SIGNED ? "    v[%u].i = m.%s;\n"
                                                                   : "    v[%u].u = m.%s;\n",
                               i, step->name);
        if (step->field->scaled)
            g_string_append_printf(
                text,
                "    physical[%u] = random_%s_%s_value(&m);\n"
                "    { struct random_%s o = m; o.%s = 0;\n"
                "      if (random_%s_set_%s_value(&o, physical[%u]) != 0 || o.%s != m.%s) return -100; }\n",
                i, name, step->name, name, step->name, name, step->name, i, step->name, step->name);
    }
    g_string_append(text, "    return result;\n}\n");
}

/* Generates, compiles and loads; the folder is the caller's to remove. */
static void *build(const struct zg_plan *plan, const char *folder)
{
    g_autoptr(GPtrArray) files = zg_generate_c(plan);
    g_autoptr(GString) glue = g_string_new("#include \"random.h\"\n#include <string.h>\n"
                                           "union raw { uint64_t u; int64_t i; bool b; double f; };\n");
    g_autofree char *path = g_build_filename(folder, "glue.c", NULL);
    g_autofree char *library = g_build_filename(folder, "random.so", NULL);

    assert_true(zg_generated_write(files, folder, NULL));
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_glue(glue, zg_plan_message_at(plan, i));
    assert_true(g_file_set_contents(path, glue->str, -1, NULL));
    g_autofree char *command = g_strdup_printf(
        TEST_CC
        " -std=c11 -O1 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -c -fPIC -I" TEST_SOURCE
        "/include %s/random.c -o %s/random.o && " TEST_CC " -std=c11 -Wall -Wextra -Werror -c -fPIC -I" TEST_SOURCE
        "/include %s/random_device.c -o %s/d.o && " TEST_CC " -std=c11 -Wall -Wextra -Werror -c -fPIC -I" TEST_SOURCE
        "/include %s/random_host.c -o %s/h.o && " TEST_CC " -std=c11 -Wall -shared -fPIC -I" TEST_SOURCE
        "/include %s/glue.c %s/random.o " TEST_SOURCE "/runtime/scale.c -o %s",
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

static bool same(const struct zg_step *step, union zg_raw a, union zg_raw b)
{
    if (step->type.kind == ZG_KIND_FLOAT)
        return (isnan(a.f) && isnan(b.f)) || (a.f == b.f && signbit(a.f) == signbit(b.f));
    return step->type.kind == ZG_KIND_BOOL ? a.b == b.b : a.u == b.u;
}

static void check_message(struct zg_random *random, const struct zg_plan_message *item, void *handle)
{
    int (*pack)(const union zg_raw *, uint8_t *, size_t, size_t *);
    int (*unpack)(const uint8_t *, size_t, union zg_raw *, double *);
    const struct zg_block *block = &item->payload;
    union zg_raw in[MOST_FIELDS], out[MOST_FIELDS], interpreted[MOST_FIELDS];
    double physical[MOST_FIELDS];
    uint8_t wanted[128], made[128];
    size_t size;

    *(void **)&pack = symbol(handle, "glue_pack_", item->message->name);
    *(void **)&unpack = symbol(handle, "glue_unpack_", item->message->name);
    for (unsigned round = 0; round < ROUNDS; round++) {
        for (unsigned i = 0; i < block->steps->len; i++)
            in[i] = test_random_raw(random, zg_block_step(block, i));
        memset(made, 0xAA, sizeof made);
        zg_block_pack(block, in, wanted);
        assert_int_equal(pack(in, made, block->size, &size), 0);
        assert_int_equal(size, block->size);
        assert_memory_equal(made, wanted, block->size);
        assert_int_equal(made[block->size], 0xAA);
        if (block->size > 0) {
            made[0] = 0xAA;
            assert_int_equal(pack(in, made, block->size - 1, &size), ZG_EROOM);
            assert_int_equal(made[0], 0xAA);
            assert_int_equal(unpack(wanted, block->size - 1, out, physical), ZG_ESIZE);
        }
        if (round % 2) /* any bytes: unused bits set, values outside their range */
            for (unsigned i = 0; i < block->size; i++)
                wanted[i] = (uint8_t)zg_random_next(random);
        bool permitted = true;
        zg_block_unpack(block, wanted, interpreted);
        for (unsigned i = 0; i < block->steps->len; i++)
            permitted = permitted && zg_step_permits(zg_block_step(block, i), interpreted[i]);
        assert_int_equal(unpack(wanted, block->size + 3U, out, physical), 3);
        for (unsigned i = 0; i < block->steps->len; i++) {
            const struct zg_step *step = zg_block_step(block, i);
            assert_true(same(step, out[i], interpreted[i]));
            if (step->field->scaled)
                assert_true(physical[i] == zg_step_physical(step, interpreted[i]));
        }
        assert_int_equal(pack(out, made, sizeof made, &size), permitted ? 0 : ZG_ERANGE);
    }
}

/* A value one beyond its type is refused, whatever the C type could hold. */
static void check_limits(const struct zg_plan_message *item, void *handle)
{
    int (*pack)(const union zg_raw *, uint8_t *, size_t, size_t *);
    const struct zg_block *block = &item->payload;
    union zg_raw values[MOST_FIELDS];
    uint8_t out[128];
    size_t size;

    *(void **)&pack = symbol(handle, "glue_pack_", item->message->name);
    for (unsigned k = 0; k < block->steps->len; k++) {
        const struct zg_step *step = zg_block_step(block, k);
        if (step->type.bits == 8 || step->type.bits == 16 || step->type.bits == 32 || step->type.bits == 64 ||
            step->type.kind == ZG_KIND_BOOL)
            continue;
        for (unsigned i = 0; i < block->steps->len; i++)
            values[i] = zg_block_step(block, i)->high;
        values[k].u++;
        assert_int_equal(pack(values, out, sizeof out, &size), ZG_ERANGE);
        if (step->type.kind == ZG_KIND_SIGNED) {
            values[k].i = step->low.i - 1;
            assert_int_equal(pack(values, out, sizeof out, &size), ZG_ERANGE);
        }
    }
}

static void remove_folder(const char *folder)
{
    g_autoptr(GDir) directory = g_dir_open(folder, 0, NULL);
    for (const char *name; (name = g_dir_read_name(directory));) {
        g_autofree char *path = g_build_filename(folder, name, NULL);
        (void)g_remove(path);
    }
    (void)g_rmdir(folder);
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
        for (unsigned k = 0; k < plan.plan->messages->len; k++) {
            check_message(&random, zg_plan_message_at(plan.plan, k), handle);
            check_limits(zg_plan_message_at(plan.plan, k), handle);
        }
        dlclose(handle);
        test_plan_clear(&plan);
        remove_folder(folder);
    }
}

/* The same plan prints the same text; what is written again is unchanged; what was not generated is left alone, and
 * then nothing at all is written. */
static void test_writing(void **state)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-generated-XXXXXX", NULL);
    g_autofree char *inner = g_build_filename(folder, "new", NULL);
    g_autofree char *path = g_build_filename(inner, "small.h", NULL);
    g_autofree char *other = g_build_filename(inner, "small_host.c", NULL);
    struct test_plan plan = test_plan_of(test_small_definition);
    g_autoptr(GPtrArray) files = zg_generate_c(plan.plan);
    g_autoptr(GPtrArray) again = zg_generate_c(plan.plan);
    g_autoptr(GError) error = NULL;
    g_autofree char *text = NULL, *kept = NULL;
    (void)state;
    assert_int_equal(files->len, 6);
    for (unsigned i = 0; i < files->len; i++)
        assert_string_equal(((struct zg_generated *)g_ptr_array_index(files, i))->text,
                            ((struct zg_generated *)g_ptr_array_index(again, i))->text);
    assert_true(zg_generated_write(files, inner, NULL));
    assert_true(zg_generated_write(again, inner, NULL));
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    assert_string_equal(text, ((struct zg_generated *)g_ptr_array_index(files, 0))->text);
    assert_true(g_file_set_contents(other, "mine", -1, NULL));
    assert_true(g_file_set_contents(path, "/* Made by zeugma from an older version */", -1, NULL));
    assert_false(zg_generated_write(files, inner, &error));
    assert_non_null(strstr(error->message, "small_host.c exists and was not generated"));
    assert_true(g_file_get_contents(path, &kept, NULL, NULL));
    assert_string_equal(kept, "/* Made by zeugma from an older version */");
    remove_folder(inner);
    assert_int_equal(g_rmdir(folder), 0);
    g_clear_error(&error);
    assert_false(zg_generated_write(files, "/proc/nowhere", &error));
    assert_non_null(strstr(error->message, "cannot make the folder /proc/nowhere"));
    test_plan_clear(&plan);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_random_definitions), cmocka_unit_test(test_writing) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
