/* SPDX-License-Identifier: MIT */
#include "soak/counts.h"

uint64_t zgi_candidates_failed(const struct zg_counters *counters)
{
    return (uint64_t)counters->failed_check + counters->malformed + counters->too_long + counters->timed_out;
}

uint64_t zgi_bytes_judged(const struct zg_counters *counters)
{
    return (uint64_t)counters->bytes_of_frames + counters->bytes_failed + counters->bytes_noise +
           counters->bytes_console + counters->bytes_idle;
}

uint64_t zgi_bytes_accounted(struct zg_node *node)
{
    return zgi_bytes_judged(&zg_node_link(node)->counters) + zg_any_link_pending(zg_node_any_link(node));
}

uint64_t zgi_bytes_passed(const struct zg_sim_totals *totals)
{
    return totals->sent - totals->dropped + totals->doubled + totals->inserted;
}
