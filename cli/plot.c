/* SPDX-License-Identifier: MIT */
#include <stdio.h>

#include "live.h"
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

struct plotting {
    struct zg_wire *wire;
    uint64_t frames; /* from the device */
    struct zg_plotted *plotted;
};

static void take_stretch(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    struct plotting *plotting = data;

    plotting->frames += !out && stretch->kind == ZG_STRETCH_FRAME;
    if (!out)
        zg_plotted_take(plotting->plotted, at_ns, stretch);
}

static const struct zg_session_calls calls = { .stretch = take_stretch };

/* Takes what passes until the time is over, the capture has ended, or Ctrl-C. */
static void listen(struct plotting *plotting, const struct zg_plan *plan, uint64_t duration_ns, GError **error)
{
    struct zg_session *session = zg_session_new(plan, plotting->wire, false, &calls, plotting);

    while (!cli_stopped() && !zg_wire_has_ended(plotting->wire) &&
           (duration_ns == 0 || zg_wire_now_ns(plotting->wire) < duration_ns))
        if (!zg_session_step(session, -1, 50000000, error))
            break;
    zg_session_end(session);
    zg_session_free(session);
}

static char *note_of(const struct zg_plotted *plotted, const char *link)
{
    return g_strdup_printf("%s, %" G_GUINT64_FORMAT " values%s", link, zg_plotted_count(plotted),
                           zg_plotted_skipped(plotted) > 0 ? "; red ticks: bytes that were no frame" : "");
}

static bool draw(const struct zg_plotted *plotted, const struct zg_plan *plan, const char *link,
                 const struct options *options, const struct asked *asked, GError **error)
{
    g_autofree char *note = note_of(plotted, link);
    struct zg_plot plot = { .title = plan->definition->protocol,
                            .note = note,
                            .width = asked->width,
                            .height = asked->height,
                            .dark = options->dark };

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

static int plot_link(const struct cli_verb *verb, const struct zg_plan *plan, char **argv,
                     const struct options *options, const struct asked *asked, struct plotting *plotting)
{
    struct zg_wire_settings settings = { .plan = plan, .capture = options->capture };
    g_autoptr(GError) error = NULL;

    cli_catch_signals();
    int status = cli_open(verb, argv[2], &settings, &plotting->wire);
    if (status != CLI_YES)
        return status;
    const uint64_t usual_ns = zg_wire_is_replay(plotting->wire) ? 0 : 10 * SECOND_NS;
    listen(plotting, plan, asked->duration_ns > 0 ? asked->duration_ns : usual_ns, &error);
    const uint64_t count = zg_plotted_count(plotting->plotted);
    if (count == 0 && !error) {
        if (plotting->frames > 0)
            cli_error(verb,
                      "%s: no value of these fields came in %" G_GUINT64_FORMAT
                      " frames, so nothing is drawn; zeugma watch shows what they hold",
                      argv[2], plotting->frames);
        else
            cli_error(verb,
                      "%s: no frame came, so nothing is drawn; --for listens longer, and a device that only answers "
                      "must be asked, with zeugma send",
                      argv[2]);
        return cli_close(verb, plotting->wire, CLI_NO);
    }
    if (error) /* what came until then is drawn */
        status = cli_trouble(verb, error);
    g_clear_error(&error);
    if (count > 0 && !draw(plotting->plotted, plan, argv[2], options, asked, &error))
        status = cli_trouble(verb, error);
    else if (count > 0)
        cli_print("%s: %" G_GUINT64_FORMAT " values\n", options->output, count);
    return cli_close(verb, plotting->wire, status);
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

static int run_with(const struct cli_verb *verb, char **argv, const struct options *options)
{
    struct cli_definition loaded;
    struct plotting plotting = { .wire = NULL };
    struct asked asked = { .kind = ZG_PICTURE_SVG };
    g_autoptr(GError) error = NULL;

    if (!read_options(verb, options, &asked))
        return CLI_USAGE;
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES) {
        plotting.plotted = zg_plotted_new(loaded.plan);
        for (char **fields = argv + 3; *fields && !error; fields++)
            (void)zg_plotted_add(plotting.plotted, *fields, &error);
        if (error) {
            cli_error(verb, "%s", error->message);
            status = CLI_USAGE;
        } else {
            status = plot_link(verb, loaded.plan, argv, options, &asked, &plotting);
        }
        zg_plotted_free(plotting.plotted);
    }
    cli_definition_clear(&loaded);
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
    const int status = run_with(verb, argv, &options);
    g_free(options.output);
    g_free(options.duration);
    g_free(options.from);
    g_free(options.span);
    g_free(options.size);
    g_free(options.capture);
    return cli_finish(verb, status);
}

const struct cli_verb cli_plot = { "plot", "DEF LINK FIELD...", "Draws values over time as a picture",
                                   "zeugma plot examples/loom/loom.yaml sim: tension --for 3s -o /tmp/tension.svg",
                                   run };
