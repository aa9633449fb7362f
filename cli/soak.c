/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "live.h"
#include "soak/report.h"
#include "soak_asked.h"
#include "soak_many.h"

/* What a shell takes as it is. */
#define SHELL_PLAIN "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_./:=,@%+-"

/* On a real shared line a soak must be given a device; elsewhere there is only one. */
static bool is_addressed(const struct cli_verb *verb, const struct zg_plan *plan,
                         const struct zg_soak_settings *settings)
{
    const unsigned everybody = zg_plan_everybody(plan);
    const bool is_shared = settings->link && plan->destination_bits > 0;
    const unsigned all_ones = is_shared ? UINT32_MAX >> (32 - plan->destination_bits) : 0;
    const unsigned most = everybody == all_ones ? all_ones - 1 : all_ones;

    if (is_shared ? settings->to > 0 && settings->to <= most && settings->to != everybody : settings->to == 0)
        return true;
    if (is_shared)
        cli_error(verb, "expected --to with a device's address from 1 to %u, found %d", most, (int)settings->to);
    else
        cli_error(verb, "%s; leave --to out",
                  settings->link ? "this line has no addresses" : "the simulated line has one device");
    return false;
}

/* Runs nothing: what would show each claim. */
static void print_claims(const struct zg_plan *plan, const struct zg_soak_settings *settings, const GArray *claims)
{
    for (guint i = 0; i < claims->len; i++) {
        g_autofree char *text =
            zg_soak_claim_text(plan, settings, &g_array_index(claims, struct zg_soak_requirement, i));
        cli_print("%s", text);
    }
}

/* What one command asks for: a soak, many, or a search. */
static int start(struct cli_soak_run *run, const struct cli_soak_options *options, const struct zg_address *links,
                 unsigned count)
{
    g_autoptr(GArray) axes = cli_soak_axes(run->verb, options, run->settings.link != NULL);

    if (!axes)
        return CLI_USAGE;
    if (options->bisect) {
        char *texts[] = { options->limit, NULL };
        g_autoptr(GArray) limit = cli_soak_requirements(run->verb, "limit", texts, options->confidence);
        return limit ? cli_soak_search(run, &g_array_index(axes, struct zg_sweep_axis, 0),
                                       &g_array_index(limit, struct zg_soak_requirement, 0))
                     : CLI_USAGE;
    }
    if (count > 1)
        return cli_soak_links(run, links, count);
    if (axes->len > 0 || options->repeat > 1)
        return cli_soak_sweep(run, (const struct zg_sweep_axis *)(const void *)axes->data, axes->len,
                              (unsigned)MAX(options->repeat, 1));
    return cli_soak_run(run);
}

static int run_loaded(const struct cli_verb *verb, const struct zg_plan *plan, const char *definition,
                      const struct cli_soak_options *options, struct cli_soak_asked *asked)
{
    struct zg_soak_settings *settings = &asked->settings;

    if (!options->late)
        settings->late_ns = zg_soak_usual_late_ns(plan);
    if (!options->slow)
        settings->slow_ns = 2 * zg_soak_usual_late_ns(plan);
    if (settings->traffic == ZG_SOAK_OWN && !cli_soak_own(verb, plan, options, asked))
        return CLI_USAGE;
    if (asked->claims->len > 0) {
        print_claims(plan, settings, asked->claims);
        return CLI_YES;
    }
    g_autofree char *unfit = zg_soak_line_unfit(plan, settings);
    if (unfit) {
        cli_error(verb, "%s", unfit);
        return CLI_USAGE;
    }
    if (!is_addressed(verb, plan, settings))
        return CLI_NO;
    struct cli_soak_run run = { .verb = verb,
                                .plan = plan,
                                .settings = *settings,
                                .requirements = asked->requirements,
                                .rules = options->requirements,
                                .as_json = options->as_json,
                                .definition = definition,
                                .store = options->store,
                                .goes_on = options->goes_on,
                                .page = options->page,
                                .live = options->live,
                                .command = options->command,
                                .stretches = (uint32_t)options->stretches,
                                .marks = options->marks,
                                .marks_file = options->marks_file,
                                .on_event = options->on_event };
    return start(&run, options, (const struct zg_address *)(const void *)asked->links->data, asked->links->len);
}

/* Runs the parsed command line. Settings are checked first, before anything is loaded. */
static int run_with(const struct cli_verb *verb, char **argv, const struct cli_soak_options *options)
{
    struct cli_soak_asked asked = { .links = NULL };
    struct cli_definition loaded;
    int status = CLI_USAGE;

    if (cli_soak_read(verb, argv, options, &asked)) {
        status = cli_load(verb, argv[1], false, &loaded);
        if (status == CLI_YES)
            status = run_loaded(verb, loaded.plan, argv[1], options, &asked);
        g_clear_pointer(&asked.own, zg_own_free); /* it is of the definition */
        cli_definition_clear(&loaded);
    }
    cli_soak_clear(&asked);
    return status;
}

