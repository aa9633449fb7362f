/* SPDX-License-Identifier: MIT */
#include <langinfo.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "codec/describe.h"
#include "codec/frame_reader.h"
#include "codec/json.h"
#include "codec/payload.h"
#include "definition/words.h"
#include "live.h"
#include "page/live.h"
#include "plan/end.h"
#include "view/csv.h"
#include "view/in_order.h"
#include "view/suspect.h"
#include "view/watched.h"
#include "watch_screen.h"

#define SECOND_NS UINT64_C(1000000000)

enum { REDRAW_NS = 100000000, STEP_NS = 50000000, PAGE_WAIT_NS = 15000000, TYPED_MOST = 1000 /* bytes */ };

enum form { FORM_LINES, FORM_TABLE, FORM_JSON, FORM_CSV, FORM_PAGE /* alone: of what passes nothing is printed */ };

struct options {
    char *depth, *duration, *capture;
    char *span, *page;
    char **show, **marks, **plots;
    gint64 source, count;
    gint to;
    gboolean table, as_json, as_csv, answer;
};

struct watching {
    const struct cli_verb *verb;
    const struct zg_plan *plan;
    struct zg_wire *wire;
    struct zg_session *session;
    struct zg_selection *selection;
    struct zg_lines *lines;
    struct zg_suspect *suspect;
    struct zg_watched watched;
    struct zg_live *live;       /* NULL: there is no page */
    uint64_t span_ns, until_ns; /* so much is plotted, up to then */
    enum form form;
    enum zg_depth depth;
    bool unicode, csv_begun;
    GString *text;                         /* being composed */
    struct zg_in_order *lines_made;        /* made, waiting for what passed before them */
    uint64_t frames, skipped, undelivered; /* that are shown */
    uint64_t most;                         /* frames to show; 0: any number */
    uint64_t drawn_ns;
    guint first_panel, panels; /* of the plots, those that are shown */
    bool all_plots;            /* one at a time, as a key chooses */
    bool can_type, types;      /* keys may go to the device's console; they do */
    GString *typed;            /* and are not sent yet */
    zg_header_number to;
};

static double seconds(uint64_t ns)
{
    return (double)ns / 1e9;
}

/* --- lines in the order of their times */

/* Prints what no earlier line can precede any more. */
static void print_until(struct watching *watching, uint64_t until_ns)
{
    g_autoptr(GString) due = g_string_new(NULL);

    zg_in_order_take(watching->lines_made, until_ns, due);
    (void)fwrite(due->str, 1, due->len, stdout);
}

static uint64_t reported_ns(const struct watching *watching)
{
    return watching->session ? zg_session_reported_ns(watching->session) : UINT64_MAX;
}

static void print_due(struct watching *watching)
{
    if (!zg_in_order_is_empty(watching->lines_made))
        print_until(watching, reported_ns(watching));
}

static void print_at(struct watching *watching, uint64_t at_ns, const GString *text)
{
    if (zg_in_order_is_empty(watching->lines_made) && at_ns <= reported_ns(watching)) {
        (void)fwrite(text->str, 1, text->len, stdout); /* the usual case */
        return;
    }
    zg_in_order_add(watching->lines_made, at_ns, text->str, text->len);
    print_due(watching);
}

/* --- notes: what happened to the link, and what looks wrong */

/* Tells those at the terminal. */
static void say(struct watching *watching, const char *text)
{
    const uint64_t at_ns = watching->wire ? zg_wire_event_ns(watching->wire) : 0; /* 0: the link is just being opened */
    g_autoptr(GString) line = g_string_new(NULL);

    if (watching->form == FORM_JSON) {
        struct zg_json json;
        zg_json_begin(&json, false);
        zg_json_open(&json, NULL, '{');
        zg_json_seconds(&json, "at", at_ns);
        zg_json_string(&json, "note", text);
        zg_json_close(&json, '}');
        g_autofree char *object = zg_json_end(&json);
        g_string_printf(line, "%s\n", object);
    } else if (watching->form == FORM_LINES || watching->form == FORM_PAGE) {
        g_string_printf(line, "%12.6f * %s\n", seconds(at_ns), text);
    } else if (watching->form == FORM_CSV) {
        cli_error(watching->verb, "%s", text);
    }
    print_at(watching, at_ns, line);
    zg_watched_event(&watching->watched, at_ns, text);
}

