/* SPDX-License-Identifier: MIT */
#include "analysis/budget.h"

double zg_budget_seconds(const struct zg_line *line, unsigned bytes)
{
    return bytes * (zg_line_half_bits(line) / 2.0) / (double)line->baud;
}

double zg_budget_load(const struct zg_plan *plan, const struct zg_plan_message *message)
{
    if (message->message->every_ns == 0)
        return 0;
    return zg_budget_seconds(&plan->definition->line, message->frame_most) * 1e9 / (double)message->message->every_ns;
}

double zg_budget_side_load(const struct zg_plan *plan, enum zg_side side)
{
    double load = 0;
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *message = zg_plan_message_at(plan, i);
        if (message->message->from & side)
            load += zg_budget_load(plan, message);
    }
    return load;
}

void zg_budget_check(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    static const enum zg_side sides[] = { ZG_SIDE_DEVICE, ZG_SIDE_HOST };

    for (size_t i = 0; i < G_N_ELEMENTS(sides); i++) {
        double load = zg_budget_side_load(plan, sides[i]);
        struct zg_place place = plan->definition->line.place;
        if (load > 1)
            zgi_error(diagnostics, place,
                      "the messages of the %s take %.0f %% of the line's capacity at %" G_GUINT64_FORMAT
                      " baud; raise the baud rate or the periods",
                      zg_side_name(sides[i]), 100 * load, plan->definition->line.baud);
        else if (load > 0.7)
            zgi_warning(diagnostics, place,
                        "the messages of the %s take %.0f %% of the line's capacity at %" G_GUINT64_FORMAT " baud",
                        zg_side_name(sides[i]), 100 * load, plan->definition->line.baud);
    }
    zgi_diagnostics_sort(diagnostics);
}
