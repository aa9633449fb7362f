/* SPDX-License-Identifier: MIT */
#include <langinfo.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "devices.h"
#include "plan/end.h"
#include "watch_print.h"
#include "watch_screen.h"

#define SECOND_NS UINT64_C(1000000000)

enum { REDRAW_NS = 100000000, STEP_NS = 50000000, PAGE_WAIT_NS = 15000000 };
enum { TYPED_MOST = 1000 /* bytes */ };

struct options {
    char *depth, *duration, *capture;
    char *span, *page;
    char **show, **marks, **plots;
    gint64 source, count;
    gint to;
    gboolean table, as_json, as_csv, answer;
};

/* Watching, and what goes on beside printing. */
struct running {
    struct watching watching;
    struct cli_devices devices; /* their definitions and links */
    struct zg_plotted *plotted;
    uint64_t span_ns, until_ns; /* so much is plotted, up to then */
    uint64_t most;              /* frames to show; 0: any number */
    uint64_t drawn_ns;
    guint first_panel, panels; /* of the plots, those that are shown */
    bool all_plots;            /* one at a time, as a key chooses */
    bool unicode, answers;
    unsigned looked; /* the device whose console and newest bytes are shown */
    bool types;      /* keys go to that console */
    GString *typed;  /* and are not sent yet */
    zg_header_number to;
    GError *failure; /* the first of a link */
};

/* --- what happens, and what passes */

/* Tells those at the page, too. */
static void note(struct watched_device *device, const char *text)
{
    struct zg_live *live = device->watching->live;

    watch_say(device->watching, device, text);
    if (live)
        zg_live_event(live, device->wire ? zg_wire_event_ns(device->wire) : 0,
                      ((const struct zg_watched_event *)g_queue_peek_tail(&device->watched.events))->text);
}

static void take_notice(const char *text, void *data)
{
    note(data, text);
}

static void take_stretch(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    struct watched_device *device = data;
    const struct running *running = device->running;

    if (!zg_wire_is_replay(device->wire))
        zg_suspect_stretch(device->suspect, out, stretch);
    if (running->watching.live)
        zg_live_stretch(running->watching.live, device->number, at_ns, out, stretch);
    const bool is_full = running->most > 0 && watch_frames(&running->watching) >= running->most; /* more came at once */
    if (!is_full || stretch->kind == ZG_STRETCH_FRAME)
        zg_watched_stretch(&device->watched, at_ns, out, stretch);
    if (is_full || !zg_selection_shows(device->viewed->selection, stretch))
        return;
    device->frames += stretch->kind == ZG_STRETCH_FRAME;
    device->skipped += stretch->kind == ZG_STRETCH_SKIPPED;
    device->undelivered += stretch->kind == ZG_STRETCH_UNDELIVERED;
    watch_show_stretch(device, at_ns, out, stretch);
}

static void take_bytes(void *data, const struct zg_passage *passage)
{
    struct watched_device *device = data;
    struct zg_live *live = device->watching->live;

    if (!zg_wire_is_replay(device->wire))
        zg_suspect_bytes(device->suspect, passage);
    zg_watched_bytes(&device->watched, passage);
    if (live)
        zg_live_bytes(live, device->number, passage);
    watch_show_bytes(device, passage);
}

static void changed(void *data, zg_header_number address, enum zg_link_event event)
{
    static const char *const words[] = { "the device is heard", "the device is silent: link down",
                                         "the device has said who it is", "the device has restarted",
                                         "the device has another major version" };
    struct watched_device *device = data;

    if (address == 0 || device->viewed->plan->source_bits == 0) {
        note(device, words[event]);
        return;
    }
    g_autofree char *text = g_strdup_printf("%u: %s", address, words[event]);
    note(device, text);
}

/* The observer shows it; here it is acknowledged, and may be what somebody at the page asked for. */
static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    const struct watched_device *device = data;

    (void)frame;
    if (device->watching->live)
        zg_live_told(device->watching->live, device->number, message, values);
}

static void settled(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how)
{
    const struct watched_device *device = data;

    (void)values;
    if (device->watching->live)
        zg_live_settled(device->watching->live, device->number, peer, message, ticket, how);
}

