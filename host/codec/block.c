/* SPDX-License-Identifier: MIT */
#include "codec/block.h"

#include <string.h>

#include "zeugma/bytes.h"
#include "zeugma/leb.h"

/* --- single numbers */

static uint64_t bits_of(const struct zg_step *step, union zg_raw raw)
{
    switch (step->type.kind) {
    case ZG_KIND_SIGNED: return (uint64_t)raw.i;
    case ZG_KIND_BOOL: return raw.b;
    case ZG_KIND_FLOAT: return step->type.bits == 64 ? zg_bits_of_f64(raw.f) : zg_bits_of_f32((float)raw.f);
    default: return raw.u;
    }
}

void zgi_step_store(const struct zg_step *step, unsigned element, uint64_t bits, uint8_t *at)
{
    struct zg_piece pieces[ZG_PIECES];
    unsigned count = zg_step_pieces(step, element, pieces);

    for (unsigned i = 0; i < count; i++) {
        const struct zg_piece *piece = &pieces[i];
        unsigned part = (unsigned)(bits >> piece->shift) & ((1U << piece->bits) - 1U);
        at[piece->byte] = (uint8_t)(at[piece->byte] | part << piece->low);
    }
}

/* --- LEB128, as in DWARF 5, 7.6: seven bits a byte, lowest first, the top bit set on all but the last */

static uint8_t *put_leb(const struct zg_step *step, union zg_raw raw, uint8_t *at)
{
    if (step->type.kind == ZG_KIND_LEB_UNSIGNED)
        return at + zg_uleb_put(raw.u, at);
    return at + zg_sleb_put(raw.i, at);
}

/* Reads one number. NULL: it is cut short, longer than necessary, or too wide. */
static const uint8_t *get_leb(const struct zg_step *step, const uint8_t *at, const uint8_t *end, union zg_raw *raw)
{
    size_t length = (size_t)(end - at);
    int taken = step->type.kind == ZG_KIND_LEB_UNSIGNED ? zg_uleb_get(at, length, step->type.bits, &raw->u)
                                                        : zg_sleb_get(at, length, step->type.bits, &raw->i);
    return taken < 0 ? NULL : at + taken;
}

/* --- blocks */

static uint8_t *pack_block(const struct zg_block *block, const struct zg_value *values, uint8_t *at);

static uint8_t *pack_elements(const struct zg_step *step, const struct zg_value *items, unsigned count, uint8_t *at)
{
    for (unsigned i = 0; i < count; i++)
        at = step->record ? pack_block(step->record, items[i].items, at) : put_leb(step, items[i].raw, at);
    return at;
}

/* A number of one or two bytes. */
static void put_number(unsigned number, unsigned size, bool big_endian, uint8_t *at)
{
    at[size == 2 && big_endian ? 1 : 0] = (uint8_t)number;
    if (size == 2)
        at[big_endian ? 0 : 1] = (uint8_t)(number >> 8);
}

static void put_count(const struct zg_step *step, unsigned count, uint8_t *at)
{
    if (step->count_size > 0)
        put_number(count * MAX(step->count_unit, 1), step->count_size, step->count_big_endian, at);
}

/* Writes a step whose place counts from `base`, and returns its end. The bytes of a run that it shares are zero or hold
 * its neighbours. */
static uint8_t *pack_step(const struct zg_step *step, const struct zg_value *value, uint8_t *base)
{
    uint8_t *at = base + step->byte;
    bool own_place = zg_step_is_open_count(step);

    put_count(step, value->count, at);
    at += step->count_size;
    if (zg_step_is_string(step)) {
        if (value->count > 0)
            memcpy(at, value->bytes, value->count);
        return at + (step->type.extent == ZG_EXTENT_FIXED ? step->most : value->count);
    }
    if (step->record || zg_step_is_leb(step))
        return step->record && !zg_step_is_array(step) ? pack_block(step->record, value->items, at)
               : zg_step_is_array(step)                ? pack_elements(step, value->items, value->count, at)
                                                       : put_leb(step, value->raw, at);
    if (!zg_step_is_array(step))
        zgi_step_store(step, 0, bits_of(step, value->raw), base);
    for (unsigned i = 0; zg_step_is_array(step) && i < value->count; i++)
        zgi_step_store(step, i, bits_of(step, value->items[i].raw), own_place ? at : base);
    return at + (own_place ? (value->count * step->bits + 7) / 8 : 0);
}

