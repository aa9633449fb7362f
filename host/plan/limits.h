/* SPDX-License-Identifier: MIT */
#ifndef ZEUGMA_LIMITS_H
#define ZEUGMA_LIMITS_H

#include "definition/diagnostics.h"
#include "plan/model.h"

/* Bytes: the largest payload that there is, and what sums of sizes are held to, lest they overflow. */
enum { ZGI_LARGEST_PAYLOAD = 65535, ZGI_UNREACHABLE = 1 << 20 };

/* The largest payload that max_payload and max_frame leave room for, bytes; 0: no limit is set. */
unsigned zgi_payload_room(const struct zg_plan *plan);

/* Errors for what does not fit, and a warning for a check that is too weak. */
void zgi_plan_limits(struct zg_plan *plan, struct zg_diagnostics *diagnostics);

/* The same of the silence that ends a frame, which is known last. */
void zgi_plan_check_gap(const struct zg_plan *plan, struct zg_diagnostics *diagnostics);

#endif
