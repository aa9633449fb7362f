/* SPDX-License-Identifier: MIT */
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "live.h"
#include "soak/report.h"

enum { OPEN_USUAL = G_MININT }; /* as many echoes as suit the line */

/* The command line, as written. */
struct options {
    char *duration, *faults, *late, *slow, *capture, *traffic, *way;
    char **requirements, **claims;
    double load, confidence;
    gint64 seed;
    gint open, to;
    gboolean as_json;
};

/* Progress on standard error: on a terminal one line that is redrawn, otherwise a line every 10 s. */
struct progress {
    gint64 begun_us;
    gint64 next_us;
    bool terminal;
};

static bool show_progress(double done, void *data)
{
    struct progress *progress = data;
    gint64 now = g_get_monotonic_time();

    if (now >= progress->next_us && done > 0) {
        double left = (double)(now - progress->begun_us) * (1 - done) / done / 1e6;
        (void)fprintf(stderr, progress->terminal ? "\r%3.0f %%, %.0f s left " : "%3.0f %%, %.0f s left\n", 100 * done,
                      left);
        progress->next_us = now + (progress->terminal ? 200000 : 10000000);
    }
    return !cli_stopped();
}

/* A word, whose place in the list, from 1, is its value. */
static const char *const traffic_words[] = { "echo", "stream", "both", "listen", NULL };
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
        !cli_time(verb, "late", options->late, &settings->late_ns) ||
        !cli_time(verb, "slow", options->slow, &settings->slow_ns))
        return false;
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
    if (options->faults && !zg_faults_parse(options->faults, &settings->faults, &error)) {
        cli_error(verb, "--faults: %s", error->message);
        return false;
    }
    return true;
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

static int soak(const struct cli_verb *verb, const struct zg_plan *plan, const struct zg_soak_settings *settings,
                const GArray *requirements, bool as_json)
{
    struct progress progress = { g_get_monotonic_time(), 0, isatty(STDERR_FILENO) == 1 };
    g_autoptr(GError) error = NULL;

    progress.next_us = progress.begun_us + (progress.terminal ? 500000 : 10000000);
    cli_catch_signals();
    g_autofree struct zg_soak_result *result =
        (settings->link ? zg_soak_run_live : zg_soak_run)(plan, settings, show_progress, &progress, &error);
    if (!result) {
        cli_error(verb, "%s", error->message);
        return error->domain == ZG_SOAK_ERROR && error->code == ZG_SOAK_ERROR_PLAN ? CLI_NO : CLI_TROUBLE;
    }
    if (progress.terminal)
        (void)fprintf(stderr, "\r%24s\r", "");
    const struct zg_soak_report report = { plan, settings, result,
                                           (const struct zg_soak_requirement *)(const void *)requirements->data,
                                           requirements->len };
    g_autofree char *text = as_json ? zg_soak_report_json(&report) : zg_soak_report_text(&report);
    cli_print(as_json ? "%s\n" : "%s", text);
    if (result->ended[0] != '\0') {
        cli_error(verb, "ended early: %s", result->ended);
        return CLI_TROUBLE;
    }
    return zg_soak_passed(&report) ? CLI_YES : CLI_NO;
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
    if (!zg_faults_need_sim(faults))
        return true;
    cli_error(verb, "--faults: on a real link bytes can be damaged: ber, drop, double, insert; latency, repeat, swap "
                    "and stray need sim:");
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

/* Runs the parsed command line. Settings are checked first, before anything is loaded. */
static int run_with(const struct cli_verb *verb, char **argv, const struct options *options)
{
    struct zg_soak_settings settings;
    struct zg_address address;
    g_autoptr(GError) error = NULL;
    struct cli_definition loaded;

    if (!read_settings(verb, options, &settings))
        return CLI_USAGE;
    g_autoptr(GArray) requirements = read_requirements(verb, "require", options->requirements, options->confidence);
    g_autoptr(GArray) claims =
        requirements ? read_requirements(verb, "claim", options->claims, options->confidence) : NULL;
    if (!claims)
        return CLI_USAGE;
    if (!zg_address_parse(argv[2], &address, &error)) {
        cli_error(verb, "%s", error->message);
        return CLI_USAGE;
    }
    settings.link = address.kind == ZG_ADDRESS_SIM ? NULL : &address;
    int status = CLI_USAGE;
    if (address.kind == ZG_ADDRESS_FILE)
        cli_error(verb, "%s: a capture can only be read; soak a real link, or sim:", address.text);
    else if (!settings.link && (options->traffic || options->way))
        cli_error(verb, "--%s: sim: always has all traffic", options->traffic ? "traffic" : "way");
    else if (!settings.link && settings.capture)
        cli_error(verb, "--capture: nothing to capture on the simulated line, which does not run in real time");
    else if (!settings.link || is_for_real(verb, options, &settings.faults, requirements)) {
        status = cli_load(verb, argv[1], false, &loaded);
        if (status == CLI_YES && !options->late)
            settings.late_ns = zg_soak_usual_late_ns(loaded.plan);
        if (status == CLI_YES && !options->slow)
            settings.slow_ns = 2 * zg_soak_usual_late_ns(loaded.plan);
        if (status == CLI_YES && claims->len > 0)
            print_claims(loaded.plan, &settings, claims);
        else if (status == CLI_YES && !is_addressed(verb, loaded.plan, &settings))
            status = CLI_NO;
        else if (status == CLI_YES)
            status = soak(verb, loaded.plan, &settings, requirements, options->as_json);
        cli_definition_clear(&loaded);
    }
    zg_address_clear(&address);
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
          "What goes wrong: ber, drop, double, insert, latency; repeat, swap, stray (shares of frames); each way, or "
          "after out: or back: that one",
          "LIST" },
        { "seed", 0, 0, G_OPTION_ARG_INT64, &options.seed, "The same seed gives the same run; default 1", "N" },
        { "load", 0, 0, G_OPTION_ARG_DOUBLE, &options.load, "Share of the line's capacity to use each way; default 0.5",
          "SHARE" },
        { "traffic", 0, 0, G_OPTION_ARG_STRING, &options.traffic,
          "On a real link: echo, stream, both or listen (sends nothing); default what the definition's services allow",
          "KIND" },
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
        { "claim", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.claims,
          "Run nothing; say how many frames would show it, and how long that takes; repeatable", "RULE" },
        { "confidence", 0, 0, G_OPTION_ARG_DOUBLE, &options.confidence, "Of these claims, one-sided; default 0.95",
          "SHARE" },
        { "capture", 0, 0, G_OPTION_ARG_FILENAME, &options.capture,
          "On a real link: write everything that passes, with times", "FILE" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON document", NULL },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 2, 2))
        return CLI_USAGE;
    int status = run_with(verb, argv, &options);
    g_free(options.duration);
    g_free(options.faults);
    g_free(options.late);
    g_free(options.slow);
    g_free(options.capture);
    g_free(options.traffic);
    g_free(options.way);
    g_strfreev(options.requirements);
    g_strfreev(options.claims);
    return cli_finish(verb, status);
}

const struct cli_verb cli_soak = {
    "soak", "DEF LINK", "Sends numbered traffic and accounts for every frame",
    "zeugma soak examples/loom/loom.yaml sim: --for 10min --faults ber=1e-5,drop=1e-6 --seed 7", run
};
