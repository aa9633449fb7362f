/* SPDX-License-Identifier: MIT */
#include "generate/generate.h"

const struct zg_target zg_targets[] = { { "c", zg_generate_c },
                                        { "python", zg_generate_python },
                                        { "docs", zg_generate_docs },
                                        { "vectors", zg_generate_vectors } };
const unsigned zg_targets_length = G_N_ELEMENTS(zg_targets);
