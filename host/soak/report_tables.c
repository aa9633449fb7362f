/* SPDX-License-Identifier: MIT */
#include "soak/report_tables.h"

#include <math.h>

#include "soak/availability.h"

char *zgi_time_text(uint64_t ns)
{
    if (ns == 0)
        return g_strdup("0");
    if (ns >= UINT64_C(10000000000))
        return g_strdup_printf("%" G_GUINT64_FORMAT " s", (ns + 500000000) / 1000000000);
    if (ns >= 10000000)
        return g_strdup_printf("%" G_GUINT64_FORMAT " ms", (ns + 500000) / 1000000);
    return g_strdup_printf("%.3f ms", (double)ns / 1e6);
}

void zgi_row_start(GString *text, const char *name)
{
    g_string_append_printf(text, "  %-*s", ZGI_NAME_WIDTH, name);
}

void zgi_cell(GString *text, uint64_t count)
{
    if (count > 0)
        g_string_append_printf(text, "%*" G_GUINT64_FORMAT, ZGI_COLUMN, count);
    else
        g_string_append_printf(text, "%*s", ZGI_COLUMN, "-");
}

/* Whether a class is shown: those that are possible only on real links, if they occurred; late ones on the simulated
 * line, because a real one does not show a single way. */
static bool is_shown(const struct zg_soak_result *result, enum zg_class class_)
{
    bool occurred =
        class_ == ZG_CLASS_LATE ? !result->real : class_ < ZG_CLASS_LOST_EITHER || class_ > ZG_CLASS_CUT_OFF;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        occurred = occurred || result->sums.entries[flow][class_] > 0;
    return occurred;
}

const char *zgi_flow_title(const struct zg_soak_result *result, unsigned flow)
{
    static const char *const own[ZG_FLOWS] = { "answered", "-", "unanswered", "from device" };
    return result->traffic == ZG_SOAK_OWN ? own[flow] : zg_flow_name((enum zg_flow)flow);
}

const char *zgi_round_trip_title(const struct zg_soak_result *result)
{
    return result->traffic == ZG_SOAK_OWN ? "message to answer" : "echo, there and back";
}

void zgi_table_sent(GString *text, const struct zg_soak_result *result)
{
    uint64_t total = 0;

    g_string_append_printf(text, "\n  %-*s", ZGI_NAME_WIDTH, "frames sent");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        g_string_append_printf(text, "%*s", ZGI_COLUMN, zgi_flow_title(result, flow));
    g_string_append_printf(text, "%*s\n", ZGI_COLUMN, "all");
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        uint64_t all = 0;
        if (!zg_class_is_of_entries((enum zg_class)i) || !is_shown(result, (enum zg_class)i))
            continue;
        zgi_row_start(text, zg_class_name((enum zg_class)i));
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
            zgi_cell(text, result->sums.entries[flow][i]);
            all += result->sums.entries[flow][i];
        }
        zgi_cell(text, all);
        g_string_append_c(text, '\n');
    }
    zgi_row_start(text, "sent");
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        zgi_cell(text, result->sums.sent[flow]);
        total += result->sums.sent[flow];
    }
    zgi_cell(text, total);
    g_string_append_c(text, '\n');
}

void zgi_table_arrived(GString *text, const struct zg_soak_result *result)
{
    uint64_t sums[2] = { 0, 0 };

    g_string_append_printf(text, "\n  %-*s%*s%*s%*s\n", ZGI_NAME_WIDTH, "arrived", ZGI_COLUMN, "at device", ZGI_COLUMN,
                           "at host", ZGI_COLUMN, "all");
    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        if (!zg_class_is_of_arrivals((enum zg_class)i) || !is_shown(result, (enum zg_class)i))
            continue;
        zgi_row_start(text, zg_class_name((enum zg_class)i));
        for (unsigned end = 0; end < 2; end++) {
            zgi_cell(text, result->sums.arrivals[end][i]);
            sums[end] += result->sums.arrivals[end][i];
        }
        zgi_cell(text, result->sums.arrivals[0][i] + result->sums.arrivals[1][i]);
        g_string_append_c(text, '\n');
    }
    zgi_row_start(text, "arrived");
    zgi_cell(text, sums[0]);
    zgi_cell(text, sums[1]);
    zgi_cell(text, sums[0] + sums[1]);
    g_string_append_c(text, '\n');
}

