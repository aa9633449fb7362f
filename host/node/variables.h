/* SPDX-License-Identifier: MIT */
/* What a host asks of a device's variables, and what comes back. */
#ifndef ZEUGMA_NODE_VARIABLES_H
#define ZEUGMA_NODE_VARIABLES_H

#include "node/node.h"

/* Asks for a variable's value, or with `written` (valid) writes it; has it sent every so many ms, 0: no longer. The
 * node is a host's end, of a definition with the service `variables`. Returns and sets `ticket` like zg_node_send(). */
int zg_variable_ask(struct zg_node *node, zg_header_number to, const struct zg_plan *plan,
                    const struct zg_plan_variable *variable, const struct zg_value *written, uint8_t *ticket);
int zg_variable_stream(struct zg_node *node, zg_header_number to, const struct zg_plan *plan,
                       const struct zg_plan_variable *variable, uint16_t period_ms, uint8_t *ticket);

/* Whether a message tells this variable's value, which is then unpacked into `value`. */
bool zg_variable_told(const struct zg_plan_variable *variable, const struct zg_plan_message *message,
                      const struct zg_value *values, struct zg_value *value);

#endif
