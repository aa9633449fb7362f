/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include "report/report.h"

struct options {
    gint64 run;
    gboolean as_json;
    char *table, *page;
};

static int report(const struct cli_verb *verb, const char *file, const struct options *options)
{
    g_autoptr(GError) error = NULL;

    if (options->table) {
        g_autofree char *text = zg_stored_csv(file, options->run, options->table, &error);
        if (!text) {
            cli_error(verb, "%s%s", error->code == 1 ? "--csv: " : "", error->message);
            return error->code == 1 ? CLI_USAGE : CLI_TROUBLE;
        }
        cli_print("%s", text);
        return CLI_YES;
    }
    struct zg_stored *stored = zg_stored_read(file, options->run, &error);
    if (!stored) {
        cli_error(verb, "%s", error->message);
        return CLI_TROUBLE;
    }
    if (options->page) {
        g_autofree char *page = zg_report_page(stored, file);
        if (!g_file_set_contents(options->page, page, -1, &error)) {
            cli_error(verb, "--html: %s", error->message);
            zg_stored_free(stored);
            return CLI_TROUBLE;
        }
    }
    g_autofree char *text = options->as_json ? zg_report_json(stored) : zg_report_text(stored);
    cli_print(options->as_json ? "%s\n" : "%s", text);
    const int status = zg_stored_passed(stored) ? CLI_YES : CLI_NO;
    zg_stored_free(stored);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { .run = 0 };
    GOptionEntry entries[] = {
        { "run", 0, 0, G_OPTION_ARG_INT64, &options.run, "Number of the run; default the newest", "N" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON document", NULL },
        { "csv", 0, 0, G_OPTION_ARG_STRING, &options.table,
          "Print a table as comma-separated values: run, second, event, stretch, counters", "TABLE" },
        { "html", 0, 0, G_OPTION_ARG_FILENAME, &options.page,
          "Write the report as a page, too, that opens without anything else", "FILE" },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    int status = CLI_USAGE;
    if (options.run < 0)
        cli_error(verb, "--run: expected a number from 1 on, found %" G_GINT64_FORMAT, options.run);
    else if (options.as_json && options.table)
        cli_error(verb, "--csv: leave --json out");
    else
        status = report(verb, argv[1], &options);
    g_free(options.table);
    g_free(options.page);
    return cli_finish(verb, status);
}

const struct cli_verb cli_report = {
    "report", "STORE", "Shows a run that a soak has stored",
    "zeugma soak examples/loom/loom.yaml sim: --store /tmp/loom.store && zeugma report /tmp/loom.store", run
};
