/* SPDX-License-Identifier: MIT */
/* The interpreter: values to the bytes of a block and back, by the plan. */
#ifndef ZEUGMA_PAYLOAD_H
#define ZEUGMA_PAYLOAD_H

#include <string.h>

#include "plan/plan.h"
#include "zeugma/error.h"
#include "zeugma/link.h"

/* The value of a step. A single integer, float or bool is in `raw`; text and bytes are `count` bytes; an array is
 * `count` items; a record is one item for each step of its block. */
struct zg_value {
    union zg_raw raw;
    unsigned count;
    uint8_t *bytes;
    struct zg_value *items;
};

/* One value for each step of a block, all zero, with as many items as are fixed. Free with zg_values_free(). */
struct zg_value *zg_values_new(const struct zg_block *block);
void zg_values_free(const struct zg_block *block, struct zg_value *values);

/* Sets how many items a step has, or how many bytes text and bytes have, at most step->most. New ones are zero. */
void zg_value_resize(const struct zg_step *step, struct zg_value *value, unsigned count);

/* How many bytes the values take on the wire; and writes them to `at`, which has room for them. Every value must be
 * within its type. */
size_t zg_block_size(const struct zg_block *block, const struct zg_value *values);
void zg_block_pack(const struct zg_block *block, const struct zg_value *values, uint8_t *at);

/* Shortens open-ended values until they fit into the frame with those before them. */
void zg_block_fit(const struct zg_block *block, struct zg_value *values);

/* Where each step's bytes are once the values are packed; bit-wide steps share theirs. One span for each step. */
struct zg_span {
    size_t first;
    size_t size;
};
void zg_block_spans(const struct zg_block *block, const struct zg_value *values, struct zg_span *spans);

/* Reads `length` bytes into values. Missing fields, from an older sender, take their defaults; `*ignored` is set to how
 * many bytes follow the last field. False: there are too few bytes, a count is too large, a LEB128 number is not in its
 * shortest form or too wide, or text is not UTF-8. */
bool zg_block_unpack(const struct zg_block *block, const uint8_t *at, size_t length, struct zg_value *values,
                     size_t *ignored);

/* Whether all values are within their ranges. Otherwise the paths of those that are not ("a[2]", "p.x") are added to
 * `paths`, unless it is NULL; free each with g_free(). */
bool zg_block_permits(const struct zg_block *block, const struct zg_value *values, GPtrArray *paths);

/* The same for a whole payload, which begins with a ticket and base if the message has them; these are read from and
 * stored in the header. */
size_t zg_payload_size(const struct zg_plan_message *message, const struct zg_value *values);
void zg_payload_pack(const struct zg_plan_message *message, const struct zg_header *header,
                     const struct zg_value *values, uint8_t *at);
bool zg_payload_unpack(const struct zg_plan_message *message, const uint8_t *at, size_t length,
                       struct zg_header *header, struct zg_value *values, size_t *ignored);

/* Packs a header's roles, with length and constants. `payload` is the payload's length, bytes. */
void zg_header_pack(const struct zg_plan *plan, const struct zg_header *header, size_t payload, uint8_t *at);

/* Private: unpacks role by role; whether the roles are right; unpacks the first eight bytes at once. `counted` is the
 * payload's length. */
int zgi_header_unpack_roles(const struct zg_plan *plan, const uint8_t *at, uint64_t counted, struct zg_header *header);

static inline int zgi_header_judged(const struct zg_plan *plan, const struct zg_header *header, bool formed,
                                    uint64_t counted)
{
    bool fits = plan->length_bits == 0 || (plan->filled > 0 ? header->length <= counted : header->length == counted);

    return !formed || !fits ? ZG_EFORM : header->version == plan->version ? 0 : ZG_EVERSION;
}

static inline int zgi_header_unpack_word(const struct zg_plan *plan, const uint8_t *at, uint64_t counted,
                                         struct zg_header *header)
{
    static const struct zg_header none = { 0 };
    const struct zg_header_word *word = &plan->word;
    uint64_t bits;

    memcpy(&bits, at, sizeof bits);
    bits = GUINT64_FROM_LE(bits);
    *header = none;
    for (unsigned i = 0, count = word->count; i < count; i++) {
        uint32_t role = (uint32_t)(bits >> word->roles[i].shift) & word->roles[i].mask;
        memcpy((uint8_t *)header + word->roles[i].member, &role, sizeof role);
    }
    return zgi_header_judged(plan, header, (bits & word->constant_mask) == word->constants, counted);
}

/* Unpacks a header: 0, ZG_EVERSION or ZG_EFORM, like zg_protocol.admit. Inline, because it runs for each frame. */
static inline int zg_header_unpack(const struct zg_plan *plan, const uint8_t *at, size_t payload,
                                   struct zg_header *header)
{
    uint64_t counted = payload + plan->length_more;

    if (plan->word.whole && plan->header.size + payload >= sizeof(uint64_t))
        return zgi_header_unpack_word(plan, at, counted, header);
    return zgi_header_unpack_roles(plan, at, counted, header);
}

#endif
