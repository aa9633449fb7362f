/* SPDX-License-Identifier: MIT */
/* Whether the ledger of a real link sees what is done to its frames: known echoes are damaged at this end, and each is
 * looked up afterwards. */
#ifndef ZEUGMA_PROOF_H
#define ZEUGMA_PROOF_H

#include "soak/soak.h"

struct zgi_proof;

struct zgi_proof *zgi_proof_new(void);

/* The settings of the soak that proves it; they hold a pointer to the proof. */
struct zg_soak_settings zgi_proof_settings(struct zgi_proof *proof, const struct zg_plan *plan,
                                           const struct zg_soak_settings *settings);

/* What came of it; `result` may be NULL. Frees the proof. */
struct zg_soak_proof zgi_proof_end(struct zgi_proof *proof, const struct zg_soak_result *result);

#endif