/* Tells those at the page, too. */
static void note(struct watching *watching, const char *text)
{
    say(watching, text);
    if (watching->live)
        zg_live_event(watching->live, watching->wire ? zg_wire_event_ns(watching->wire) : 0, text);
}

static void take_notice(const char *text, void *data)
{
    note(data, text);
}

/* --- what passes */

static void print_csv(struct watching *watching, double at, const struct zg_stretch *stretch)
{
    if (!watching->csv_begun) {
        zg_csv_head(watching->plan, watching->selection, watching->text);
        print_at(watching, 0, watching->text); /* first, even where an earlier row is known later */
        g_string_truncate(watching->text, 0);
    }
    watching->csv_begun = true;
    zg_csv_rows(watching->plan, watching->selection, at, stretch, watching->text);
}

static void keep_lines(struct watching *watching)
{
    if (!watching->watched.held)
        zg_recent_lines(&watching->watched.recent, watching->text->str);
}

static void show_stretch(struct watching *watching, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    const double at = seconds(at_ns);
    GString *text = watching->text;

    g_string_truncate(text, 0);
    switch (watching->form) {
    case FORM_JSON:
        zg_stretch_append_json(watching->plan, stretch, at, NULL, text);
        g_string_append_c(text, '\n');
        break;
    case FORM_CSV:
        if (stretch->kind == ZG_STRETCH_FRAME)
            print_csv(watching, at, stretch);
        break;
    case FORM_TABLE:
        if (watching->depth != ZG_DEPTH_RAW)
            zg_lines_stretch(watching->lines, watching->depth, at, out, stretch, text);
        keep_lines(watching);
        return;
    case FORM_PAGE: break;
    default:
        if (watching->depth != ZG_DEPTH_RAW)
            zg_lines_stretch(watching->lines, watching->depth, at, out, stretch, text);
        break;
    }
    print_at(watching, at_ns, text);
}

static void take_stretch(void *data, uint64_t at_ns, bool out, const struct zg_stretch *stretch)
{
    struct watching *watching = data;

    if (!zg_wire_is_replay(watching->wire))
        zg_suspect_stretch(watching->suspect, out, stretch);
    if (watching->live)
        zg_live_stretch(watching->live, at_ns, out, stretch);
    const bool is_full = watching->most > 0 && watching->frames >= watching->most; /* more came at once */
    if (!is_full || stretch->kind == ZG_STRETCH_FRAME)
        zg_watched_stretch(&watching->watched, at_ns, out, stretch);
    if (is_full || !zg_selection_shows(watching->selection, stretch))
        return;
    watching->frames += stretch->kind == ZG_STRETCH_FRAME;
    watching->skipped += stretch->kind == ZG_STRETCH_SKIPPED;
    watching->undelivered += stretch->kind == ZG_STRETCH_UNDELIVERED;
    show_stretch(watching, at_ns, out, stretch);
}

static void take_bytes(void *data, const struct zg_passage *passage)
{
    struct watching *watching = data;

    if (!zg_wire_is_replay(watching->wire))
        zg_suspect_bytes(watching->suspect, passage);
    zg_watched_bytes(&watching->watched, passage);
    if (watching->live)
        zg_live_bytes(watching->live, passage);
    if (watching->depth != ZG_DEPTH_RAW || watching->form > FORM_TABLE)
        return;
    g_string_truncate(watching->text, 0);
    zg_lines_raw(watching->lines, seconds(passage->at_ns), passage->out, passage->bytes, passage->count,
                 watching->text);
    if (watching->form == FORM_TABLE)
        keep_lines(watching);
    else
        print_at(watching, passage->at_ns, watching->text);
}

