/* SPDX-License-Identifier: MIT */
/* The rates of a soak, and requirements on them. */
#include <string.h>

#include "definition/words.h"
#include "soak/soak.h"
#include "zeugma/traffic.h"

static const double confidence = 0.95; /* of the bounds shown with each rate */

/* What is counted, and out of what. Bits of `classes` are enum zg_class; those of losses are entries, the others
 * arrivals or both. */
static const struct {
    const char *key;
    const char *of;
    enum trials { SENT, SENT_OUT, SENT_BACK, DELIVERED, ARRIVED, ANSWERS, DAMAGED } trials;
    unsigned classes;
    enum zg_soak_link on;
} rates[] = {
    { "lost", "frames sent", SENT,
      1U << ZG_CLASS_LOST_OUT | 1U << ZG_CLASS_LOST_BACK | 1U << ZG_CLASS_LOST_EITHER | 1U << ZG_CLASS_LOST_RESTART |
          1U << ZG_CLASS_LOST_OUTAGE | 1U << ZG_CLASS_UNANSWERED,
      ZG_SOAK_ON_ANY },
    { "lost_out", "frames sent out", SENT_OUT, 1U << ZG_CLASS_LOST_OUT, ZG_SOAK_ON_ANY },
    { "lost_back", "frames sent back", SENT_BACK, 1U << ZG_CLASS_LOST_BACK, ZG_SOAK_ON_ANY },
    { "lost_restart", "frames sent", SENT, 1U << ZG_CLASS_LOST_RESTART, ZG_SOAK_ON_ANY },
    { "lost_outage", "frames sent", SENT, 1U << ZG_CLASS_LOST_OUTAGE, ZG_SOAK_ON_REAL },
    { "unanswered", "frames sent out", SENT_OUT, 1U << ZG_CLASS_UNANSWERED, ZG_SOAK_ON_REAL },
    { "late", "frames delivered", DELIVERED, 1U << ZG_CLASS_LATE, ZG_SOAK_ON_SIM },
    { "slow_answer", "answers", ANSWERS, 0, ZG_SOAK_ON_ANY },
    { "out_of_order", "frames delivered", DELIVERED, 1U << ZG_CLASS_OUT_OF_ORDER, ZG_SOAK_ON_ANY },
    { "repeated", "frames sent", SENT, 1U << ZG_CLASS_REPEATED, ZG_SOAK_ON_ANY },
    { "damages", "frames sent", DAMAGED, 0, ZG_SOAK_ON_ANY },
    { "damaged_accepted", "frames sent", SENT, 1U << ZG_CLASS_ACCEPTED, ZG_SOAK_ON_ANY },
    { "unexpected", "arrivals", ARRIVED, 1U << ZG_CLASS_UNEXPECTED, ZG_SOAK_ON_ANY },
};

static const unsigned of_arrivals = 1U << ZG_CLASS_REPEATED | 1U << ZG_CLASS_ACCEPTED | 1U << ZG_CLASS_UNEXPECTED,
                      delivered = 1U << ZG_CLASS_DELIVERED | 1U << ZG_CLASS_LATE | 1U << ZG_CLASS_OUT_OF_ORDER;

/* Entries of these classes, of the flows in either or both directions. */
static uint64_t count_entries(const struct zg_ledger_sums *sums, enum trials trials, unsigned classes)
{
    uint64_t count = 0;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        for (unsigned i = 0; i < ZG_CLASSES; i++)
            if ((classes >> i & 1) && trials != (zg_flow_is_back((enum zg_flow)flow) ? SENT_OUT : SENT_BACK))
                count += sums->entries[flow][i];
    return count;
}

/* Whether frames that the end cut off were lost is unknown: they are no trials. */
static uint64_t count_sent(const struct zg_ledger_sums *sums, enum trials trials)
{
    return count_entries(sums, trials, ~(1U << ZG_CLASS_CUT_OFF));
}

static uint64_t count_arrived(const struct zg_ledger_sums *sums, unsigned classes)
{
    uint64_t count = 0;
    for (unsigned end = 0; end < 2; end++)
        for (unsigned i = 0; i < ZG_CLASSES; i++)
            if (classes >> i & 1)
                count += sums->arrivals[end][i];
    return count;
}

