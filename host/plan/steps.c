/* SPDX-License-Identifier: MIT */
/* What a step is, and in which bits of which bytes its values are. */
#include "plan/steps.h"

#include "zeugma/bytes.h"

unsigned zg_step_end(const struct zg_step *step)
{
    return step->byte + (zg_step_is_bitwise(step) && step->type.extent != ZG_EXTENT_COUNTED
                             ? (step->bit + step->most * step->bits + 7) / 8
                             : step->most_size);
}

/* A little-endian run is filled from its least significant bit up: bit k of the run is bit k % 8 of byte k / 8. */
static unsigned little_pieces(unsigned byte, unsigned bit, unsigned bits, struct zg_piece *pieces)
{
    unsigned count = 0;
    for (unsigned done = 0; done < bits; count++) {
        unsigned low = (bit + done) % 8;
        unsigned part = MIN(8 - low, bits - done);
        pieces[count] = (struct zg_piece){ byte + (bit + done) / 8, low, part, done };
        done += part;
    }
    return count;
}

/* A big-endian run is filled from its most significant bit down. Pieces are listed from the value's lowest bit, which
 * comes last in the run. */
static unsigned big_pieces(unsigned byte, unsigned bit, unsigned bits, struct zg_piece *pieces)
{
    unsigned count = 0;
    unsigned end = bit + bits; /* bits of the run, from its top, up to the value's last one */
    for (unsigned done = 0; done < bits; count++) {
        unsigned low = (8 - end % 8) % 8;
        unsigned part = MIN(8 - low, bits - done);
        pieces[count] = (struct zg_piece){ byte + (end - 1) / 8, low, part, done };
        done += part;
        end -= part;
    }
    return count;
}

unsigned zg_step_pieces(const struct zg_step *step, unsigned element, struct zg_piece pieces[ZG_PIECES])
{
    bool own_place = zg_step_is_open_count(step);
    unsigned byte = own_place ? 0 : step->byte;
    unsigned bit = (own_place ? 0 : step->bit) + element * step->bits;

    if (zg_step_is_bitwise(step) && step->big_endian)
        return big_pieces(byte, bit, step->bits, pieces);
    if (zg_step_is_bitwise(step) || !step->big_endian)
        return little_pieces(byte, bit, step->bits, pieces);
    for (unsigned i = 0; i < step->bits / 8; i++) /* whole bytes, most significant first */
        pieces[i] = (struct zg_piece){ byte + bit / 8 + step->bits / 8 - 1 - i, 0, 8, 8 * i };
    return step->bits / 8;
}

uint64_t zg_bytes_load(const uint8_t *at, unsigned size, bool big_endian)
{
    uint64_t bits = 0;

    for (unsigned i = 0; i < size; i++)
        bits |= (uint64_t)at[big_endian ? size - 1 - i : i] << 8 * i;
    return bits;
}

uint64_t zg_step_load(const struct zg_step *step, unsigned element, const uint8_t *at)
{
    if (!zg_step_is_bitwise(step)) {
        const unsigned size = step->bits / 8;
        return zg_bytes_load(at + (zg_step_is_open_count(step) ? 0 : step->byte) + (size_t)element * size, size,
                             step->big_endian);
    }
    struct zg_piece pieces[ZG_PIECES];
    unsigned count = zg_step_pieces(step, element, pieces);
    uint64_t bits = 0;

    for (unsigned i = 0; i < count; i++) {
        const struct zg_piece *piece = &pieces[i];
        uint64_t part = (unsigned)at[piece->byte] >> piece->low & ((1U << piece->bits) - 1U);
        bits |= part << piece->shift;
    }
    return bits;
}

union zg_raw zg_step_of_bits(const struct zg_step *step, uint64_t bits)
{
    switch (step->type.kind) {
    case ZG_KIND_SIGNED:
    case ZG_KIND_LEB_SIGNED: return (union zg_raw){ .i = zg_signed64(bits, step->type.bits) };
    case ZG_KIND_BOOL: return (union zg_raw){ .u = bits & 1 };
    case ZG_KIND_FLOAT:
        return (union zg_raw){ .f = step->type.bits == 64 ? zg_f64_of_bits(bits)
                                                          : (double)zg_f32_of_bits((uint32_t)bits) };
    default: return (union zg_raw){ .u = bits };
    }
}

bool zg_block_any_step(const struct zg_block *block, bool (*like)(const struct zg_step *step))
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        if (like(step) || (step->record && zg_block_any_step(step->record, like)))
            return true;
    }
    return false;
}