/* That errors come in clusters, and what that makes of the bounds. */
static void append_cluster(GString *text, const struct zg_soak_rate *rate)
{
    const struct zg_cluster *cluster = &rate->cluster;
    const double hours = (double)cluster->blocks * cluster->block_s / 3600;
    double low, high;

    if (!cluster->clustered)
        return;
    zg_count_bounds(cluster->disturbances, 0.95, &low, &high);
    zgi_row_start(text, "");
    g_string_append_printf(text, "%*s%*s   ", ZGI_COLUMN, "", ZGI_COLUMN, "clustered:");
    if (cluster->disturbances < ZG_DISTURBANCES_ENOUGH)
        g_string_append_printf(text,
                               "%u disturbance%s, too few for bounds on frames; %.3g to %.3g of them an hour, so at "
                               "most %.2e\n",
                               cluster->disturbances, cluster->disturbances == 1 ? "" : "s", low / hours, high / hours,
                               rate->wide_high);
    else
        g_string_append_printf(text, "%.2e to %.2e, in %u disturbances (dispersion %.3g in blocks of %u s)\n",
                               rate->wide_low, rate->wide_high, cluster->disturbances, cluster->dispersion,
                               cluster->block_s);
}

void zgi_table_rates(GString *text, const struct zg_soak_result *result)
{
    struct zg_soak_rate rate;

    g_string_append_printf(text, "\n  %-*s%*s%*s   %s\n", ZGI_NAME_WIDTH, "rate", ZGI_COLUMN, "count", ZGI_COLUMN,
                           "measured", "95 % bounds, exact as if independent");
    for (unsigned i = 0; zg_soak_rate_at(result, i, &rate); i++) {
        if (rate.on == (result->real ? ZG_SOAK_ON_SIM : ZG_SOAK_ON_REAL))
            continue;
        zgi_row_start(text, rate.key);
        if (rate.trials == 0) {
            g_string_append_printf(text, "%*s%*s   no %s to count it in\n", ZGI_COLUMN, "-", ZGI_COLUMN, "unknown",
                                   rate.of);
            continue;
        }
        zgi_cell(text, rate.errors);
        if (rate.errors > 0)
            g_string_append_printf(text, "%*.2e   %.2e to %.2e of %s\n", ZGI_COLUMN,
                                   (double)rate.errors / (double)rate.trials, rate.low, rate.high, rate.of);
        else
            g_string_append_printf(text, "%*s   at most %.2e of %s\n", ZGI_COLUMN, "none seen", rate.high, rate.of);
        append_cluster(text, &rate);
    }
}

void zgi_table_spread(GString *text, const char *what, const struct zg_spread *spread)
{
    g_autofree char *least = zgi_time_text(spread->least_ns);
    g_autofree char *half = zgi_time_text(zg_spread_at(spread, 0.5));
    g_autofree char *most_of = zgi_time_text(zg_spread_at(spread, 0.99));
    g_autofree char *most = zgi_time_text(spread->most_ns);

    g_string_append_printf(text, "  %s: least %s, half within %s, 99 %% within %s, most %s\n", what, least, half,
                           most_of, most);
}

/* What would show a limit that was not shown. Clustered trials count less, here as in the verdict. */
static void append_needed(GString *text, const struct zg_soak_requirement *requirement, const struct zg_soak_rate *rate)
{
    const struct zg_cluster *cluster = &rate->cluster;
    const double weight = zg_cluster_weight(cluster);
    const uint64_t needed = zg_rate_trials_needed((uint64_t)ceil((double)rate->errors / weight), requirement->limit,
                                                  requirement->confidence);

    if (needed == UINT64_MAX)
        g_string_append(text, "; no soak can show a rate of 0, but = 0 that none is seen");
    else if (cluster->clustered && cluster->disturbances < ZG_DISTURBANCES_ENOUGH)
        g_string_append_printf(text,
                               ";\n             a soak with %d disturbances or more would tell better than one with %u",
                               ZG_DISTURBANCES_ENOUGH, cluster->disturbances);
    else
        g_string_append_printf(text,
                               ";\n             %.0f %s with no more than %" G_GUINT64_FORMAT
                               " would show it, a soak about %.3g times as long",
                               (double)needed * weight, rate->of, rate->errors,
                               (double)needed * weight / (double)MAX(rate->trials, 1));
}

