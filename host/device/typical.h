/* SPDX-License-Identifier: MIT */
/* How long messages are with values such as the simulated device sends, in their layout and as lines of text. */
#ifndef ZEUGMA_TYPICAL_H
#define ZEUGMA_TYPICAL_H

#include "device/plausible.h"

/* The mean size of a message's payload, bytes: of ZG_TYPICAL_ROUNDS of the simulated device, a second apart. What
 * cannot be written is left out. */
enum { ZG_TYPICAL_ROUNDS = 200 };
double zg_typical_payload(const struct zg_plan_message *item);

/* The mean length of the same values as a line, bytes: `name=value` pairs or bare values, with commas between and a
 * line end; scaled numbers and floats with so many decimals. */
double zg_typical_line(const struct zg_plan_message *item, unsigned decimals, bool names);

#endif