static const struct zg_session_calls calls = { .stretch = take_stretch,
                                               .bytes = take_bytes,
                                               .node = { .take = take, .settled = settled, .changed = changed } };

/* --- the screen */

/* Shows the next plot, after the last none. */
static void show_next_plot(struct running *running)
{
    const guint count = zg_plotted_panels(running->plotted);

    if (!running->all_plots) {
        running->panels = running->panels > 0 ? 0 : count;
    } else if (running->panels == 0) {
        running->first_panel = 0;
        running->panels = count > 0;
    } else if (++running->first_panel == count) {
        running->panels = 0;
    }
}

static struct watched_device *looked_at(const struct running *running)
{
    return &running->watching.devices[running->looked];
}

static bool can_type(const struct running *running)
{
    return running->answers && zg_plan_has_console(looked_at(running)->viewed->plan);
}

/* To the console of the device, as far as there is room. */
static void send_typed(struct running *running)
{
    if (running->typed->len > 0)
        (void)g_string_erase(running->typed, 0,
                             (gssize)zg_node_print(zg_session_node(looked_at(running)->session), running->to,
                                                   running->typed->str, running->typed->len));
}

static void look_at_next(struct running *running)
{
    running->looked = (running->looked + 1) % running->watching.count;
    g_string_truncate(running->typed, 0);
}

static void take_key(struct running *running, int key, bool *done)
{
    struct watching *watching = &running->watching;

    running->drawn_ns = 0;
    if (running->types && key != '\t') {
        if (running->typed->len < TYPED_MOST)
            g_string_append_c(running->typed, (char)key);
        return;
    }
    switch (key) {
    case '\t': running->types = can_type(running) && !running->types; break;
    case 'd': look_at_next(running); break;
    case 'p': show_next_plot(running); break;
    case '1':
    case '2':
    case '3':
        watching->depth = (enum zg_depth)(key - '1');
        zg_recent_forget_lines(&watching->devices->watched.recent);
        break;
    case ' ':
        for (unsigned i = 0; i < watching->count; i++)
            watching->devices[i].watched.held = !watching->devices[i].watched.held;
        break;
    case 'z':
        for (unsigned i = 0; i < watching->count; i++)
            zg_table_begin_anew(watching->devices[i].watched.table);
        break;
    case 'q': *done = true; break;
    default: break;
    }
}

/* The time on the axis that all devices have. */
static uint64_t now_of(const struct running *running)
{
    uint64_t now_ns = 0, read_ns = UINT64_MAX;

    for (unsigned i = 0; i < running->watching.count; i++) {
        const struct zg_wire *wire = running->watching.devices[i].wire;
        now_ns = MAX(now_ns, zg_wire_now_ns(wire));
        if (zg_wire_reads_ahead(wire) && !zg_wire_has_ended(wire))
            read_ns = MIN(read_ns, zg_wire_now_ns(wire));
    }
    return MIN(now_ns, read_ns);
}

static void draw(struct running *running)
{
    const struct watching *watching = &running->watching;
    const uint64_t now_ns = now_of(running);
    const bool is_due = now_ns - running->drawn_ns >= REDRAW_NS;
    struct screen_device devices[CLI_DEVICES_MOST];
    struct zg_serial_errors errors[CLI_DEVICES_MOST];

    for (unsigned i = 0; i < watching->count; i++) {
        struct watched_device *device = &watching->devices[i];
        zg_recent_rate(&device->watched.recent, zg_wire_now_ns(device->wire), device->watched.bytes,
                       device->watched.frames);
        devices[i] = (struct screen_device){ .watched = &device->watched,
                                             .link = device->link,
                                             .now_ns = zg_wire_now_ns(device->wire),
                                             .baud = zg_wire_baud(device->wire),
                                             .up = zg_session_goes_on(device->session) && zg_wire_is_up(device->wire),
                                             .counters = zg_session_counters(device->session, false),
                                             .line = zg_wire_errors(device->wire, &errors[i]) ? &errors[i] : NULL };
    }
    if (!is_due)
        return;
    running->drawn_ns = now_ns;
    if (!watching->devices->watched.held)
        running->until_ns = now_ns;
    const struct screen_view view = { .devices = devices,
                                      .count = watching->count,
                                      .looked = running->looked,
                                      .plotted = running->plotted,
                                      .depth = watching->depth,
                                      .first_panel = running->first_panel,
                                      .panels = running->panels,
                                      .can_type = can_type(running),
                                      .types = running->types,
                                      .until_ns = running->until_ns,
                                      .span_ns = running->span_ns,
                                      .unicode = running->unicode };
    screen_draw(&view);
}