void zgi_table_requirement(GString *text, const struct zg_soak_result *result,
                           const struct zg_soak_requirement *requirement)
{
    static const char *const words[] = { "met:      ", "failed:   ", "not shown:" };
    struct zg_soak_rate rate;
    const enum zg_soak_verdict verdict = zg_soak_judge(result, requirement, &rate);
    const double percent = 100 * requirement->confidence;

    g_string_append_printf(text, "  %s %s ", words[verdict], requirement->key);
    if (requirement->none) {
        g_string_append_printf(text, "= 0, %" G_GUINT64_FORMAT " seen in %" G_GUINT64_FORMAT " %s\n", rate.errors,
                               rate.trials, rate.of);
        return;
    }
    g_string_append_printf(text, "<= %g, because at %g %% confidence%s it is at ", requirement->limit, percent,
                           result->any_time ? ", at any time," : "");
    if (verdict == ZG_SOAK_FAILED)
        g_string_append_printf(text, "least %.2e", rate.wide_low);
    else
        g_string_append_printf(text, "most %.2e", rate.wide_high);
    if (rate.cluster.clustered)
        g_string_append(text, ", as clustered");
    if (verdict == ZG_SOAK_NOT_SHOWN)
        append_needed(text, requirement, &rate);
    g_string_append_c(text, '\n');
}

static double percent(uint64_t part, uint64_t of)
{
    return of > 0 ? 100 * (double)part / (double)of : 0;
}

static void append_path(GString *text, const char *name, const struct zg_availability *found)
{
    if (found->interval_s == 0)
        return;
    zgi_row_start(text, name);
    if (found->available == 0) {
        g_string_append_printf(text, "%*" G_GUINT64_FORMAT "   none of them available\n", ZGI_COLUMN, found->seconds);
        return;
    }
    g_string_append_printf(
        text, "%*" G_GUINT64_FORMAT "%*" G_GUINT64_FORMAT "%*" G_GUINT64_FORMAT "%*" G_GUINT64_FORMAT "%*.2e",
        ZGI_COLUMN, found->seconds, ZGI_COLUMN, found->errored, ZGI_COLUMN, found->severe, ZGI_COLUMN,
        found->seconds - found->available, ZGI_COLUMN,
        found->frames > 0 ? (double)found->bad / (double)found->frames : 0.0);
    if (found->interval_s > 1)
        g_string_append_printf(text, "   of %u s each, which carry ten frames", found->interval_s);
    g_string_append_c(text, '\n');
}

void zgi_table_time(GString *text, const GArray *rows)
{
    static const char *const names[ZG_PATHS] = { "out", "back", "there and back" };
    const struct zg_availability all = zg_availability_of_all(rows);
    const uint64_t held = zg_seconds_held(rows);

    g_string_append_printf(text, "\n  %-*s%*s%*s%*s%*s%*s\n", ZGI_NAME_WIDTH, "time (as G.826)", ZGI_COLUMN, "seconds",
                           ZGI_COLUMN, "errored", ZGI_COLUMN, "severely", ZGI_COLUMN, "unavailable", ZGI_COLUMN,
                           "else lost");
    for (unsigned path = 0; path < ZG_PATHS; path++) {
        const struct zg_availability found = zg_availability_of(rows, (enum zg_path)path);
        append_path(text, names[path], &found);
    }
    if (all.seconds > 0)
        g_string_append_printf(text, "  available %.4g %% of %" G_GUINT64_FORMAT " s",
                               percent(all.available, all.seconds), all.seconds);
    if (all.outages > 0)
        g_string_append_printf(text, "; %" G_GUINT64_FORMAT " outages, the longest %" G_GUINT64_FORMAT " s",
                               all.outages, all.longest);
    if (held > 0)
        g_string_append_printf(text,
                               "%s%" G_GUINT64_FORMAT " s not measured, because this computer was held up in them",
                               all.seconds > 0 ? "; " : "  ", held);
    g_string_append_c(text, '\n');
}
