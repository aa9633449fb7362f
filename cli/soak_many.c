/* SPDX-License-Identifier: MIT */
#include "soak_many.h"

#include <stdio.h>
#include <unistd.h>

#include "live.h"
#include "soak/report.h"
#include "soak/running.h"

enum { TERMINAL_US = 250000, LINE_US = 10000000 };

/* Progress on standard error, from any thread. */
struct progress {
    GMutex lock;
    gint64 next_us;
    bool is_terminal;
};

static void begin(struct progress *progress)
{
    *progress = (struct progress){ .is_terminal = isatty(STDERR_FILENO) == 1 };
    g_mutex_init(&progress->lock);
    progress->next_us = g_get_monotonic_time() + (progress->is_terminal ? 2 * TERMINAL_US : LINE_US);
    cli_catch_signals();
}

/* Whether it is time to show something; the caller then does, and unlocks. */
static bool is_time(struct progress *progress)
{
    const gint64 now_us = g_get_monotonic_time();

    if (!g_mutex_trylock(&progress->lock))
        return false;
    if (now_us >= progress->next_us) {
        progress->next_us = now_us + (progress->is_terminal ? TERMINAL_US : LINE_US);
        return true;
    }
    g_mutex_unlock(&progress->lock);
    return false;
}

static bool show_points(unsigned done, unsigned of, void *data)
{
    struct progress *progress = data;

    if (is_time(progress)) {
        if (of > 0)
            (void)fprintf(stderr, progress->is_terminal ? "\r%u of %u soaks done " : "%u of %u soaks done\n", done, of);
        g_mutex_unlock(&progress->lock);
    }
    return !cli_stopped();
}

static void end(struct progress *progress)
{
    if (progress->is_terminal)
        (void)fprintf(stderr, "\r\x1b[K");
    g_mutex_clear(&progress->lock);
}

static const struct zg_soak_requirement *requirements_of(const struct cli_soak_run *run)
{
    return (const struct zg_soak_requirement *)(const void *)run->requirements->data;
}

int cli_soak_sweep(const struct cli_soak_run *run, const struct zg_sweep_axis *axes, unsigned axes_count,
                   unsigned repetitions)
{
    const struct zg_sweep sweep = { run->plan, &run->settings, axes, axes_count, repetitions };
    struct progress progress;

    if (zg_sweep_count(&sweep) == 0) {
        cli_error(run->verb, "--sweep: expected at most %d soaks in all", ZG_SWEEP_POINTS);
        return CLI_USAGE;
    }
    begin(&progress);
    g_autoptr(GArray) points = zg_sweep_run(&sweep, show_points, &progress);
    end(&progress);
    g_autofree char *text =
        (run->as_json ? zg_sweep_json : zg_sweep_text)(&sweep, points, requirements_of(run), run->requirements->len);
    cli_print(run->as_json ? "%s\n" : "%s", text);
    for (guint i = 0; i < points->len; i++) {
        const struct zg_sweep_point *point = &g_array_index(points, struct zg_sweep_point, i);
        if (point->error || (point->result && point->result->ended[0] != '\0'))
            return CLI_TROUBLE;
    }
    return zg_sweep_passed(points, requirements_of(run), run->requirements->len) ? CLI_YES : CLI_NO;
}

static void print_search(const struct cli_soak_run *run, const struct zg_sweep_axis *axis,
                         const struct zg_soak_requirement *requirement, const struct zg_search *search)
{
    g_autofree char *good = zg_sweep_value_text(axis, search->good), *bad = zg_sweep_value_text(axis, search->bad);
    struct zg_json json;

    if (!run->as_json) {
        if (search->found)
            cli_print("%s <= %g holds at %s %s and no longer at %s, after %u soaks\n", requirement->key,
                      requirement->limit, axis->name, good, bad, search->runs);
        else
            cli_print("%s <= %g %s from %s %s to %s\n", requirement->key, requirement->limit,
                      search->holds[0] ? "holds" : "fails", axis->name, good, bad);
        return;
    }
    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_string(&json, "setting", axis->name);
    zg_json_string(&json, "rate", requirement->key);
    zg_json_double(&json, "limit", requirement->limit);
    zg_json_bool(&json, "found", search->found);
    zg_json_bool(&json, "holds_at_first", search->holds[0]);
    zg_json_bool(&json, "holds_at_last", search->holds[1]);
    if (search->found) {
        zg_json_double(&json, "holds_at", search->good);
        zg_json_double(&json, "fails_at", search->bad);
    }
    zg_json_unsigned(&json, "soaks", search->runs);
    zg_json_close(&json, '}');
    cli_print_json(&json);
}