/* Writes the length that a record holds of itself. `end` is behind its fields. */
static uint8_t *put_length(const struct zg_block *block, uint8_t *at, uint8_t *end)
{
    uint8_t *const past = MAX(end, at + zg_block_length_end(block));

    put_number(zg_block_length_of(block, (unsigned)(past - at)), block->length->bits / 8, block->length->big_endian,
               at + block->length_byte);
    return past;
}

/* The bytes from `at` on are zero. */
static uint8_t *pack_block(const struct zg_block *block, const struct zg_value *values, uint8_t *at)
{
    uint8_t *base = at, *end = at;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->newer)
            base = end;
        uint8_t *step_end = pack_step(step, &values[i], base);
        if (step->varies)
            base = end = step_end;
        else
            end = base + zg_step_end(step);
    }
    return block->length ? put_length(block, at, end) : end;
}

static size_t element_size(const struct zg_step *step, const struct zg_value *item)
{
    uint8_t bytes[10];
    return step->record ? zg_block_size(step->record, item->items) : (size_t)(put_leb(step, item->raw, bytes) - bytes);
}

static size_t step_size(const struct zg_step *step, const struct zg_value *value)
{
    size_t size = step->count_size;

    if (!step->varies)
        return step->most_size;
    if (zg_step_is_string(step))
        return size + value->count;
    if (!zg_step_is_array(step))
        return element_size(step, value);
    if (!step->record && !zg_step_is_leb(step))
        return size + (value->count * step->bits + 7) / 8;
    for (unsigned i = 0; i < value->count; i++)
        size += element_size(step, &value->items[i]);
    return size;
}

size_t zg_block_size(const struct zg_block *block, const struct zg_value *values)
{
    size_t size = block->length ? block->length->bits / 8 : 0;
    for (unsigned i = 0; i < block->steps->len; i++)
        size += step_size(zg_block_step(block, i), &values[i]);
    return size;
}

void zg_block_fit(const struct zg_block *block, struct zg_value *values)
{
    const unsigned count = block->steps->len;
    const struct zg_step *last = count > 0 ? zg_block_step(block, count - 1) : NULL;

    while (last && last->type.extent == ZG_EXTENT_REST && values[count - 1].count > 0 &&
           zg_block_size(block, values) > block->most_size)
        zg_value_resize(last, &values[count - 1], values[count - 1].count - 1);
}

void zg_block_pack(const struct zg_block *block, const struct zg_value *values, uint8_t *at)
{
    memset(at, 0, zg_block_size(block, values));
    pack_block(block, values, at);
}

void zg_block_spans(const struct zg_block *block, const struct zg_value *values, struct zg_span *spans)
{
    size_t base = 0, end = 0;

    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (step->newer)
            base = end;
        spans[i].first = base + step->byte + (step->varies ? 0 : step->bit / 8);
        end = step->varies ? base + step->byte + step_size(step, &values[i]) : base + zg_step_end(step);
        spans[i].size = end - spans[i].first;
        if (step->varies)
            base = end;
    }
}

static const uint8_t *unpack_block(const struct zg_block *block, const uint8_t *at, const uint8_t *end,
                                   struct zg_value *values, bool may_be_older);

static const uint8_t *unpack_elements(const struct zg_step *step, struct zg_value *value, const uint8_t *at,
                                      const uint8_t *end)
{
    bool to_end = step->type.extent == ZG_EXTENT_REST;

    for (unsigned i = 0; at && (to_end ? at < end : i < value->count); i++) {
        if (to_end && i >= step->most)
            return NULL;
        if (to_end)
            zg_value_resize(step, value, i + 1);
        struct zg_value *item = &value->items[i];
        at =
            step->record ? unpack_block(step->record, at, end, item->items, false) : get_leb(step, at, end, &item->raw);
    }
    return at;
}

/* How many elements or bytes a step has, if `length` bytes follow its count. False: more than it may have. */
static bool element_count(const struct zg_step *step, const uint8_t *at, size_t length, unsigned *count)
{
    *count = step->most;
    if (step->type.extent == ZG_EXTENT_COUNTED) {
        *count = (unsigned)zg_bytes_load(at, step->count_size, step->count_big_endian);
        if (*count % step->count_unit != 0)
            return false;
        *count /= step->count_unit;
    } else if (step->type.extent == ZG_EXTENT_REST && step->bits > 0 && length % (step->bits / 8) != 0)
        return false;
    else if (step->type.extent == ZG_EXTENT_REST && step->bits > 0)
        *count = (unsigned)MIN(length / (step->bits / 8), UINT_MAX);
    return *count <= step->most;
}

