/* SPDX-License-Identifier: MIT */
#include "plan/layout.h"

#include <string.h>

#include "plan/limits.h"
#include "plan/physical.h"
#include "plan/spelling.h"

static void end_run(struct zgi_cursor *cursor)
{
    cursor->run_bits = 0;
}

/* Places a value, or a fixed array, that shares bytes with its neighbours. Values of the other byte order begin a new
 * run. */
static void place_in_run(struct zgi_cursor *cursor, struct zg_step *step, unsigned bits)
{
    if (cursor->run_bits == 0 || cursor->run_big != step->big_endian) {
        cursor->run = cursor->at;
        cursor->run_bits = 0;
        cursor->run_big = step->big_endian;
    }
    unsigned before = cursor->at;
    step->byte = cursor->run;
    step->bit = cursor->run_bits;
    cursor->run_bits += bits;
    cursor->loose_bits += bits;
    cursor->at = cursor->run + (cursor->run_bits + 7) / 8;
    cursor->run_bytes += cursor->at - before;
    step->least_size = step->most_size = cursor->at - before;
}

/* Bytes of LEB128 numbers: at least one each, at most one for every seven bits or part of them. */
static void leb_sizes(const struct zg_step *step, unsigned *least, unsigned *most)
{
    *least = 1;
    *most = (step->type.bits + 6) / 7;
}

/* The least and the most bytes of one element. */
static void element_sizes(const struct zg_step *step, unsigned *least, unsigned *most)
{
    if (zg_step_is_leb(step)) {
        leb_sizes(step, least, most);
    } else if (step->record) {
        *least = step->record->size;
        *most = step->record->most_size;
    } else {
        *least = *most = step->bits / 8;
    }
}

/* `count` times `size` bytes, limited to a number that no payload reaches, so that sums do not overflow. */
static unsigned bytes_of(unsigned count, unsigned size)
{
    return (unsigned)MIN((uint64_t)count * size, (uint64_t)ZGI_UNREACHABLE);
}

static unsigned array_bytes(const struct zg_step *step, unsigned count, unsigned element)
{
    return zg_step_is_bitwise(step) ? (count * step->bits + 7) / 8 : bytes_of(count, element);
}

/* Places a step that begins on a byte boundary. `room` is what is left of the payload for an open-ended one. */
static void place_on_boundary(struct zgi_cursor *cursor, struct zg_step *step, unsigned room)
{
    unsigned least, most;

    end_run(cursor);
    element_sizes(step, &least, &most);
    step->byte = cursor->at;
    switch (step->type.extent) {
    case ZG_EXTENT_ONE:
    case ZG_EXTENT_FIXED:
        step->least_size = bytes_of(step->most, least);
        step->most_size = bytes_of(step->most, most);
        break;
    case ZG_EXTENT_COUNTED:
        step->count_unit = step->field && step->field->counts_bytes ? MAX(step->bits / 8, 1) : 1;
        step->count_size = step->type.count * step->count_unit <= 255 ? 1 : 2;
        if (step->field && step->field->count_bits > 0)
            step->count_size = step->field->count_bits / 8;
        step->least_size = step->count_size;
        step->most_size = step->count_size + array_bytes(step, step->type.count, most);
        break;
    case ZG_EXTENT_REST:
        step->most = step->type.count > 0 ? step->type.count : room / MAX(least, 1);
        step->least_size = 0;
        step->most_size = step->type.count > 0 ? bytes_of(step->most, most) : room - room % MAX(least, 1);
        break;
    }
    step->varies = step->least_size != step->most_size || (step->record && !zg_block_is_fixed(step->record));
    cursor->at = step->varies ? 0 : cursor->at + step->most_size;
}

/* A step of its type and field, not placed yet. */
static struct zg_step new_step(const struct zg_plan *plan, const struct zg_field *field)
{
    const struct zg_type *type = &field->type;
    struct zg_step step = { .name = field->name,
                            .code = field->code,
                            .type = *type,
                            .field = field,
                            .bits = type->bits,
                            .big_endian = field->big_endian,
                            .count_big_endian = plan->definition->big_endian,
                            .most = type->extent == ZG_EXTENT_ONE ? 1 : type->count };

    for (unsigned i = 0; i < plan->records->len && type->kind == ZG_KIND_RECORD; i++) {
        const struct zg_block *record = g_ptr_array_index(plan->records, i);
        if (strcmp(record->name, type->record->name) != 0)
            continue;
        step.record = record;
        step.bits = zg_block_is_fixed(record) ? 8 * record->size : 0;
    }
    if (zg_step_is_leb(&step))
        step.bits = 0;
    zgi_prepare_spelling(&step);
    return step;
}

/* An open-ended step may fill what the steps before it leave at their smallest. */
void zgi_place_step(struct zg_block *block, struct zgi_cursor *cursor, struct zg_step *step, unsigned room)
{
    bool in_run =
        zg_step_is_bitwise(step) && (step->type.extent == ZG_EXTENT_ONE || step->type.extent == ZG_EXTENT_FIXED);

    if (in_run)
        place_in_run(cursor, step, step->most * step->bits);
    else
        place_on_boundary(cursor, step, room > block->size ? room - block->size : 0);
    zgi_step_limits(step);
    const unsigned before = block->most_size;
    block->most_size = MIN(before + step->most_size, ZGI_UNREACHABLE);
    if (zg_step_is_unlimited(step) && block->size < before) { /* the two are never at their largest together */
        block->most_size = MAX(before, room);
        block->bits += 8 * (block->most_size - before);
    } else {
        block->bits += step->record ? step->most * step->record->bits
                       : step->bits ? step->most * step->bits
                                    : step->most * step->type.bits;
    }
    block->size = MIN(block->size + step->least_size, ZGI_UNREACHABLE);
    g_array_append_val(block->steps, *step);
}

/* The length that a record holds of itself. */
static void place_length(struct zg_block *block, struct zgi_cursor *cursor)
{
    end_run(cursor);
    block->length_byte = cursor->at;
    cursor->at = zg_block_length_end(block);
    block->size = MIN(block->size + block->length->bits / 8, ZGI_UNREACHABLE);
    block->most_size = MIN(block->most_size + block->length->bits / 8, ZGI_UNREACHABLE);
}

void zgi_place_fields(const struct zg_plan *plan, const GPtrArray *fields, unsigned room, struct zg_block *block,
                      struct zgi_cursor *cursor, struct zg_diagnostics *diagnostics)
{
    unsigned since = 0;

    block->steps = g_array_new(FALSE, FALSE, sizeof(struct zg_step));
    for (unsigned i = 0; i < fields->len; i++) {
        const struct zg_field *field = g_ptr_array_index(fields, i);
        struct zg_step step = new_step(plan, field);
        if (block->length && block->length->before == i)
            place_length(block, cursor);
        if (field->since > since) {
            end_run(cursor);
            cursor->at = 0;
            cursor->loose_bytes += (cursor->loose_bits + 7) / 8;
            cursor->loose_bits = 0;
            step.newer = true;
            since = field->since;
        }
        zgi_place_step(block, cursor, &step, room);
        if (!zgi_limit_to_written(&g_array_index(block->steps, struct zg_step, i)))
            zgi_error(diagnostics, field->place,
                      "%s has no value that is read again when it is written with %d decimals; expected more",
                      field->name, field->form.decimals);
        zgi_step_fallback(&g_array_index(block->steps, struct zg_step, i), diagnostics);
    }
    if (block->length && block->length->before == fields->len)
        place_length(block, cursor);
}
