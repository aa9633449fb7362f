/* SPDX-License-Identifier: MIT */
#include "codec/frame.h"

#include <string.h>

#include "plan/plan.h"

size_t zg_content_make(const struct zg_plan *plan, const struct zg_header *header, const uint8_t *payload,
                       size_t length, uint8_t *content)
{
    struct zg_header roles = *header;
    const size_t covered = MAX(plan->header.size + length + plan->check.size, plan->filled) - plan->check.size;

    g_assert(length <= plan->max_payload);
    memset(content, 0, plan->max_content);
    roles.version = plan->version;
    zg_header_pack(plan, &roles, length, content);
    if (length > 0)
        memcpy(content + plan->header.size, payload, length);
    return covered + zg_check_write(&plan->check, zg_check_value(&plan->check, content, covered), content + covered);
}

static GByteArray *frame(const struct zg_plan *plan, const struct zg_framing *framing, const struct zg_header *header,
                         const uint8_t *payload, size_t length)
{
    g_autofree uint8_t *content = g_malloc(plan->max_content);
    const size_t count = zg_content_make(plan, header, payload, length, content);
    struct zg_encoder encoder;
    struct zg_ring ring;
    size_t size = 2, wire;

    while (size < plan->max_frame)
        size *= 2;
    g_autofree uint8_t *memory = g_malloc(size);
    int error = zg_ring_init(&ring, memory, size);
    zg_encoder_begin(&encoder, framing, &ring);
    zg_encoder_put(&encoder, framing, content, count);
    error = error ? error : zg_encoder_end(&encoder, framing, &wire);
    g_assert(error == 0); /* the ring holds the largest frame */
    return g_byte_array_append(g_byte_array_sized_new((guint)wire), memory, (guint)wire);
}

GByteArray *zg_frame_make(const struct zg_plan *plan, const struct zg_header *header, const uint8_t *payload,
                          size_t length)
{
    return frame(plan, &plan->framer.framing, header, payload, length);
}

GByteArray *zg_frame_of(const struct zg_plan *plan, const struct zg_plan_message *item, const struct zg_header *header,
                        const uint8_t *payload, size_t length)
{
    if (item->message->bare)
        return g_byte_array_append(g_byte_array_new(), payload, (guint)length);
    const enum zg_side from = item->message->from & ZG_SIDE_DEVICE ? ZG_SIDE_DEVICE : ZG_SIDE_HOST;
    return frame(plan, zg_plan_framing(plan, from), header, payload, length);
}
