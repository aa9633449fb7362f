/* SPDX-License-Identifier: MIT */
/* The interpreter: raw values to the bytes of a block and back, by the plan. */
#ifndef ZEUGMA_PAYLOAD_H
#define ZEUGMA_PAYLOAD_H

#include "plan/plan.h"
#include "zeugma/link.h"

/* Writes block->size bytes. `values` holds one raw value a step, each within its type. */
void zg_block_pack(const struct zg_block *block, const union zg_raw *values, uint8_t *at);

/* Reads block->size bytes into one raw value a step. */
void zg_block_unpack(const struct zg_block *block, const uint8_t *at, union zg_raw *values);

/* A header's roles as the link sees them, packed and unpacked. */
void zg_header_pack(const struct zg_plan *plan, const struct zg_header *header, uint8_t *at);
void zg_header_unpack(const struct zg_plan *plan, const uint8_t *at, struct zg_header *header);

#endif
