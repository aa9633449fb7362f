/* Reads a definition with the host's library: reader FILE. Status 0: it is sound. */
#include <stdio.h>

#include "plan/plan.h"

int main(int argc, char **argv)
{
    struct zg_diagnostics *diagnostics = zg_diagnostics_new(argv[argc - 1]);
    struct zg_definition *definition = zg_definition_load(argv[argc - 1], diagnostics, NULL);
    struct zg_plan *plan = definition ? zg_plan_new(definition, diagnostics) : NULL;

    if (!plan)
        return 1;
    printf("%u messages\n", plan->messages->len);
    return 0;
}
