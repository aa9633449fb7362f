/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <string.h>

#include "report/history.h"
#include "report/report.h"
#include "wave/output.h"

struct options {
    gint64 run;
    gboolean as_json, anyway, history;
    char *table, *page, *against;
    double no_worse_than;
};

/* A message with the status of what cannot be read. */
static int trouble(const struct cli_verb *verb, const char *option, GError *error)
{
    cli_error(verb, "%s%s", option, error->message);
    return CLI_TROUBLE;
}

static int print_table(const struct cli_verb *verb, const char *file, const struct options *options)
{
    g_autoptr(GError) error = NULL;
    g_autofree char *text = zg_stored_csv(file, options->run, options->table, &error);

    if (!text && error->code == 1) {
        cli_error(verb, "--csv: %s", error->message);
        return CLI_USAGE;
    }
    if (!text)
        return trouble(verb, "", error);
    cli_print("%s", text);
    return CLI_YES;
}

static int print_history(const struct cli_verb *verb, const char *file, const struct options *options)
{
    g_autoptr(GError) error = NULL;
    struct zg_history *history = zg_history_read(file, &error);

    if (!history)
        return trouble(verb, "--history: ", error);
    g_autofree char *text = options->as_json ? zg_history_json(history) : zg_history_text(history);
    cli_print(options->as_json ? "%s\n" : "%s", text);
    const int status = history->signals ? CLI_NO : CLI_YES;
    zg_history_free(history);
    return status;
}

/* The other run: of this store by its number, or the newest one of another. */
static struct zg_stored *read_other(const char *file, const char *against, GError **error)
{
    const bool is_number = strspn(against, "0123456789") == strlen(against);
    return is_number ? zg_stored_read_counts(file, g_ascii_strtoll(against, NULL, 10), error)
                     : zg_stored_read_counts(against, 0, error);
}

static bool write_page(const struct zg_stored *stored, const struct zg_against *against, const char *file,
                       const char *page, GError **error)
{
    g_autofree char *text = zg_report_page(stored, against, file);
    return zg_output_text(page, text, error);
}

static int show(const struct cli_verb *verb, const char *file, const struct options *options,
                const struct zg_stored *stored, const struct zg_against *against)
{
    g_autoptr(GError) error = NULL;

    if (options->page && !write_page(stored, against, file, options->page, &error))
        return trouble(verb, "--html: ", error);
    g_autofree char *text = options->as_json ? zg_report_json(stored, against) : zg_report_text(stored, against);
    cli_print(options->as_json ? "%s\n" : "%s", text);
    return zg_stored_passed(stored) && (!against || against->comparison.passed) ? CLI_YES : CLI_NO;
}

static int hold_against(const struct cli_verb *verb, const char *file, const struct options *options,
                        const struct zg_stored *stored)
{
    g_autoptr(GError) error = NULL;
    struct zg_stored *other = read_other(file, options->against, &error);
    int status = CLI_USAGE;

    if (!other)
        return trouble(verb, "--against: ", error);
    if (other->run == stored->run && g_str_equal(other->begun, stored->begun)) {
        cli_error(verb, "--against: run %" G_GINT64_FORMAT " is the run itself; expected another one", other->run);
        zg_stored_free(other);
        return CLI_USAGE;
    }
    g_autofree char *differs = zg_compare_settings(stored, other);
    if (differs && !options->anyway) {
        cli_error(verb,
                  "--against: the runs differ in their settings: %s; with --anyway they are compared nevertheless",
                  differs);
    } else {
        const struct zg_against against = { other, zg_compare_runs(stored, other, options->no_worse_than) };
        status = show(verb, file, options, stored, &against);
    }
    zg_stored_free(other);
    return status;
}

static int report(const struct cli_verb *verb, const char *file, const struct options *options)
{
    g_autoptr(GError) error = NULL;

    if (options->table)
        return print_table(verb, file, options);
    if (options->history)
        return print_history(verb, file, options);
    struct zg_stored *stored = zg_stored_read(file, options->run, &error);
    if (!stored)
        return trouble(verb, "", error);
    const int status =
        options->against ? hold_against(verb, file, options, stored) : show(verb, file, options, stored, NULL);
    zg_stored_free(stored);
    return status;
}

static bool is_sound(const struct cli_verb *verb, const struct options *options)
{
    if (options->run < 0)
        cli_error(verb, "--run: expected a number from 1 on, found %" G_GINT64_FORMAT, options->run);
    else if (options->table && (options->as_json || options->page || options->against || options->history))
        cli_error(verb, "--csv: leave --json, --html, --against and --history out");
    else if (options->against && options->against[0] == '\0')
        cli_error(verb, "--against: expected a run's number, or another store, found \"\"");
    else if (options->history && (options->page || options->against || options->run > 0))
        cli_error(verb, "--history: is of all runs; leave --run, --html and --against out");
    else if (options->no_worse_than != 0 && !(options->no_worse_than > 1 && options->no_worse_than <= 1e6))
        cli_error(verb, "--no-worse-than: expected a ratio above 1, found %g", options->no_worse_than);
    else if ((options->no_worse_than != 0 || options->anyway) && !options->against)
        cli_error(verb, "--no-worse-than and --anyway: are for --against");
    else
        return true;
    return false;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { .run = 0 };
    GOptionEntry entries[] = {
        { "run", 0, 0, G_OPTION_ARG_INT64, &options.run, "Number of the run; default the newest", "N" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON document", NULL },
        { "html", 0, 0, G_OPTION_ARG_FILENAME, &options.page,
          "Write the report as a page, too, that opens without anything else", "FILE" },
        { "against", 0, 0, G_OPTION_ARG_FILENAME, &options.against,
          "Whether it is worse than another run: of this store by its number, or the newest of another store", "RUN" },
        { "no-worse-than", 0, 0, G_OPTION_ARG_DOUBLE, &options.no_worse_than,
          "The other way round: whether it is shown that no rate is so many times as high", "RATIO" },
        { "anyway", 0, 0, G_OPTION_ARG_NONE, &options.anyway, "Compare runs whose settings differ", NULL },
        { "history", 0, 0, G_OPTION_ARG_NONE, &options.history,
          "All runs of the store: a control chart of each kind of error", NULL },
        { "csv", 0, 0, G_OPTION_ARG_STRING, &options.table,
          "Print a table as comma-separated values: run, second, event, stretch, counters", "TABLE" },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 1, 1))
        return CLI_USAGE;
    const int status = is_sound(verb, &options) ? report(verb, argv[1], &options) : CLI_USAGE;
    g_free(options.table);
    g_free(options.page);
    g_free(options.against);
    return cli_finish(verb, status);
}

const struct cli_verb cli_report = {
    "report", "STORE", "Shows a run that a soak has stored",
    "zeugma soak examples/loom/loom.yaml sim: --store /tmp/loom.store && zeugma report /tmp/loom.store", run
};
