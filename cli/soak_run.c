/* SPDX-License-Identifier: MIT */
#include "soak_run.h"

#include <glib/gstdio.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include "live.h"
#include "marks.h"
#include "plan/fingerprint.h"
#include "report/report.h"
#include "soak/report.h"
#include "soak/running_page.h"
#include "wave/output.h"

enum { SAVE_US = 500000, LINE_US = 10000000, VIEW_US = 250000 };

/* A soak in progress. */
struct progress {
    const struct cli_soak_run *run;
    gint64 begun_us, begun_utc_us; /* frames began to be sent, approximately */
    gint64 shown_us, saved_us;
    bool is_terminal;
    unsigned lines; /* of the view on the terminal */
    struct zg_store *store;
    char *store_file, *folder; /* of a store for the page only; NULL: none */
    bool keeps_folder;
    struct cli_marks *marks;
    struct zg_running_page *page; /* NULL: there is none */
    char *keys;                   /* what the keys do */
    guint events;                 /* told to the command so far, */
    uint64_t lost, damages;
    pid_t command;   /* that runs; 0: none */
    unsigned untold; /* events while one ran */
    char *trouble;   /* of the store */
};

/* --- on the terminal */

static void clear_view(struct progress *progress)
{
    for (; progress->lines > 0; progress->lines--)
        (void)fputs("\x1b[A\x1b[2K", stderr);
}

static void draw_view(struct progress *progress, const struct zg_soak_running *running)
{
    struct winsize size = { 0 };
    const bool fits =
        ioctl(STDERR_FILENO, TIOCGWINSZ, &size) == 0 && size.ws_row > ZG_SOAK_RUNNING_LINES && size.ws_col >= 100;
    g_autofree char *text = fits ? zg_soak_running_view(running) : zg_soak_running_line(running);

    clear_view(progress);
    if (!fits && size.ws_col > 0 && strlen(text) >= size.ws_col)
        text[size.ws_col - 1] = '\0';
    (void)fprintf(stderr, fits ? "%s" : "%s\n", text);
    for (const char *at = text; *at; at++)
        progress->lines += *at == '\n';
    progress->lines += !fits;
}

static struct zg_soak_running running_of(const struct progress *progress, double done,
                                         const struct zg_soak_result *so_far, gint64 now_us)
{
    return (struct zg_soak_running){ .plan = progress->run->plan,
                                     .settings = &progress->run->settings,
                                     .so_far = so_far,
                                     .done = done,
                                     .left_s = done > 0
                                                   ? (double)(now_us - progress->begun_us) * (1 - done) / done * 1e-6
                                                   : -1,
                                     .note = progress->keys };
}

static void show(struct progress *progress, const struct zg_soak_running *running, gint64 now_us)
{
    if (progress->page)
        zg_running_page_step(progress->page, running);
    if (now_us < progress->shown_us)
        return;
    if (progress->is_terminal) {
        draw_view(progress, running);
    } else {
        g_autofree char *line = zg_soak_running_line(running);
        (void)fprintf(stderr, "%s\n", line);
    }
    progress->shown_us = now_us + (progress->is_terminal ? VIEW_US : LINE_US);
}

/* --- marks and events */

static void take_marks(struct progress *progress, const struct zg_soak_result *so_far)
{
    struct zg_journal *journal = progress->run->settings.journal;
    char *mark;

    while ((mark = cli_marks_next(progress->marks)) != NULL) {
        zg_journal_mark(journal, so_far->ran_ns, mark);
        g_free(mark);
    }
}

/* Runs the command, if the last one has ended. */
static void tell(struct progress *progress, const char *kind, double at_s, const char *text)
{
    g_autofree char *at = g_strdup_printf("%.3f", at_s);
    const char *argv[] = { "/bin/sh", "-c", progress->run->on_event, "zeugma", kind, at, text, NULL };

    if (progress->command != 0 && waitpid(progress->command, NULL, WNOHANG) == 0) {
        progress->untold++;
        return;
    }
    progress->command = 0;
    g_autoptr(GError) error = NULL;
    GPid child;
    if (g_spawn_async(NULL, (char **)argv, NULL, G_SPAWN_DO_NOT_REAP_CHILD | G_SPAWN_STDOUT_TO_DEV_NULL, NULL, NULL,
                      &child, &error))
        progress->command = child;
    else
        cli_error(progress->run->verb, "--on-event: %s", error->message);
}

