/* SPDX-License-Identifier: MIT */
/* Generated code and the runtime behave the same with other compilers, and on an emulated big-endian processor. */
#include "generated.h"
#include "random_frames.h"

#include <stdio.h>
#include <string.h>

static const struct {
    const char *compiler;
    const char *run;
} builds[] = { { TEST_CC, "" },
               { "clang -O2", "" },
               { "tcc -DZG_ONE_CORE=1", "" },
               { "powerpc-linux-gnu-gcc -O2 -static", "qemu-ppc" } };

/* Reads lines of a block's number and a payload in hex, or of "f" and a stream; prints what becomes of each. */
static void write_program(const struct zg_plan *plan, const char *folder)
{
    const char *p = plan->definition->protocol;
    g_autoptr(GString) text = g_string_new("#include <stdio.h>\n#include <string.h>\n");
    g_autoptr(GString) table = g_string_new(NULL);
    g_autofree char *path = g_build_filename(folder, "main.c", NULL);

    g_string_append_printf(
        text,
        "#include \"%s_host.h\"\n#include \"%s_device.h\"\ntypedef int glue(const uint8_t *, size_t, "
        "char *, int *, uint8_t *, size_t, size_t *, int *);\n",
        p, p);
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const char *name = zg_plan_message_at(plan, i)->message->name;
        g_string_append_printf(text, "glue glue_%s;\n", name);
        g_string_append_printf(table, "glue_%s, ", name);
    }
    g_string_append_printf(
        text,
        "static glue *const all[] = { %s };\nstatic uint32_t now(void *c)\n{\n    (void)c;\n    return 7;\n}\n"
        "static uint16_t boot(void *c)\n{\n    (void)c;\n    return 3;\n}\n"
        "static const struct zg_port port = { .now_us = now, .boot_number = boot };\n"
        "static struct %s_host host;\nstatic struct %s_device device;\nstatic uint8_t in[70000], out[70000];\n"
        "static char line[200000], told[1000000];\n"
        "static void show(struct zg_link *link)\n{\n    unsigned i;\n    uint8_t byte;\n"
        "    while (zg_link_transmit_isr(link, &byte))\n        printf(\"%%02x\", byte);\n"
        "    for (i = 0; i < ZG_COUNTERS; i++)\n        printf(\" %%lu\", (unsigned long)zg_counters_get("
        "&link->counters, i));\n    printf(\"\\n\");\n}\n"
        "int main(void)\n{\n    char word[8];\n    int skip, check, packed;\n"
        "    if (%s_host_init(&host, &port, NULL, NULL, NULL) || %s_device_init(&device, &port, NULL, NULL, NULL))\n"
        "        return 1;\n"
        "    while (fgets(line, sizeof line, stdin) && sscanf(line, \"%%7s %%n\", word, &skip) == 1) {\n"
        "        size_t n = 0, i, size = 0;\n        unsigned value, number;\n"
        "        for (; sscanf(line + skip + 2 * n, \"%%2x\", &value) == 1; n++)\n            in[n] = (uint8_t)value;\n"
        "        if (word[0] == 'f') {\n            for (i = 0; i < n; i++) {\n"
        "                zg_link_receive_isr(&host.link, in[i], 0);\n"
        "                zg_link_receive_isr(&device.link, in[i], 0);\n"
        "                if (i %% 50 == 49 || i + 1 == n) {\n                    %s_host_poll(&host);\n"
        "                    %s_device_poll(&device);\n                }\n            }\n"
        "            show(&host.link);\n            show(&device.link);\n            continue;\n        }\n"
        "        sscanf(word, \"%%u\", &number);\n        told[0] = 0;\n        check = packed = 0;\n"
        "        printf(\"%%d \", all[number](in, n, told, &check, out, sizeof out, &size, &packed));\n"
        "        printf(\"%%d %%d %%s \", check, packed, told);\n"
        "        for (i = 0; i < size; i++)\n            printf(\"%%02x\", out[i]);\n        printf(\"\\n\");\n    }\n"
        "    return 0;\n}\n",
        table->str, p, p, p, p, p, p);
    assert_true(g_file_set_contents(path, text->str, -1, NULL));
}

static void append_line(GString *lines, const char *word, const uint8_t *bytes, size_t length)
{
    g_string_append_printf(lines, "%s ", word);
    for (size_t i = 0; i < length; i++)
        g_string_append_printf(lines, "%02x", bytes[i]);
    g_string_append_c(lines, '\n');
}

static unsigned write_input(const struct zg_plan *plan, const char *path)
{
    struct zg_random random = zg_random_seeded(27, 0);
    g_autoptr(GString) lines = g_string_new(NULL);
    unsigned count = 0;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_block *block = &zg_plan_message_at(plan, i)->payload;
        g_autofree char *word = g_strdup_printf("%u", i);
        for (unsigned round = 0; round < 40; round++, count++) {
            struct zg_value *values = zg_values_new(block);
            uint8_t bytes[1024];
            test_random_values(&random, block, values);
            const size_t size = zg_block_size(block, values);
            assert_true(size <= sizeof bytes);
            zg_block_pack(block, values, bytes);
            if (round % 4 == 3 && size > 0)
                bytes[zg_random_below(&random, size)] ^= (uint8_t)(1U << zg_random_below(&random, 8));
            append_line(lines, word, bytes, size - (round % 8 == 5 && size > 0));
            zg_values_free(block, values);
        }
    }
    for (unsigned i = 0; i < 60; i++, count++) {
        g_autoptr(GByteArray) frames = test_random_frames(&random, plan, 3);
        if (i % 3 == 2)
            frames->data[zg_random_below(&random, frames->len)] ^= 4;
        append_line(lines, "f", frames->data, frames->len);
    }
    assert_true(g_file_set_contents(path, lines->str, -1, NULL));
    return count;
}

static void compare(const char *file, unsigned least)
{
    g_autofree char *folder = g_dir_make_tmp("zeugma-compilers-XXXXXX", NULL);
    g_autofree char *input = g_build_filename(folder, "input", NULL),
                    *output = g_build_filename(folder, "output", NULL);
    g_autofree char *wanted = NULL;
    struct test_plan plan = test_plan_load(file);

    test_write_c(plan.plan, folder);
    write_program(plan.plan, folder);
    assert_true(write_input(plan.plan, input) >= least);
    for (size_t i = 0; i < G_N_ELEMENTS(builds); i++) {
        g_autofree char *command = g_strdup_printf("cd %s && %s -std=c11 -I" TEST_SOURCE "/include -I. *.c " TEST_SOURCE
                                                   "/runtime/*.c -o program && %s ./program < input > output",
                                                   folder, builds[i].compiler, builds[i].run);
        g_autofree char *told = NULL;
        if (system(command) != 0 || !g_file_get_contents(output, &told, NULL, NULL))
            fail_msg("%s", command);
        if (!wanted)
            wanted = g_steal_pointer(&told);
        else if (strcmp(told, wanted) != 0)
            fail_msg("%s gives another output for %s", builds[i].compiler, file);
    }
    assert_true(strlen(wanted) > 100U * least);
    test_remove_folder(folder);
    test_plan_clear(&plan);
}

static void test_same_everywhere(void **state)
{
    (void)state;
    compare("codec/fields.yaml", 600);
    compare("definitions/sound.yaml", 100);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_same_everywhere) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
