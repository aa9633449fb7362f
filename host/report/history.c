/* SPDX-License-Identifier: MIT */
#include "report/history.h"

#include <math.h>

enum { RUNS_LEAST = 3, BAR = 20 };

static const double drift = 0.5, limit = 5; /* standard deviations */

/* How much later runs are expected to have of a kind, for each trial. */
static double reference_of(const struct zg_history *history, unsigned kind)
{
    double errors = 0, trials = 0;

    for (unsigned i = 0; i < history->reference; i++) {
        const struct zg_history_point *point = &g_array_index(history->points[kind], struct zg_history_point, i);
        errors += (double)point->errors;
        trials += (double)point->trials;
    }
    return trials > 0 ? fmax(errors, 0.5) / trials : 0;
}

static void add_up(struct zg_history *history, unsigned kind)
{
    const double rate = reference_of(history, kind);
    double sum = 0;

    for (guint i = 0; i < history->runs->len; i++) {
        struct zg_history_point *point = &g_array_index(history->points[kind], struct zg_history_point, i);
        const double expected = rate * (double)point->trials,
                     deviation = sqrt(fmax(expected, 1) * zg_compared_weight(history->runs->pdata[i], kind));
        sum = i < history->reference || point->trials == 0
                  ? sum
                  : fmax(sum + ((double)point->errors - expected) / deviation - drift, 0);
        point->sum = sum;
        point->signals = sum > limit;
    }
}

static void free_run(void *run)
{
    zg_stored_free(run);
}

struct zg_history *zg_history_read(const char *file, GError **error)
{
    g_autoptr(GArray) numbers = zg_stored_runs(file, error);
    struct zg_history *history = g_new0(struct zg_history, 1);

    history->runs = g_ptr_array_new_with_free_func(free_run);
    for (unsigned kind = 0; kind < ZG_COMPARED_MOST; kind++)
        history->points[kind] = g_array_new(FALSE, FALSE, sizeof(struct zg_history_point));
    for (guint i = 0; numbers && i < numbers->len; i++) {
        struct zg_stored *run = zg_stored_read_counts(file, g_array_index(numbers, gint64, i), error);
        if (!run)
            break;
        g_ptr_array_add(history->runs, run);
    }
    if (numbers && !*error && numbers->len < RUNS_LEAST)
        g_set_error(error, ZG_STORE_ERROR, 0, "%s: expected %d runs or more, found %u", file, RUNS_LEAST, numbers->len);
    if (*error) {
        zg_history_free(history);
        return NULL;
    }
    history->reference = CLAMP(history->runs->len / 3, 2, 10);
    for (unsigned kind = 0; kind < ZG_COMPARED_MOST; kind++) {
        for (guint i = 0; i < history->runs->len; i++) {
            struct zg_history_point point = { .errors = 0 };
            history->keys[kind] = zg_compared_count(history->runs->pdata[i], kind, &point.errors, &point.trials);
            g_array_append_val(history->points[kind], point);
        }
        add_up(history, kind);
        if (!zg_compared_fits((const struct zg_stored *const *)history->runs->pdata, history->runs->len, kind)) {
            history->keys[kind] = NULL;
            continue;
        }
        history->signals =
            history->signals ||
            g_array_index(history->points[kind], struct zg_history_point, history->runs->len - 1).signals;
    }
    return history;
}

void zg_history_free(struct zg_history *history)
{
    if (!history)
        return;
    g_ptr_array_unref(history->runs);
    for (unsigned kind = 0; kind < ZG_COMPARED_MOST; kind++)
        g_array_unref(history->points[kind]);
    g_free(history);
}

static bool has_errors(const struct zg_history *history, unsigned kind)
{
    for (guint i = 0; i < history->runs->len; i++)
        if (g_array_index(history->points[kind], struct zg_history_point, i).errors > 0)
            return true;
    return false;
}

char *zg_history_text(const struct zg_history *history)
{
    GString *text = g_string_new(NULL);
    bool any = false;

    g_string_append_printf(text, "%u runs; the first %u are the reference\n", history->runs->len, history->reference);
    for (unsigned kind = 0; kind < ZG_COMPARED_MOST; kind++) {
        if (!has_errors(history, kind) || !history->keys[kind])
            continue;
        any = true;
        g_string_append_printf(text, "\n  %-22s %-24s %9s %12s %10s   sum; above 5 a signal\n", history->keys[kind],
                               "begun", "errors", "of", "rate");
        for (guint i = 0; i < history->runs->len; i++) {
            const struct zg_stored *run = history->runs->pdata[i];
            const struct zg_history_point *point = &g_array_index(history->points[kind], struct zg_history_point, i);
            const int bar = (int)fmin(point->sum / limit * BAR / 2, BAR);
            g_string_append_printf(text,
                                   "  run %-18" G_GINT64_FORMAT " %-24s %9" G_GUINT64_FORMAT " %12" G_GUINT64_FORMAT
                                   " %10.2e  %6.1f%s%.*s%s\n",
                                   run->run, run->begun, point->errors, point->trials,
                                   point->trials > 0 ? (double)point->errors / (double)point->trials : 0, point->sum,
                                   bar > 0 ? " " : "", bar, "####################", point->signals ? "  SIGNAL" : "");
        }
    }
    if (!any)
        g_string_append(text, "no run has errors\n");
    g_string_append_printf(text, "\n%s\n",
                           history->signals ? "the newest run is above the limit: it became worse"
                                            : "no chart signals at the newest run");
    return g_string_free(text, FALSE);
}

char *zg_history_json(const struct zg_history *history)
{
    struct zg_json json;

    zg_json_begin(&json, true);
    zg_json_open(&json, NULL, '{');
    zg_json_unsigned(&json, "runs", history->runs->len);
    zg_json_unsigned(&json, "reference", history->reference);
    zg_json_open(&json, "kinds", '[');
    for (unsigned kind = 0; kind < ZG_COMPARED_MOST; kind++) {
        if (!history->keys[kind])
            continue;
        zg_json_open(&json, NULL, '{');
        zg_json_string(&json, "kind", history->keys[kind]);
        zg_json_open(&json, "points", '[');
        for (guint i = 0; i < history->runs->len; i++) {
            const struct zg_history_point *point = &g_array_index(history->points[kind], struct zg_history_point, i);
            zg_json_open(&json, NULL, '{');
            zg_json_signed(&json, "run", ((const struct zg_stored *)history->runs->pdata[i])->run);
            zg_json_unsigned(&json, "count", point->errors);
            zg_json_unsigned(&json, "of", point->trials);
            zg_json_double(&json, "sum", point->sum);
            zg_json_bool(&json, "signals", point->signals);
            zg_json_close(&json, '}');
        }
        zg_json_close(&json, ']');
        zg_json_close(&json, '}');
    }
    zg_json_close(&json, ']');
    zg_json_bool(&json, "signals", history->signals);
    zg_json_close(&json, '}');
    return zg_json_end(&json);
}
