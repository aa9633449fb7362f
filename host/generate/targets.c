/* SPDX-License-Identifier: MIT */
#include "generate/generate.h"

#include <string.h>

#include "generate/c/written.h"

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

bool zg_target_knows(const char *name, const struct zg_plan *plan, GError **error)
{
    const char *why = NULL;

    if (strcmp(name, "c") == 0 && !zgi_c_knows_texts(plan, &why))
        g_set_error(error, ZG_GENERATE_ERROR, ZG_GENERATE_ERROR_LAYOUT,
                    "C is not generated for %s; expected --target python, docs or vectors, or a scale with fewer "
                    "digits",
                    why);
    return !why;
}
