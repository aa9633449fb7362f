/* SPDX-License-Identifier: MIT */
#include "cli.h"

#include <errno.h>
#include <poll.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "analysis/budget.h"
#include "definition/words.h"

void cli_error(const struct cli_verb *verb, const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    for (char **line = lines; *line; line++) {
        g_autofree char *shown = zg_shown(*line, -1, false); /* it may contain text from a file or a device */
        (void)fprintf(stderr, "zeugma %s: %s\n", verb->name, shown);
    }
}

void cli_print(const char *format, ...)
{
    va_list arguments;
    va_start(arguments, format);
    (void)vfprintf(stdout, format, arguments);
    va_end(arguments);
}

/* Whether the reader of the output has closed it, as `head` does. */
static bool reader_is_gone(void)
{
    struct pollfd output = { .fd = STDOUT_FILENO, .events = POLLOUT };
    return poll(&output, 1, 0) > 0 && (output.revents & (POLLERR | POLLHUP)) != 0;
}

void cli_print_json(struct zg_json *json)
{
    g_autofree char *text = zg_json_end(json);
    cli_print("%s\n", text);
}

int cli_finish(const struct cli_verb *verb, int status)
{
    const bool good = fflush(stdout) == 0 && !ferror(stdout);
    const int why = errno;
    if (good || reader_is_gone())
        return status;
    errno = why;
    cli_error(verb, "cannot write the output: %s", g_strerror(errno));
    return CLI_TROUBLE;
}

/* "Unknown option --jsn", with the most similar option; what is wrong with the value of one that there is. */
static void wrong_option(const struct cli_verb *verb, const GOptionEntry *entries, const char *message)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    const char *dashes = strstr(message, "--");

    for (const GOptionEntry *entry = entries; entry->long_name; entry++)
        g_ptr_array_add(names, (gpointer)entry->long_name);
    g_ptr_array_add(names, "help");
    g_ptr_array_add(names, NULL);
    const char *nearest = dashes ? zg_word_nearest(dashes + 2, (const char *const *)names->pdata) : NULL;
    g_autofree char *first = g_strdup(message);
    first[0] = g_ascii_tolower(first[0]);
    if (nearest && strcmp(nearest, dashes + 2) != 0)
        cli_error(verb, "%s; did you mean --%s?", first, nearest);
    else
        cli_error(verb, "%s; zeugma %s --help lists the options", first, verb->name);
}

/* While cli_show_options() runs. */
static cli_options_function *shown_to;
static void *shown_data;

void cli_show_options(const struct cli_verb *verb, cli_options_function *show, void *data)
{
    char *arguments[] = { (char *)verb->name, NULL };

    shown_to = show;
    shown_data = data;
    (void)verb->run(verb, 1, arguments);
    shown_to = NULL;
}

bool cli_parse(const struct cli_verb *verb, GOptionEntry *entries, int *argc, char ***argv, int least, int most)
{
    if (shown_to) {
        shown_to(verb, entries, shown_data);
        return false;
    }
    g_autoptr(GOptionContext) context = g_option_context_new(verb->arguments);
    g_autofree char *program = g_strdup_printf("zeugma %s", verb->name);
    g_autofree char *description = g_strdup_printf("Example:\n  %s\n", verb->example);
    g_autoptr(GError) error = NULL;

    g_set_prgname(program);
    g_option_context_set_summary(context, verb->summary);
    g_option_context_set_description(context, description);
    g_option_context_add_main_entries(context, entries, NULL);
    if (!g_option_context_parse(context, argc, argv, &error)) {
        wrong_option(verb, entries, error->message);
        return false;
    }
    if (*argc - 1 >= least && *argc - 1 <= most)
        return true;
    if (*argc - 1 < least)
        cli_error(verb, "an argument is missing; expected zeugma %s %s", verb->name, verb->arguments);
    else
        cli_error(verb, "\"%s\" is one argument too many; expected zeugma %s %s", (*argv)[most + 1], verb->name,
                  verb->arguments);
    return false;
}

static void print_diagnostics(const struct zg_diagnostics *diagnostics)
{
    unsigned shown = zg_diagnostics_count(diagnostics);
    for (unsigned i = 0; i < shown; i++) {
        g_autofree char *line = zg_diagnostics_line(diagnostics, i);
        (void)fprintf(stderr, "%s\n", line);
    }
}

int cli_load(const struct cli_verb *verb, const char *file, bool quiet, struct cli_definition *loaded)
{
    g_autoptr(GError) error = NULL;

    *loaded = (struct cli_definition){ .diagnostics = zg_diagnostics_new(file) };
    loaded->definition = zg_definition_load(file, loaded->diagnostics, &error);
    if (error) {
        cli_error(verb, "%s", error->message);
        return CLI_TROUBLE;
    }
    if (loaded->definition)
        loaded->plan = zg_plan_new(loaded->definition, loaded->diagnostics);
    if (loaded->plan)
        zg_budget_check(loaded->plan, loaded->diagnostics);
    if (!quiet)
        print_diagnostics(loaded->diagnostics);
    return loaded->plan && zg_diagnostics_errors(loaded->diagnostics) == 0 ? CLI_YES : CLI_NO;
}

void cli_definition_clear(struct cli_definition *loaded)
{
    zg_plan_free(loaded->plan);
    zg_definition_free(loaded->definition);
    zg_diagnostics_free(loaded->diagnostics);
}

const struct zg_plan_message *cli_message(const struct cli_verb *verb, const struct zg_plan *plan, const char *name)
{
    const struct zg_plan_message *message = zg_plan_by_name(plan, name);
    g_autoptr(GPtrArray) names = g_ptr_array_new();

    if (message)
        return message;
    for (unsigned i = 0; i < plan->messages->len; i++)
        g_ptr_array_add(names, zg_plan_message_at(plan, i)->message->name);
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    cli_error(verb, "%s has no message \"%s\"%s", plan->definition->protocol, name, hint);
    return NULL;
}
