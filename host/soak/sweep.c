/* SPDX-License-Identifier: MIT */
#include "soak/sweep.h"

#include <math.h>
#include <string.h>

#include "definition/words.h"

enum unit { PLAIN, WHOLE, SECONDS, BAUD };

/* Settings that are no faults. */
static const struct {
    const char *name;
    enum unit unit;
    double least, most;
} settings_of[] = {
    { "size", WHOLE, 1, 65535 }, { "load", PLAIN, 1e-6, 0.95 }, { "open", WHOLE, 1, 1000 },
    { "gap", SECONDS, 0, 60 },   { "baud", BAUD, 1, 1e8 },
};

static int setting_of(const char *name)
{
    for (unsigned i = 0; i < G_N_ELEMENTS(settings_of); i++)
        if (strcmp(settings_of[i].name, name) == 0)
            return (int)i;
    return -1;
}

/* Whether a value is in seconds. */
static bool is_time(const char *name)
{
    const int setting = setting_of(name);

    return setting >= 0 ? settings_of[setting].unit == SECONDS : zg_faults_is_time(name);
}

/* A fault whose value is a time takes one with its unit, and has it in seconds here. */
static bool read_end(const char *text, double *value, bool *timed, bool *is_percent)
{
    char *end = NULL;
    uint64_t ns;

    *timed = zg_parse_time(text, &ns);
    *is_percent = false;
    if (*timed) {
        *value = (double)ns * 1e-9;
        return true;
    }
    *value = g_ascii_strtod(text, &end);
    *is_percent = end != text && strcmp(end, "%") == 0;
    return end != text && (*end == '\0' || *is_percent);
}

static bool fail(GError **error, const char *text, const char *expected)
{
    g_set_error(error, ZG_SOAK_ERROR, 0, "\"%s\": expected %s", text, expected);
    return false;
}

/* Whether the values suit the setting. */
static bool check_axis(const char *text, const struct zg_sweep_axis *axis, bool timed, bool is_real, GError **error)
{
    const int setting = setting_of(axis->name);
    const double scale = timed ? 1e9 : 1;
    struct zg_faults faults = { 0 };

    if (setting < 0 && is_real)
        return fail(error, text, "size, load, open, gap or baud on a real link; faults need sim:");
    if (setting < 0 && !(zg_faults_set(&faults, axis->name, axis->from * scale, error) &&
                         zg_faults_set(&faults, axis->name, axis->to * scale, error)))
        return false;
    if (axis->percent && (setting < 0 || settings_of[setting].unit != BAUD))
        return fail(error, text, "percent only of baud");
    if (axis->percent && !is_real)
        return fail(error, text,
                    "a speed of its own for this end on a real port only; on sim: both ends have the same");
    if (timed != is_time(axis->name))
        return fail(error, text, timed ? "numbers" : "times with their unit, such as 0ms..5ms");
    if (setting < 0 || axis->percent)
        return true;
    if (axis->from >= settings_of[setting].least && axis->to <= settings_of[setting].most)
        return true;
    g_set_error(error, ZG_SOAK_ERROR, 0, "\"%s\": expected values from %g to %g", text, settings_of[setting].least,
                settings_of[setting].most);
    return false;
}

/* axis = name "=" value ".." value [ "/" steps ] */
bool zg_sweep_axis_parse(const char *text, bool with_steps, bool is_real, struct zg_sweep_axis *axis, GError **error)
{
    const char *form =
        with_steps ? "NAME=FROM..TO/STEPS, such as ber=1e-7..1e-3/9" : "NAME=FROM..TO, such as ber=1e-7..1e-3";
    g_auto(GStrv) sides = g_strsplit(text, "=", 2);
    g_auto(GStrv) ends = g_strsplit(sides[0] && sides[1] ? sides[1] : "", "..", 2);
    bool times[2], percents[2];
    uint64_t steps = 2;

    *axis = (struct zg_sweep_axis){ .name = NULL };
    if (!ends[0] || !ends[1])
        return fail(error, text, form);
    char *slash = strrchr(ends[1], '/');
    if (with_steps != (slash != NULL) || (slash && !zgi_parse_unsigned(slash + 1, &steps)))
        return fail(error, text, form);
    if (slash)
        *slash = '\0';
    if (!read_end(ends[0], &axis->from, &times[0], &percents[0]) ||
        !read_end(ends[1], &axis->to, &times[1], &percents[1]) || times[0] != times[1] || percents[0] != percents[1])
        return fail(error, text, form);
    if (!(axis->to > axis->from) && !(axis->to == axis->from && steps == 1))
        return fail(error, text, "the greater value last");
    if (steps < 1 || steps > ZG_SWEEP_POINTS)
        return fail(error, text, "1 to 10000 steps");
    axis->steps = (unsigned)steps;
    axis->percent = percents[0];
    axis->logarithmic = axis->from > 0 && axis->to / axis->from >= 100;
    axis->name = g_strdup(sides[0]);
    if (check_axis(text, axis, times[0], is_real, error))
        return true;
    zg_sweep_axis_clear(axis);
    return false;
}

