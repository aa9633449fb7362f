/* SPDX-License-Identifier: MIT */
/* zeugma wave --read. */
#ifndef ZEUGMA_CLI_WAVE_READ_H
#define ZEUGMA_CLI_WAVE_READ_H

#include "cli.h"

struct cli_wave_read {
    char *read, *threshold, *format, *baud, *against, *enable, *vcd;
    char **signals;
    gboolean as_json, characters;
    gint errors;
};

/* Reads a recording by a definition (NULL: characters only). */
int cli_wave_read(const struct cli_verb *verb, const struct zg_plan *plan, const struct cli_wave_read *options);

#endif
