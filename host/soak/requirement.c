/* SPDX-License-Identifier: MIT */
/* The rates of a soak, and requirements on them. */
#include <math.h>
#include <string.h>

#include "definition/words.h"
#include "soak/soak.h"
#include "zeugma/traffic.h"

static const double confidence = 0.95; /* of the bounds shown with each rate */

/* The two-sided bounds at a confidence. */
static void set_bounds(struct zg_soak_rate *rate, double at)
{
    zg_rate_bounds(rate->errors, rate->trials, at, &rate->low, &rate->high);
    rate->wide_low = rate->low;
    rate->wide_high = rate->high;
    zg_cluster_widen(&rate->cluster, rate->errors, rate->trials, at, &rate->wide_low, &rate->wide_high);
}

bool zg_soak_rate_at(const struct zg_soak_result *result, unsigned index, struct zg_soak_rate *rate)
{
    const bool has_device = result->real && result->traffic != ZG_SOAK_LOOPBACK;
    const struct zg_rate_source source = { .sums = result->sums,
                                           .damages = { result->damages[0], result->damages[1] },
                                           .slow = result->slow,
                                           .answers = result->round_trip.count,
                                           .real = result->real,
                                           .has_device = has_device };

    if (index >= ZG_RATES)
        return false;
    *rate = (struct zg_soak_rate){ .key = zg_rate_key(index),
                                   .of = zg_rate_of(index, has_device),
                                   .on = zg_rate_on(index),
                                   .cluster = result->clusters[index] };
    zg_rate_count(index, &source, &rate->errors, &rate->trials);
    set_bounds(rate, confidence);
    return true;
}

