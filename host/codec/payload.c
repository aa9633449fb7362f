/* SPDX-License-Identifier: MIT */
#include "codec/payload.h"

#include <string.h>

#include "zeugma/bytes.h"

static uint64_t bits_of(const struct zg_step *step, union zg_raw raw)
{
    switch (step->type.kind) {
    case ZG_KIND_SIGNED: return (uint64_t)raw.i;
    case ZG_KIND_BOOL: return raw.b;
    case ZG_KIND_FLOAT: return zg_bits_of_f32((float)raw.f);
    default: return raw.u;
    }
}

static union zg_raw raw_of(const struct zg_step *step, uint64_t bits)
{
    switch (step->type.kind) {
    case ZG_KIND_SIGNED: return (union zg_raw){ .i = zg_signed64(bits, step->type.bits) };
    case ZG_KIND_BOOL: return (union zg_raw){ .u = bits & 1 };
    case ZG_KIND_FLOAT: return (union zg_raw){ .f = (double)zg_f32_of_bits((uint32_t)bits) };
    default: return (union zg_raw){ .u = bits };
    }
}

static void store(const struct zg_step *step, uint64_t bits, uint8_t *at)
{
    for (unsigned i = 0; i < step->pieces_count; i++) {
        const struct zg_piece *piece = &step->pieces[i];
        unsigned part = (unsigned)(bits >> piece->shift) & ((1U << piece->bits) - 1U);
        at[piece->byte] = (uint8_t)(at[piece->byte] | part << piece->low);
    }
}

static uint64_t load(const struct zg_step *step, const uint8_t *at)
{
    uint64_t bits = 0;
    for (unsigned i = 0; i < step->pieces_count; i++) {
        const struct zg_piece *piece = &step->pieces[i];
        uint64_t part = (unsigned)at[piece->byte] >> piece->low & ((1U << piece->bits) - 1U);
        bits |= part << piece->shift;
    }
    return bits;
}

void zg_block_pack(const struct zg_block *block, const union zg_raw *values, uint8_t *at)
{
    memset(at, 0, block->size);
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        store(step, bits_of(step, values[i]), at);
    }
}

void zg_block_unpack(const struct zg_block *block, const uint8_t *at, union zg_raw *values)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        values[i] = raw_of(step, load(step, at));
    }
}

void zg_header_pack(const struct zg_plan *plan, const struct zg_header *header, uint8_t *at)
{
    const uint32_t roles[ZG_ROLES] = { header->version, header->id, header->sequence };

    memset(at, 0, plan->header.size);
    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        store(step, roles[step->role], at);
    }
}

void zg_header_unpack(const struct zg_plan *plan, const uint8_t *at, struct zg_header *header)
{
    uint32_t roles[ZG_ROLES] = { 0 };

    for (unsigned i = 0; i < plan->header.steps->len; i++) {
        const struct zg_step *step = zg_block_step(&plan->header, i);
        roles[step->role] = (uint32_t)load(step, at);
    }
    *header = (struct zg_header){ roles[ZG_ROLE_VERSION], roles[ZG_ROLE_ID], roles[ZG_ROLE_SEQUENCE] };
}
