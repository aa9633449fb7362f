/* SPDX-License-Identifier: MIT */
#include "cli.h"

const struct cli_verb *const cli_verbs[] = {
    &cli_start, &cli_check, &cli_layout, &cli_generate, &cli_encode, &cli_decode, &cli_compare, &cli_crc,  &cli_timing,
    &cli_wave,  &cli_ports, &cli_watch,  &cli_plot,     &cli_send,   &cli_vars,   &cli_sim,     &cli_soak, &cli_report,
};
const unsigned cli_verbs_length = G_N_ELEMENTS(cli_verbs);