/* requirement = name ( "<=" rate | "=" "0" ); blanks are allowed around each; in the name a blank stands for "_" */
bool zg_soak_requirement_parse(const char *text, struct zg_soak_requirement *requirement, GError **error)
{
    const char *equals = strchr(text, '='),
               *relation = equals && equals > text && equals[-1] == '<' ? equals - 1 : equals;
    g_autofree char *name = g_strstrip(g_strndup(text, relation ? (gsize)(relation - text) : strlen(text)));
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    char *end = NULL;

    if (!relation) {
        g_set_error(error, ZG_SOAK_ERROR, 0,
                    "requirement \"%s\": expected NAME <= RATE, such as \"lost <= 1e-6\", or NAME = 0", text);
        return false;
    }
    g_strdelimit(name, " ", '_');
    *requirement = (struct zg_soak_requirement){ .limit = g_ascii_strtod(equals + 1, &end),
                                                 .none = relation == equals,
                                                 .confidence = 0.95 };
    if (end == equals + 1 || end[strspn(end, " ")] != '\0' || !(requirement->limit >= 0 && requirement->limit <= 1)) {
        g_set_error(error, ZG_SOAK_ERROR, 0, "requirement \"%s\": expected a rate from 0 to 1 after <=", text);
        return false;
    }
    if (requirement->none && requirement->limit > 0) {
        g_set_error(error, ZG_SOAK_ERROR, 0, "requirement \"%s\": expected = 0, or <= RATE", text);
        return false;
    }
    for (unsigned i = 0; i < ZG_RATES; i++) {
        g_ptr_array_add(names, (gpointer)zg_rate_key(i));
        if (strcmp(zg_rate_key(i), name) == 0) {
            requirement->key = zg_rate_key(i);
            requirement->on = zg_rate_on(i);
            return true;
        }
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    g_set_error(error, ZG_SOAK_ERROR, 0, "requirement \"%s\": unknown rate \"%s\"%s", text, name, hint);
    return false;
}

/* Whether there was traffic in which none could have been seen: each way that was asked for. */
static bool was_tried(const struct zg_soak_result *result, const struct zg_soak_rate *rate)
{
    const bool echoes = !result->real || (result->traffic & ZG_SOAK_ECHO);
    const bool out = echoes || result->streams[1], back = echoes || result->streams[0];

    return rate->trials > 0 && (!out || zg_rate_sent(&result->sums, false) > 0) &&
           (!back || zg_rate_sent(&result->sums, true) > 0);
}

/* Sets the bounds of a run that had a planned end; judges it by those of independent trials and by wider ones. */
static enum zg_soak_verdict judge_planned(struct zg_soak_rate *rate, double limit, double sureness)
{
    const bool clustered = rate->cluster.clustered;

    set_bounds(rate, 2 * sureness - 1);
    if (zg_rate_is_at_most(rate->errors, rate->trials, limit, sureness) && (!clustered || rate->wide_high <= limit))
        return ZG_SOAK_MET;
    return zg_rate_is_above(rate->errors, rate->trials, limit, sureness) && rate->wide_low > limit ? ZG_SOAK_FAILED
                                                                                                   : ZG_SOAK_NOT_SHOWN;
}

/* The same of a run that may have ended at any time, by as many independent trials as show as little. */
static enum zg_soak_verdict judge_any_time(struct zg_soak_rate *rate, double limit, double sureness)
{
    const double weight = zg_cluster_weight(&rate->cluster), errors = (double)rate->errors / weight;
    const uint64_t trials = (uint64_t)((double)rate->trials / weight), least = (uint64_t)errors,
                   most = MIN((uint64_t)ceil(errors), trials);
    double other_high;

    zg_rate_bounds_always(most, trials, sureness, &rate->low, &rate->high);
    if (least < most) /* each bound by the count that shows less */
        zg_rate_bounds_always(least, trials, sureness, &rate->low, &other_high);
    rate->wide_low = rate->low;
    rate->wide_high = rate->high;
    if (zg_rate_stays_at_most(most, trials, limit, sureness))
        return ZG_SOAK_MET;
    return zg_rate_stays_above(least, trials, limit, sureness) ? ZG_SOAK_FAILED : ZG_SOAK_NOT_SHOWN;
}

enum zg_soak_verdict zg_soak_judge(const struct zg_soak_result *result, const struct zg_soak_requirement *requirement,
                                   struct zg_soak_rate *rate)
{
    unsigned index = 0;

    while (zg_soak_rate_at(result, index, rate) && rate->key != requirement->key)
        index++;
    const enum zg_soak_verdict verdict =
        (result->any_time ? judge_any_time : judge_planned)(rate, requirement->limit, requirement->confidence);
    if (!requirement->none)
        return verdict;
    return rate->errors > 0 ? ZG_SOAK_FAILED : was_tried(result, rate) ? ZG_SOAK_MET : ZG_SOAK_NOT_SHOWN;
}

double zg_soak_frame_ns(const struct zg_plan *plan, const struct zg_soak_settings *settings)
{
    const unsigned around = plan->max_content - plan->max_payload, most = plan->max_payload;
    const bool all_sizes = zg_traffic_size(plan, settings->size) == ZG_TRAFFIC_OWN_SIZES;
    const unsigned usual = settings->size > 0 ? MIN(settings->size, most) : most;
    const unsigned content = around + (all_sizes ? (most + zg_traffic_number_size(plan)) / 2 : usual);
    const double rate = settings->baud > 0 ? (double)plan->definition->line.baud / (double)settings->baud : 1;

    return (double)zg_framing_least(&plan->definition->framing, content) *
               (double)zg_line_byte_ns(&plan->definition->line) * rate +
           (double)plan->send_gap_ns;
}

double zg_soak_time_for_ns(const struct zg_plan *plan, const struct zg_soak_settings *settings,
                           const struct zg_soak_requirement *requirement, uint64_t frames)
{
    unsigned index = 0;

    while (index + 1 < ZG_RATES && zg_rate_key(index) != requirement->key)
        index++;
    const double share = zg_rate_frames(index, settings->link != NULL);
    const double ways = plan->turn_ns > 0 ? 1 : 2;

    return (double)frames * share * (zg_soak_frame_ns(plan, settings) / settings->load + (double)settings->gap_ns) /
           ways;
}
