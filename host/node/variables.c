/* SPDX-License-Identifier: MIT */
#include "node/variables.h"

#include <string.h>

static int send(struct zg_node *node, zg_header_number to, const struct zg_plan_message *message,
                struct zg_value *values, uint8_t *ticket)
{
    const int error = zg_node_send(node, to, message, values, ticket);

    zg_values_free(&message->payload, values);
    return error;
}

static struct zg_value *begin(const struct zg_plan_message *message, const struct zg_plan_variable *variable)
{
    struct zg_value *values = zg_values_new(&message->payload);

    values[0].raw.u = variable->variable->index;
    return values;
}

int zg_variable_ask(struct zg_node *node, zg_header_number to, const struct zg_plan *plan,
                    const struct zg_plan_variable *variable, const struct zg_value *written, uint8_t *ticket)
{
    const struct zg_plan_message *message = zg_plan_by_name(plan, written ? "variable_write" : "variable_read");
    struct zg_value *values = begin(message, variable);

    if (written) {
        zg_value_resize(zg_block_step(&message->payload, 1), &values[1],
                        (unsigned)zg_block_size(&variable->block, written));
        zg_block_pack(&variable->block, written, values[1].bytes);
    }
    return send(node, to, message, values, ticket);
}

int zg_variable_stream(struct zg_node *node, zg_header_number to, const struct zg_plan *plan,
                       const struct zg_plan_variable *variable, uint16_t period_ms, uint8_t *ticket)
{
    const struct zg_plan_message *message = zg_plan_by_name(plan, "variable_stream");
    struct zg_value *values = begin(message, variable);

    values[1].raw.u = period_ms;
    return send(node, to, message, values, ticket);
}

bool zg_variable_told(const struct zg_plan_variable *variable, const struct zg_plan_message *message,
                      const struct zg_value *values, struct zg_value *value)
{
    size_t ignored;

    return message->message->service && strcmp(message->message->name, "variable_value") == 0 &&
           variable->variable->index == values[0].raw.u &&
           zg_block_unpack(&variable->block, values[1].bytes, values[1].count, value, &ignored);
}
