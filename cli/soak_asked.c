/* SPDX-License-Identifier: MIT */
#include "soak_asked.h"

#include <string.h>

#include "live.h"
#include "soak/sweep.h"

/* A word, whose place in the list, from 1, is its value. */
static const char *const traffic_words[] = { "echo", "stream", "both", "listen", "own", NULL };
enum { OWN_WORD = 5 };
static const char *const way_words[] = { "back", "out", "both", NULL };
static const char *const line_words[] = { "bytes", "bits", NULL };

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

static bool read_settings(const struct cli_verb *verb, const struct cli_soak_options *options,
                          struct zg_soak_settings *settings)
{
    g_autoptr(GError) error = NULL;
    unsigned line = 0;

    *settings = zg_soak_defaults();
    settings->seed = (uint64_t)options->seed;
    settings->load = options->load;
    settings->open = options->open == CLI_SOAK_OPEN_USUAL ? 0 : (unsigned)options->open;
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
    if (options->open != CLI_SOAK_OPEN_USUAL && (options->open < 1 || options->open > 1000)) {
        cli_error(verb, "--open: expected a number from 1 to 1000, found %d", options->open);
        return false;
    }
    if (!read_word(verb, "traffic", options->traffic, traffic_words, &settings->traffic) ||
        !read_word(verb, "way", options->way, way_words, &settings->way) ||
        !read_word(verb, "line", options->line, line_words, &line))
        return false;
    settings->bits = line == 2;
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

GArray *cli_soak_requirements(const struct cli_verb *verb, const char *option, char **texts, double confidence)
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

/* Whether the faults can be made at this end of a real link, and what is asked can be seen there. */
static bool is_for_real(const struct cli_verb *verb, const struct cli_soak_options *options,
                        const struct zg_faults *faults, const GArray *requirements)
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

static void clear_axis(void *data)
{
    zg_sweep_axis_clear(data);
}

GArray *cli_soak_axes(const struct cli_verb *verb, const struct cli_soak_options *options, bool is_real)
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

/* Options that need each other, or exclude each other. */
static bool fit_together(const struct cli_verb *verb, const struct cli_soak_options *options, unsigned count)
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
    else if (options->way && (g_strcmp0(options->traffic, "echo") == 0 || g_strcmp0(options->traffic, "listen") == 0))
        cli_error(verb, "--way: is for streams; leave it out with --traffic %s", options->traffic);
    else if (options->goes_on && !options->store)
        cli_error(verb, "--continue: goes on with the newest run of a store: --store FILE");
    else if ((options->bisect == NULL) != (options->limit == NULL))
        cli_error(verb, "--bisect NAME=FROM..TO and --limit \"lost <= 1e-4\" belong together");
    else if (options->bisect && options->sweep)
        cli_error(verb, "--bisect: leave --sweep out");
    else if (options->repeat < 0 || options->repeat > ZG_SWEEP_POINTS)
        cli_error(verb, "--repeat: expected a number from 1 to %d, found %d", ZG_SWEEP_POINTS, options->repeat);
    else if ((options->sweep || options->bisect || options->repeat > 1 || count > 1) &&
             (options->store || options->page || options->live || options->marks || options->marks_file ||
              options->on_event || options->capture))
        cli_error(verb, "--store, --html, --page, --capture, --mark, --marks and --on-event are for a single soak");
    else if (options->page && options->page[0] == '\0')
        cli_error(verb, "--html: expected a file, found \"\"");
    else if ((options->sweep || options->bisect || options->repeat > 1) && count > 1)
        cli_error(verb, "several links run once, without --sweep, --bisect and --repeat");
    else
        return true;
    return false;
}

static void clear_link(void *data)
{
    zg_address_clear(data);
}

void cli_soak_clear(struct cli_soak_asked *asked)
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
static bool check_links(const struct cli_verb *verb, const struct cli_soak_options *options,
                        const struct cli_soak_asked *asked)
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

bool cli_soak_read(const struct cli_verb *verb, char **argv, const struct cli_soak_options *options,
                   struct cli_soak_asked *asked)
{
    char *until[] = { options->until, NULL };

    if (!fit_together(verb, options, g_strv_length(argv + 2)) || !read_settings(verb, options, &asked->settings))
        return false;
    asked->requirements = cli_soak_requirements(verb, "require", options->requirements, options->confidence);
    asked->claims =
        asked->requirements ? cli_soak_requirements(verb, "claim", options->claims, options->confidence) : NULL;
    asked->until = asked->claims ? cli_soak_requirements(verb, "until", until, options->confidence) : NULL;
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

bool cli_soak_own(const struct cli_verb *verb, const struct zg_plan *plan, const struct cli_soak_options *options,
                  struct cli_soak_asked *asked)
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