static void changed(void *data, zg_header_number address, enum zg_link_event event)
{
    static const char *const words[] = { "the device is heard", "the device is silent: link down",
                                         "the device has said who it is", "the device has restarted",
                                         "the device has another major version" };
    struct watching *watching = data;

    if (address == 0 || watching->plan->source_bits == 0) {
        note(watching, words[event]);
        return;
    }
    g_autofree char *text = g_strdup_printf("%u: %s", address, words[event]);
    note(watching, text);
}

/* The observer shows it; here it is acknowledged, and may be what somebody at the page asked for. */
static void take(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values)
{
    const struct watching *watching = data;

    (void)frame;
    if (watching->live)
        zg_live_told(watching->live, message, values);
}

static void settled(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how)
{
    const struct watching *watching = data;

    (void)values;
    if (watching->live)
        zg_live_settled(watching->live, peer, message, ticket, how);
}

static const struct zg_session_calls calls = { .stretch = take_stretch,
                                               .bytes = take_bytes,
                                               .node = { .take = take, .settled = settled, .changed = changed } };

/* --- the screen */

/* Shows the next plot, after the last none. */
static void show_next_plot(struct watching *watching)
{
    const guint count = zg_plotted_panels(watching->watched.plotted);

    if (!watching->all_plots) {
        watching->panels = watching->panels > 0 ? 0 : count;
    } else if (watching->panels == 0) {
        watching->first_panel = 0;
        watching->panels = count > 0;
    } else if (++watching->first_panel == count) {
        watching->panels = 0;
    }
}

/* To the console of the device, as far as there is room. */
static void send_typed(struct watching *watching)
{
    if (watching->typed->len > 0)
        (void)g_string_erase(watching->typed, 0,
                             (gssize)zg_node_print(zg_session_node(watching->session), watching->to,
                                                   watching->typed->str, watching->typed->len));
}

static void take_key(struct watching *watching, int key, bool *done)
{
    watching->drawn_ns = 0;
    if (watching->types && key != '\t') {
        if (watching->typed->len < TYPED_MOST)
            g_string_append_c(watching->typed, (char)key);
        return;
    }
    switch (key) {
    case '\t': watching->types = watching->can_type && !watching->types; break;
    case 'p': show_next_plot(watching); break;
    case '1':
    case '2':
    case '3':
        watching->depth = (enum zg_depth)(key - '1');
        zg_recent_forget_lines(&watching->watched.recent);
        break;
    case ' ': watching->watched.held = !watching->watched.held; break;
    case 'z': zg_table_begin_anew(watching->watched.table); break;
    case 'q': *done = true; break;
    default: break;
    }
}

static void draw(struct watching *watching, const char *link)
{
    const uint64_t now_ns = zg_wire_now_ns(watching->wire);
    struct zg_serial_errors errors;

    zg_recent_rate(&watching->watched.recent, now_ns, watching->watched.bytes, watching->watched.frames);
    if (now_ns - watching->drawn_ns < REDRAW_NS)
        return;
    watching->drawn_ns = now_ns;
    if (!watching->watched.held)
        watching->until_ns = now_ns;
    const struct screen_view view = { .watched = &watching->watched,
                                      .link = link,
                                      .now_ns = now_ns,
                                      .baud = zg_wire_baud(watching->wire),
                                      .up = zg_wire_is_up(watching->wire),
                                      .counters = zg_session_counters(watching->session, false),
                                      .line = zg_wire_errors(watching->wire, &errors) ? &errors : NULL,
                                      .depth = watching->depth,
                                      .first_panel = watching->first_panel,
                                      .panels = watching->panels,
                                      .can_type = watching->can_type,
                                      .types = watching->types,
                                      .until_ns = watching->until_ns,
                                      .span_ns = watching->span_ns,
                                      .unicode = watching->unicode };
    screen_draw(&view);
}

/* --- what looks wrong */

static bool show_baud(unsigned long baud, void *data)
{
    struct watching *watching = data;
    g_autofree char *text = g_strdup_printf("trying %lu baud", baud);

    if (watching->form == FORM_TABLE || isatty(STDERR_FILENO))
        note(watching, text);
    return !cli_stopped();
}