/* --- what looks wrong */

static bool show_baud(unsigned long baud, void *data)
{
    struct watched_device *device = data;
    g_autofree char *text = g_strdup_printf("trying %lu baud", baud);

    if (device->watching->form == FORM_TABLE || isatty(STDERR_FILENO))
        note(device, text);
    return !cli_stopped();
}

static bool find_baud(struct watched_device *device, GError **error)
{
    const unsigned long before = zg_wire_baud(device->wire);
    unsigned frames;

    if (before == 0)
        return true;
    const unsigned long found =
        zg_suspect_find_baud(device->viewed->plan, device->wire, show_baud, device, &frames, error);
    if (*error)
        return false;
    g_autofree char *text = zg_suspect_baud_text(before, found, frames);
    note(device, text);
    return true;
}

static bool judge(struct watched_device *device, GError **error)
{
    bool noise;

    if (zg_wire_is_replay(device->wire))
        return true;
    g_autofree char *text = zg_suspect_judge(device->suspect, zg_session_counters(device->session, false),
                                             zg_wire_now_ns(device->wire), &noise);
    if (text)
        note(device, text);
    return !noise || find_baud(device, error);
}

/* --- the run */

/* The link of a device failed: the others go on. The first error is printed at the end. */
static void take_failure(void *data, unsigned which, const GError *why)
{
    struct running *running = data;

    if (running->watching.count > 1)
        note(&running->watching.devices[which], why->message);
    if (!running->failure)
        running->failure = g_error_copy(why);
}

/* Does what is due of each device, and waits if nothing came. False: no device goes on. */
static bool step(struct running *running, int keys)
{
    struct watching *watching = &running->watching;
    const bool seen = watching->live && zg_live_viewers(watching->live) > 0;
    struct zg_session *sessions[CLI_DEVICES_MOST];

    for (unsigned i = 0; i < watching->count; i++)
        sessions[i] = watching->devices[i].session;
    if (!zg_sessions_step(sessions, watching->count, keys, seen ? PAGE_WAIT_NS : STEP_NS, take_failure, running))
        return false;
    for (unsigned i = 0; i < watching->count; i++) {
        g_autoptr(GError) why = NULL;
        if (!zg_session_goes_on(sessions[i]) || judge(&watching->devices[i], &why))
            continue;
        zg_session_give_up(sessions[i]);
        take_failure(running, i, why);
    }
    return true;
}

/* The caller prints what failed, once the terminal is restored. */
static void watch(struct running *running, uint64_t duration_ns)
{
    struct watching *watching = &running->watching;
    const int keys = watching->form == FORM_TABLE ? STDIN_FILENO : -1;
    bool done = false;

    while (!done && !cli_stopped() && !ferror(stdout) && step(running, keys)) {
        if (watching->live)
            zg_live_step(watching->live);
        watch_print_due(watching);
        if (watching->form == FORM_TABLE) {
            for (int key; (key = screen_key()) >= 0;)
                take_key(running, key, &done);
            if (running->types || running->typed->len > 0)
                send_typed(running);
            draw(running);
        } else if (!zg_wire_is_replay(watching->devices->wire)) {
            (void)fflush(stdout);
        }
        done = done || (duration_ns > 0 && now_of(running) >= duration_ns) ||
               (running->most > 0 && watch_frames(watching) >= running->most);
    }
    for (unsigned i = 0; i < watching->count; i++)
        zg_session_end(watching->devices[i].session);
    watch_print_all(watching);
    (void)fflush(stdout);
    while (watching->live && !running->failure && !done &&
           !cli_stopped()) { /* a capture that has ended can still be looked at */
        zg_live_step(watching->live);
        g_usleep(PAGE_WAIT_NS / 1000);
    }
}

