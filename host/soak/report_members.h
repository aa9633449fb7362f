/* SPDX-License-Identifier: MIT */
/* The members of JSON documents that reports, stored reports and sweeps have in common (docs/soak.md describes them).
 */
#ifndef ZEUGMA_REPORT_MEMBERS_H
#define ZEUGMA_REPORT_MEMBERS_H

#include "codec/json.h"
#include "soak/soak.h"

/* "met", "failed", "not shown", by enum zg_soak_verdict. */
extern const char *const zgi_verdict_words[];

/* `sent`: what became of the frames of each flow; `rates`: each with its count, trials and bounds. */
void zgi_members_sent(struct zg_json *json, const struct zg_soak_result *result);
void zgi_members_rates(struct zg_json *json, const struct zg_soak_result *result);

/* `requirements`: each with its verdict. */
void zgi_members_verdicts(struct zg_json *json, const struct zg_soak_result *result,
                          const struct zg_soak_requirement *requirements, unsigned count);

#endif
