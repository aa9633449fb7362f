/* SPDX-License-Identifier: MIT */
#include "plan/model.h"

#include <string.h>

const struct zg_plan_message *zg_plan_message_at(const struct zg_plan *plan, unsigned index)
{
    return &g_array_index(plan->messages, struct zg_plan_message, index);
}

const struct zg_plan_variable *zg_plan_variable_at(const struct zg_plan *plan, unsigned index)
{
    return &g_array_index(plan->variables, struct zg_plan_variable, index);
}

const struct zg_plan_message *zg_plan_by_id(const struct zg_plan *plan, uint64_t id)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (plan->id_bits == 0 || zg_plan_message_at(plan, i)->message->id == id)
            return zg_plan_message_at(plan, i);
    return NULL;
}

const struct zg_plan_message *zg_plan_by_name(const struct zg_plan *plan, const char *name)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (strcmp(zg_plan_message_at(plan, i)->message->name, name) == 0)
            return zg_plan_message_at(plan, i);
    return NULL;
}

const struct zg_step *zg_plan_length(const struct zg_plan *plan)
{
    for (unsigned i = 0; i < plan->header.steps->len; i++)
        if (zg_block_step(&plan->header, i)->role->role == ZG_ROLE_LENGTH)
            return zg_block_step(&plan->header, i);
    return NULL;
}

unsigned zg_plan_least_frame(const struct zg_plan *plan)
{
    unsigned least = zg_plan_message_at(plan, 0)->frame_least;

    for (unsigned i = 1; i < plan->messages->len; i++)
        least = MIN(least, zg_plan_message_at(plan, i)->frame_least);
    return least;
}
