/* SPDX-License-Identifier: MIT */
#include <string.h>

#include "live.h"
#include "soak/report.h"
#include "soak_many.h"

enum { OPEN_USUAL = G_MININT }; /* as many echoes as suit the line */

/* The command line, as written. */
struct options {
    char *duration, *faults, *late, *slow, *capture, *traffic, *way, *until, *at_most, *store, *marks_file, *on_event,
        *bisect, *limit, *warm_up, *gap, *every;
    char **requirements, **claims, **stop_on, **marks, **sweep, **send;
    double load, confidence;
    gint64 seed;
    gint open, to, repeat, size, stretches;
    gboolean as_json, goes_on, loopback, prove, random_values;
};

/* A word, whose place in the list, from 1, is its value. */
static const char *const traffic_words[] = { "echo", "stream", "both", "listen", "own", NULL };
enum { OWN_WORD = 5 };
static const char *const way_words[] = { "back", "out", "both", NULL };

static bool read_word(const struct cli_verb *verb, const char *option, const char *text, const char *const *words,
                      unsigned *value)
{
    for (unsigned i = 0; text && words[i]; i++)
        if (strcmp(words[i], text) == 0) {
            *value = i + 1;
            return true;
        }
    if (!text)
        return true;
    g_autofree char *list = g_strjoinv(", ", (char **)words);
    cli_error(verb, "--%s: expected one of %s, found \"%s\"", option, list, text);
    return false;
}

/* Faults as such have values, or are two words. */
static bool is_faults_file(const char *text)
{
    return !strchr(text, '=') && g_file_test(text, G_FILE_TEST_IS_REGULAR);
}

/* Reads faults with times from a file; NULL in `times` if the option is none. */
static bool read_fault_times(const struct cli_verb *verb, const char *text, struct zg_fault_times **times)
{
    g_autofree char *content = NULL;
    g_autoptr(GError) error = NULL;
    gsize length;

    *times = NULL;
    if (!text || !is_faults_file(text))
        return true;
    if (!g_file_get_contents(text, &content, &length, &error)) {
        cli_error(verb, "--faults: %s", error->message);
        return false;
    }
    struct zg_diagnostics *diagnostics = zg_diagnostics_new(text);
    *times = zg_fault_times_read(content, length, diagnostics);
    for (unsigned i = 0; i < zg_diagnostics_count(diagnostics); i++) {
        g_autofree char *line = zg_diagnostics_line(diagnostics, i);
        cli_error(verb, "--faults: %s", line);
    }
    zg_diagnostics_free(diagnostics);
    return *times != NULL;
}

static bool read_settings(const struct cli_verb *verb, const struct options *options, struct zg_soak_settings *settings)
{
    g_autoptr(GError) error = NULL;

    *settings = zg_soak_defaults();
    settings->seed = (uint64_t)options->seed;
    settings->load = options->load;
    settings->open = options->open == OPEN_USUAL ? 0 : (unsigned)options->open;
    settings->to = (unsigned)options->to;
    settings->capture = options->capture;
    if (!cli_time(verb, "for", options->duration, &settings->duration_ns) ||
        !cli_time(verb, "at-most", options->at_most, &settings->duration_ns) ||
        !cli_time(verb, "late", options->late, &settings->late_ns) ||
        !cli_time(verb, "slow", options->slow, &settings->slow_ns) ||
        !cli_time(verb, "gap", options->gap, &settings->gap_ns) ||
        !cli_time(verb, "warm-up", options->warm_up, &settings->warm_up_ns))
        return false;
    if (options->size < 0 || options->size > 65535) {
        cli_error(verb, "--size: expected a number of bytes from 1 to 65535, found %d", options->size);
        return false;
    }
    settings->size = (unsigned)options->size;
    settings->prove = options->prove;
    if (!(options->load > 0 && options->load <= 0.95)) {
        cli_error(verb, "--load: expected a share of the line above 0, up to 0.95, found %g", options->load);
        return false;
    }
    if (!(options->confidence > 0.5 && options->confidence < 1)) {
        cli_error(verb, "--confidence: expected a number above 0.5 and below 1, found %g", options->confidence);
        return false;
    }
    if (options->open != OPEN_USUAL && (options->open < 1 || options->open > 1000)) {
        cli_error(verb, "--open: expected a number from 1 to 1000, found %d", options->open);
        return false;
    }
    if (!read_word(verb, "traffic", options->traffic, traffic_words, &settings->traffic) ||
        !read_word(verb, "way", options->way, way_words, &settings->way))
        return false;
    if (options->loopback)
        settings->traffic = ZG_SOAK_LOOPBACK;
    if (settings->traffic == OWN_WORD)
        settings->traffic = ZG_SOAK_OWN;
    for (char **word = options->stop_on; word && *word; word++)
        if (!zg_soak_stop_on(*word, &settings->stop_on, &error)) {
            cli_error(verb, "--stop-on: %s", error->message);
            return false;
        }
    if (!options->faults || is_faults_file(options->faults) ||
        zg_faults_parse(options->faults, &settings->faults, &error))
        return true;
    cli_error(verb, "--faults: %s", error->message);
    return false;
}

