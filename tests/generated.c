/* SPDX-License-Identifier: MIT */
#include "generated.h"

#include <dlfcn.h>
#include <stdlib.h>
#include <string.h>

#include "generate/generate.h"

static void glue_leaf(GString *code, const struct zg_step *step, const char *owner)
{
    bool array = step->type.extent != ZG_EXTENT_ONE;
    const char *at = array ? "[i]" : "";

    if (step->record) {
        g_string_append_printf(code, "        dump_%s(&m->%s%s, path);\n", step->record->name, step->code, at);
        return;
    }
    if (step->type.kind == ZG_KIND_FLOAT)
        g_string_append_printf(
            code, "        add(m->%s%s != m->%s%s ? \"%%s=nan\" : \"%%s=%%.17g\", path, (double)m->%s%s);\n",
            step->code, at, step->code, at, step->code, at);
    else if (step->type.kind == ZG_KIND_SIGNED || step->type.kind == ZG_KIND_LEB_SIGNED)
        g_string_append_printf(code, "        add(\"%%s=%%lld\", path, (long long)m->%s%s);\n", step->code, at);
    else
        g_string_append_printf(code, "        add(\"%%s=%%llu\", path, (unsigned long long)m->%s%s);\n", step->code,
                               at);
    g_autofree char *suffix = zg_field_suffix(step->field);
    if (step->field->scaled)
        g_string_append_printf(code,
                               "        { struct PREFIX_%s o = *m; double v = PREFIX_%s_%s_%s(m%s); o.%s%s = 0;\n"
                               "          if (PREFIX_%s_set_%s_%s(&o%s, v) != 0 || (%d && PREFIX_%s_%s_%s(&o%s) != v)) "
                               "add(\"not set back\");\n"
                               "          add(\" %%.17g\", v); }\n",
                               owner, owner, step->code, suffix, array ? ", i" : "", step->code, at, owner, step->code,
                               suffix, array ? ", i" : "", step->exact, owner, step->code, suffix, array ? ", i" : "");
    g_string_append(code, "        add(\";\");\n");
}

/* A function that prints a struct as dump_block() prints values. */
static void glue_dump(GString *code, const struct zg_block *block)
{
    g_string_append_printf(code,
                           "static void dump_%s(const struct PREFIX_%s *m, const char *before)\n{\n    char "
                           "path[500];\n    unsigned i = 0;\n"
                           "    (void)m; (void)before; (void)path; (void)i;\n",
                           block->name, block->name);
    for (unsigned k = 0; k < block->steps->len; k++) {
        const struct zg_step *step = zg_block_step(block, k);
        bool counted = step->type.extent == ZG_EXTENT_COUNTED || step->type.extent == ZG_EXTENT_REST;
        g_autofree char *count =
            counted ? g_strdup_printf("m->%s_count", step->code) : g_strdup_printf("%u", step->most);
        if (step->field->optional)
            g_string_append_printf(code,
                                   "    if (!m->has_%s) {\n        add(\"%%s%s is absent;\", before);\n    } else {\n",
                                   step->code, step->code);
        if (step->type.kind == ZG_KIND_TEXT || step->type.kind == ZG_KIND_BYTES) {
            g_string_append_printf(code,
                                   "    add(\"%%s%s=\", before);\n    for (i = 0; i < %s; i++)\n        add(\"%%02x\", "
                                   "(unsigned char)m->%s[i]);\n"
                                   "    add(\";\");\n",
                                   step->code, count, step->code);
        } else if (step->type.extent == ZG_EXTENT_ONE) {
            g_string_append_printf(code, "    {\n        sprintf(path, \"%%s%s%s\", before);\n", step->code,
                                   step->record ? "." : "");
            glue_leaf(code, step, block->name);
            g_string_append(code, "    }\n");
        } else {
            g_string_append_printf(
                code, "    for (i = 0; i < %s; i++) {\n        sprintf(path, \"%%s%s[%%u]%s\", before, i);\n", count,
                step->code, step->record ? "." : "");
            glue_leaf(code, step, block->name);
            g_string_append(code, "    }\n");
        }
        if (step->field->optional)
            g_string_append(code, "    }\n");
    }
    g_string_append(code, "}\n");
}

/* Unpacks, prints, checks and packs again. */
static void print_glue(GString *code, const struct zg_block *block)
{
    const char *name = block->name;

    glue_dump(code, block);
    g_string_append_printf(
        code,
        "int glue_%s(const uint8_t *in, size_t length, char *text, int *check, uint8_t *out, size_t room, size_t "
        "*size,\n"
        "            int *packed)\n{\n    static struct PREFIX_%s m;\n    memset(&m, 0x55, sizeof m);\n"
        "    size_t ignored = 0;\n    int error = PREFIX_%s_unpack(&m, in, length, &ignored);\n    at = text;\n"
        "    *at = 0;\n    if (error != 0)\n        return error;\n    dump_%s(&m, \"\");\n    *check = "
        "PREFIX_%s_check(&m);\n"
        "    *packed = PREFIX_%s_pack(&m, out, room, size);\n    return (int)ignored;\n}\n",
        name, name, name, name, name, name);
}

