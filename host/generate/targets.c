/* SPDX-License-Identifier: MIT */
#include "generate/generate.h"

static GPtrArray *print_python(const struct zg_plan *plan, enum zg_side sides)
{
    (void)sides;
    return zg_generate_python(plan);
}

static GPtrArray *print_docs(const struct zg_plan *plan, enum zg_side sides)
{
    (void)sides;
    return zg_generate_docs(plan);
}

static GPtrArray *print_vectors(const struct zg_plan *plan, enum zg_side sides)
{
    (void)sides;
    return zg_generate_vectors(plan);
}

const struct zg_target zg_targets[] = {
    { "c", zg_generate_c }, { "python", print_python }, { "docs", print_docs }, { "vectors", print_vectors }
};
const unsigned zg_targets_length = G_N_ELEMENTS(zg_targets);
