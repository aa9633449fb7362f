/* SPDX-License-Identifier: MIT */
#include "soak/counts.h"

uint64_t zgi_candidates_failed(const struct zg_counters *counters)
{
    return (uint64_t)counters->failed_check + counters->malformed + counters->too_long + counters->timed_out;
}

uint64_t zgi_bytes_accounted(struct zg_node *node)
{
    const struct zg_counters *c = &zg_node_link(node)->counters;
    return (uint64_t)c->bytes_of_frames + c->bytes_failed + c->bytes_noise + c->bytes_console + c->bytes_idle +
           zg_any_link_pending(zg_node_any_link(node));
}

uint64_t zgi_bytes_passed(const struct zg_sim_totals *totals)
{
    return totals->sent - totals->dropped + totals->doubled + totals->inserted;
}