void zg_sweep_axis_clear(struct zg_sweep_axis *axis)
{
    g_clear_pointer(&axis->name, g_free);
}

/* A share of the way from one end to the other. */
static double between(const struct zg_sweep_axis *axis, double share)
{
    return axis->logarithmic ? axis->from * pow(axis->to / axis->from, share)
                             : axis->from + (axis->to - axis->from) * share;
}

static bool is_whole(const struct zg_sweep_axis *axis)
{
    const int setting = setting_of(axis->name);
    return setting >= 0 && settings_of[setting].unit == WHOLE;
}

double zg_sweep_value(const struct zg_sweep_axis *axis, unsigned index)
{
    const double value = axis->steps > 1 ? between(axis, (double)index / (double)(axis->steps - 1)) : axis->from;

    return is_whole(axis) ? floor(value + 0.5) : value;
}

char *zg_sweep_value_text(const struct zg_sweep_axis *axis, double value)
{
    if (axis->percent)
        return g_strdup_printf("%+.3g%%", value);
    if (is_time(axis->name))
        return fabs(value) < 1e-3 ? g_strdup_printf("%.4gus", value * 1e6) : g_strdup_printf("%.4gms", value * 1e3);
    return g_strdup_printf(fabs(value) >= 1e4 ? "%.0f" : "%.4g", value);
}

/* Puts a value into the settings. On a real link the address is the point's own. */
static bool apply(const struct zg_sweep_axis *axis, double value, const struct zg_plan *plan,
                  struct zg_soak_settings *settings, struct zg_address *address, GError **error)
{
    const double usual = (double)plan->definition->line.baud;

    switch (setting_of(axis->name)) {
    case 0: settings->size = (unsigned)value; return true;
    case 1: settings->load = value; return true;
    case 2: settings->open = (unsigned)value; return true;
    case 3: settings->gap_ns = (uint64_t)(value * 1e9 + 0.5); return true;
    case 4:
        settings->baud = (uint64_t)((axis->percent ? usual * (1 + value / 100) : value) + 0.5);
        address->baud = (unsigned long)settings->baud;
        return true;
    default: break;
    }
    if (!zg_faults_set(&settings->faults, axis->name, is_time(axis->name) ? value * 1e9 : value, error))
        return false;
    g_autofree char *unfit = zg_soak_line_unfit(plan, settings);
    if (unfit)
        g_set_error(error, ZG_SOAK_ERROR, 0, "%s", unfit);
    return !unfit;
}

/* --- the points */

struct running {
    const struct zg_sweep *sweep;
    GArray *points;
    zg_sweep_progress progress;
    void *data;
    gint done, stopped; /* atomic */
};

unsigned zg_sweep_count(const struct zg_sweep *sweep)
{
    uint64_t count = sweep->repetitions;

    for (unsigned i = 0; i < sweep->axes_count; i++)
        count *= sweep->axes[i].steps;
    return count <= ZG_SWEEP_POINTS ? (unsigned)count : 0;
}

static bool go_on(double done, const struct zg_soak_result *so_far, void *data)
{
    struct running *running = data;

    (void)done;
    (void)so_far;
    if (running->progress &&
        !running->progress((unsigned)g_atomic_int_get(&running->done), running->points->len, running->data))
        g_atomic_int_set(&running->stopped, 1);
    return !g_atomic_int_get(&running->stopped);
}

/* Runs a soak with these values in the settings, `times` as long, and with random streams of its own. */
static struct zg_soak_result *run_at(const struct zg_plan *plan, const struct zg_soak_settings *usual,
                                     const struct zg_sweep_axis *axes, unsigned count, const double *values,
                                     unsigned part, unsigned times, struct running *running, GError **error)
{
    struct zg_soak_settings settings = *usual;
    struct zg_address address = { .kind = ZG_ADDRESS_SIM };

    if (usual->link)
        address = *usual->link;
    settings.link = usual->link ? &address : NULL;
    settings.duration_ns *= times;
    settings.part = part;
    for (unsigned i = 0; i < count; i++)
        if (!apply(&axes[i], values[i], plan, &settings, &address, error))
            return NULL;
    struct zg_journal *journal = settings.journal = zg_journal_new(false); /* which shows how errors cluster */
    struct zg_soak_result *result =
        (settings.link ? zg_soak_run_live : zg_soak_run)(plan, &settings, go_on, running, error);
    zg_journal_free(journal);
    return result;
}

static void run_point(void *data, void *user)
{
    struct running *running = user;
    const unsigned index = GPOINTER_TO_UINT(data) - 1;
    const struct zg_sweep *sweep = running->sweep;
    struct zg_sweep_point *point = &g_array_index(running->points, struct zg_sweep_point, index);

    if (g_atomic_int_get(&running->stopped))
        return;
    point->result = run_at(sweep->plan, sweep->settings, sweep->axes, sweep->axes_count, point->values,
                           sweep->settings->part + index, 1, running, &point->error);
    if (point->result)
        point->result->any_time = point->result->stopped; /* its part is a random stream, not what went before */
    g_atomic_int_inc(&running->done);
}