/* The requirements as an array of struct zg_soak_requirement. NULL: a message was printed. */
static GArray *read_requirements(const struct cli_verb *verb, const char *option, char **texts, double confidence)
{
    g_autoptr(GArray) requirements = g_array_new(FALSE, FALSE, sizeof(struct zg_soak_requirement));

    for (char **text = texts; text && *text; text++) {
        struct zg_soak_requirement requirement;
        g_autoptr(GError) error = NULL;
        if (!zg_soak_requirement_parse(*text, &requirement, &error)) {
            cli_error(verb, "--%s: %s", option, error->message);
            return NULL;
        }
        requirement.confidence = confidence;
        g_array_append_val(requirements, requirement);
    }
    return g_steal_pointer(&requirements);
}

/* On a real shared line a soak must be given a device; elsewhere there is only one. */
static bool is_addressed(const struct cli_verb *verb, const struct zg_plan *plan,
                         const struct zg_soak_settings *settings)
{
    const unsigned everybody = zg_plan_everybody(plan);
    const bool is_shared = settings->link && everybody > 0;

    if (is_shared ? settings->to > 0 && settings->to < everybody : settings->to == 0)
        return true;
    if (is_shared)
        cli_error(verb, "expected --to with a device's address from 1 to %u, found %d", everybody - 1,
                  (int)settings->to);
    else
        cli_error(verb, "%s; leave --to out",
                  settings->link ? "this line has no addresses" : "the simulated line has one device");
    return false;
}