static void tell_events(struct progress *progress, const struct zg_soak_result *so_far)
{
    const GArray *events = zg_journal_events(progress->run->settings.journal);
    const double now_s = (double)so_far->ran_ns * 1e-9;
    uint64_t lost = 0;

    if (!progress->run->on_event)
        return;
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        lost += zg_ledger_lost(&so_far->sums, (enum zg_flow)flow);
    const uint64_t damages = so_far->damages[0] + so_far->damages[1];
    if (damages > progress->damages)
        tell(progress, "damage", now_s, "a stretch with damage arrived");
    else if (lost > progress->lost)
        tell(progress, "lost", now_s, "a frame did not arrive in time");
    progress->damages = damages;
    progress->lost = lost;
    for (; progress->events < events->len; progress->events++) {
        const struct zg_event *event = &g_array_index(events, struct zg_event, progress->events);
        tell(progress, zg_event_name(event->kind), (double)event->at_ns * 1e-9, event->text);
    }
}

/* --- the run */

static bool go_on(double done, const struct zg_soak_result *so_far, void *data)
{
    struct progress *progress = data;
    const gint64 now_us = g_get_monotonic_time();

    if (progress->begun_utc_us == 0) {
        progress->begun_us = now_us;
        progress->begun_utc_us = g_get_real_time() - (gint64)(so_far->ran_ns / 1000);
    }
    take_marks(progress, so_far);
    tell_events(progress, so_far);
    const struct zg_soak_running running = running_of(progress, done, so_far, now_us);
    show(progress, &running, now_us);
    if (progress->store && now_us >= progress->saved_us) {
        zg_store_save(progress->store, progress->run->settings.journal);
        progress->saved_us = now_us + SAVE_US;
        const char *trouble = zg_store_trouble(progress->store);
        if (trouble)
            progress->trouble = g_strdup(trouble);
    }
    return !cli_stopped() && !progress->trouble;
}

static void take_table_mark(double at_s, const char *text, void *data)
{
    const struct progress *progress = data;

    if (at_s * 1e9 < (double)progress->run->settings.duration_ns)
        zg_journal_mark(progress->run->settings.journal, (uint64_t)(at_s * 1e9), text);
}