static bool find_baud(struct watching *watching, GError **error)
{
    const unsigned long before = zg_wire_baud(watching->wire);
    unsigned frames;

    if (before == 0)
        return true;
    const unsigned long found =
        zg_suspect_find_baud(watching->plan, watching->wire, show_baud, watching, &frames, error);
    if (*error)
        return false;
    g_autofree char *text = zg_suspect_baud_text(before, found, frames);
    note(watching, text);
    return true;
}

static bool judge(struct watching *watching, GError **error)
{
    bool noise;

    if (zg_wire_is_replay(watching->wire))
        return true;
    g_autofree char *text = zg_suspect_judge(watching->suspect, zg_session_counters(watching->session, false),
                                             zg_wire_now_ns(watching->wire), &noise);
    if (text)
        note(watching, text);
    return !noise || find_baud(watching, error);
}

/* --- the run */

/* Line errors seen by this side's UART, for the summary; "" if they are not counted. */
static char *line_errors(const struct watching *watching)
{
    struct zg_serial_errors e;

    if (!zg_wire_errors(watching->wire, &e))
        return g_strdup("");
    return g_strdup_printf(watching->form == FORM_JSON
                               ? ",\"line_errors\":{\"framing\":%u,\"parity\":%u,\"overrun\":%u,\"breaks\":%u}"
                               : "; line errors: framing %u, parity %u, overrun %u, break %u",
                           e.framing, e.parity, e.overrun, e.breaks);
}

static void print_summary(const struct watching *watching)
{
    const struct zg_counters *c = zg_session_counters(watching->session, false);
    const double ran = seconds(zg_wire_now_ns(watching->wire));
    g_autofree char *line = line_errors(watching);

    if (watching->form == FORM_JSON)
        cli_print("{\"summary\":{\"seconds\":%.3f,\"shown\":%" G_GUINT64_FORMAT ",\"frames\":%" G_GUINT64_FORMAT
                  ",\"skipped\":%" G_GUINT64_FORMAT ",\"undelivered\":%" G_GUINT64_FORMAT
                  ",\"lost\":%u,\"bytes\":%" G_GUINT64_FORMAT ",\"bytes_noise\":%u,\"bytes_failed\":%u%s}}\n",
                  ran, watching->frames, watching->watched.frames, watching->skipped, watching->undelivered, c->lost,
                  watching->watched.bytes, c->bytes_noise, c->bytes_failed, line);
    else if (watching->form != FORM_CSV)
        cli_print("%.1f s: %" G_GUINT64_FORMAT " frames and %" G_GUINT64_FORMAT
                  " bytes from the device, %u lost, %" G_GUINT64_FORMAT " not delivered, %" G_GUINT64_FORMAT
                  " %s skipped; %u bytes of noise, %u of frames that failed%s\n",
                  ran, watching->watched.frames, watching->watched.bytes, c->lost, watching->undelivered,
                  watching->skipped, watching->skipped == 1 ? "stretch" : "stretches", c->bytes_noise, c->bytes_failed,
                  line);
}

/* The caller prints the error, once the terminal is restored. */
static void watch(struct watching *watching, const char *link, uint64_t duration_ns, GError **error)
{
    const int keys = watching->form == FORM_TABLE ? STDIN_FILENO : -1;
    bool done = false;

    while (!done && !cli_stopped() && !ferror(stdout) && !zg_wire_has_ended(watching->wire)) {
        const bool seen = watching->live && zg_live_viewers(watching->live) > 0;
        if (!zg_session_step(watching->session, keys, seen ? PAGE_WAIT_NS : STEP_NS, error) || !judge(watching, error))
            break;
        if (watching->live)
            zg_live_step(watching->live, watching->wire, watching->session);
        print_due(watching);
        if (watching->form == FORM_TABLE) {
            for (int key; (key = screen_key()) >= 0;)
                take_key(watching, key, &done);
            if (watching->types || watching->typed->len > 0)
                send_typed(watching);
            draw(watching, link);
        } else if (!zg_wire_is_replay(watching->wire)) {
            (void)fflush(stdout);
        }
        done = done || (duration_ns > 0 && zg_wire_now_ns(watching->wire) >= duration_ns) ||
               (watching->most > 0 && watching->frames >= watching->most);
    }
    zg_session_end(watching->session);
    print_until(watching, UINT64_MAX);
    (void)fflush(stdout);
    while (watching->live && !*error && !done && !cli_stopped()) { /* a capture that has ended can still be looked at */
        zg_live_step(watching->live, watching->wire, watching->session);
        g_usleep(PAGE_WAIT_NS / 1000);
    }
}

