/* SPDX-License-Identifier: MIT */
#include "device/plausible.h"

#include <math.h>

#include "zeugma/error.h"

/* The moment for which a value is made. Fields and elements differ in phase. */
struct moment {
    double seconds;
    uint64_t count;
    uint64_t phase;
};

static uint64_t phase_of(const struct moment *at, const char *name, unsigned index)
{
    return at->phase * 31 + g_str_hash(name) + 7 * (uint64_t)index;
}

/* From -1 to 1, slowly; the period is between 5 and 20 seconds. */
static double wave(const struct moment *at, uint64_t phase)
{
    const double period = 5 + (double)(phase % 16);
    return sin(2 * G_PI * (at->seconds / period + (double)(phase % 101) / 101));
}

/* A value between limits: the whole of a given range; otherwise near the middle or the lower end of what the type
 * holds. */
static double between(const struct zg_step *step, double low, double high, double share)
{
    const double width = high - low;

    if (step->field->ranged)
        return low + width * (0.5 + 0.45 * share);
    if (low < 0)
        return low + width * (0.5 + 0.1 * share);
    return low + width * (0.25 + 0.1 * share);
}

static union zg_raw float_at(const struct zg_step *step, const struct moment *at, uint64_t phase)
{
    const double share = wave(at, phase);
    const bool limited = step->field->ranged && isfinite(step->low.f) && isfinite(step->high.f);

    return (union zg_raw){ .f = zg_step_rounded(step, limited ? between(step, step->low.f, step->high.f, share)
                                                              : 10 * share) };
}

/* One name after the other, each for a few seconds; of flags one more each time. */
static union zg_raw choice_at(const struct zg_step *step, const struct moment *at, uint64_t phase)
{
    const GPtrArray *values = step->type.enumeration->values;
    const unsigned turn = (unsigned)(at->seconds / (3 + (double)(phase % 4))) + (unsigned)phase;
    union zg_raw raw = { 0 };

    if (values->len == 0)
        return step->low;
    if (!step->type.enumeration->flags)
        return ((const struct zg_enum_value *)g_ptr_array_index(values, turn % values->len))->raw;
    for (unsigned i = 0; i < values->len; i++)
        if ((turn >> i & 1U) != 0)
            raw.u |= UINT64_C(1) << ((const struct zg_enum_value *)g_ptr_array_index(values, i))->raw.u;
    return raw;
}

/* Whether a field counts: a wide unsigned number without scale and range. */
static bool is_counter(const struct zg_step *step)
{
    return !step->field->ranged && !step->field->scaled && !step->field->unit && step->low.u == 0 && step->bits != 1 &&
           (step->bits == 0 || step->bits >= 16) && !zg_step_is_signed(step);
}

static union zg_raw number_at(const struct zg_step *step, const struct moment *at, uint64_t phase)
{
    if (step->type.kind == ZG_KIND_BOOL)
        return (union zg_raw){ .b = ((uint64_t)(at->seconds / (2 + (double)(phase % 5))) & 1U) != 0 };
    if (step->type.kind == ZG_KIND_FLOAT)
        return float_at(step, at, phase);
    if (step->type.enumeration)
        return choice_at(step, at, phase);
    if (is_counter(step))
        return (union zg_raw){ .u = step->high.u == UINT64_MAX ? at->count : at->count % (step->high.u + 1) };
    if (zg_step_is_signed(step))
        return (union zg_raw){ .i =
                                   (int64_t)between(step, (double)step->low.i, (double)step->high.i, wave(at, phase)) };
    return (union zg_raw){ .u = (uint64_t)between(step, (double)step->low.u, (double)step->high.u, wave(at, phase)) };
}

/* No more elements than are certain to fit the frame. */
static unsigned elements_of(const struct zg_step *step, const struct moment *at)
{
    if (!zg_step_is_open_count(step))
        return step->most;
    return step->most == 0 ? 0 : 1 + (unsigned)(at->count % MIN(step->most, 4));
}

static void fill_string(const struct zg_step *step, const struct moment *at, struct zg_value *value)
{
    static const char words[] = "all is well ";
    const unsigned count = zg_step_is_open_count(step) ? MIN(step->most, 11) : step->most;

    zg_value_resize(step, value, count);
    for (unsigned i = 0; i < count; i++)
        value->bytes[i] = step->type.kind == ZG_KIND_TEXT ? (uint8_t)words[i % 12] : (uint8_t)(at->count + i);
}

static void fill(const struct zg_block *block, const struct moment *at, struct zg_value *values)
{
    for (unsigned i = 0; i < block->steps->len; i++) {
        const struct zg_step *step = zg_block_step(block, i);
        struct moment inside = *at;

        if (zg_step_is_string(step)) {
            fill_string(step, at, &values[i]);
            continue;
        }
        if (zg_step_is_open_count(step))
            zg_value_resize(step, &values[i], elements_of(step, at));
        if (!zg_step_is_array(step) && step->record) {
            inside.phase = phase_of(at, step->name, 0);
            fill(step->record, &inside, values[i].items);
        } else if (!zg_step_is_array(step)) {
            values[i].raw = number_at(step, at, phase_of(at, step->name, 0));
        } else {
            for (unsigned k = 0; k < values[i].count; k++) {
                inside.phase = phase_of(at, step->name, k);
                if (step->record)
                    fill(step->record, &inside, values[i].items[k].items);
                else
                    values[i].items[k].raw = number_at(step, at, inside.phase);
            }
        }
    }
}

void zg_plausible_fill(const struct zg_block *block, double seconds, uint64_t count, uint64_t seed,
                       struct zg_value *values)
{
    const struct moment at = { seconds, count, seed };
    fill(block, &at, values);
    zg_block_fit(block, values);
}
