/* SPDX-License-Identifier: MIT */
/* The contract of zeugma/detail/specialise.h: ends that share one file, and what must not compile. */
#include "generated.h"

#include <stdlib.h>
#include <string.h>

static char *folder;

static int set_up(void **state)
{
    static const char *const examples[] = { "loom", "carillon", "tide_mast" };
    (void)state;
    folder = g_dir_make_tmp("zeugma-specialise-XXXXXX", NULL);
    for (unsigned i = 0; i < G_N_ELEMENTS(examples); i++) {
        g_autofree char *command =
            g_strdup_printf(TEST_ZEUGMA " generate " TEST_SOURCE "/examples/%s/%s.yaml -o %s >%s/log", examples[i],
                            examples[i], folder, folder);
        assert_int_equal(system(command), 0);
    }
    return 0;
}

static int tear_down(void **state)
{
    (void)state;
    test_remove_folder(folder);
    g_free(folder);
    return 0;
}

static char *text_of(const char *name)
{
    g_autofree char *path = g_build_filename(folder, name, NULL);
    char *text = NULL;
    assert_true(g_file_get_contents(path, &text, NULL, NULL));
    return text;
}

static void write_text(const char *name, const char *text)
{
    g_autofree char *path = g_build_filename(folder, name, NULL);
    assert_true(g_file_set_contents(path, text, -1, NULL));
}

/* The text with one place changed, which must occur exactly once. */
static char *changed(const char *text, const char *from, const char *to)
{
    g_auto(GStrv) parts = g_strsplit(text, from, -1);
    if (g_strv_length(parts) != 2)
        fail_msg("\"%s\" stands there %u times", from, g_strv_length(parts) - 1);
    return g_strjoinv(to, parts);
}

/* Compiles a file of the folder. Returns what the compiler says. */
static char *compile(const char *name, int wanted)
{
    g_autofree char *command =
        g_strdup_printf("cd %s && gcc -std=c11 -Wall -Wextra -Wpedantic -Wconversion -Wshadow -Werror -I" TEST_SOURCE
                        "/include -I. -c %s -o object.o >said 2>&1",
                        folder, name);
    const int status = system(command);
    char *said = text_of("said");
    if ((status != 0) != (wanted != 0))
        fail_msg("%s: status %d\n%s", name, status, said);
    return said;
}

/* All ends of three protocols in one file, in C and in C++. */
static void test_one_file(void **state)
{
    static const char all[] =
        "#include \"loom.c\"\n#include \"loom_text.c\"\n#include \"loom_physical.c\"\n"
        "#include \"loom_device.c\"\n#include \"loom_host.c\"\n"
        "#include \"carillon.c\"\n#include \"carillon_host.c\"\n#include \"carillon_device.c\"\n"
        "#include \"tide_mast.c\"\n#include \"tide_mast_device.c\"\n#include \"tide_mast_host.c\"\n";
    (void)state;
    write_text("all.c", all);
    g_free(compile("all.c", 0));
    g_autofree char *left = g_strconcat(all,
                                        "#if defined(ZGI_NAME) || defined(ZGI_PROTOCOL) || defined(zgi_deliver) || "
                                        "defined(LOOM_WORD) || defined(WORD)\n#error \"left behind\"\n#endif\n",
                                        NULL);
    write_text("left.c", left);
    g_free(compile("left.c", 0));
    g_autofree char *command = g_strdup_printf(
        "cd %s && g++ -fsyntax-only -x c++ -std=c++17 -Wall -Wextra -Werror -I" TEST_SOURCE "/include -I. all.c",
        folder);
    assert_int_equal(system(command), 0);
}

/* Lines that fit a review's page, and no arithmetic without effect. */
static void test_form(void **state)
{
    static const char *const never[] = { " + 0)", " + 0,", " / 1)", " * 1)", " * 1;", "[0 + ", "(uint8_t)((uint8_t)" };
    GDir *files = g_dir_open(folder, 0, NULL);
    unsigned seen = 0;
    (void)state;
    for (const char *name; (name = g_dir_read_name(files));) {
        if (!g_str_has_suffix(name, ".c") && !g_str_has_suffix(name, ".h"))
            continue;
        g_autofree char *text = text_of(name);
        g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
        for (char **line = lines; *line; line++)
            if (strlen(*line) > 100)
                fail_msg("%s: %s", name, *line);
        for (unsigned i = 0; i < G_N_ELEMENTS(never); i++)
            if (strstr(text, never[i]))
                fail_msg("%s has \"%s\"", name, never[i]);
        seen += lines[0] != NULL;
    }
    g_dir_close(files);
    assert_true(seen >= 30);
}

