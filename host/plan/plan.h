/* SPDX-License-Identifier: MIT */
/*
 * The plan: where every bit of every frame lies. Made once from a definition; the interpreter, the generators, the
 * byte maps and the budget all read it, and layout arithmetic is done nowhere else. Read only; it borrows the
 * definition, which must outlive it.
 */
#ifndef ZEUGMA_PLAN_H
#define ZEUGMA_PLAN_H

#include "plan/model.h"
#include "plan/physical.h"

/* Lays a definition out. Returns NULL, with diagnostics, where something does not fit. Free with zg_plan_free(). */
struct zg_plan *zg_plan_new(const struct zg_definition *definition, struct zg_diagnostics *diagnostics);
void zg_plan_free(struct zg_plan *plan);

/* How long a node waits for the answer to a hello before its next, at first, us: a few times what both take; 0 without
 * the service. */
uint64_t zg_plan_hello_wait_us(const struct zg_plan *plan);

/* The address of everybody on a shared line; 0: the header has no destination. */
unsigned zg_plan_everybody(const struct zg_plan *plan);

/* The longest until a service has answered, from the end of the request: microseconds. */
uint64_t zg_plan_answer_us(const struct zg_plan *plan);

/* The sizes and times of the protocol, framing and check, which point into the plan; the functions are left NULL. */
struct zg_protocol zg_plan_protocol(const struct zg_plan *plan);

#endif
