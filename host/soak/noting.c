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
static void look_for_stop(struct zg_soak_result *result, unsigned stop_on, uint64_t failed)
{
    const struct zg_ledger_sums *sums = &result->sums;

    for (unsigned i = 0; i < ZG_CLASSES; i++) {
        uint64_t count = sums->arrivals[0][i] + sums->arrivals[1][i];
        for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
            count += sums->entries[flow][i];
        if (i == ZG_CLASS_DETECTED)
            count += failed;
        if ((stop_on >> i & 1) && count > 0 && result->stopped_on == 0)
            result->stopped_on = (int)i + 1;
    }
    if ((stop_on >> ZG_STOP_ON_RESTART & 1) && result->restarts > 0)
        result->stopped_on = ZG_STOP_ON_RESTART + 1;
}

/* How what there is so far clusters, whenever it has become a twentieth more. */
static void look_for_clusters(const GArray *times, struct zg_soak_result *result)
{
    if (times->len <= result->clustered_s + result->clustered_s / 20)
        return;
    result->clustered_s = times->len;
    zg_clusters_of(times, result->clusters);
}

void zgi_soak_close_journal(struct zg_journal *journal, struct zg_soak_result *result)
{
    if (!journal)
        return;
    zg_journal_close(journal, result->ran_ns);
    zg_clusters_of(zg_journal_times(journal), result->clusters);
}

void zgi_note_came(struct zgi_end *end, const uint8_t *bytes, size_t count, uint64_t last_ns, uint64_t each_ns)
{
    zgi_tape_add(end->came, bytes, count, last_ns);
    zg_journal_came(end->soak->journal, last_ns, end->is_host, count, each_ns, end->soak->byte_ns);
}

bool zgi_soak_is_time(uint64_t now_ns, uint64_t *due_ns)
{
    if (now_ns < *due_ns)
        return false;
    *due_ns = now_ns + NOTE_NS;
    return true;
}

void zgi_soak_settle(struct zg_ledger *ledger, const struct zg_soak_settings *settings, struct zg_soak_result *result,
                     uint64_t now_ns, uint64_t patience_ns, uint64_t failed)
{
    struct zg_soak_rate rate;

    zg_ledger_settle(ledger, now_ns - MIN(now_ns, patience_ns));
    zg_journal_settle(settings->journal, MIN(zg_ledger_oldest_due_ns(ledger), now_ns - MIN(now_ns, (uint64_t)NOTE_NS)));
    result->sums = *zg_ledger_sums(ledger);
    if (settings->until && settings->journal)
        look_for_clusters(zg_journal_times(settings->journal), result);
    if (settings->until && zg_soak_judge(result, settings->until, &rate) != ZG_SOAK_NOT_SHOWN)
        result->reached = true;
    if (settings->stop_on != 0)
        look_for_stop(result, settings->stop_on, failed);
}

bool zgi_soak_note(struct zgi_soak *soak, const struct zg_sim_totals *line[2])
{
    const struct zg_soak_settings *settings = soak->settings;

    if (!zgi_soak_is_time(soak->now_ns, &soak->note_due_ns))
        return false;
    note_counts(soak, line);
    zgi_soak_keep_stretches(soak);
    zgi_soak_settle(soak->ledger, settings, soak->result, soak->now_ns, 2 * MAX(settings->late_ns, settings->slow_ns),
                    soak->noted.failed[0] + soak->noted.failed[1]);
    return true;
}

bool zgi_soak_goes_on(struct zg_soak_result *result)
{
    result->any_time = result->any_time || result->stopped || result->stopped_on > 0;
    return !result->stopped && !result->reached && result->stopped_on == 0;
}

void zgi_note_restart(struct zg_soak_result *result, struct zg_journal *journal, uint64_t begin_ns, uint64_t now_ns,
                      bool said, const char *text)
{
    if (result->restarts < ZG_SOAK_RESTARTS) {
        result->restarted_ns[result->restarts] = now_ns - begin_ns;
        result->restart_said[result->restarts] = said;
    }
    result->restarts++;
    zg_journal_event(journal, now_ns, ZG_EVENT_RESTART, "%s", text);
}

void zgi_note_trip(struct zg_soak_result *result, const struct zg_soak_settings *settings, enum zg_flow flow,
                   const struct zg_ledger_entry *entry, uint64_t now_ns)
{
    zg_spread_add(&result->round_trip, now_ns - entry->sent_ns);
    zg_spread_add(&result->from_due, now_ns - entry->due_ns);
    zg_journal_latency(settings->journal, entry->due_ns, flow, now_ns - entry->due_ns);
    if (now_ns - entry->sent_ns <= settings->slow_ns)
        return;
    result->slow++;
    zg_journal_slow(settings->journal, entry->due_ns, flow);
}