static const uint8_t *unpack_string(const struct zg_step *step, struct zg_value *value, const uint8_t *at,
                                    unsigned count)
{
    const uint8_t *end = at + count;

    if (step->type.kind == ZG_KIND_TEXT && step->type.extent == ZG_EXTENT_FIXED)
        while (count > 0 && at[count - 1] == 0)
            count--;
    zg_value_set_bytes(value, at, count);
    if (step->type.kind == ZG_KIND_TEXT && !zg_is_text_of(step, at, count))
        return NULL;
    return end;
}

/* Reads a step whose place counts from `base`, and returns its end, or NULL. */
static const uint8_t *unpack_step(const struct zg_step *step, struct zg_value *value, const uint8_t *base,
                                  const uint8_t *end)
{
    const uint8_t *at = base + step->byte;
    bool own_place = zg_step_is_open_count(step);
    unsigned count;

    if (end - base < (ptrdiff_t)zg_step_end(step) - (ptrdiff_t)(step->varies ? step->most_size - step->least_size : 0))
        return NULL;
    const uint8_t *first = at + step->count_size;
    if (!element_count(step, at, (size_t)(end - first), &count))
        return NULL;
    if (own_place && step->bits > 0 && (size_t)(end - first) < ((size_t)count * step->bits + 7) / 8)
        return NULL;
    if (zg_step_is_string(step))
        return unpack_string(step, value, first, count);
    if (step->record && !zg_step_is_array(step))
        return unpack_block(step->record, first, end, value->items, false);
    if (!zg_step_is_array(step) && zg_step_is_leb(step))
        return get_leb(step, first, end, &value->raw);
    if (!zg_step_is_array(step)) {
        value->raw = zg_step_of_bits(step, zg_step_load(step, 0, base));
        return first;
    }
    zg_value_resize(step, value, step->type.extent == ZG_EXTENT_REST && step->bits == 0 ? 0 : count);
    if (step->record || zg_step_is_leb(step))
        return unpack_elements(step, value, first, end);
    for (unsigned i = 0; i < count; i++)
        value->items[i].raw = zg_step_of_bits(step, zg_step_load(step, i, own_place ? first : base));
    return own_place ? first + (count * step->bits + 7) / 8 : first;
}

/* Where a record ends that says so itself. NULL: it is cut short. */
static const uint8_t *own_end(const struct zg_block *block, const uint8_t *at, const uint8_t *end)
{
    const struct zg_record_length *length = block->length;
    const unsigned before = zg_block_length_of(block, 0); /* what the length says less the size, modulo 2^32 */

    if (end - at < (ptrdiff_t)zg_block_length_end(block))
        return NULL;
    const unsigned size =
        (unsigned)zg_bytes_load(at + block->length_byte, length->bits / 8, length->big_endian) - before;
    return size >= zg_block_length_end(block) && size <= (size_t)(end - at) ? at + size : NULL;
}

static const uint8_t *unpack_block(const struct zg_block *block, const uint8_t *at, const uint8_t *end,
                                   struct zg_value *values, bool may_be_older)
{
    const uint8_t *base = at, *taken = at;
    bool missing = false;

    if (block->length && !(end = own_end(block, at, end)))
        return NULL;
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        missing = missing || (may_be_older && step->newer && taken == end);
        if (missing) {
            zg_value_set_default(step, &values[i]);
            continue;
        }
        if (step->newer)
            base = taken;
        const uint8_t *step_end = unpack_step(step, &values[i], base, end);
        if (!step_end)
            return NULL;
        if (step->varies)
            base = taken = step_end;
        else
            taken = base + zg_step_end(step);
    }
    return block->length ? end : taken;
}

bool zg_block_unpack(const struct zg_block *block, const uint8_t *at, size_t length, struct zg_value *values,
                     size_t *ignored)
{
    static const uint8_t nothing = 0;
    const uint8_t *from = length > 0 ? at : &nothing; /* an empty payload may have no address */
    const uint8_t *end = unpack_block(block, from, from + length, values, true);

    *ignored = end ? length - (size_t)(end - from) : 0;
    return end != NULL;
}