static char *runtime_folder;

static void remove_runtime(void)
{
    test_remove_folder(runtime_folder);
    g_free(runtime_folder);
}

const char *test_runtime(void)
{
    static char *archive;

    if (archive)
        return archive;
    runtime_folder = g_dir_make_tmp("zeugma-runtime-XXXXXX", NULL);
    archive = g_build_filename(runtime_folder, "runtime.a", NULL);
    (void)atexit(remove_runtime);
    g_autofree char *command = g_strdup_printf(
        "cd %s && " TEST_CC " -std=c11 " TEST_OPTIMIZE " -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -fPIC "
        "-I" TEST_SOURCE "/include -I" TEST_SOURCE "/runtime -c " TEST_SOURCE "/runtime/*.c && ar rc runtime.a *.o",
        runtime_folder);
    assert_int_equal(system(command), 0);
    return archive;
}

void test_write_c(const struct zg_plan *plan, const char *folder)
{
    const char *name = plan->definition->protocol;
    g_autoptr(GPtrArray) files = zg_generate_c(plan, ZG_SIDE_BOTH);
    g_autoptr(GString) glue = g_string_new(NULL);
    g_autofree char *path = g_build_filename(folder, "glue.c", NULL);

    g_string_append_printf(glue,
                           "#include \"%s_frame.h\"\n#include <stdarg.h>\n#include <stdio.h>\n#include <string.h>\n"
                           "static char *at;\nstatic void add(const char *format, ...)\n{\n    va_list list;\n"
                           "    va_start(list, format);\n    at += vsprintf(at, format, list);\n    va_end(list);\n}\n"
                           "const struct zg_check *const glue_check = &PREFIX_check;\n"
                           "void glue_write_header(void *owner, const struct zg_header *header, uint8_t *out)\n"
                           "{\n    (void)owner;\n    PREFIX_write_header(header, out);\n}\n"
                           "int glue_admit(void *owner, const uint8_t *in, size_t length, struct zg_header *header)\n"
                           "{\n    (void)owner;\n    return PREFIX_admit(in, length, header);\n}\n",
                           name);
    assert_true(zg_generated_write(files, folder, false, NULL));
    for (unsigned i = 0; i < plan->records->len; i++)
        glue_dump(glue, g_ptr_array_index(plan->records, i));
    for (unsigned i = 0; i < plan->messages->len; i++)
        print_glue(glue, &zg_plan_message_at(plan, i)->payload);
    for (unsigned i = 0; i < plan->variables->len; i++)
        print_glue(glue, &zg_plan_variable_at(plan, i)->block);
    g_auto(GStrv) parts = g_strsplit(glue->str, "PREFIX", -1);
    g_autofree char *code = g_strjoinv(name, parts);
    assert_true(g_file_set_contents(path, code, -1, NULL));
}

void *test_build_c(const struct zg_plan *plan, const char *folder)
{
    static const char warnings[] =
        "-std=c11 " TEST_OPTIMIZE " -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -c -fPIC -I" TEST_SOURCE
        "/include";
    const char *name = plan->definition->protocol;
    g_autofree char *library = g_build_filename(folder, "glue.so", NULL);

    test_write_c(plan, folder);
    g_autofree char *command = g_strdup_printf(
        "cd %s && for part in %s*.c; do " TEST_CC " %s $part || exit 1; done && " TEST_CC
        " -std=c11 -shared -fPIC -I" TEST_SOURCE "/include glue.c %s.o %s_physical.o %s_text.o %s -o glue.so",
        folder, name, warnings, name, name, name, test_runtime());
    assert_int_equal(system(command), 0);
    void *handle = dlopen(library, RTLD_NOW | RTLD_LOCAL);
    if (!handle)
        fail_msg("%s", dlerror());
    return handle;
}

void *test_symbol(void *handle, const char *prefix, const char *name)
{
    g_autofree char *full = g_strconcat(prefix, name, NULL);
    void *found = dlsym(handle, full);
    assert_non_null(found);
    return found;
}

void test_build_meeting(const struct zg_plan *plan, const char *folder)
{
    g_autofree char *build = g_strdup_printf(
        "cd %s && " TEST_CC " -std=c11 -Wall -Wextra -Werror -I. *.c " TEST_DATA "/generated/meet.c -o meet", folder);
    g_autoptr(GPtrArray) code = zg_generate_c(plan, ZG_SIDE_BOTH), module = zg_generate_python(plan);

    assert_true(zg_generate_bundle(code, NULL));
    assert_true(zg_generated_write(code, folder, false, NULL));
    assert_true(zg_generated_write(module, folder, false, NULL));
    assert_int_equal(system(build), 0);
}
