/* SPDX-License-Identifier: MIT */
/* Many soaks at once, or one after the other: sweeps, repetitions, the search for where a requirement fails, several
 * links. */
#ifndef ZEUGMA_CLI_SOAK_MANY_H
#define ZEUGMA_CLI_SOAK_MANY_H

#include "soak/sweep.h"
#include "soak_run.h"

/* Each returns the exit status. `run` is as for cli_soak_run(); nothing is stored, and there are no marks. */
int cli_soak_sweep(const struct cli_soak_run *run, const struct zg_sweep_axis *axes, unsigned axes_count,
                   unsigned repetitions);
int cli_soak_search(const struct cli_soak_run *run, const struct zg_sweep_axis *axis,
                    const struct zg_soak_requirement *requirement);
int cli_soak_links(const struct cli_soak_run *run, const struct zg_address *links, unsigned count);

#endif
