/* SPDX-License-Identifier: MIT */
/*
 * The plan: where every bit of every frame is. Made once from a definition. The interpreter, the generators, the byte
 * maps and the budget all read it; layout arithmetic is done nowhere else. Read only. It borrows the definition, which
 * must outlive it.
 */
#ifndef ZEUGMA_PLAN_H
#define ZEUGMA_PLAN_H

#include "plan/model.h"
#include "plan/physical.h"

/* Lays a definition out. NULL, with diagnostics, if something does not fit. Free with zg_plan_free(). */
struct zg_plan *zg_plan_new(const struct zg_definition *definition, struct zg_diagnostics *diagnostics);
void zg_plan_free(struct zg_plan *plan);

/* How long a node first waits for the answer to a hello before the next one, us: a few times what the two take. 0:
 * without the service. */
uint64_t zg_plan_hello_wait_us(const struct zg_plan *plan);

/* Bytes of a frame behind its end mark. */
unsigned zg_plan_trailing(const struct zg_plan *plan);

/* The content's bytes in front of the end mark of a message that has a fixed_end. */
unsigned zg_plan_before_end(const struct zg_plan *plan, const struct zg_plan_message *item);

/* The address of every node on a shared line. 0: the header has no destination. */
unsigned zg_plan_everybody(const struct zg_plan *plan);

/* The longest time from the end of a request until a service has answered, us. */
uint64_t zg_plan_answer_us(const struct zg_plan *plan);

/* The framing of a side's end: it sends that side's frames and hears the other's. 0: an observer hears both. */
const struct zg_framing *zg_plan_framing(const struct zg_plan *plan, enum zg_side side);

/* A PC hands bytes on, and takes them, a thousand times a second (USB 2.0, full speed, frames of 1 ms). */
#define ZG_PC_STEP_NS UINT64_C(1000000)

/* What is counted on the wire: "bytes"; "characters" where each byte is two. */
const char *zg_plan_wire_unit(const struct zg_plan *plan);

/* The sizes and times of the protocol, with its framing and check, which point into the plan. The functions are NULL.
 */
struct zg_protocol zg_plan_protocol(const struct zg_plan *plan);

#endif
