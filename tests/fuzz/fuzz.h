/* SPDX-License-Identifier: MIT */
/* What the fuzz targets share: a sound plan for each of a few definitions, read once. */
#ifndef TEST_FUZZ_H
#define TEST_FUZZ_H

#include <stddef.h>
#include <stdint.h>

#include "plan/plan.h"

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size);

/* A plan by its index, modulo their number. */
const struct zg_plan *fuzz_plan(unsigned index);

/* The plan of a framing by its index, any number. */
const struct zg_plan *fuzz_framing_plan(unsigned index);

/* The plan of a definition with text layouts, in the same way. */
const struct zg_plan *fuzz_text_plan(unsigned index);

/* The plan of codec/readings.yaml. */
const struct zg_plan *fuzz_readings_plan(void);

#endif
