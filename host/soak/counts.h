/* SPDX-License-Identifier: MIT */
/* Sums of a link's counters. */
#ifndef ZEUGMA_COUNTS_H
#define ZEUGMA_COUNTS_H

#include "node/node.h"
#include "sim/damage.h"

/* Bytes that a line has passed on. */
uint64_t zgi_bytes_passed(const struct zg_sim_totals *totals);

/* Bytes of which a link has decided what they were. */
uint64_t zgi_bytes_judged(const struct zg_counters *counters);

/* Candidates that failed at a link; bytes that it accounted for, or that are still pending. */
uint64_t zgi_candidates_failed(const struct zg_counters *counters);
uint64_t zgi_bytes_accounted(struct zg_node *node);

#endif