/* Opens the links. CLI_YES; or a status, with a message printed. */
static int open_all(struct running *running, const struct options *options)
{
    struct watching *watching = &running->watching;
    void *data[CLI_DEVICES_MOST];

    for (unsigned i = 0; i < watching->count; i++)
        data[i] = &watching->devices[i];
    const int status = cli_devices_open(&running->devices, options->capture, take_notice, data);
    for (unsigned i = 0; i < watching->count && status == CLI_YES; i++) {
        struct watched_device *device = &watching->devices[i];
        device->wire = running->devices.wires[i];
        if (options->answer && zg_wire_is_replay(device->wire)) {
            cli_error(watching->verb, "%s: a capture can only be read; omit --answer", device->link);
            return CLI_USAGE;
        }
    }
    return status;
}

static int close_all(struct running *running, int status)
{
    for (unsigned i = 0; i < running->watching.count; i++)
        zg_session_free(running->watching.devices[i].session);
    return cli_devices_close(&running->devices, status);
}

static void begin_sessions(struct running *running, const struct options *options)
{
    struct watching *watching = &running->watching;

    for (unsigned i = 0; i < watching->count; i++) {
        struct watched_device *device = &watching->devices[i];
        device->session = zg_session_new(device->viewed->plan, device->wire, options->answer, &calls, device);
        if (options->answer)
            (void)zg_node_follow(zg_session_node(device->session), running->to);
        if (watching->live)
            zg_live_attach(watching->live, i, device->wire, device->session);
    }
    if (watching->live) {
        g_autofree char *page = g_strconcat("page: ", zg_live_address(watching->live), NULL);
        watch_say(watching, NULL, page);
        (void)fflush(stdout);
    }
}

static int open_and_watch(struct running *running, const struct options *options, uint64_t duration_ns)
{
    struct watching *watching = &running->watching;
    int status = open_all(running, options);

    if (status == CLI_YES && watching->form == FORM_TABLE && !screen_begin()) {
        cli_error(watching->verb, "--table needs a terminal; without it, lines are printed");
        status = CLI_USAGE;
    }
    if (status != CLI_YES)
        return close_all(running, status);
    running->most = (uint64_t)options->count;
    begin_sessions(running, options);
    watch(running, duration_ns);
    if (watching->form == FORM_TABLE)
        screen_end();
    for (unsigned i = 0; i < watching->count; i++)
        watch_print_summary(&watching->devices[i]);
    if (running->failure)
        status = cli_trouble(watching->verb, running->failure);
    else if (watch_frames(watching) < (uint64_t)options->count)
        status = CLI_NO;
    return close_all(running, status);
}

/* --- the command line */

static bool read_selection(const struct watching *watching, const struct options *options)
{
    g_autoptr(GError) error = NULL;
    const char *option = "show";
    bool good = zg_viewed_show(watching->viewed, watching->count, (const char *const *)options->show, &error);

    if (good && options->source >= 0) {
        option = "source";
        good = zg_viewed_source(watching->viewed, watching->count, options->source, &error);
    }
    for (char **rule = options->marks; rule && *rule && good; rule++) {
        option = "mark";
        good = zg_viewed_mark(watching->viewed, watching->count, *rule, &error);
    }
    if (!good)
        cli_error(watching->verb, "--%s: %s", option, error->message);
    return good;
}

/* The panels that are plotted. */
static bool read_plots(struct running *running, const struct options *options)
{
    struct watching *watching = &running->watching;
    g_autoptr(GError) error = NULL;

    if (watching->form != FORM_TABLE)
        return true;
    running->plotted = zg_plotted_new(watching->viewed, watching->count);
    for (unsigned i = 0; i < watching->count; i++) {
        watching->devices[i].watched.plotted = running->plotted;
        watching->devices[i].watched.device = i;
    }
    if (!options->plots) {
        running->all_plots = true;
        zg_plotted_add_all(running->plotted);
        return true;
    }
    for (char **fields = options->plots; *fields; fields++)
        if (!zg_plotted_add(running->plotted, *fields, &error)) {
            cli_error(watching->verb, "--plot: %s", error->message);
            return false;
        }
    running->panels = zg_plotted_panels(running->plotted);
    return true;
}

