/* SPDX-License-Identifier: MIT */
/* The kind of LINK sim:, for zg_wire_settings. */
#ifndef ZEUGMA_SIMULATED_WIRE_H
#define ZEUGMA_SIMULATED_WIRE_H

#include "link/wire_kind.h"

extern const struct zg_wire_kind zg_simulated_wire;

#endif