static int open_and_watch(const struct cli_verb *verb, struct watching *watching, const char *link,
                          const struct options *options, uint64_t duration_ns)
{
    struct zg_wire_settings settings = {
        .plan = watching->plan, .capture = options->capture, .notice = take_notice, .data = watching
    };
    g_autoptr(GError) error = NULL;
    int status = cli_open(verb, link, &settings, &watching->wire);

    if (status != CLI_YES)
        return status;
    if (options->answer && zg_wire_is_replay(watching->wire)) {
        cli_error(verb, "%s: a capture can only be read; omit --answer", link);
        return cli_close(verb, watching->wire, CLI_USAGE);
    }
    if (watching->form == FORM_TABLE && !screen_begin()) {
        cli_error(verb, "--table needs a terminal; without it, lines are printed");
        return cli_close(verb, watching->wire, CLI_USAGE);
    }
    watching->session = zg_session_new(watching->plan, watching->wire, options->answer, &calls, watching);
    if (options->answer)
        (void)zg_node_follow(zg_session_node(watching->session), watching->to);
    watching->most = (uint64_t)options->count;
    watching->can_type = options->answer && zg_plan_has_console(watching->plan);
    if (watching->live) {
        g_autofree char *page = g_strconcat("page: ", zg_live_address(watching->live), NULL);
        say(watching, page);
        (void)fflush(stdout);
    }
    watch(watching, link, duration_ns, &error);
    if (watching->form == FORM_TABLE)
        screen_end();
    print_summary(watching);
    if (error)
        status = cli_trouble(verb, error);
    else if (watching->frames < (uint64_t)options->count)
        status = CLI_NO;
    zg_session_free(watching->session);
    return cli_close(verb, watching->wire, status);
}

/* --- the command line */

static bool read_selection(const struct cli_verb *verb, struct zg_selection *selection, const struct options *options)
{
    g_autoptr(GError) error = NULL;
    const char *option = "show";
    bool good = true;

    for (char **name = options->show; name && *name && good; name++)
        good = zg_selection_show(selection, *name, &error);
    if (good && options->source >= 0) {
        option = "source";
        good = zg_selection_source(selection, options->source, &error);
    }
    for (char **rule = options->marks; rule && *rule && good; rule++) {
        option = "mark";
        good = zg_selection_mark(selection, *rule, &error);
    }
    if (!good)
        cli_error(verb, "--%s: %s", option, error->message);
    return good;
}

/* The panels that are plotted. */
static bool read_plots(const struct cli_verb *verb, struct watching *watching, const struct options *options)
{
    g_autoptr(GError) error = NULL;

    if (watching->form != FORM_TABLE)
        return true;
    watching->watched.plotted = zg_plotted_new(watching->plan);
    if (!options->plots) {
        watching->all_plots = true;
        zg_plotted_add_all(watching->watched.plotted, watching->selection);
        return true;
    }
    for (char **fields = options->plots; *fields; fields++)
        if (!zg_plotted_add(watching->watched.plotted, *fields, &error)) {
            cli_error(verb, "--plot: %s", error->message);
            return false;
        }
    watching->panels = zg_plotted_panels(watching->watched.plotted);
    return true;
}