int cli_soak_search(const struct cli_soak_run *run, const struct zg_sweep_axis *axis,
                    const struct zg_soak_requirement *requirement)
{
    struct progress progress;

    begin(&progress);
    struct zg_search search = zg_search_run(run->plan, &run->settings, axis, requirement, show_points, &progress);
    end(&progress);
    if (search.error) {
        cli_error(run->verb, "%s", search.error->message);
        g_clear_error(&search.error);
        return CLI_TROUBLE;
    }
    if (search.stopped) {
        cli_error(run->verb, "--bisect: stopped after %u soaks, before it was found", search.runs);
        return CLI_TROUBLE;
    }
    print_search(run, axis, requirement, &search);
    return search.found ? CLI_YES : CLI_NO;
}

/* --- several links */

struct link_run {
    const struct cli_soak_run *run;
    struct progress *progress;
    struct zg_soak_settings settings;
    struct zg_soak_result *result;
    GError *error;
    GThread *thread;
};

static bool show_link(double done, const struct zg_soak_result *so_far, void *data)
{
    struct link_run *link = data;

    if (is_time(link->progress)) { /* one of them speaks for all */
        const struct zg_soak_running running = {
            .plan = link->run->plan, .settings = &link->settings, .so_far = so_far, .done = done, .left_s = -1
        };
        g_autofree char *line = zg_soak_running_line(&running);
        (void)fprintf(stderr, link->progress->is_terminal ? "\r%s: %.80s\x1b[K" : "%s: %s\n", link->settings.link->text,
                      line);
        g_mutex_unlock(&link->progress->lock);
    }
    return !cli_stopped();
}

static void *run_link(void *data)
{
    struct link_run *link = data;

    link->result = zg_soak_run_live(link->run->plan, &link->settings, show_link, link, &link->error);
    return NULL;
}

static int print_link(const struct link_run *link)
{
    const struct cli_soak_run *run = link->run;
    const struct zg_soak_report report = {
        run->plan, &link->settings, link->result, link->settings.journal, requirements_of(run), run->requirements->len
    };

    if (!link->result) {
        cli_error(run->verb, "%s", link->error->message);
        return CLI_TROUBLE;
    }
    g_autofree char *text = run->as_json ? zg_soak_report_json(&report) : zg_soak_report_text(&report);
    cli_print("%s\n", text);
    if (link->result->ended[0] == '\0')
        return zg_soak_passed(&report) ? CLI_YES : CLI_NO;
    cli_error(run->verb, "%s ended early: %s", link->settings.link->text, link->result->ended);
    return CLI_TROUBLE;
}

int cli_soak_links(const struct cli_soak_run *run, const struct zg_address *links, unsigned count)
{
    g_autofree struct link_run *runs = g_new0(struct link_run, count);
    struct progress progress;
    int status = CLI_YES;
    unsigned passed = 0;

    begin(&progress);
    for (unsigned i = 0; i < count; i++) {
        runs[i] = (struct link_run){ .run = run, .progress = &progress, .settings = run->settings };
        runs[i].settings.link = &links[i];
        runs[i].settings.part = i;
        runs[i].settings.journal = zg_journal_new(false);
        runs[i].thread = g_thread_new("soak", run_link, &runs[i]);
    }
    for (unsigned i = 0; i < count; i++)
        (void)g_thread_join(runs[i].thread);
    end(&progress);
    for (unsigned i = 0; i < count; i++) {
        if (runs[i].result)
            runs[i].result->any_time = runs[i].result->stopped || runs[i].settings.until != NULL;
        const int one = print_link(&runs[i]);
        passed += one == CLI_YES;
        status = MAX(status, one);
        zg_journal_free(runs[i].settings.journal);
        g_free(runs[i].result);
        g_clear_error(&runs[i].error);
    }
    if (!run->as_json)
        cli_print("verdict of all: %u of %u links passed\n", passed, count);
    return status;
}
