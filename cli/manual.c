/* SPDX-License-Identifier: MIT */
/* Man pages from the verbs' tables: zeugma(1), and zeugma-VERB(1) for each verb; and of the language. */
#include "cli.h"

#include <glib/gstdio.h>
#include <string.h>

#include "roff.h"

static void append_options(const struct cli_verb *verb, const GOptionEntry *entries, void *data)
{
    GString *page = data;
    (void)verb;
    for (const GOptionEntry *entry = entries; entry->long_name; entry++) {
        if (entry->flags & G_OPTION_FLAG_HIDDEN)
            continue;
        g_string_append(page, ".TP\n");
        if (entry->short_name)
            g_string_append_printf(page, "\\fB\\-%c\\fR, ", entry->short_name);
        g_string_append(page, "\\fB\\-\\-");
        roff_plain(page, entry->long_name);
        g_string_append(page, "\\fR");
        if (entry->arg_description) {
            g_string_append(page, "=\\fI");
            roff_plain(page, entry->arg_description);
            g_string_append(page, "\\fR");
        }
        g_string_append_c(page, '\n');
        roff_line(page, entry->description);
    }
}

static void append_verb(GString *page, const struct cli_verb *verb)
{
    g_autofree char *name = g_strdup_printf("zeugma-%s", verb->name);

    roff_begin(page, name, "1", verb->summary);
    g_string_append_printf(page, ".SH SYNOPSIS\n\\fBzeugma %s\\fR [OPTION ...] ", verb->name);
    roff_line(page, verb->arguments);
    g_string_append(page, ".SH OPTIONS\n");
    cli_show_options(verb, append_options, page);
    g_string_append(page, ".SH EXAMPLE\n.nf\n");
    roff_line(page, verb->example);
    g_string_append(page, ".fi\n.SH \"EXIT STATUS\"\n" CLI_STATUSES ".\n.SH \"SEE ALSO\"\nzeugma(1)\n");
}

static void append_all(GString *page)
{
    roff_begin(page, "zeugma", "1", "framed serial protocols from one definition file");
    g_string_append(page, ".SH SYNOPSIS\n\\fBzeugma\\fR \\fIVERB\\fR [OPTION ...] ARGUMENT ...\n.SH VERBS\n");
    for (unsigned i = 0; i < cli_verbs_length; i++) {
        g_string_append_printf(page, ".TP\n\\fB%s\\fR ", cli_verbs[i]->name);
        roff_line(page, cli_verbs[i]->arguments);
        g_string_append_printf(page, "%s: zeugma\\-%s(1)\n", cli_verbs[i]->summary, cli_verbs[i]->name);
    }
    g_string_append(page, ".SH \"EXIT STATUS\"\n" CLI_STATUSES ".\n.SH \"SEE ALSO\"\nzeugma\\-definition(5)\n");
}

static bool write_page(const char *folder, const char *name, const GString *page, GError **error)
{
    g_autofree char *path = g_build_filename(folder, name, NULL);
    return g_file_set_contents(path, page->str, (gssize)page->len, error);
}

int cli_write_manual(const char *folder)
{
    const struct cli_verb whole = { .name = "--manual" };
    g_autoptr(GString) all = g_string_new(NULL), language = g_string_new(NULL);
    g_autoptr(GError) error = NULL;

    (void)g_mkdir_with_parents(folder, 0777); /* if that fails, so will the writing */
    append_all(all);
    cli_man_language(language);
    bool good =
        write_page(folder, "zeugma.1", all, &error) && write_page(folder, "zeugma-definition.5", language, &error);
    for (unsigned i = 0; good && i < cli_verbs_length; i++) {
        g_autofree char *name = g_strdup_printf("zeugma-%s.1", cli_verbs[i]->name);
        g_autoptr(GString) page = g_string_new(NULL);
        append_verb(page, cli_verbs[i]);
        good = write_page(folder, name, page, &error);
    }
    if (!good)
        cli_error(&whole, "%s", error->message);
    return good ? CLI_YES : CLI_TROUBLE;
}