/* Begins to serve the page: CLI_YES; or a status, with a message printed. */
static int begin_page(struct watching *watching, const char *link, const struct options *options)
{
    const struct zg_live_settings settings = { .plan = watching->plan,
                                               .selection = watching->selection,
                                               .link = link,
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

static int run_with(const struct cli_verb *verb, char **argv, const struct options *options)
{
    struct watching watching = { .verb = verb };
    struct cli_definition loaded;
    uint64_t duration_ns = 0;

    if (options->count < 0) {
        cli_error(verb, "--count: expected a number above 0, found %" G_GINT64_FORMAT, options->count);
        return CLI_USAGE;
    }
    watching.span_ns = 30 * SECOND_NS;
    if (!read_form(verb, options, &watching) || !cli_time(verb, "for", options->duration, &duration_ns) ||
        !cli_time(verb, "span", options->span, &watching.span_ns))
        return CLI_USAGE;
    int status = cli_load(verb, argv[1], false, &loaded);
    if (status == CLI_YES) {
        const bool terminal = isatty(STDOUT_FILENO) == 1;
        watching.plan = loaded.plan;
        watching.unicode = strcmp(nl_langinfo(CODESET), "UTF-8") == 0;
        watching.text = g_string_new(NULL);
        watching.typed = g_string_new(NULL);
        watching.to = (zg_header_number)options->to;
        watching.lines_made = zg_in_order_new();
        watching.selection = zg_selection_new(loaded.plan);
        watching.lines = zg_lines_new(loaded.plan, watching.selection, watching.unicode,
                                      terminal && watching.form != FORM_TABLE && !g_getenv("NO_COLOR"));
        zg_watched_init(&watching.watched, loaded.plan, watching.selection, watching.form == FORM_TABLE);
        watching.suspect = zg_suspect_new(loaded.plan);
        status = CLI_USAGE;
        if (read_selection(verb, watching.selection, options) && read_plots(verb, &watching, options)) {
            cli_catch_signals();
            status = begin_page(&watching, argv[2], options);
            if (status == CLI_YES)
                status = open_and_watch(verb, &watching, argv[2], options, duration_ns);
        }
        zg_live_free(watching.live);
        print_until(&watching, UINT64_MAX);
        zg_in_order_free(watching.lines_made);
        zg_suspect_free(watching.suspect);
        zg_watched_clear(&watching.watched);
        zg_lines_free(watching.lines);
        zg_selection_free(watching.selection);
        g_string_free(watching.text, TRUE);
        g_string_free(watching.typed, TRUE);
    }
    cli_definition_clear(&loaded);
    return status;
}

/* --page, and what follows it where that is HOST:PORT, as one argument: no LINK looks like an address in digits. Free
 * the arguments with g_strfreev(). */
static char **join_page(int *argc, char **argv)
{
    GPtrArray *joined = g_ptr_array_new();

    for (int i = 0; i < *argc; i++) {
        const bool bare = strcmp(argv[i], "--page") == 0;
        const bool takes = bare && i + 1 < *argc &&
                           g_regex_match_simple("^(localhost|[0-9.]+|\\[[0-9a-fA-F:.]+\\]):[0-9]+$", argv[i + 1], 0, 0);
        g_ptr_array_add(joined, bare ? g_strconcat("--page=", takes ? argv[i + 1] : "", NULL) : g_strdup(argv[i]));
        i += takes;
    }
    *argc = (int)joined->len;
    g_ptr_array_add(joined, NULL);
    return (char **)g_ptr_array_free(joined, FALSE);
}

static int run(const struct cli_verb *verb, int argc, char **argv)
{
    struct options options = { .source = -1 };
    GOptionEntry entries[] = {
        { "table", 0, 0, G_OPTION_ARG_NONE, &options.table, "On a terminal: a table of the latest values", NULL },
        { "depth", 0, 0, G_OPTION_ARG_STRING, &options.depth, "raw bytes, frames, or values; default values", "DEPTH" },
        { "show", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.show,
          "Show only this MESSAGE, FIELD or MESSAGE.FIELD; repeatable", "NAME" },
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

    g_auto(GStrv) joined = join_page(&argc, argv);
    g_autofree char **arguments =
        g_memdup2(joined, ((gsize)argc + 1) * sizeof *joined); /* what is parsed is taken out */
    if (!cli_parse(verb, entries, &argc, &arguments, 2, 2))
        return CLI_USAGE;
    int status = run_with(verb, arguments, &options);
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

const struct cli_verb cli_watch = { "watch", "DEF LINK", "Shows what passes: raw bytes, frames, values, console",
                                    "zeugma watch examples/loom/loom.yaml sim: --for 2s", run };