bool zg_soak_rate_at(const struct zg_soak_result *result, unsigned index, struct zg_soak_rate *rate)
{
    if (index >= G_N_ELEMENTS(rates))
        return false;
    const struct zg_ledger_sums *sums = &result->sums;
    const enum trials trials = rates[index].trials;
    const unsigned classes = rates[index].classes;
    const bool has_device = result->real && result->traffic != ZG_SOAK_LOOPBACK;

    *rate = (struct zg_soak_rate){ .key = rates[index].key, .of = rates[index].of, .on = rates[index].on };
    rate->errors = classes & of_arrivals ? count_arrived(sums, classes) : count_entries(sums, trials, classes);
    switch (trials) {
    case DELIVERED: rate->trials = count_entries(sums, SENT, delivered); break;
    case ARRIVED: rate->trials = count_arrived(sums, UINT_MAX); break;
    case ANSWERS:
        rate->errors = result->slow;
        rate->trials = result->round_trip.count;
        break;
    case DAMAGED: /* of a real device's receiver only its counters are known, not which frames they were about */
        rate->errors = result->damages[1] + (result->real ? 0 : result->damages[0]);
        rate->trials = count_sent(sums, has_device ? SENT_BACK : SENT);
        rate->of = has_device ? "frames sent back" : rate->of;
        break;
    default: rate->trials = count_sent(sums, trials); break;
    }
    rate->trials = MAX(rate->trials, rate->errors); /* more may be damaged or repeated than was sent */
    zg_rate_bounds(rate->errors, rate->trials, confidence, &rate->low, &rate->high);
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
    for (size_t i = 0; i < G_N_ELEMENTS(rates); i++) {
        g_ptr_array_add(names, (gpointer)rates[i].key);
        if (strcmp(rates[i].key, name) == 0) {
            requirement->key = rates[i].key;
            requirement->on = rates[i].on;
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

    return rate->trials > 0 && (!out || count_sent(&result->sums, SENT_OUT) > 0) &&
           (!back || count_sent(&result->sums, SENT_BACK) > 0);
}

/* Whether it is shown that the rate is at most the limit, or above it. */
static enum zg_soak_verdict judge_rate(const struct zg_soak_rate *rate, double limit, double sureness, bool any_time)
{
    const uint64_t errors = rate->errors, trials = rate->trials;

    if (any_time ? zg_rate_stays_at_most(errors, trials, limit, sureness)
                 : zg_rate_is_at_most(errors, trials, limit, sureness))
        return ZG_SOAK_MET;
    if (any_time ? zg_rate_stays_above(errors, trials, limit, sureness)
                 : zg_rate_is_above(errors, trials, limit, sureness))
        return ZG_SOAK_FAILED;
    return ZG_SOAK_NOT_SHOWN;
}

enum zg_soak_verdict zg_soak_judge(const struct zg_soak_result *result, const struct zg_soak_requirement *requirement,
                                   struct zg_soak_rate *rate)
{
    const double sureness = requirement->confidence;
    unsigned index = 0;

    while (zg_soak_rate_at(result, index, rate) && rate->key != requirement->key)
        index++;
    if (result->any_time)
        zg_rate_bounds_always(rate->errors, rate->trials, sureness, &rate->low, &rate->high);
    else
        zg_rate_bounds(rate->errors, rate->trials, 2 * sureness - 1, &rate->low, &rate->high);
    if (requirement->none)
        return rate->errors > 0 ? ZG_SOAK_FAILED : was_tried(result, rate) ? ZG_SOAK_MET : ZG_SOAK_NOT_SHOWN;
    return judge_rate(rate, requirement->limit, sureness, result->any_time);
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
    enum trials trials = SENT;

    for (size_t i = 0; i < G_N_ELEMENTS(rates); i++)
        if (rates[i].key == requirement->key)
            trials = rates[i].trials;
    /* in half of the frames, one way; answers are a quarter where streams take the other half of the load */
    const double share = trials == ANSWERS ? settings->link ? 2 : 4 : trials == SENT_OUT || trials == SENT_BACK ? 2 : 1;
    const double ways = plan->turn_ns > 0 ? 1 : 2;

    return (double)frames * share * (zg_soak_frame_ns(plan, settings) / settings->load + (double)settings->gap_ns) /
           ways;
}
