/* SPDX-License-Identifier: MIT */
#include "generate/generate.h"
#include "cli.h"

#include <string.h>

#include "definition/words.h"

/* "c, python, ...": free with g_free(). */
static char *target_names(void)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < zg_targets_length; i++)
        g_ptr_array_add(names, (gpointer)zg_targets[i].name);
    g_ptr_array_add(names, NULL);
    return g_strjoinv(", ", (char **)names->pdata);
}

/* The files of all targets in a list, "c,python". NULL: a message was printed, exit with `*state`. */
static GPtrArray *print_targets(const struct cli_verb *verb, const struct zg_plan *plan, const char *list,
                                enum zg_side sides, int *state)
{
    g_auto(GStrv) words = g_strsplit(list, ",", -1);
    g_autoptr(GPtrArray) files = zgi_generated_new();
    g_autoptr(GError) error = NULL;

    *state = CLI_USAGE;
    for (char **word = words; *word; word++) {
        const struct zg_target *target = NULL;
        for (unsigned i = 0; i < zg_targets_length; i++)
            if (strcmp(zg_targets[i].name, *word) == 0)
                target = &zg_targets[i];
        if (!target) {
            g_autofree char *names = target_names();
            cli_error(verb, "unknown target \"%s\"; expected %s", *word, names);
            return NULL;
        }
        if (!zg_target_knows(target->name, plan, &error)) {
            cli_error(verb, "%s", error->message);
            *state = CLI_NO;
            return NULL;
        }
        g_ptr_array_extend_and_steal(files, target->print(plan, sides));
    }
    return g_steal_pointer(&files);
}

static int generate(const struct cli_verb *verb, const struct zg_plan *plan, const char *list, enum zg_side sides,
                    const char *folder, bool bundle, bool force)
{
    int state;
    g_autoptr(GPtrArray) files = print_targets(verb, plan, list, sides, &state);
    g_autoptr(GError) error = NULL;

    if (!files)
        return state;
    if (bundle && !zg_generate_bundle(files, &error)) {
        cli_error(verb, "%s", error->message);
        return CLI_NO;
    }
    if (!zg_generated_write(files, folder, force, &error)) {
        cli_error(verb, "%s", error->message);
        return CLI_TROUBLE;
    }
    for (unsigned i = 0; i < files->len; i++)
        cli_print("%s/%s\n", folder, ((struct zg_generated *)g_ptr_array_index(files, i))->name);
    return CLI_YES;
}

static bool read_side(const struct cli_verb *verb, const char *text, enum zg_side *sides)
{
    static const enum zg_side all[] = { ZG_SIDE_DEVICE, ZG_SIDE_HOST, ZG_SIDE_BOTH };

    for (size_t i = 0; i < G_N_ELEMENTS(all); i++) {
        *sides = all[i];
        if (strcmp(zg_side_name(all[i]), text) == 0)
            return true;
    }
    cli_error(verb, "--side: expected device, host or both, found \"%s\"", text);
    return false;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    g_autofree char *folder = NULL;
    g_autofree char *list = NULL, *side = NULL;
    enum zg_side sides;
    gboolean bundle = FALSE, force = FALSE;
    g_autofree char *names = target_names();
    g_autofree char *targets = g_strdup_printf("What to generate: %s; default c", names);
    GOptionEntry entries[] = {
        { "output", 'o', 0, G_OPTION_ARG_FILENAME, &folder, "Write into this folder, made if missing", "DIR" },
        { "target", 0, 0, G_OPTION_ARG_STRING, &list, targets, "LIST" },
        { "side", 0, 0, G_OPTION_ARG_STRING, &side, "For C, only what this end needs: device, host; default both",
          "SIDE" },
        { "bundle", 0, 0, G_OPTION_ARG_NONE, &bundle, "Add the runtime's files, so that the folder compiles alone",
          NULL },
        { "force", 0, 0, G_OPTION_ARG_NONE, &force, "Replace files that were edited, or were not generated", NULL },
        G_OPTION_ENTRY_NULL
    };
    struct cli_definition loaded;

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    if (!folder) {
        cli_error(verb, "the folder is missing; give one with -o DIR");
        return CLI_USAGE;
    }
    if (!read_side(verb, side ? side : "both", &sides))
        return CLI_USAGE;
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES)
        status = generate(verb, loaded.plan, list ? list : "c", sides, folder, bundle, force);
    cli_definition_clear(&loaded);
    return cli_finish(verb, status);
}

const struct cli_verb cli_generate = { "generate", "DEF -o DIR", "Prints code for both ends, a specification, vectors",
                                       "zeugma generate examples/loom/loom.yaml -o build/loom", run };