static void clear_point(void *data)
{
    struct zg_sweep_point *point = data;

    g_free(point->result);
    g_clear_error(&point->error);
}

/* The values of each point: the last axis goes fastest, repetitions still faster. */
static GArray *lay_out(const struct zg_sweep *sweep)
{
    GArray *points = g_array_new(FALSE, TRUE, sizeof(struct zg_sweep_point));

    g_array_set_clear_func(points, clear_point);
    g_array_set_size(points, zg_sweep_count(sweep));
    for (guint i = 0; i < points->len; i++) {
        guint rest = i / sweep->repetitions;
        for (unsigned k = sweep->axes_count; k-- > 0; rest /= sweep->axes[k].steps)
            g_array_index(points, struct zg_sweep_point, i).values[k] =
                zg_sweep_value(&sweep->axes[k], rest % sweep->axes[k].steps);
    }
    return points;
}

GArray *zg_sweep_run(const struct zg_sweep *sweep, zg_sweep_progress progress, void *data)
{
    struct running running = { .sweep = sweep, .points = lay_out(sweep), .progress = progress, .data = data };
    const gint threads = sweep->settings->link ? 1 : (gint)g_get_num_processors();
    GThreadPool *pool = g_thread_pool_new(run_point, &running, threads, FALSE, NULL);

    for (guint i = 0; i < running.points->len; i++)
        (void)g_thread_pool_push(pool, GUINT_TO_POINTER(i + 1), NULL);
    g_thread_pool_free(pool, FALSE, TRUE);
    return running.points;
}

/* --- the search */

enum { LONGER_MOST = 16, SEARCHED = 20 };

/* Whether the requirement is met at a value; the settings' length is how long a soak is first. */
static bool holds_at(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                     const struct zg_sweep_axis *axis, double value, const struct zg_soak_requirement *requirement,
                     struct zg_search *search, struct running *running)
{
    for (unsigned times = 1;; times *= 2) {
        struct zg_soak_rate rate;
        g_autofree struct zg_soak_result *result =
            run_at(plan, settings, axis, 1, &value, settings->part + ++search->runs, times, running, &search->error);
        if (!result || result->stopped) {
            search->stopped = true;
            return false;
        }
        result->any_time = false;
        const enum zg_soak_verdict verdict = zg_soak_judge(result, requirement, &rate);
        if (verdict != ZG_SOAK_NOT_SHOWN)
            return verdict == ZG_SOAK_MET;
        if (times >= LONGER_MOST)
            return rate.trials > 0 && (double)rate.errors <= requirement->limit * (double)rate.trials;
    }
}

struct zg_search zg_search_run(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                               const struct zg_sweep_axis *axis, const struct zg_soak_requirement *requirement,
                               zg_sweep_progress progress, void *data)
{
    struct zg_search search = { .good = axis->from, .bad = axis->to };
    g_autoptr(GArray) none = g_array_new(FALSE, FALSE, sizeof(struct zg_sweep_point));
    struct running running = { .points = none, .progress = progress, .data = data };
    double shares[2] = { 0, 1 }; /* of the way: where it holds, and where it does not */

    for (unsigned i = 0; i < 2 && !search.stopped && !search.error; i++)
        search.holds[i] =
            holds_at(plan, settings, axis, i == 0 ? axis->from : axis->to, requirement, &search, &running);
    if (search.stopped || search.error || search.holds[0] == search.holds[1])
        return search;
    if (search.holds[1]) {
        shares[0] = 1;
        shares[1] = 0;
    }
    while (fabs(shares[1] - shares[0]) > 1.0 / SEARCHED && !search.stopped && !search.error) {
        const double middle = (shares[0] + shares[1]) / 2;
        double value = between(axis, middle);
        if (is_whole(axis))
            value = floor(value + 0.5);
        const bool holds = holds_at(plan, settings, axis, value, requirement, &search, &running);
        shares[!holds] = middle;
    }
    search.found = !search.stopped && !search.error;
    search.good = between(axis, shares[0]);
    search.bad = between(axis, shares[1]);
    return search;
}

bool zg_sweep_passed(const GArray *points, const struct zg_soak_requirement *requirements, unsigned requirements_count)
{
    bool passed = true;

    for (guint i = 0; i < points->len; i++) {
        const struct zg_sweep_point *point = &g_array_index(points, struct zg_sweep_point, i);
        struct zg_soak_rate rate;
        passed = passed && point->result && point->result->adds_up && point->result->ended[0] == '\0';
        for (unsigned k = 0; k < requirements_count && passed; k++)
            passed = zg_soak_judge(point->result, &requirements[k], &rate) == ZG_SOAK_MET;
    }
    return passed;
}
