/* SPDX-License-Identifier: MIT */
/* What a soak does ten times a second besides its traffic. */
#include "soak/ends.h"
#include "soak/journal.h"

enum { NOTE_NS = 100000000 };

/* What happened since the last time, by the counters of both ends. */
static void note_counts(struct zgi_soak *soak, const struct zg_sim_totals *line[2])
{
    for (unsigned i = 0; i < 2; i++) {
        zg_journal_carried(soak->journal, soak->now_ns, i == HOST, line[i]->sent - soak->noted.carried[i]);
        soak->noted.carried[i] = line[i]->sent;
        if (!soak->ends[i].node)
            continue;
        const uint64_t failed = zgi_candidates_failed(&zg_node_link(soak->ends[i].node)->counters) +
                                zgi_candidates_failed(&soak->before[i]);
        zg_journal_other(soak->journal, soak->now_ns, i == HOST, ZG_CLASS_DETECTED,
                         (uint32_t)(failed - soak->noted.failed[i]));
        soak->noted.failed[i] = failed;
    }
}

/* Whether a class at which the soak is to stop has come. */
static void look_for_stop(struct zgi_soak *soak)
{
    const struct zg_ledger_sums *sums = &soak->result->sums;

    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        uint64_t count = sums->arrivals[0][i] + sums->arrivals[1][i];
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
            count += sums->entries[flow][i];
        if (i == ZG_CLASS_DETECTED)
            count += soak->noted.failed[0] + soak->noted.failed[1];
        if ((soak->settings->stop_on >> i & 1) && count > 0 && soak->result->stopped_on == 0)
            soak->result->stopped_on = (int)i + 1;
    }
    if ((soak->settings->stop_on >> ZG_STOP_ON_RESTART & 1) && soak->result->restarts > 0)
        soak->result->stopped_on = ZG_STOP_ON_RESTART + 1;
}

bool zgi_soak_note(struct zgi_soak *soak, const struct zg_sim_totals *line[2])
{
    const struct zg_soak_settings *settings = soak->settings;
    const uint64_t patience_ns = 2 * MAX(settings->late_ns, settings->slow_ns);
    struct zg_soak_rate rate;

    if (soak->now_ns < soak->note_due_ns)
        return false;
    soak->note_due_ns = soak->now_ns + NOTE_NS;
    note_counts(soak, line);
    zg_ledger_settle(soak->ledger, soak->now_ns - MIN(soak->now_ns, patience_ns));
    zg_journal_settle(soak->journal,
                      MIN(zg_ledger_oldest_due_ns(soak->ledger), soak->now_ns - MIN(soak->now_ns, NOTE_NS)));
    soak->result->sums = *zg_ledger_sums(soak->ledger);
    if (settings->until && zg_soak_judge(soak->result, settings->until, &rate) != ZG_SOAK_NOT_SHOWN)
        soak->result->reached = true;
    if (settings->stop_on != 0)
        look_for_stop(soak);
    return true;
}

bool zgi_soak_goes_on(const struct zgi_soak *soak)
{
    struct zg_soak_result *result = soak->result;

    result->any_time = result->any_time || result->stopped || result->stopped_on > 0;
    return !result->stopped && !result->reached && result->stopped_on == 0;
}
