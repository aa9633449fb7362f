/* SPDX-License-Identifier: MIT */
/* Values such as a device might measure: waves, ramps and steps within the limits of each field. */
#ifndef ZEUGMA_PLAUSIBLE_H
#define ZEUGMA_PLAUSIBLE_H

#include "codec/payload.h"

/* Fills all values of a block as they are `seconds` after the start, the `count`th time. The same arguments always give
 * the same values; `seed` shifts the waves. */
void zg_plausible_fill(const struct zg_block *block, double seconds, uint64_t count, uint64_t seed,
                       struct zg_value *values);

#endif