/* The command line, for a shell. */
static char *command_of(int argc, char **argv)
{
    GString *command = g_string_new("zeugma");

    for (int i = 0; i < argc; i++) {
        const bool is_plain = argv[i][0] != '\0' && strspn(argv[i], SHELL_PLAIN) == strlen(argv[i]);
        g_autofree char *quoted = is_plain ? g_strdup(argv[i]) : g_shell_quote(argv[i]);
        g_string_append_printf(command, " %s", quoted);
    }
    return g_string_free(command, FALSE);
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    const struct zg_soak_settings defaults = zg_soak_defaults();
    struct cli_soak_options options = {
        .load = defaults.load, .confidence = 0.95, .seed = (gint64)defaults.seed, .open = CLI_SOAK_OPEN_USUAL
    };
    GOptionEntry entries[] = {
        { "for", 0, 0, G_OPTION_ARG_STRING, &options.duration,
          "How long frames are sent: 500us, 20ms, 10s, 10min, 24h; default 10s", "TIME" },
        { "faults", 0, 0, G_OPTION_ARG_STRING, &options.faults,
          "What goes wrong: ber=1e-5,drop=1e-6, burst, hum, cut, jitter, swap, restart, mask, ... (docs/soak.md); "
          "each way, or after out: or back: that one; or a file that says when",
          "LIST" },
        { "seed", 0, 0, G_OPTION_ARG_INT64, &options.seed, "The same seed gives the same run; default 1", "N" },
        { "load", 0, 0, G_OPTION_ARG_DOUBLE, &options.load, "Share of the line's capacity to use each way; default 0.5",
          "SHARE" },
        { "traffic", 0, 0, G_OPTION_ARG_STRING, &options.traffic,
          "On a real link: echo, stream, both, listen (sends nothing) or own (messages of the definition); default "
          "what the definition's services allow",
          "KIND" },
        { "send", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.send,
          "With own: what is sent: NAME, NAME={...}, NAME.FIELD=A..B; repeatable", "MESSAGE" },
        { "every", 0, 0, G_OPTION_ARG_STRING, &options.every,
          "With own: the period of each message; default its own, or 100ms", "TIME" },
        { "random-values", 0, 0, G_OPTION_ARG_NONE, &options.random_values,
          "With own: send all messages, with any valid values", NULL },
        { "way", 0, 0, G_OPTION_ARG_STRING, &options.way,
          "Which end sends a stream: out (this one), back or both; default both", "WAY" },
        { "open", 0, 0, G_OPTION_ARG_INT, &options.open,
          "On a real link: echoes that may await their answer; default 16, or 1 with half duplex", "N" },
        { "to", 0, 0, G_OPTION_ARG_INT, &options.to, "Address of the device, on a real shared line", "N" },
        { "line", 0, 0, G_OPTION_ARG_STRING, &options.line,
          "On sim: how the line is computed: bytes (default) or bits, as both ends' receivers sample it", "HOW" },
        { "late", 0, 0, G_OPTION_ARG_STRING, &options.late,
          "On sim: a frame that takes longer, one way, is late; default 100ms, or eight frames' time on a slow line",
          "TIME" },
        { "slow", 0, 0, G_OPTION_ARG_STRING, &options.slow,
          "An answer that takes longer, there and back, is slow; default twice that", "TIME" },
        { "require", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.requirements,
          "Fail unless shown: \"lost <= 1e-6\", \"lost = 0\"; repeatable", "RULE" },
        { "loopback", 0, 0, G_OPTION_ARG_NONE, &options.loopback,
          "A wire from TX to RX takes the device's place: what host and adapter do by themselves", NULL },
        { "prove-ledger", 0, 0, G_OPTION_ARG_NONE, &options.prove,
          "On a real link: damage some echoes at this end first, and see whether the ledger finds them all", NULL },
        { "warm-up", 0, 0, G_OPTION_ARG_STRING, &options.warm_up,
          "On a real link: for so long before, frames are sent that are not counted", "TIME" },
        { "size", 0, 0, G_OPTION_ARG_INT, &options.size, "Of each payload; default all sizes", "BYTES" },
        { "gap", 0, 0, G_OPTION_ARG_STRING, &options.gap, "After each frame, besides what the load leaves", "TIME" },
        { "sweep", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.sweep,
          "A soak for each value: size=1..64/8, load, open, gap, baud=-6%..6%/13; on sim: faults; repeatable",
          "NAME=FROM..TO/STEPS" },
        { "repeat", 0, 0, G_OPTION_ARG_INT, &options.repeat, "The same so many times, each with other random numbers",
          "N" },
        { "bisect", 0, 0, G_OPTION_ARG_STRING, &options.bisect, "Look for the value at which --limit no longer holds",
          "NAME=FROM..TO" },
        { "limit", 0, 0, G_OPTION_ARG_STRING, &options.limit, "What is to hold: \"lost <= 1e-4\"", "RULE" },
        { "until", 0, 0, G_OPTION_ARG_STRING, &options.until,
          "Go on until this is shown, or its contrary, but no longer than --at-most: \"lost <= 1e-6\"", "RULE" },
        { "at-most", 0, 0, G_OPTION_ARG_STRING, &options.at_most, "How long --until goes on", "TIME" },
        { "stop-on", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.stop_on,
          "End with the first: lost, damaged_detected, unexpected, restart, ...; repeatable", "CLASS" },
        { "store", 0, 0, G_OPTION_ARG_FILENAME, &options.store,
          "Keep all that happens in this file, second by second; zeugma report shows it", "FILE" },
        { "html", 0, 0, G_OPTION_ARG_FILENAME, &options.page,
          "At the end, whatever brings it, write the report as a page that opens without anything else", "FILE" },
        { "page", 0, 0, G_OPTION_ARG_STRING, &options.live,
          "Show it in browsers while it runs, on a page at this address; default 127.0.0.1 and any free port",
          "[HOST:PORT]" },
        { "stretches", 0, 0, G_OPTION_ARG_INT, &options.stretches,
          "Of how many damages the store keeps the bytes before it takes fewer; default 30000", "N" },
        { "continue", 0, 0, G_OPTION_ARG_NONE, &options.goes_on, "Go on with the newest such run of the store", NULL },
        { "mark", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.marks,
          "A mark that the key 1 sets while it runs, the next one the key 2, ...; repeatable", "TEXT" },
        { "marks", 0, 0, G_OPTION_ARG_FILENAME, &options.marks_file,
          "Marks from a named pipe, line by line; or a table of times and values, read at the end", "FILE" },
        { "on-event", 0, 0, G_OPTION_ARG_STRING, &options.on_event,
          "Run a command of the shell at damage, loss, restarts, marks: $1 what, $2 seconds, $3 in words", "COMMAND" },
        { "claim", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.claims,
          "Run nothing; say how many frames would show it, and how long that takes; repeatable", "RULE" },
        { "confidence", 0, 0, G_OPTION_ARG_DOUBLE, &options.confidence, "Of these claims, one-sided; default 0.95",
          "SHARE" },
        { "capture", 0, 0, G_OPTION_ARG_FILENAME, &options.capture,
          "On a real link: write everything that passes, with times", "FILE" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON document", NULL },
        G_OPTION_ENTRY_NULL
    };

    options.command = command_of(argc, argv);
    g_auto(GStrv) joined = cli_join_page(&argc, argv);
    g_autofree char **arguments =
        g_memdup2(joined, ((gsize)argc + 1) * sizeof *joined); /* what is parsed is taken out */
    if (!cli_parse(verb, entries, &argc, &arguments, 2, 16)) {
        g_free(options.command);
        return CLI_USAGE;
    }
    int status = run_with(verb, arguments, &options);
    g_free(options.duration);
    g_free(options.faults);
    g_free(options.late);
    g_free(options.slow);
    g_free(options.capture);
    g_free(options.traffic);
    g_free(options.way);
    g_free(options.line);
    g_free(options.until);
    g_free(options.at_most);
    g_free(options.store);
    g_free(options.page);
    g_free(options.live);
    g_free(options.command);
    g_free(options.marks_file);
    g_free(options.on_event);
    g_free(options.bisect);
    g_free(options.limit);
    g_free(options.warm_up);
    g_free(options.gap);
    g_free(options.every);
    g_strfreev(options.send);
    g_strfreev(options.sweep);
    g_strfreev(options.stop_on);
    g_strfreev(options.marks);
    g_strfreev(options.requirements);
    g_strfreev(options.claims);
    return cli_finish(verb, status);
}

const struct cli_verb cli_soak = {
    "soak", "DEF LINK...", "Sends numbered traffic and accounts for every frame",
    "zeugma soak examples/loom/loom.yaml sim: --for 10min --faults ber=1e-5,drop=1e-6 --seed 7", run
};
