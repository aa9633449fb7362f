/* SPDX-License-Identifier: MIT */
#include "generate/generate.h"

const struct zg_target zg_targets[] = { { "c", NULL, zg_generate_c },
                                        { "python", zg_generate_python, NULL },
                                        { "docs", zg_generate_docs, NULL },
                                        { "vectors", zg_generate_vectors, NULL } };
const unsigned zg_targets_length = G_N_ELEMENTS(zg_targets);
