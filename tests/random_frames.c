/* SPDX-License-Identifier: MIT */
#include "random_frames.h"

#include <math.h>
#include <string.h>

#include "codec/frame.h"

union zg_raw test_random_raw(struct zg_random *random, const struct zg_step *step)
{
    static const uint32_t floats[] = { 0, 0x80000000U, 1, 0x7F7FFFFF, 0xFF7FFFFF, 0x7F800000, 0x3F800000, 0x7FC00000 };
    uint64_t bits = zg_random_next(random);
    union zg_raw raw = { .u = 0 };
    float f;

    switch (step->type.kind) {
    case ZG_KIND_BOOL: raw.b = bits & 1; return raw;
    case ZG_KIND_FLOAT: {
        uint32_t word = zg_random_one_in(random, 3) ? floats[bits % G_N_ELEMENTS(floats)] : (uint32_t)bits;
        memcpy(&f, &word, sizeof f);
        raw.f = (double)f;
        if (step->type.bits == 64 && zg_random_one_in(random, 2))
            memcpy(&raw.f, &bits, sizeof raw.f);
        if (step->field->ranged && !zg_step_permits(step, raw))
            raw.f = zg_random_one_in(random, 2) ? step->low.f : step->high.f;
        return raw;
    }
    case ZG_KIND_LEB_SIGNED:
    case ZG_KIND_SIGNED: {
        uint64_t span = (uint64_t)step->high.i - (uint64_t)step->low.i;
        uint64_t at = zg_random_one_in(random, 3)   ? bits % 2
                      : zg_random_one_in(random, 3) ? span - bits % 2
                      : span == UINT64_MAX          ? bits
                                                    : bits % (span + 1);
        raw.i = (int64_t)((uint64_t)step->low.i + at);
        return raw;
    }
    default: {
        uint64_t span = step->high.u - step->low.u;
        uint64_t at = zg_random_one_in(random, 3)   ? bits % 2
                      : zg_random_one_in(random, 3) ? span - bits % 2
                      : span == UINT64_MAX          ? bits
                                                    : bits % (span + 1);
        raw.u = step->low.u + at;
        return raw;
    }
    }
}

static void random_bytes(struct zg_random *random, const struct zg_step *step, struct zg_value *value, unsigned count)
{
    zg_value_resize(step, value, count);
    for (unsigned i = 0; i < count; i++)
        value->bytes[i] = step->type.kind == ZG_KIND_TEXT ? (uint8_t)('!' + zg_random_below(random, 90))
                                                          : (uint8_t)zg_random_next(random);
}

static void random_item(struct zg_random *random, const struct zg_step *step, struct zg_value *value)
{
    if (step->record)
        test_random_values(random, step->record, value->items);
    else
        value->raw = test_random_raw(random, step);
}

void test_random_values(struct zg_random *random, const struct zg_block *block, struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        bool fixed = step->type.extent == ZG_EXTENT_FIXED;
        unsigned count = step->most;
        if (!fixed && !zg_random_one_in(random, 4))
            count = (unsigned)zg_random_below(random, MIN(step->most, 12U) + 1U);
        if (step->type.extent == ZG_EXTENT_REST)
            count = MIN(count, 40U);
        if (step->type.kind == ZG_KIND_BYTES)
            random_bytes(random, step, &values[i], count);
        else if (step->type.kind == ZG_KIND_TEXT)
            random_bytes(random, step, &values[i], fixed ? (unsigned)zg_random_below(random, count + 1U) : count);
        else if (step->type.extent == ZG_EXTENT_ONE)
            random_item(random, step, &values[i]);
        else {
            zg_value_resize(step, &values[i], count);
            for (unsigned k = 0; k < count; k++)
                random_item(random, step, &values[i].items[k]);
        }
    }
    zg_block_fit(block, values);
}

GByteArray *test_random_frames(struct zg_random *random, const struct zg_plan *plan, unsigned count)
{
    GByteArray *bytes = g_byte_array_new();

    for (unsigned i = 0; i < count; i++) {
        const struct zg_plan_message *item =
            zg_plan_message_at(plan, (unsigned)zg_random_below(random, plan->messages->len));
        struct zg_header header = { .id = (uint32_t)item->message->id,
                                    .sequence = i,
                                    .minor = plan->minor,
                                    .destination = i,
                                    .source = i / 3,
                                    .ticket = (uint8_t)i,
                                    .base = (uint8_t)(i / 2) };
        struct zg_value *values = zg_values_new(&item->payload);
        test_random_values(random, &item->payload, values);
        size_t length = zg_payload_size(item, values);
        g_autofree uint8_t *payload = g_malloc(length + 1);
        zg_payload_pack(item, &header, values, payload);
        g_autoptr(GByteArray) frame = zg_frame_make(plan, &header, payload, length);
        g_byte_array_append(bytes, frame->data, frame->len);
        zg_values_free(&item->payload, values);
    }
    return bytes;
}

/* A damaged stream: bytes, where each came from (-1: nowhere), and whether something is wrong at it or just before it.
 */
static void put(GByteArray *out, GByteArray *touched, GArray *origin, uint8_t byte, int from, bool wrong)
{
    guint8 flag = wrong;
    g_byte_array_append(out, &byte, 1);
    g_byte_array_append(touched, &flag, 1);
    g_array_append_val(origin, from);
}

GByteArray *test_damage(struct zg_random *random, const uint8_t *bytes, size_t length, unsigned count,
                        GByteArray **touched, GArray **origin)
{
    GByteArray *out = g_byte_array_new();
    g_autofree uint8_t *hit = g_malloc0(length);
    bool gap = false;

    *touched = g_byte_array_new();
    *origin = g_array_new(FALSE, FALSE, sizeof(int));
    for (unsigned i = 0; i < count; i++)
        hit[zg_random_below(random, length)] = (uint8_t)(1 + zg_random_below(random, 6));
    for (size_t i = 0; i < length; i++) {
        unsigned run = 1 + (unsigned)zg_random_below(random, 40);
        uint8_t noise = (uint8_t)zg_random_next(random);
        switch (hit[i]) {
        case 1: put(out, *touched, *origin, (uint8_t)(bytes[i] ^ 1U << noise % 8), -1, true); break; /* flipped */
        case 2: gap = true; continue;                                                                /* dropped */
        case 3:                                                                                      /* doubled */
            put(out, *touched, *origin, bytes[i], (int)i, gap);
            put(out, *touched, *origin, bytes[i], -1, true);
            gap = true;
            continue;
        case 4: /* noise inserted */
            for (unsigned k = 0; k < run; k++)
                put(out, *touched, *origin, zg_random_one_in(random, 8) ? 0 : (uint8_t)zg_random_next(random), -1,
                    true);
            put(out, *touched, *origin, bytes[i], (int)i, true);
            break;
        case 5: /* a run cut out */
            i += MIN((size_t)run, length - 1 - i);
            gap = true;
            continue;
        case 6: /* a run overwritten with one value */
            for (unsigned k = 0; k < run && i < length; k++, i++)
                put(out, *touched, *origin, noise, -1, true);
            i--;
            gap = true;
            continue;
        default: put(out, *touched, *origin, bytes[i], (int)i, gap); break;
        }
        gap = hit[i] == 1;
    }
    return out;
}
