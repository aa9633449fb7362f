/* SPDX-License-Identifier: MIT */
#include <locale.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>

#include "cli.h"
#include "definition/words.h"

static int print_help(void)
{
    cli_print("zeugma VERB ARGUMENTS [OPTIONS]: framed serial protocols from one definition file\n\n");
    for (unsigned i = 0; i < cli_verbs_length; i++)
        cli_print("  %-10s%-30s%s\n", cli_verbs[i]->name, cli_verbs[i]->arguments, cli_verbs[i]->summary);
    cli_print("\n  zeugma VERB --help      its options, with an example\n  zeugma --version\n\n"
              "Exit status: " CLI_STATUSES ".\n\n"
              "Example:\n  zeugma check examples/loom/loom.yaml\n");
    return cli_finish(&(struct cli_verb){ .name = "help" }, CLI_YES);
}

static int unknown_verb(const char *word)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    for (unsigned i = 0; i < cli_verbs_length; i++)
        g_ptr_array_add(names, (gpointer)cli_verbs[i]->name);
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(word, (const char *const *)names->pdata);
    (void)fprintf(stderr, "zeugma: unknown verb \"%s\"%s\n", word, hint);
    return CLI_USAGE;
}

int main(int argc, char **argv)
{
    setlocale(LC_CTYPE, "");
    signal(SIGPIPE, SIG_IGN); /* cli_finish() reports a closed output */
    signal(SIGXFSZ, SIG_IGN); /* a file at its size limit is an error like any other */
    if (argc < 2) {
        (void)fprintf(stderr, "zeugma: a verb is missing; zeugma --help lists them\n");
        return CLI_USAGE;
    }
    if (strcmp(argv[1], "--help") == 0 || strcmp(argv[1], "-h") == 0 || strcmp(argv[1], "help") == 0)
        return print_help();
    if (strcmp(argv[1], "--version") == 0) {
        cli_print("zeugma %s\n", ZEUGMA_VERSION);
        return CLI_YES;
    }
    if (strcmp(argv[1], "--candidates") == 0) /* for the shells' completion */
        return cli_print_candidates(argc - 2, argv + 2);
    if (strcmp(argv[1], "--manual") == 0 && argc == 3) /* for the build */
        return cli_write_manual(argv[2]);
    for (unsigned i = 0; i < cli_verbs_length; i++)
        if (strcmp(cli_verbs[i]->name, argv[1]) == 0)
            return cli_verbs[i]->run(cli_verbs[i], argc - 1, argv + 1);
    return unknown_verb(argv[1]);
}
