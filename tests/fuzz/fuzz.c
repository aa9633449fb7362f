/* SPDX-License-Identifier: MIT */
#include "fuzz.h"

static const char *const files[] = { TEST_SOURCE "/examples/loom/loom.yaml", TEST_DATA "/codec/fields.yaml",
                                     TEST_DATA "/definitions/behaviour.yaml", TEST_DATA "/definitions/sound.yaml" };

const struct zg_plan *fuzz_plan(unsigned index)
{
    static struct zg_plan *plans[G_N_ELEMENTS(files)];

    index %= G_N_ELEMENTS(files);
    if (!plans[index]) {
        struct zg_diagnostics *diagnostics = zg_diagnostics_new(files[index]);
        plans[index] = zg_plan_new(zg_definition_load(files[index], diagnostics, NULL), diagnostics);
        g_assert(plans[index]);
        zg_diagnostics_free(diagnostics);
    }
    return plans[index];
}
