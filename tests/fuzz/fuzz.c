/* SPDX-License-Identifier: MIT */
#include "fuzz.h"

#include <string.h>

#include "streams.h"

static const char *const files[] = { TEST_SOURCE "/examples/loom/loom.yaml", TEST_DATA "/codec/fields.yaml",
                                     TEST_DATA "/definitions/behaviour.yaml", TEST_DATA "/definitions/sound.yaml" };

/* Definitions with text layouts, the first of them streams, the last packets. */
static const char *const texts[] = { TEST_SOURCE "/examples/sluice/sluice.yaml",
                                     TEST_SOURCE "/examples/panel/panel.yaml",
                                     TEST_SOURCE "/examples/weigher/weigher.yaml",
                                     TEST_SOURCE "/examples/weigher/checked.yaml",
                                     TEST_DATA "/cli/lines.yaml",
                                     TEST_DATA "/codec/asked.yaml",
                                     TEST_SOURCE "/examples/buoy/draft.yaml" };
enum { STREAMS = 6 };

static const struct zg_plan *plan_of(struct zg_definition *definition, struct zg_diagnostics *diagnostics)
{
    const struct zg_plan *plan = zg_plan_new(definition, diagnostics);

    g_assert(plan);
    zg_diagnostics_free(diagnostics);
    return plan;
}

static const struct zg_plan *plan_of_file(const char *file, const struct zg_plan **plan)
{
    if (!*plan) {
        struct zg_diagnostics *diagnostics = zg_diagnostics_new(file);
        *plan = plan_of(zg_definition_load(file, diagnostics, NULL), diagnostics);
    }
    return *plan;
}

const struct zg_plan *fuzz_plan(unsigned index)
{
    static const struct zg_plan *plans[G_N_ELEMENTS(files)];
    const unsigned framings = test_framings_length + 1;

    index %= (unsigned)G_N_ELEMENTS(files) + framings + STREAMS;
    if (index < G_N_ELEMENTS(files))
        return plan_of_file(files[index], &plans[index]);
    index -= (unsigned)G_N_ELEMENTS(files);
    return index < framings ? fuzz_framing_plan(index) : fuzz_text_plan(index - framings);
}

const struct zg_plan *fuzz_text_plan(unsigned index)
{
    static const struct zg_plan *plans[G_N_ELEMENTS(texts)];

    index %= G_N_ELEMENTS(texts);
    return plan_of_file(texts[index], &plans[index]);
}

const struct zg_plan *fuzz_readings_plan(void)
{
    static const struct zg_plan *plan;
    return plan_of_file(TEST_DATA "/codec/readings.yaml", &plan);
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