/* Begins to serve the page: CLI_YES; or a status, with a message printed. */
static int begin_page(struct running *running, const struct options *options)
{
    struct watching *watching = &running->watching;
    const struct zg_live_settings settings = { .viewed = watching->viewed,
                                               .count = watching->count,
                                               .links = running->devices.links,
                                               .to = (zg_header_number)options->to,
                                               .answers = options->answer };
    g_autoptr(GError) error = NULL;

    if (!options->page)
        return CLI_YES;
    watching->live = zg_live_new(&settings, options->page[0] != '\0' ? options->page : NULL, &error);
    if (watching->live)
        return CLI_YES;
    cli_error(watching->verb, "--page: %s", error->message);
    return error->code == ZG_PAGE_ERROR_USE ? CLI_USAGE : CLI_TROUBLE;
}

static bool read_form(const struct cli_verb *verb, const struct options *options, struct watching *watching)
{
    static const char *const depths[] = { "raw", "frames", "values", NULL };

    watching->form = options->table || options->plots   ? FORM_TABLE
                     : options->as_json                 ? FORM_JSON
                     : options->as_csv                  ? FORM_CSV
                     : options->page && !options->depth ? FORM_PAGE
                                                        : FORM_LINES;
    watching->depth = ZG_DEPTH_VALUES;
    if ((options->table || options->plots) + options->as_json + options->as_csv > 1) {
        cli_error(verb, "--table or --plot, --json and --csv exclude each other");
        return false;
    }
    if (!options->depth)
        return true;
    for (unsigned i = 0; depths[i]; i++)
        if (strcmp(depths[i], options->depth) == 0) {
            watching->depth = (enum zg_depth)i;
            return true;
        }
    cli_error(verb, "--depth: expected raw, frames or values, found \"%s\"", options->depth);
    return false;
}

/* What is kept of each device. */
static void begin_devices(struct running *running)
{
    struct watching *watching = &running->watching;
    const bool coloured = isatty(STDOUT_FILENO) == 1 && watching->form != FORM_TABLE && !g_getenv("NO_COLOR");

    for (unsigned i = 0; i < watching->count; i++) {
        struct watched_device *device = &watching->devices[i];
        device->watching = watching;
        device->running = running;
        device->number = i;
        device->viewed = &watching->viewed[i];
        device->link = running->devices.links[i];
        device->lines = zg_lines_new(device->viewed, running->unicode, coloured);
        zg_lines_align(device->lines, zg_viewed_width(watching->viewed, watching->count));
        device->suspect = zg_suspect_new(device->viewed->plan);
        zg_watched_init(&device->watched, device->viewed, watching->form == FORM_TABLE);
    }
}

static void clear_devices(struct running *running)
{
    struct watching *watching = &running->watching;

    for (unsigned i = 0; i < watching->count; i++) {
        struct watched_device *device = &watching->devices[i];
        zg_suspect_free(device->suspect);
        zg_lines_free(device->lines);
        zg_watched_clear(&device->watched);
    }
}

static int run_devices(struct running *running, const struct options *options, uint64_t duration_ns)
{
    struct watching *watching = &running->watching;
    int status = CLI_USAGE;

    running->unicode = strcmp(nl_langinfo(CODESET), "UTF-8") == 0;
    running->typed = g_string_new(NULL);
    watching->text = g_string_new(NULL);
    watching->lines_made = zg_in_order_new();
    begin_devices(running);
    if (read_selection(watching, options) && read_plots(running, options)) {
        cli_catch_signals();
        status = begin_page(running, options);
        if (status == CLI_YES)
            status = open_and_watch(running, options, duration_ns);
    }
    zg_live_free(watching->live);
    watch_print_all(watching);
    clear_devices(running);
    zg_plotted_free(running->plotted);
    zg_in_order_free(watching->lines_made);
    g_string_free(watching->text, TRUE);
    g_string_free(running->typed, TRUE);
    g_clear_error(&running->failure);
    return status;
}

