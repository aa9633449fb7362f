/* SPDX-License-Identifier: MIT */
#include <stdio.h>

#include "devices.h"
#include "node/session.h"
#include "view/plotted.h"

#define SECOND_NS UINT64_C(1000000000)

struct options {
    char *output, *duration, *from, *span, *size, *capture;
    gboolean dark;
};

/* The command line, read. */
struct asked {
    enum zg_picture_kind kind;
    uint64_t duration_ns, from_ns, span_ns; /* 0: not given */
    double width, height;
};

struct plotting;

/* A device whose values are drawn. */
struct plotted_device {
    struct plotting *plotting;
    unsigned number;
    uint64_t frames; /* from it */
};

struct plotting {
    const struct cli_verb *verb;
    struct cli_devices devices;
    struct plotted_device plotted_devices[CLI_DEVICES_MOST];
    char *links; /* all of them */
    struct zg_plotted *plotted;
    GError *failure; /* the first of a link */
};

static void take_stretch(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    struct plotted_device *device = data;

    device->frames += !out && stretch->kind == ZG_STRETCH_FRAME;
    if (!out)
        zg_plotted_take(device->plotting->plotted, device->number, at_ns, stretch);
}

static const struct zg_session_calls calls = { .stretch = take_stretch };

static void take_failure(void *data, unsigned which, const GError *why)
{
    struct plotting *plotting = data;

    (void)which;
    if (!plotting->failure)
        plotting->failure = g_error_copy(why);
}

/* Takes what passes until the time is over, the captures have ended, or Ctrl-C. */
static void listen(struct plotting *plotting, uint64_t duration_ns)
{
    const struct cli_devices *devices = &plotting->devices;
    struct zg_session *sessions[CLI_DEVICES_MOST];

    for (unsigned i = 0; i < plotting->devices.count; i++) {
        plotting->plotted_devices[i] = (struct plotted_device){ plotting, i, 0 };
        sessions[i] =
            zg_session_new(devices->viewed[i].plan, devices->wires[i], false, &calls, &plotting->plotted_devices[i]);
    }
    while (!cli_stopped() && (duration_ns == 0 || zg_wire_now_ns(devices->wires[0]) < duration_ns) &&
           zg_sessions_step(sessions, plotting->devices.count, -1, 50000000, take_failure, plotting))
        continue;
    for (unsigned i = 0; i < plotting->devices.count; i++) {
        zg_session_end(sessions[i]);
        zg_session_free(sessions[i]);
    }
}

static char *note_of(const struct zg_plotted *plotted, const char *link)
{
    return g_strdup_printf("%s, %" G_GUINT64_FORMAT " values%s", link, zg_plotted_count(plotted),
                           zg_plotted_skipped(plotted) > 0 ? "; red ticks: bytes that were no frame" : "");
}

static bool draw(const struct plotting *plotting, const struct options *options, const struct asked *asked,
                 GError **error)
{
    const struct zg_plotted *plotted = plotting->plotted;
    g_autofree char *note = note_of(plotted, plotting->links);
    g_autofree char *title = plotting->devices.names ? g_strjoinv(", ", plotting->devices.names)
                                                     : g_strdup(plotting->devices.viewed->plan->definition->protocol);
    struct zg_plot plot = {
        .title = title, .note = note, .width = asked->width, .height = asked->height, .dark = options->dark
    };

    (void)zg_plotted_times(plotted, &plot.from_s, &plot.to_s);
    if (options->from)
        plot.from_s = (double)asked->from_ns * 1e-9;
    if (options->span && options->from)
        plot.to_s = plot.from_s + (double)asked->span_ns * 1e-9;
    else if (options->span) /* the newest */
        plot.from_s = MAX(plot.from_s, plot.to_s - (double)asked->span_ns * 1e-9);
    if (!(plot.to_s > plot.from_s))
        plot.to_s = plot.from_s + 1;
    zg_plotted_draw(plotted, (guint)asked->width, &plot);
    const bool good = zg_picture_plot(&plot, asked->kind, options->output, error);
    zg_plotted_release(&plot);
    return good;
}

static int nothing_came(const struct plotting *plotting)
{
    uint64_t frames = 0;

    for (unsigned i = 0; i < plotting->devices.count; i++)
        frames += plotting->plotted_devices[i].frames;
    if (frames > 0)
        cli_error(plotting->verb,
                  "%s: no value of these fields came in %" G_GUINT64_FORMAT
                  " frames, so nothing is drawn; zeugma watch shows what they hold",
                  plotting->links, frames);
    else
        cli_error(plotting->verb,
                  "%s: no frame came, so nothing is drawn; --for listens longer, and a device that only answers "
                  "must be asked, with zeugma send",
                  plotting->links);
    return CLI_NO;
}

static int plot_links(struct plotting *plotting, const struct options *options, const struct asked *asked)
{
    g_autoptr(GError) error = NULL;

    cli_catch_signals();
    int status = cli_devices_open(&plotting->devices, options->capture, NULL, NULL);
    if (status != CLI_YES)
        return cli_devices_close(&plotting->devices, status);
    bool is_replay = true;
    for (unsigned i = 0; i < plotting->devices.count; i++)
        is_replay = is_replay && zg_wire_is_replay(plotting->devices.wires[i]);
    listen(plotting, asked->duration_ns > 0 ? asked->duration_ns : is_replay ? 0 : 10 * SECOND_NS);
    const uint64_t count = zg_plotted_count(plotting->plotted);
    if (plotting->failure) /* what came until then is drawn */
        status = cli_trouble(plotting->verb, plotting->failure);
    if (count == 0)
        return cli_devices_close(&plotting->devices, plotting->failure ? status : nothing_came(plotting));
    if (!draw(plotting, options, asked, &error))
        status = cli_trouble(plotting->verb, error);
    else
        cli_print("%s: %" G_GUINT64_FORMAT " values\n", options->output, count);
    return cli_devices_close(&plotting->devices, status);
}

