/* SPDX-License-Identifier: MIT */
/* The JSON Schema and the loader, compared on sound definitions, and on each of them with one thing changed. */
#include "random_definition.h"
#include "support.h"

#include <string.h>

#include "generate/generate.h"

/* Prints each definition, and each with a key missing, misspelt or with a wrong value, with the schema's verdict. */
static const char changer[] =
    "import sys, json, copy, yaml, jsonschema\n"
    "schema = json.load(open(sys.argv[1]))\n"
    "jsonschema.Draft7Validator.check_schema(schema)\n"
    "validator = jsonschema.Draft7Validator(schema)\n"
    "import re\n"
    "for c in 'yYnNoO': yaml.SafeLoader.yaml_implicit_resolvers.pop(c) # as YAML 1.2 has it: only true and false\n"
    "def strings(v):\n"
    "    if isinstance(v, dict): return {str(k): strings(x) for k, x in v.items()}\n"
    "    return [strings(x) for x in v] if isinstance(v, list) else v\n"
    "def tell(d): print('accepts' if validator.is_valid(d) else 'rejects', json.dumps(d))\n"
    "def paths(v, path):\n"
    "    for k, x in v.items() if isinstance(v, dict) else enumerate(v) if isinstance(v, list) else ():\n"
    "        yield path + [k]\n"
    "        yield from paths(x, path + [k])\n"
    "for name in sys.argv[2:]:\n"
    "    whole = strings(yaml.safe_load(open(name)))\n"
    "    tell(whole)\n"
    "    for path in paths(whole, []) if 'random' not in name else ():\n"
    "        for change in ('gone', 'misspelt', [], {}, 'no such thing!', -1.5, True, 7, '5 ms'):\n"
    "            d = copy.deepcopy(whole)\n"
    "            at = d\n"
    "            for k in path[:-1]: at = at[k]\n"
    "            k = path[-1]\n"
    "            if change == 'gone': del at[k]\n"
    "            elif change == 'misspelt':\n"
    "                if isinstance(at, list): continue\n"
    "                at[k + '!'] = at.pop(k)\n"
    "            else: at[k] = change\n"
    "            tell(d)\n";

/* Whether a message is about the form of a definition, not about how its parts fit together. */
static bool is_of_form(const char *message)
{
    static const char *const semantic[] = {
        "; expected services:",
        "; expected console:",
        "expected a message from:",
        "expected a version after",
        "expected a version major.minor", /* to JSON, 1 and 1.0 are the same number */
        "expected a bit number",
        "expected a value that fits",
        "-bit CRC from 0 to",
        "expected header: [..., length",
        "expected size:",
        "expected counts: payload",
        "expected start:",
        "expected end:",
        "; expected at least one",
        "lacks the key \"id\""
    };
    for (size_t i = 0; i < G_N_ELEMENTS(semantic); i++)
        if (strstr(message, semantic[i]))
            return false;
    return g_str_has_prefix(message, "unknown key") || strstr(message, "lacks the key") ||
           g_str_has_prefix(message, "expected ") || g_str_has_prefix(message, "unknown header role") ||
           g_str_has_prefix(message, "unknown check") || strstr(message, "is no name for");
}

static void hold(const char *line, unsigned *accepted)
{
    bool schema_accepts = g_str_has_prefix(line, "accepts ");
    const char *text = line + strlen("accepts ");
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("x");
    struct zg_definition *definition = zg_definition_parse("x", text, strlen(text), diagnostics);
    const char *of_form = NULL;

    for (unsigned i = 0; i < zg_diagnostics_count(diagnostics) && !of_form; i++)
        if (is_of_form(zg_diagnostics_get(diagnostics, i)->message))
            of_form = zg_diagnostics_get(diagnostics, i)->message;
    if ((of_form && schema_accepts) || (definition && !schema_accepts)) {
        g_autofree char *path = g_build_filename(g_get_tmp_dir(), "zeugma-schema.json", NULL);
        assert_true(g_file_set_contents(path, text, -1, NULL));
        fail_msg("%s accepts what the other does not (%s): %s", schema_accepts ? "the schema" : "the loader", of_form,
                 path);
    }
    *accepted += definition != NULL;
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
}

static void test_schema(void **state)
{
    struct zg_random random = zg_random_seeded(61, 0);
    g_autofree char *folder = g_dir_make_tmp("zeugma-schema-XXXXXX", NULL);
    g_autofree char *script = g_build_filename(folder, "changer.py", NULL);
    g_autofree char *path = g_build_filename(folder, "schema.json", NULL);
    g_autofree char *schema = zg_generate_schema();
    g_autoptr(GPtrArray) argv = g_ptr_array_new_with_free_func(g_free);
    const char *const files[] = { TEST_DATA "/definitions/sound.yaml", TEST_DATA "/definitions/behaviour.yaml" };
    g_autofree char *out = NULL, *err = NULL;
    unsigned accepted = 0, held = 0;
    int status = 0;
    (void)state;
    assert_true(g_file_set_contents(path, schema, -1, NULL) && g_file_set_contents(script, changer, -1, NULL));
    g_ptr_array_add(argv, g_strdup(TEST_PYTHON));
    g_ptr_array_add(argv, g_strdup(script));
    g_ptr_array_add(argv, g_strdup(path));
    for (size_t i = 0; i < G_N_ELEMENTS(files); i++)
        g_ptr_array_add(argv, g_strdup(files[i]));
    for (unsigned i = 0; i < 30; i++) {
        g_autofree char *text = test_random_definition(&random);
        char *file = g_strdup_printf("%s/random%u.yaml", folder, i);
        assert_true(g_file_set_contents(file, text, -1, NULL));
        g_ptr_array_add(argv, file);
    }
    g_ptr_array_add(argv, NULL);
    assert_true(
        g_spawn_sync(NULL, (char **)argv->pdata, NULL, G_SPAWN_SEARCH_PATH, NULL, NULL, &out, &err, &status, NULL));
    if (status != 0)
        fail_msg("%s", err);
    g_auto(GStrv) lines = g_strsplit(out, "\n", -1);
    for (char **line = lines; **line; line++, held++)
        hold(*line, &accepted);
    assert_true(held > 1500);
    assert_true(accepted > 150);
    test_remove_folder(folder);
}

int main(void)
{
    const struct CMUnitTest tests[] = { cmocka_unit_test(test_schema) };
    return cmocka_run_group_tests(tests, NULL, NULL);
}