/* Whether the faults can be made at this end of a real link, and what is asked can be seen there. */
static bool is_for_real(const struct cli_verb *verb, const struct options *options, const struct zg_faults *faults,
                        const GArray *requirements)
{
    bool one_way = options->late != NULL;

    for (guint i = 0; i < requirements->len; i++)
        one_way = one_way || g_array_index(requirements, struct zg_soak_requirement, i).on == ZG_SOAK_ON_SIM;
    if (one_way) {
        cli_error(verb, "late is one way, which only sim: shows; on a real link an answer is slow: --slow TIME, "
                        "--require \"slow answer <= RATE\"");
        return false;
    }
    if (zg_faults_possible(faults, ZG_FAULTS_HERE))
        return true;
    g_autofree char *good = zg_faults_names(ZG_FAULTS_HERE, true), *others = zg_faults_names(ZG_FAULTS_HERE, false);
    cli_error(verb, "--faults: at this end of a real link bytes can be damaged: %s; %s need sim:", good, others);
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

static void clear_axis(void *data)
{
    zg_sweep_axis_clear(data);
}

/* The axes as an array of struct zg_sweep_axis. NULL: a message was printed. */
static GArray *read_axes(const struct cli_verb *verb, const struct options *options, bool is_real)
{
    g_autoptr(GArray) axes = g_array_new(FALSE, FALSE, sizeof(struct zg_sweep_axis));
    char *bisect[] = { options->bisect, NULL };

    g_array_set_clear_func(axes, clear_axis);
    for (char **text = options->bisect ? bisect : options->sweep; text && *text; text++) {
        struct zg_sweep_axis axis;
        g_autoptr(GError) error = NULL;
        if (!zg_sweep_axis_parse(*text, !options->bisect, is_real, &axis, &error)) {
            cli_error(verb, "--%s: %s", options->bisect ? "bisect" : "sweep", error->message);
            return NULL;
        }
        g_array_append_val(axes, axis);
    }
    if (axes->len <= ZG_SWEEP_AXES)
        return g_steal_pointer(&axes);
    cli_error(verb, "--sweep: expected at most %d", ZG_SWEEP_AXES);
    return NULL;
}

/* What one command asks for: a soak, many, or a search. */
static int start(struct cli_soak_run *run, const struct options *options, const struct zg_address *links,
                 unsigned count)
{
    g_autoptr(GArray) axes = read_axes(run->verb, options, run->settings.link != NULL);

    if (!axes)
        return CLI_USAGE;
    if (options->bisect) {
        char *texts[] = { options->limit, NULL };
        g_autoptr(GArray) limit = read_requirements(run->verb, "limit", texts, options->confidence);
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

/* Options that need each other, or exclude each other. */
static bool fit_together(const struct cli_verb *verb, const struct options *options, unsigned count)
{
    if (options->until && (!options->at_most || options->duration))
        cli_error(verb, "--until: say how long at most: --at-most 24h, instead of --for");
    else if (options->at_most && !options->until)
        cli_error(verb, "--at-most: belongs to --until \"lost <= 1e-6\"; otherwise --for says how long");
    else if (options->stretches < 0 || (options->stretches > 0 && !options->store))
        cli_error(verb, "--stretches: expected a number from 1 on, beside --store");
    else if ((options->send || options->random_values || options->every) && g_strcmp0(options->traffic, "own") != 0)
        cli_error(verb, "--send, --random-values and --every belong to --traffic own");
    else if (g_strcmp0(options->traffic, "own") == 0 &&
             (options->faults || options->sweep || options->bisect || options->way || options->prove || count > 1 ||
              options->size > 0 || options->goes_on))
        cli_error(
            verb,
            "--traffic own: one LINK, without --faults, --way, --size, --sweep, --bisect, --prove-ledger, --continue");
    else if (options->goes_on && !options->store)
        cli_error(verb, "--continue: goes on with the newest run of a store: --store FILE");
    else if ((options->bisect == NULL) != (options->limit == NULL))
        cli_error(verb, "--bisect NAME=FROM..TO and --limit \"lost <= 1e-4\" belong together");
    else if (options->bisect && options->sweep)
        cli_error(verb, "--bisect: leave --sweep out");
    else if (options->repeat < 0 || options->repeat > ZG_SWEEP_POINTS)
        cli_error(verb, "--repeat: expected a number from 1 to %d, found %d", ZG_SWEEP_POINTS, options->repeat);
    else if ((options->sweep || options->bisect || options->repeat > 1 || count > 1) &&
             (options->store || options->marks || options->marks_file || options->on_event || options->capture))
        cli_error(verb, "--store, --capture, --mark, --marks and --on-event are for a single soak");
    else if ((options->sweep || options->bisect || options->repeat > 1) && count > 1)
        cli_error(verb, "several links run once, without --sweep, --bisect and --repeat");
    else
        return true;
    return false;
}

/* What the command line asks for, read. */
struct asked {
    struct zg_soak_settings settings;
    GArray *requirements, *claims, *until; /* of struct zg_soak_requirement */
    GArray *links;                         /* of struct zg_address */
    struct zg_fault_times *fault_times;
    struct zg_own *own; /* NULL: other traffic */
};

static void clear_link(void *data)
{
    zg_address_clear(data);
}

static void clear_asked(struct asked *asked)
{
    g_clear_pointer(&asked->requirements, g_array_unref);
    g_clear_pointer(&asked->claims, g_array_unref);
    g_clear_pointer(&asked->until, g_array_unref);
    g_clear_pointer(&asked->links, g_array_unref);
    zg_fault_times_free(asked->fault_times);
    zg_own_free(asked->own);
}

static bool read_links(const struct cli_verb *verb, char **texts, GArray **links)
{
    *links = g_array_new(FALSE, FALSE, sizeof(struct zg_address));
    g_array_set_clear_func(*links, clear_link);
    for (; *texts; texts++) {
        g_autoptr(GError) error = NULL;
        struct zg_address address;
        if (!zg_address_parse(*texts, &address, &error)) {
            cli_error(verb, "%s", error->message);
            return false;
        }
        g_array_append_val(*links, address);
    }
    return true;
}

/* Whether these links can be soaked as is asked. */
static bool check_links(const struct cli_verb *verb, const struct options *options, const struct asked *asked)
{
    const bool is_real = asked->settings.link != NULL;

    for (guint i = 0; i < asked->links->len; i++) {
        const struct zg_address *link = &g_array_index(asked->links, struct zg_address, i);
        if (link->kind == ZG_ADDRESS_FILE)
            cli_error(verb, "%s: a capture can only be read; soak a real link, or sim:", link->text);
        else if (asked->links->len > 1 && link->kind == ZG_ADDRESS_SIM)
            cli_error(verb, "several links are real ones; sim: runs by itself");
        else
            continue;
        return false;
    }
    if (is_real && asked->fault_times)
        cli_error(verb, "--faults: faults with times need sim:");
    else if (!is_real && (options->traffic || options->way))
        cli_error(verb, "--%s: sim: always has all traffic", options->traffic ? "traffic" : "way");
    else if (!is_real && options->capture)
        cli_error(verb, "--capture: nothing to capture on the simulated line, which does not run in real time");
    else if (!is_real && (options->loopback || options->prove))
        cli_error(verb, "--%s: is for a real link", options->loopback ? "loopback" : "prove-ledger");
    else if (options->loopback && (options->traffic || options->way || options->prove))
        cli_error(verb, "--loopback: leave --traffic, --way and --prove-ledger out; there is no device");
    else if (!is_real && options->warm_up)
        cli_error(verb, "--warm-up: nothing on the simulated line gets warm");
    else
        return !is_real || is_for_real(verb, options, &asked->settings.faults, asked->requirements);
    return false;
}

static bool read_asked(const struct cli_verb *verb, char **argv, const struct options *options, struct asked *asked)
{
    char *until[] = { options->until, NULL };

    if (!fit_together(verb, options, g_strv_length(argv + 2)) || !read_settings(verb, options, &asked->settings))
        return false;
    asked->requirements = read_requirements(verb, "require", options->requirements, options->confidence);
    asked->claims = asked->requirements ? read_requirements(verb, "claim", options->claims, options->confidence) : NULL;
    asked->until = asked->claims ? read_requirements(verb, "until", until, options->confidence) : NULL;
    if (!asked->until || !read_links(verb, argv + 2, &asked->links) ||
        !read_fault_times(verb, options->faults, &asked->fault_times))
        return false;
    const struct zg_address *first = &g_array_index(asked->links, struct zg_address, 0);
    asked->settings.link = first->kind == ZG_ADDRESS_SIM ? NULL : first;
    asked->settings.fault_times = asked->fault_times;
    if (asked->until->len > 0)
        asked->settings.until = &g_array_index(asked->until, struct zg_soak_requirement, 0);
    return check_links(verb, options, asked);
}

/* What of the definition's own messages is sent. */
static bool read_own(const struct cli_verb *verb, const struct zg_plan *plan, const struct options *options,
                     struct asked *asked)
{
    uint64_t period_ns = 0;

    if (!options->send && !options->random_values) {
        cli_error(verb,
                  "--traffic own: say what may be sent: --send NAME={...}, --send NAME.FIELD=A..B; or --random-values, "
                  "which may move a real machine");
        return false;
    }
    if (!cli_time(verb, "every", options->every, &period_ns))
        return false;
    asked->own = asked->settings.own = zg_own_new(plan);
    zg_own_set_period(asked->own, period_ns);
    if (options->random_values)
        zg_own_add_all(asked->own);
    for (char **text = options->send; text && *text; text++) {
        g_autoptr(GError) error = NULL;
        if (!zg_own_add(asked->own, *text, &error)) {
            cli_error(verb, "--send: %s", error->message);
            return false;
        }
    }
    if (zg_own_count(asked->own) > 0)
        return true;
    cli_error(verb, "--random-values: the host sends no message of this definition");
    return false;
}

static int run_loaded(const struct cli_verb *verb, const struct zg_plan *plan, const char *definition,
                      const struct options *options, struct asked *asked)
{
    struct zg_soak_settings *settings = &asked->settings;

    if (!options->late)
        settings->late_ns = zg_soak_usual_late_ns(plan);
    if (!options->slow)
        settings->slow_ns = 2 * zg_soak_usual_late_ns(plan);
    if (settings->traffic == ZG_SOAK_OWN && !read_own(verb, plan, options, asked))
        return CLI_USAGE;
    if (asked->claims->len > 0) {
        print_claims(plan, settings, asked->claims);
        return CLI_YES;
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
                                .stretches = (uint32_t)options->stretches,
                                .marks = options->marks,
                                .marks_file = options->marks_file,
                                .on_event = options->on_event };
    return start(&run, options, (const struct zg_address *)(const void *)asked->links->data, asked->links->len);
}

/* Runs the parsed command line. Settings are checked first, before anything is loaded. */
static int run_with(const struct cli_verb *verb, char **argv, const struct options *options)
{
    struct asked asked = { .links = NULL };
    struct cli_definition loaded;
    int status = CLI_USAGE;

    if (read_asked(verb, argv, options, &asked)) {
        status = cli_load(verb, argv[1], false, &loaded);
        if (status == CLI_YES)
            status = run_loaded(verb, loaded.plan, argv[1], options, &asked);
        cli_definition_clear(&loaded);
    }
    clear_asked(&asked);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    const struct zg_soak_settings defaults = zg_soak_defaults();
    struct options options = {
        .load = defaults.load, .confidence = 0.95, .seed = (gint64)defaults.seed, .open = OPEN_USUAL
    };
    GOptionEntry entries[] = {
        { "for", 0, 0, G_OPTION_ARG_STRING, &options.duration,
          "How long frames are sent: 500us, 20ms, 10s, 10min, 24h; default 10s", "TIME" },
        { "faults", 0, 0, G_OPTION_ARG_STRING, &options.faults,
          "What goes wrong: ber=1e-5,drop=1e-6, burst, hum, cut, jitter, swap, restart, mask, ... (docs/soak.md); each "
          "way, "
          "or after out: or back: that one; or a file that says when",
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
        { "stretches", 0, 0, G_OPTION_ARG_INT, &options.stretches,
          "Of how many damages the store keeps the bytes before it takes fewer; default 100000", "N" },
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

    if (!cli_parse(verb, entries, &argc, &argv, 2, 16))
        return CLI_USAGE;
    int status = run_with(verb, argv, &options);
    g_free(options.duration);
    g_free(options.faults);
    g_free(options.late);
    g_free(options.slow);
    g_free(options.capture);
    g_free(options.traffic);
    g_free(options.way);
    g_free(options.until);
    g_free(options.at_most);
    g_free(options.store);
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
