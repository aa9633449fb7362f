/* SPDX-License-Identifier: MIT */
/* A number for everything that shapes the wire, by which two ends check that they were built from the same definition.
 */
#ifndef ZEUGMA_FINGERPRINT_H
#define ZEUGMA_FINGERPRINT_H

#include "plan/plan.h"

/* The text that is hashed: docs/definition.md, "Fingerprint". Free with g_free(). */
char *zg_fingerprint_text(const struct zg_plan *plan);

/* The CRC-32/ISO-HDLC of that text. */
uint32_t zg_fingerprint(const struct zg_plan *plan);

#endif
