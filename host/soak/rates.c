/* SPDX-License-Identifier: MIT */
#include "soak/rates.h"

#include <glib.h>
#include <limits.h>

/* What is counted, and out of what. Bits of `classes` are enum zg_class; those of losses are entries, the others
 * arrivals or both. */
static const struct {
    const char *key;
    const char *of;
    enum trials { SENT, SENT_OUT, SENT_BACK, DELIVERED, ARRIVED, ANSWERS, DAMAGED } trials;
    unsigned classes;
    enum zg_soak_link on;
} rates[ZG_RATES] = {
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

const char *zg_rate_key(unsigned index)
{
    return rates[index].key;
}

const char *zg_rate_of(unsigned index, bool has_device)
{
    return has_device && rates[index].trials == DAMAGED ? "frames sent back" : rates[index].of;
}

enum zg_soak_link zg_rate_on(unsigned index)
{
    return rates[index].on;
}

void zg_rate_count(unsigned index, const struct zg_rate_source *source, uint64_t *errors, uint64_t *trials)
{
    const struct zg_ledger_sums *sums = &source->sums;
    const enum trials of = rates[index].trials;
    const unsigned classes = rates[index].classes;

    *errors = classes & of_arrivals ? count_arrived(sums, classes) : count_entries(sums, of, classes);
    switch (of) {
    case DELIVERED: *trials = count_entries(sums, SENT, delivered); break;
    case ARRIVED: *trials = count_arrived(sums, UINT_MAX); break;
    case ANSWERS:
        *errors = source->slow;
        *trials = source->answers;
        break;
    case DAMAGED: /* of a real device's receiver only its counters are known, not which frames they were about */
        *errors = source->damages[1] + (source->real ? 0 : source->damages[0]);
        *trials = count_sent(sums, source->has_device ? SENT_BACK : SENT);
        if (*trials == 0) /* what was sent has no numbers, or none of it came */
            return;
        break;
    default: *trials = count_sent(sums, of); break;
    }
    *trials = MAX(*trials, *errors); /* more may be damaged or repeated than was sent */
}

/* In half of the frames, one way; answers are a quarter where streams take the other half of the load. */
unsigned zg_rate_frames(unsigned index, bool real)
{
    switch (rates[index].trials) {
    case ANSWERS: return real ? 2 : 4;
    case SENT_OUT:
    case SENT_BACK: return 2;
    default: return 1;
    }
}

uint64_t zg_rate_sent(const struct zg_ledger_sums *sums, bool back)
{
    return count_sent(sums, back ? SENT_BACK : SENT_OUT);
}
