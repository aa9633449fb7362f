/* SPDX-License-Identifier: MIT */
/* Any bytes as a definition: diagnostics or a plan; everything that is made from a plan; and the plan compared with
 * itself. */
#include "analysis/budget.h"
#include "analysis/compare.h"
#include "fuzz.h"
#include "generate/generate.h"

static void use(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    unsigned first;
    g_autoptr(GPtrArray) changes = zg_compare(plan, plan);

    zg_budget_check(plan, diagnostics);
    g_assert(zg_compare_verdict(changes, &first) == ZG_SAME);
    for (unsigned i = 0; i < zg_targets_length && plan->max_payload < 5000; i++)
        g_ptr_array_unref(zg_targets[i].print(plan, ZG_SIDE_BOTH));
}

int LLVMFuzzerTestOneInput(const uint8_t *data, size_t size)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new("x");
    struct zg_definition *definition = zg_definition_parse("x", (const char *)data, size, diagnostics);
    struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;

    g_assert((plan != NULL) == (zg_diagnostics_errors(diagnostics) == 0));
    for (unsigned i = 0; i < zg_diagnostics_count(diagnostics); i++) {
        g_autofree char *line = zg_diagnostics_line(diagnostics, i);
        g_assert(line && zg_diagnostics_get(diagnostics, i)->place.line > 0);
    }
    if (plan)
        use(plan, diagnostics);
    zg_plan_free(plan);
    zg_definition_free(definition);
    zg_diagnostics_free(diagnostics);
    return 0;
}
