/* SPDX-License-Identifier: MIT */
/* Whole payloads and headers: values to bytes and back, in whatever layout. */
#ifndef ZEUGMA_PAYLOAD_H
#define ZEUGMA_PAYLOAD_H

#include "codec/block.h"
#include "zeugma/error.h"
#include "zeugma/link.h"

/* A message's payload in its layout, which begins with a tag, or with a ticket and base; these are read from and stored
 * in the header: its size, its bytes, and reading them as in zg_block_unpack(). SIZE_MAX: a value cannot be written in
 * its text layout; zg_text_write() says why.
 */
size_t zg_payload_size(const struct zg_plan_message *message, const struct zg_value *values);
void zg_payload_pack(const struct zg_plan_message *message, const struct zg_header *header,
                     const struct zg_value *values, uint8_t *at);

/* The bytes, or NULL: a value cannot be written, or they exceed the plan's max_payload. */
GByteArray *zg_payload_make(const struct zg_plan *plan, const struct zg_plan_message *message,
                            const struct zg_header *header, const struct zg_value *values);

bool zg_payload_unpack(const struct zg_plan_message *message, const uint8_t *at, size_t length,
                       struct zg_header *header, struct zg_value *values, size_t *ignored);

/* Why a payload is none of a message's, as its name and what is wrong: "state.level cannot be \"x1\"". Of several that
 * neither id nor tag tells apart it is the one that could be read farthest. NULL: it is not known. Free with g_free().
 */
char *zg_payload_fault(const struct zg_plan *plan, const struct zg_plan_message *message, const uint8_t *at,
                       size_t length);

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
