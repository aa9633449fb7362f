/* SPDX-License-Identifier: MIT */
#include "soak/sim.h"
#include "soak/stretch.h"

enum {
    RING_FRAMES = 8, /* of the largest size, in a ring */
    RING_BYTES = 160 /* and the bytes of some turns of the loop */
};

enum { RESTARTS = 13, BLACKOUTS = 20, MASKS = 21 /* kinds of chance; the line and the ends have others */ };

void zgi_sim_boot(struct zgi_sim *sim, unsigned i)
{
    struct zgi_end *end = &sim->soak.ends[i];
    const struct zg_plan *plan = sim->soak.plan;

    end->node = zg_node_new(plan, 0, (size_t)RING_FRAMES * plan->max_frame + RING_BYTES, &zg_sim_port,
                            zg_sim_context(sim->line, i), &zgi_soak_node_calls, end);
    zg_sim_attach(sim->line, i, zg_node_link(end->node));
}

/* The faults at the receiver of one way are those of the other end's bytes. */
static const struct zg_way_faults *at_receiver(const struct zgi_sim *sim, unsigned end)
{
    return &sim->soak.faults.way[!end];
}

static struct zg_spell restarts_of(const struct zg_way_faults *faults)
{
    return (struct zg_spell){ .rate = faults->restart };
}

void zgi_sim_begin_plights(struct zgi_sim *sim)
{
    const uint64_t seed = zg_soak_chance(sim->soak.settings);

    sim->change_ns = sim->soak.settings->fault_times ? 0 : UINT64_MAX;
    for (unsigned i = 0; i < 2; i++) {
        const struct zg_way_faults *faults = at_receiver(sim, i);
        const struct zg_spell restarts = restarts_of(faults);
        sim->plights[i] = (struct zgi_plight){
            .restarts = zg_spells_seeded(seed, i, RESTARTS, &restarts, true, 0),
            .blackouts = zg_spells_seeded(seed, i, BLACKOUTS, &faults->blackout, true, 0),
            .masks = zg_spells_seeded(seed, i, MASKS, &faults->mask, true, 0),
        };
    }
}

bool zgi_sim_is_calm(const struct zgi_sim *sim)
{
    for (unsigned i = 0; i < 2; i++) {
        const struct zg_way_faults *faults = at_receiver(sim, i);
        if (faults->restart > 0 || faults->blackout.rate > 0 || faults->mask.rate > 0)
            return false;
    }
    return !sim->soak.settings->fault_times;
}

/* The faults of the file change. */
static void change(struct zgi_sim *sim, uint64_t now_ns)
{
    struct zgi_soak *soak = &sim->soak;
    struct zg_faults faults = soak->settings->faults;

    zg_fault_times_at(soak->settings->fault_times, now_ns, &faults);
    sim->change_ns = zg_fault_times_next_ns(soak->settings->fault_times, now_ns);
    zgi_soak_change_faults(soak, &faults);
    for (unsigned i = 0; i < 2; i++) {
        const struct zg_spell restarts = restarts_of(at_receiver(sim, i));
        zg_sim_change(sim->line, i, &faults.way[i].line);
        zg_spells_change(&sim->plights[i].restarts, &restarts, now_ns);
        zg_spells_change(&sim->plights[i].blackouts, &at_receiver(sim, i)->blackout, now_ns);
        zg_spells_change(&sim->plights[i].masks, &at_receiver(sim, i)->mask, now_ns);
    }
}

static void mask(struct zgi_sim *sim, unsigned end, bool masked)
{
    const uint64_t depth = at_receiver(sim, end)->fifo;

    sim->plights[end].masked = masked;
    zg_sim_mask(sim->line, end, depth > 0 ? (unsigned)depth : ZG_SIM_UART_DEPTH, masked);
}

/* An end begins anew: what its memory held is gone, and its counters, which are kept for the sums. What was sent
 * shortly before, and does not arrive, is taken for lost in the restart. */
static void restart(struct zgi_sim *sim, unsigned i, uint64_t now_ns)
{
    struct zgi_soak *soak = &sim->soak;
    struct zgi_end *end = &soak->ends[i];
    struct zgi_erased *erased = &sim->erased[i];
    const struct zg_link *link = zg_node_link(end->node);
    const uint64_t held_ns = 2 * ((uint64_t)RING_FRAMES * soak->plan->max_frame + RING_BYTES) * soak->byte_ns +
                             soak->faults.way[!i].line.latency_ns;

    erased->to_send += zg_ring_used(&link->transmit);
    soak->erased[i] += zg_ring_used(&link->receive) + zg_any_link_pending(zg_node_any_link(end->node));
    erased->received += zg_ring_used(&link->receive) + zg_sim_stop(sim->line, i);
    erased->frames += end->waiting.length;
    erased->accounted += zgi_bytes_accounted(end->node);
    soak->before[i] = zgi_soak_counters(soak, i);
    zg_node_free(end->node);
    g_queue_clear_full(&end->waiting, g_free);
    if (i == DEVICE)
        zgi_soak_forget_replies(soak);
    zgi_sim_boot(sim, i);
    zg_ledger_lost_in(soak->ledger, ZG_CLASS_LOST_RESTART, now_ns - MIN(now_ns, held_ns));
    zgi_note_restart(soak->result, soak->journal, 0, now_ns, true,
                     i == DEVICE ? "the device restarted" : "the host restarted");
}

/* What happens at this moment, and when something happens next. */
static uint64_t happen(struct zgi_sim *sim, uint64_t now_ns)
{
    uint64_t next_ns = sim->change_ns;

    if (sim->change_ns <= now_ns) {
        change(sim, now_ns);
        next_ns = sim->change_ns;
    }
    for (unsigned i = 0; i < 2; i++) {
        struct zgi_plight *plight = &sim->plights[i];
        plight->stands_still = zg_spells_on(&plight->blackouts, now_ns);
        const bool masked = zg_spells_on(&plight->masks, now_ns) || (sim->soak.plan->packets && plight->stands_still);
        if (masked != plight->masked)
            mask(sim, i, masked);
        if (zg_spells_on(&plight->restarts, now_ns)) /* for a moment */
            restart(sim, i, now_ns);
        next_ns = MIN(next_ns, zg_spells_change_ns(&plight->masks, now_ns));
        next_ns = MIN(next_ns, zg_spells_change_ns(&plight->blackouts, now_ns));
        next_ns = MIN(next_ns, zg_spells_change_ns(&plight->restarts, now_ns));
    }
    return next_ns;
}

void zgi_sim_advance(struct zgi_sim *sim, uint64_t until_ns)
{
    while (sim->happens_ns < until_ns) {
        const uint64_t now_ns = sim->happens_ns;
        zg_sim_advance(sim->line, now_ns);
        sim->happens_ns = MAX(happen(sim, now_ns), now_ns + 1);
    }
    zg_sim_advance(sim->line, until_ns);
}

uint64_t zgi_sim_sent(struct zgi_end *end)
{
    const struct zgi_sim *sim = (struct zgi_sim *)(void *)end->soak; /* its first member */

    return zg_sim_totals(sim->line, end->is_host ? HOST : DEVICE)->sent +
           zg_ring_used(&zg_node_link(end->node)->transmit);
}

void zgi_sim_shorten(struct zgi_end *end, size_t count)
{
    struct zgi_sim *sim = (struct zgi_sim *)(void *)end->soak; /* its first member */

    zg_sim_omit_last(sim->line, end->is_host ? HOST : DEVICE, count);
}
