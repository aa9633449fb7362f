/* SPDX-License-Identifier: MIT */
#include "soak/ends.h"

#include "soak/listening.h"
#include "soak/stretch.h"

bool zgi_soak_begin(struct zgi_soak *soak, const struct zg_plan *plan, const struct zg_soak_settings *settings,
                    GError **error)
{
    *soak = (struct zgi_soak){ .plan = plan, .settings = settings };
    if (plan->max_payload == 0) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN, "a soak numbers its payloads; max_payload is 0");
        return false;
    }
    if (settings->traffic != ZG_SOAK_LISTEN && !zg_traffic_choose_ids(plan, &soak->ids)) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN,
                    "a soak needs three ids that no message uses; widen the header's id, u%u", plan->id_bits);
        return false;
    }
    g_autofree char *unfit = zg_faults_unfit(&settings->faults, plan->packets);
    if (unfit) {
        g_set_error(error, ZG_SOAK_ERROR, ZG_SOAK_ERROR_PLAN,
                    plan->packets ? "these faults are not for this link, which keeps packets apart: %s"
                                  : "these faults are not for this link, which is a stream of bytes: %s",
                    unfit);
        return false;
    }
    soak->faults = settings->faults;
    soak->stream_seed = settings->seed;
    soak->result = g_new0(struct zg_soak_result, 1);
    soak->result->adds_up = soak->result->device_counted = true;
    soak->result->echo = soak->ids.echo;
    soak->result->any_time = settings->until != NULL || settings->part > 0;
    soak->ledger = zg_ledger_new(ZGI_SOAK_WINDOW, settings->journal,
                                 settings->link != NULL && settings->traffic != ZG_SOAK_LOOPBACK);
    soak->journal = settings->journal;
    if (settings->watch)
        zg_ledger_watch(soak->ledger, settings->watch->fate, settings->watch->data);
    for (unsigned flow = 0; flow < ZG_FLOWS; flow++)
        zg_ledger_begin(soak->ledger, (enum zg_flow)flow, settings->first_number[flow]);
    soak->payloads = zgi_payloads_new(plan);
    soak->replies = g_array_new(FALSE, FALSE, sizeof(uint32_t));
    for (unsigned i = 0; i < 2; i++) {
        soak->ends[i] = (struct zgi_end){ .soak = soak, .is_host = i == HOST, .waiting = G_QUEUE_INIT };
        struct zgi_end *end = &soak->ends[i];
        const struct zg_way_faults *faults = &settings->faults.way[i];
        const uint64_t chance = zg_soak_chance(settings);
        end->stretch = zgi_stretch_new(end);
        if (zg_journal_keeps(settings->journal))
            end->came = zgi_tape_new();
        end->repeats = zg_strikes_seeded(chance, i, 8, faults->repeat);
        end->swaps = zg_strikes_seeded(chance, i, 9, faults->swap);
        end->strays = zg_strikes_seeded(chance, i, 10, faults->stray);
        end->stales = zg_strikes_seeded(chance, i, 11, faults->stale);
        end->behinds = zg_strikes_seeded(chance, i, 12, settings->faults.way[!i].behind);
    }
    return true;
}

void zgi_soak_change_faults(struct zgi_soak *soak, const struct zg_faults *faults)
{
    soak->faults = *faults;
    for (unsigned i = 0; i < 2; i++) {
        struct zgi_end *end = &soak->ends[i];
        zg_strikes_change(&end->repeats, faults->way[i].repeat);
        zg_strikes_change(&end->swaps, faults->way[i].swap);
        zg_strikes_change(&end->strays, faults->way[i].stray);
        zg_strikes_change(&end->stales, faults->way[i].stale);
        zg_strikes_change(&end->behinds, faults->way[!i].behind);
    }
}

struct zg_counters zgi_soak_counters(const struct zgi_soak *soak, unsigned end)
{
    struct zg_counters counters = zg_node_link(soak->ends[end].node)->counters;
    uint32_t *sum = (uint32_t *)(void *)&counters; /* all of its members are counters */
    const uint32_t *before = (const uint32_t *)(const void *)&soak->before[end];

    for (unsigned i = 0; i < ZG_COUNTERS; i++)
        sum[i] += before[i];
    return counters;
}

void zgi_soak_clear(struct zgi_soak *soak)
{
    for (unsigned i = 0; i < 2; i++) {
        zg_node_free(soak->ends[i].node);
        g_queue_clear_full(&soak->ends[i].waiting, g_free);
        zgi_stretch_free(soak->ends[i].stretch);
        zgi_tape_free(soak->ends[i].went);
        zgi_tape_free(soak->ends[i].came);
        g_free(soak->ends[i].ends);
    }
    zg_ledger_free(soak->ledger);
    zgi_listening_free(soak->listening);
    g_array_unref(soak->replies);
    zgi_payloads_free(soak->payloads);
}

void zgi_soak_keep_stretches(struct zgi_soak *soak)
{
    for (unsigned i = 0; i < 2; i++)
        zgi_stretch_keep(soak->ends[i].stretch);
}

void zgi_soak_close_stretches(struct zgi_soak *soak)
{
    for (unsigned i = 0; i < 2; i++)
        zgi_stretch_close(soak->ends[i].stretch, soak->ends[!i].position);
}

void zgi_soak_balance(struct zg_soak_result *result, const char *left_name, uint64_t left, const char *right_name,
                      uint64_t right)
{
    g_assert(result->balances_count < ZG_SOAK_BALANCES);
    result->balances[result->balances_count++] = (struct zg_soak_balance){ left_name, left, right_name, right };
    result->adds_up = result->adds_up && (uint32_t)left == (uint32_t)right; /* the links' counters wrap */
}

uint64_t zgi_soak_balance_entries(struct zg_soak_result *result, const char *name)
{
    uint64_t sent = 0, entries = 0;

    for (unsigned flow = 0; flow < ZG_FLOWS; flow++) {
        sent += result->sums.sent[flow];
        for (unsigned i = 0; i < ZG_ENTRY_CLASSES; i++)
            entries += result->sums.entries[flow][i];
    }
    zgi_soak_balance(result, name, sent, "the sum of their classes", entries);
    return sent;
}

uint64_t zg_soak_least_trip_ns(const struct zg_plan *plan)
{
    const unsigned content = plan->max_content - plan->max_payload + zg_traffic_number_size(plan);
    const unsigned bytes = zg_framing_least(&plan->definition->framing, MAX(content, plan->filled));

    return 2 * (uint64_t)bytes * zg_line_byte_ns(&plan->definition->line);
}
