/* SPDX-License-Identifier: MIT */
/* The rates of a soak, and requirements on them. */
#include <string.h>

#include "definition/words.h"
#include "soak/soak.h"

static const double confidence = 0.95;

/* What is counted, and out of what. Bits of `classes` are enum zg_class; those of losses are entries, the others
 * arrivals or both. */
static const struct {
    const char *key;
    const char *of;
    enum { SENT, SENT_OUT, SENT_BACK, ARRIVED } trials;
    unsigned classes;
    bool of_devices;
} rates[] = {
    { "lost", "frames sent", SENT,
      1U << ZG_CLASS_LOST_OUT | 1U << ZG_CLASS_LOST_BACK | 1U << ZG_CLASS_LOST_EITHER | 1U << ZG_CLASS_LOST_RESTART |
          1U << ZG_CLASS_UNANSWERED,
      false },
    { "lost_out", "frames sent out", SENT_OUT, 1U << ZG_CLASS_LOST_OUT, false },
    { "lost_back", "frames sent back", SENT_BACK, 1U << ZG_CLASS_LOST_BACK, false },
    { "lost_restart", "frames sent", SENT, 1U << ZG_CLASS_LOST_RESTART, true },
    { "unanswered", "frames sent out", SENT_OUT, 1U << ZG_CLASS_UNANSWERED, true },
    { "late", "frames sent", SENT, 1U << ZG_CLASS_LATE, false },
    { "out_of_order", "frames sent", SENT, 1U << ZG_CLASS_OUT_OF_ORDER, false },
    { "repeated", "arrivals", ARRIVED, 1U << ZG_CLASS_REPEATED, false },
    { "damaged_detected", "arrivals", ARRIVED, 1U << ZG_CLASS_DETECTED, false },
    { "damaged_accepted", "arrivals", ARRIVED, 1U << ZG_CLASS_ACCEPTED, false },
    { "unexpected", "arrivals", ARRIVED, 1U << ZG_CLASS_UNEXPECTED, false },
};

static uint64_t count_sent(const struct zg_ledger_sums *sums, bool out, bool back, unsigned classes, bool all)
{
    uint64_t count = 0;
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        if (!(zg_flow_is_back((enum zg_flow)flow) ? back : out))
            continue;
        if (all) /* whether frames that the end cut off were lost is unknown */
            count += sums->sent[flow] - sums->entries[flow][ZG_CLASS_CUT_OFF];
        for (unsigned i = 0; i < ZG_CLASSES && !all; i++)
            if (classes >> i & 1)
                count += sums->entries[flow][i];
    }
    return count;
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
    bool out = rates[index].trials != SENT_BACK;
    bool back = rates[index].trials != SENT_OUT;
    *rate =
        (struct zg_soak_rate){ .key = rates[index].key, .of = rates[index].of, .of_devices = rates[index].of_devices };
    if (rates[index].trials == ARRIVED) {
        rate->errors = count_arrived(&result->sums, rates[index].classes);
        rate->trials = count_arrived(&result->sums, UINT_MAX);
    } else {
        rate->errors = count_sent(&result->sums, out, back, rates[index].classes, false);
        rate->trials = count_sent(&result->sums, out, back, 0, true);
    }
    zg_rate_bounds(rate->errors, rate->trials, confidence, &rate->low, &rate->high);
    return true;
}

/* requirement = name "<=" rate; blanks are allowed around each; in the name a blank stands for "_" */
bool zg_soak_requirement_parse(const char *text, struct zg_soak_requirement *requirement, GError **error)
{
    const char *relation = strstr(text, "<=");
    g_autofree char *name = g_strstrip(g_strndup(text, relation ? (gsize)(relation - text) : strlen(text)));
    g_autoptr(GPtrArray) names = g_ptr_array_new();
    char *end = NULL;

    if (!relation) {
        g_set_error(error, ZG_SOAK_ERROR, 0, "requirement \"%s\": expected NAME <= RATE, such as \"lost <= 1e-6\"",
                    text);
        return false;
    }
    g_strdelimit(name, " ", '_');
    requirement->limit = g_ascii_strtod(relation + 2, &end);
    if (end == relation + 2 || end[strspn(end, " ")] != '\0' || !(requirement->limit >= 0 && requirement->limit <= 1)) {
        g_set_error(error, ZG_SOAK_ERROR, 0, "requirement \"%s\": expected a rate from 0 to 1 after <=", text);
        return false;
    }
    for (size_t i = 0; i < G_N_ELEMENTS(rates); i++) {
        g_ptr_array_add(names, (gpointer)rates[i].key);
        if (strcmp(rates[i].key, name) == 0) {
            requirement->key = rates[i].key;
            return true;
        }
    }
    g_ptr_array_add(names, NULL);
    g_autofree char *hint = zg_word_hint(name, (const char *const *)names->pdata);
    g_set_error(error, ZG_SOAK_ERROR, 0, "requirement \"%s\": unknown rate \"%s\"%s", text, name, hint);
    return false;
}

enum zg_soak_verdict zg_soak_judge(const struct zg_soak_result *result, const struct zg_soak_requirement *requirement,
                                   struct zg_soak_rate *rate)
{
    unsigned index = 0;
    while (zg_soak_rate_at(result, index, rate) && rate->key != requirement->key)
        index++;
    if (rate->high <= requirement->limit)
        return ZG_SOAK_MET;
    return rate->low > requirement->limit ? ZG_SOAK_FAILED : ZG_SOAK_NOT_SHOWN;
}