/* What is missing, misspelt or does not fit is reported; so is a runtime of another version. */
static void test_misfits(void **state)
{
    static const struct {
        const char *from, *to, *wanted;
    } cases[] = {
        { "#define ZGI_IN_PLACE 1", "#define ZGI_IN_PLCE 1", "an end must define" },
        { "#define ZGI_CHECKED 1\n", "", "an end must define" },
        { "#define ZGI_END struct loom_device\n", "", "an end must define" },
        { "#define ZGI_MAX_CONTENT 68", "#define ZGI_CONTENT 68", "an end must define ZGI_MAX_CONTENT" },
        { "#define ZGI_FED_AT_ONCE 0", "#define ZGI_FED_AT_ONCE 2", "are 0 or 1" },
        { "#define ZGI_IS_COBS 1", "#define ZGI_IS_COBS 0", "only frames of the framing cobs" },
        { "#define ZGI_MAX_CONTENT 68", "#define ZGI_MAX_CONTENT 254", "only content without a full block" },
        { "#define ZGI_RUNTIME LOOM_RUNTIME", "#define ZGI_RUNTIME 0", "generated for another version of the runtime" },
        { "#include \"zeugma/detail/specialise.h\"",
          "#include \"zeugma/detail/specialise.h\"\n#include \"zeugma/detail/specialise.h\"", "is not closed" },
    };
    g_autofree char *device = text_of("loom_device.c"), *header = text_of("loom_device.h"), *types = text_of("loom.h");
    (void)state;
    for (unsigned i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *text = changed(device, cases[i].from, cases[i].to);
        write_text("misfit.c", text);
        g_autofree char *said = compile("misfit.c", 1);
        if (!strstr(said, cases[i].wanted))
            fail_msg("%s: no \"%s\" in\n%s", cases[i].to, cases[i].wanted, said);
    }
    g_autofree char *moved =
        changed(header, "    struct zg_link link;\n", "    uint8_t first;\n    struct zg_link link;\n");
    write_text("loom_device.h", moved);
    g_autofree char *said = compile("loom_device.c", 1);
    assert_non_null(strstr(said, "an end begins with its struct zg_link link"));
    write_text("loom_device.h", header);
    g_autofree char *older =
        changed(types, "#define LOOM_RUNTIME " G_STRINGIFY(ZG_RUNTIME) " ", "#define LOOM_RUNTIME 0 ");
    write_text("loom.h", older);
    g_autofree char *told = compile("loom.c", 1);
    assert_non_null(strstr(told, "generated for another version of the runtime"));
    write_text("loom.h", types);
    g_free(compile("loom_device.c", 0));
}

/* What works on a link for any protocol does not accept a generated end's; what all links have, does. */
static void test_types(void **state)
{
    (void)state;
    write_text("common.c", "#include \"loom_device.h\"\nuint32_t f(struct loom_device *node);\n"
                           "uint32_t f(struct loom_device *node)\n{\n    return zg_link_counter(&node->link, 0);\n}\n");
    g_free(compile("common.c", 0));
    write_text("generic.c",
               "#include \"loom_device.h\"\n#include \"zeugma/any_link.h\"\nint f(struct loom_device *node);\n"
               "int f(struct loom_device *node)\n{\n    return zg_any_link_send(&node->link, 1, NULL, 0);\n}\n");
    g_autofree char *said = compile("generic.c", 1);
    assert_non_null(strstr(said, "incompatible pointer type"));
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_form), cmocka_unit_test(test_one_file),
                                        cmocka_unit_test(test_misfits), cmocka_unit_test(test_types) };
    return cmocka_run_group_tests(tests, set_up, tear_down);
}