static bool read_options(const struct cli_verb *verb, const struct options *options, struct asked *asked)
{
    g_autoptr(GError) error = NULL;
    unsigned width = 1280, height = 800;
    char rest;

    if (!options->output) {
        cli_error(verb, "expected -o FILE, which ends in .svg, .png or .pdf");
        return false;
    }
    if (!zg_picture_kind_of(options->output, &asked->kind, &error)) {
        cli_error(verb, "-o: %s", error->message);
        return false;
    }
    if (options->size && (sscanf(options->size, "%ux%u%c", &width, &height, &rest) != 2 || width < 200 ||
                          height < 150 || width > 20000 || height > 20000)) {
        cli_error(verb, "--size: expected WIDTHxHEIGHT in points, from 200x150 to 20000x20000, found \"%s\"",
                  options->size);
        return false;
    }
    asked->width = width;
    asked->height = height;
    return cli_time(verb, "for", options->duration, &asked->duration_ns) &&
           cli_time(verb, "from", options->from, &asked->from_ns) &&
           cli_time(verb, "span", options->span, &asked->span_ns);
}

/* How many pairs DEF LINK the arguments begin with: a LINK can be told from the fields that follow. */
static unsigned count_devices(int count, char *const *arguments)
{
    unsigned devices = 1;

    for (int i = 3; i < count && devices < CLI_DEVICES_MOST; i += 2) {
        struct zg_address address;
        if (!zg_address_parse(arguments[i], &address, NULL))
            break;
        zg_address_clear(&address);
        devices++;
    }
    return devices;
}

/* Finds the fields. False: a message was printed. */
static bool add_fields(struct plotting *plotting, char *const *fields)
{
    g_autoptr(GError) error = NULL;

    plotting->plotted = zg_plotted_new(plotting->devices.viewed, plotting->devices.count);
    for (; *fields && !error; fields++)
        (void)zg_plotted_add(plotting->plotted, *fields, &error);
    if (error)
        cli_error(plotting->verb, "%s", error->message);
    return !error;
}

static char *all_links(const struct cli_devices *devices)
{
    GString *links = g_string_new(NULL);

    for (unsigned i = 0; i < devices->count; i++)
        g_string_append_printf(links, "%s%s", i > 0 ? ", " : "", devices->links[i]);
    return g_string_free(links, FALSE);
}

static int run_with(const struct cli_verb *verb, int count, char **arguments, const struct options *options)
{
    const unsigned devices = count_devices(count, arguments);
    struct plotting plotting = { .verb = verb };
    struct asked asked = { .kind = ZG_PICTURE_SVG };

    if (!read_options(verb, options, &asked))
        return CLI_USAGE;
    if (2 * devices >= (unsigned)count) {
        cli_error(verb, "expected a FIELD behind %s", arguments[count - 1]);
        return CLI_USAGE;
    }
    int status = cli_devices_load(&plotting.devices, verb, devices, arguments);
    if (status == CLI_YES) {
        plotting.links = all_links(&plotting.devices);
        status = add_fields(&plotting, arguments + 2 * devices) ? plot_links(&plotting, options, &asked) : CLI_USAGE;
    }
    zg_plotted_free(plotting.plotted);
    cli_devices_clear(&plotting.devices);
    g_free(plotting.links);
    g_clear_error(&plotting.failure);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { .output = NULL };
    GOptionEntry entries[] = {
        { "output", 'o', 0, G_OPTION_ARG_FILENAME, &options.output, "The picture: .svg, .png or .pdf", "FILE" },
        { "for", 0, 0, G_OPTION_ARG_STRING, &options.duration, "How long to listen; default 10s, a capture to its end",
          "TIME" },
        { "from", 0, 0, G_OPTION_ARG_STRING, &options.from, "Draw from this time on", "TIME" },
        { "span", 0, 0, G_OPTION_ARG_STRING, &options.span, "Draw so much; without --from the newest", "TIME" },
        { "size", 0, 0, G_OPTION_ARG_STRING, &options.size, "Points; default 1280x800", "WIDTHxHEIGHT" },
        { "dark", 0, 0, G_OPTION_ARG_NONE, &options.dark, "Light lines on a dark ground", NULL },
        { "capture", 0, 0, G_OPTION_ARG_FILENAME, &options.capture, "Write everything that passes, with times",
          "FILE" },
        G_OPTION_ENTRY_NULL
    };

    if (!cli_parse(verb, entries, &argc, &argv, 3, 64))
        return CLI_USAGE;
    const int status = run_with(verb, argc - 1, argv + 1, &options);
    g_free(options.output);
    g_free(options.duration);
    g_free(options.from);
    g_free(options.span);
    g_free(options.size);
    g_free(options.capture);
    return cli_finish(verb, status);
}

const struct cli_verb cli_plot = { "plot", "DEF LINK [DEF LINK...] FIELD...", "Draws values over time as a picture",
                                   "zeugma plot examples/loom/loom.yaml sim: tension --for 3s -o /tmp/tension.svg",
                                   run };
