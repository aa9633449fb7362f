/* SPDX-License-Identifier: MIT */
#include "fuzz.h"

#include <string.h>

#include "streams.h"

static const char *const files[] = { TEST_SOURCE "/examples/loom/loom.yaml", TEST_DATA "/codec/fields.yaml",
                                     TEST_DATA "/definitions/behaviour.yaml", TEST_DATA "/definitions/sound.yaml" };

static const struct zg_plan *plan_of(struct zg_definition *definition, struct zg_diagnostics *diagnostics)
{
    const struct zg_plan *plan = zg_plan_new(definition, diagnostics);

    g_assert(plan);
    zg_diagnostics_free(diagnostics);
    return plan;
}

const struct zg_plan *fuzz_plan(unsigned index)
{
    static const struct zg_plan *plans[G_N_ELEMENTS(files)];

    index %= G_N_ELEMENTS(files) + test_framings_length + 1;
    if (index >= G_N_ELEMENTS(files))
        return fuzz_framing_plan(index - (unsigned)G_N_ELEMENTS(files));
    if (!plans[index]) {
        struct zg_diagnostics *diagnostics = zg_diagnostics_new(files[index]);
        plans[index] = plan_of(zg_definition_load(files[index], diagnostics, NULL), diagnostics);
    }
    return plans[index];
}

const struct zg_plan *fuzz_framing_plan(unsigned index)
{
    static const struct test_framing gap = { .framing = "gap", .header = "id: u8", .data = "bytes[..]" };
    static const struct zg_plan *plans[64];

    index %= test_framings_length + 1;
    if (!plans[index]) {
        struct zg_diagnostics *diagnostics = zg_diagnostics_new("framing");
        g_autofree char *text = test_framing_text(index < test_framings_length ? &test_framings[index] : &gap);
        plans[index] = plan_of(zg_definition_parse("framing", text, strlen(text), diagnostics), diagnostics);
    }
    return plans[index];
}
