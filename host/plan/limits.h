/* SPDX-License-Identifier: MIT */
#ifndef ZEUGMA_LIMITS_H
#define ZEUGMA_LIMITS_H

#include "definition/diagnostics.h"
#include "plan/model.h"

/* The largest possible payload, bytes; and the limit for sums of sizes, so that they do not overflow. */
enum { ZGI_LARGEST_PAYLOAD = 65535, ZGI_UNREACHABLE = 1 << 20 };

/* The largest payload for which max_payload and max_frame leave room, bytes; 0: there is no limit. */
unsigned zgi_payload_room(const struct zg_plan *plan);

/* Errors for what does not fit, and a warning if the check is too weak. */
void zgi_plan_limits(struct zg_plan *plan, struct zg_diagnostics *diagnostics);

/* The same for the silence that ends a frame, which is known last. */
void zgi_plan_check_gap(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

#endif
