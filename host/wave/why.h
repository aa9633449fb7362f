/* SPDX-License-Identifier: MIT */
/* What else explains a recorded wire on which nothing, or little, makes sense. */
#ifndef ZEUGMA_WAVE_WHY_H
#define ZEUGMA_WAVE_WHY_H

#include "wave/measure.h"
#include "wave/receive.h"

struct zg_explanation {
    char *as; /* "9600 8E1 inverted" */
    uint64_t frames, sound, characters;
};

/* Tries other rates, levels, parities, orders, lengths, and swapped wires of a pair, on the first 40,000 edges, by a
 * plan (NULL: characters only). An array of struct zg_explanation of those that explain more than `as`, the best first:
 * by frames, then by characters without error, then by how little is other. At most five. Free with
 * g_array_unref(). */
GArray *zg_explain_wire(const struct zg_trace *trace, const struct zg_receiving *as, const struct zg_measured *measured,
                        const struct zg_plan *plan);

#endif