static int run_with(const struct cli_verb *verb, int count, char **arguments, const struct options *options)
{
    struct running running = { .watching.verb = verb,
                               .span_ns = 30 * SECOND_NS,
                               .answers = options->answer,
                               .to = (zg_header_number)options->to };
    struct watching *watching = &running.watching;
    uint64_t duration_ns = 0;

    if (options->count < 0) {
        cli_error(verb, "--count: expected a number above 0, found %" G_GINT64_FORMAT, options->count);
        return CLI_USAGE;
    }
    if (count % 2 != 0 || count > 2 * CLI_DEVICES_MOST) {
        cli_error(verb, "expected DEF LINK for each device, for up to %d, found %d arguments", CLI_DEVICES_MOST, count);
        return CLI_USAGE;
    }
    if (!read_form(verb, options, watching) || !cli_time(verb, "for", options->duration, &duration_ns) ||
        !cli_time(verb, "span", options->span, &running.span_ns))
        return CLI_USAGE;
    watching->count = (unsigned)count / 2;
    watching->devices = g_new0(struct watched_device, watching->count);
    watching->viewed = running.devices.viewed;
    int status = cli_devices_load(&running.devices, verb, watching->count, arguments);
    if (status == CLI_YES)
        status = run_devices(&running, options, duration_ns);
    cli_devices_clear(&running.devices);
    g_free(watching->devices);
    return status;
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { .source = -1 };
    GOptionEntry entries[] = {
        { "table", 0, 0, G_OPTION_ARG_NONE, &options.table, "On a terminal: a table of the latest values", NULL },
        { "depth", 0, 0, G_OPTION_ARG_STRING, &options.depth, "raw bytes, frames, or values; default values", "DEPTH" },
        { "show", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.show,
          "Show only this MESSAGE, FIELD or MESSAGE.FIELD, of one of several devices behind DEVICE:; repeatable",
          "NAME" },
        { "source", 0, 0, G_OPTION_ARG_INT64, &options.source, "Show only frames from this address", "N" },
        { "mark", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.marks,
          "Mark values: \"tension > 200\", \"state = stopped\"; repeatable", "RULE" },
        { "plot", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.plots,
          "Show the table with a plot over time below it: FIELD, or several with commas on one axis; repeatable",
          "FIELD[,FIELD...]" },
        { "span", 0, 0, G_OPTION_ARG_STRING, &options.span, "How much --plot shows; default 30s", "TIME" },
        { "json", 0, 0, G_OPTION_ARG_NONE, &options.as_json, "Print one JSON object on each line", NULL },
        { "csv", 0, 0, G_OPTION_ARG_NONE, &options.as_csv,
          "Print values as CSV: a row for each, or with --show MESSAGE for each message", NULL },
        { "page", 0, 0, G_OPTION_ARG_STRING, &options.page,
          "Show it in browsers, too, on a page at this address; default 127.0.0.1 and any free port", "[HOST:PORT]" },
        { "answer", 0, 0, G_OPTION_ARG_NONE, &options.answer,
          "Be the PC's end: answer and acknowledge; otherwise nothing is sent", NULL },
        { "to", 0, 0, G_OPTION_ARG_INT, &options.to, "With --answer on a shared line: address of the device", "N" },
        { "for", 0, 0, G_OPTION_ARG_STRING, &options.duration, "End after this time; default: with Ctrl-C", "TIME" },
        { "count", 0, 0, G_OPTION_ARG_INT64, &options.count, "End after this many frames; fewer are status 1", "N" },
        { "capture", 0, 0, G_OPTION_ARG_FILENAME, &options.capture, "Write everything that passes, with times",
          "FILE" },
        G_OPTION_ENTRY_NULL
    };

    g_auto(GStrv) joined = cli_join_page(&argc, argv);
    g_autofree char **arguments =
        g_memdup2(joined, ((gsize)argc + 1) * sizeof *joined); /* what is parsed is taken out */
    if (!cli_parse(verb, entries, &argc, &arguments, 2, 2 * CLI_DEVICES_MOST))
        return CLI_USAGE;
    int status = run_with(verb, argc - 1, arguments + 1, &options);
    g_free(options.depth);
    g_free(options.duration);
    g_free(options.capture);
    g_strfreev(options.show);
    g_strfreev(options.marks);
    g_strfreev(options.plots);
    g_free(options.span);
    g_free(options.page);
    return cli_finish(verb, status);
}

const struct cli_verb cli_watch = { "watch", "DEF LINK [DEF LINK...]",
                                    "Shows what passes: raw bytes, frames, values, console",
                                    "zeugma watch examples/loom/loom.yaml sim: --for 2s", run };