static char *rules_json(const struct cli_soak_run *run)
{
    struct zg_json json;

    zg_json_begin(&json, false);
    zg_json_open(&json, NULL, '[');
    for (guint i = 0; i < run->requirements->len; i++) {
        zg_json_open(&json, NULL, '{');
        zg_json_string(&json, "rule", run->rules[i]);
        zg_json_double(&json, "confidence", g_array_index(run->requirements, struct zg_soak_requirement, i).confidence);
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    return zg_json_end(&json);
}

/* What the system knows of a serial port. Free with g_free(). */
static char *adapter_of(const struct zg_address *link)
{
    struct zg_serial_port port = { .path = "" };

    if (!link || link->kind != ZG_ADDRESS_SERIAL)
        return NULL;
    g_autofree char *name = g_path_get_basename(link->path);
    zg_serial_describe("", name, &port);
    g_autofree char *text = g_strdup_printf("%s %s %s%s%s", port.maker, port.product, port.ids,
                                            port.driver[0] != '\0' ? ", driver " : "", port.driver);
    g_strstrip(text);
    return text[0] != '\0' ? g_utf8_make_valid(text, -1) : NULL;
}

/* A page is made from a store: without one that is asked for, from one that is forgotten. */
static bool make_folder(struct cli_soak_run *run, struct progress *progress, GError **error)
{
    struct zg_output probe;

    if (run->page && !zg_output_begin(&probe, run->page, error)) /* now, not after the night */
        return false;
    if (run->page)
        (void)zg_output_end(&probe, false, NULL);
    if (run->store || !run->page)
        return true;
    progress->folder = g_dir_make_tmp("zeugma-XXXXXX", error);
    run->store = progress->store_file =
        progress->folder ? g_build_filename(progress->folder, "soak.store", NULL) : NULL;
    return progress->folder != NULL;
}

static void remove_folder(struct progress *progress)
{
    static const char *const ends[] = { "", "-wal", "-shm" };

    for (size_t i = 0; progress->store_file && !progress->keeps_folder && i < G_N_ELEMENTS(ends); i++) {
        g_autofree char *name = g_strconcat(progress->store_file, ends[i], NULL);
        (void)g_unlink(name);
    }
    if (progress->folder && !progress->keeps_folder)
        (void)g_rmdir(progress->folder);
    g_free(progress->store_file);
    g_free(progress->folder);
}

/* Opens the store. A run that goes on is as much shorter as it has run already. */
static bool open_store(struct cli_soak_run *run, struct progress *progress, GError **error)
{
    g_autofree char *definition = NULL;
    g_autofree char *settings = zg_soak_settings_json(run->plan, &run->settings);
    g_autofree char *rules = rules_json(run);
    g_autofree char *adapter = adapter_of(run->settings.link);
    uint64_t *length_ns = &run->settings.duration_ns;

    if (!run->store)
        return true;
    if (!g_file_get_contents(run->definition, &definition, NULL, error))
        return false;
    const struct zg_store_run about = { .tool = "zeugma " ZEUGMA_VERSION,
                                        .protocol = run->plan->definition->protocol,
                                        .definition = definition,
                                        .fingerprint = zg_fingerprint(run->plan),
                                        .link = run->settings.link ? run->settings.link->text : "sim:",
                                        .settings = settings,
                                        .requirements = rules,
                                        .command = run->command,
                                        .adapter = adapter,
                                        .planned_s = (double)*length_ns * 1e-9,
                                        .stretches = run->stretches };
    progress->store = zg_store_begin(run->store, &about, run->goes_on, error);
    if (!progress->store)
        return false;
    run->settings.part = zg_store_parts(progress->store) - 1;
    run->settings.first_second = zg_store_seconds(progress->store);
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        run->settings.first_number[flow] = zg_store_sent(progress->store, (enum zg_flow)flow);
    *length_ns -= (uint64_t)(zg_store_ran_s(progress->store) * 1e9);
    return true;
}

static char *ending_of(const struct progress *progress, const struct zg_soak_result *result)
{
    if (result->ended[0] != '\0')
        return g_strdup(result->ended);
    if (progress->trouble)
        return g_strdup_printf("the store could not be written: %s", progress->trouble);
    if (result->stopped)
        return g_strdup("stopped before its planned end");
    if (result->stopped_on > 0)
        return g_strdup_printf("stopped by the first: %s", zg_soak_stop_name(result->stopped_on - 1));
    return g_strdup(result->reached ? "it is shown what it was to go on until, or the contrary" : "planned end");
}

/* Saves the rest. False: not all of it is stored, as a message says. */
static bool close_store(struct progress *progress, const struct zg_soak_result *result, const char *report)
{
    const struct cli_soak_run *run = progress->run;
    g_autoptr(GError) error = NULL;

    if (!progress->store)
        return true;
    g_autofree char *ending = ending_of(progress, result);
    for (unsigned end = 0; end < 2; end++)
        if (end == 1 || result->device_counted)
            zg_store_counters(progress->store, result->ran_ns, end == 1, &result->counters[end]);
    if (zg_store_end(g_steal_pointer(&progress->store), run->settings.journal, (double)result->ran_ns * 1e-9, ending,
                     report, &error))
        return true;
    cli_error(run->verb, "--store: %s; what was stored until then can be read", error->message);
    return false;
}

/* The report: of a run that went on, of all its parts, as stored. */
static int print_report(const struct cli_soak_run *run, const struct zg_soak_report *report, const char *json)
{
    if (run->settings.part == 0) {
        g_autofree char *text = run->as_json ? NULL : zg_soak_report_text(report);
        cli_print(run->as_json ? "%s\n" : "%s", run->as_json ? json : text);
        return zg_soak_passed(report) ? CLI_YES : CLI_NO;
    }
    g_autoptr(GError) error = NULL;
    struct zg_stored *stored = zg_stored_read(run->store, 0, &error);
    if (!stored) {
        cli_error(run->verb, "%s", error->message);
        return CLI_TROUBLE;
    }
    g_autofree char *text = run->as_json ? zg_report_json(stored, NULL) : zg_report_text(stored, NULL);
    cli_print(run->as_json ? "%s\n" : "%s", text);
    const int status = zg_stored_passed(stored) && report->result->adds_up ? CLI_YES : CLI_NO;
    zg_stored_free(stored);
    return status;
}

/* Writes the page from the store. False: it is not there, as a message says. */
static bool write_page(struct progress *progress)
{
    const struct cli_soak_run *run = progress->run;
    g_autoptr(GError) error = NULL;
    struct zg_stored *stored = run->page ? zg_stored_read(run->store, 0, &error) : NULL;

    if (stored) {
        g_autofree char *page = zg_report_page(stored, NULL, progress->folder ? NULL : run->store);
        (void)zg_output_text(run->page, page, &error);
        zg_stored_free(stored);
    }
    if (error && progress->folder) {
        cli_error(run->verb, "--html: %s; what was measured is in %s", error->message, run->store);
        progress->keeps_folder = true;
    } else if (error) {
        cli_error(run->verb, "--html: %s", error->message);
    }
    return !error;
}

static int finish(struct progress *progress, const struct zg_soak_result *result)
{
    const struct cli_soak_run *run = progress->run;
    const struct zg_soak_report report = { run->plan,
                                           &run->settings,
                                           result,
                                           run->settings.journal,
                                           (const struct zg_soak_requirement *)(const void *)run->requirements->data,
                                           run->requirements->len };
    g_autofree char *json = zg_soak_report_json(&report);
    const unsigned skipped = cli_marks_from_table(progress->marks, progress->begun_utc_us, take_table_mark, progress);
    const bool is_stored = close_store(progress, result, json);
    const int status = print_report(run, &report, json);
    const bool is_written = write_page(progress);

    if (skipped > 0)
        cli_error(run->verb, "--marks: %u lines without a time at their beginning were skipped", skipped);
    if (progress->untold > 0)
        cli_error(run->verb,
                  "--on-event: %u events came while the command for another one ran, and were not told to it",
                  progress->untold);
    if (result->ended[0] != '\0')
        cli_error(run->verb, "ended early: %s", result->ended);
    return result->ended[0] != '\0' || !is_stored || !is_written ? CLI_TROUBLE : status;
}

/* Begins to serve the page. CLI_YES; or a status, with a message printed. */
static int begin_page(struct progress *progress)
{
    const struct cli_soak_run *run = progress->run;
    g_autoptr(GError) error = NULL;

    if (!run->live)
        return CLI_YES;
    progress->page =
        zg_running_page_new(run->live[0] != '\0' ? run->live : NULL, (const char *const *)run->rules, &error);
    if (!progress->page) {
        cli_error(run->verb, "--page: %s", error->message);
        return error->code == ZG_PAGE_ERROR_USE ? CLI_USAGE : CLI_TROUBLE;
    }
    (void)fprintf(stderr, "page: %s\n", zg_running_page_address(progress->page));
    return CLI_YES;
}

static void end_page(struct progress *progress, const struct zg_soak_result *result)
{
    g_autofree char *how = ending_of(progress, result);
    const struct zg_soak_running running =
        running_of(progress, result->stopped ? 0 : 1, result, g_get_monotonic_time());

    zg_running_page_end(progress->page, &running, how);
}

typedef struct zg_soak_result *soak_function(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                                             zg_soak_progress progress, void *data, GError **error);

static soak_function *run_of(const struct zg_soak_settings *settings)
{
    return settings->own ? zg_soak_run_own : settings->link ? zg_soak_run_live : zg_soak_run;
}

static int run_soak(struct cli_soak_run *run, struct progress *progress)
{
    g_autoptr(GError) error = NULL;

    progress->begun_us = g_get_monotonic_time();
    progress->shown_us = progress->begun_us + (progress->is_terminal ? 500000 : LINE_US);
    cli_catch_signals();
    g_autofree struct zg_soak_result *result =
        run_of(&run->settings)(run->plan, &run->settings, go_on, progress, &error);
    clear_view(progress);
    if (result && progress->page)
        end_page(progress, result);
    if (result)
        return finish(progress, result);
    if (progress->store)
        (void)zg_store_end(g_steal_pointer(&progress->store), run->settings.journal, 0, error->message, NULL, NULL);
    cli_error(run->verb, "%s", error->message);
    return error->domain == ZG_SOAK_ERROR && error->code == ZG_SOAK_ERROR_PLAN ? CLI_NO : CLI_TROUBLE;
}

int cli_soak_run(struct cli_soak_run *run)
{
    struct progress progress = { .run = run, .is_terminal = isatty(STDERR_FILENO) == 1 };
    g_autoptr(GError) error = NULL;
    int status = CLI_TROUBLE;

    if (!make_folder(run, &progress, &error)) {
        cli_error(run->verb, "--html: %s", error->message);
        return CLI_TROUBLE;
    }
    run->settings.journal = zg_journal_new(run->store != NULL);
    progress.marks = cli_marks_open(run->verb, run->marks, run->marks_file);
    if (progress.marks && (status = begin_page(&progress)) != CLI_YES) {
        /* a message was printed */
    } else if (progress.marks && !open_store(run, &progress, &error)) {
        cli_error(run->verb, "--store: %s", error->message);
        status = error->domain == ZG_STORE_ERROR && error->code == 1 ? CLI_NO : CLI_TROUBLE;
    } else if (progress.marks) {
        if (cli_marks_has_keys(progress.marks)) {
            g_autofree char *texts = g_strjoinv(", ", (char **)run->marks);
            progress.keys = g_strdup_printf("keys 1, 2, ... mark: %s", texts);
        }
        status = run_soak(run, &progress);
    }
    zg_running_page_free(progress.page);
    if (progress.marks)
        cli_marks_close(progress.marks);
    zg_journal_free(run->settings.journal);
    remove_folder(&progress);
    g_free(progress.keys);
    g_free(progress.trouble);
    return status;
}
