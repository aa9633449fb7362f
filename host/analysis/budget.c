/* SPDX-License-Identifier: MIT */
#include "analysis/budget.h"

#include <math.h>

double zg_budget_seconds(const struct zg_line *line, unsigned bytes)
{
    return bytes * ((zg_line_half_bits(line) / 2.0) / (double)line->baud +
                    (line->is_clocked ? (double)line->pair.byte_gap_ns * 1e-9 : 0));
}

double zg_budget_load(const struct zg_plan *plan, const struct zg_plan_message *message)
{
    if (message->message->every_ns == 0)
        return 0;
    const struct zg_line *line = &plan->definition->line;
    double ns = zg_budget_seconds(line, message->frame_most) * 1e9 + (double)MAX(line->gap_ns, plan->gap_ns);
    return ns / (double)message->message->every_ns;
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

double zg_budget_line_load(const struct zg_plan *plan)
{
    double device = zg_budget_side_load(plan, ZG_SIDE_DEVICE), host = zg_budget_side_load(plan, ZG_SIDE_HOST);
    return plan->definition->line.half_duplex ? device + host : MAX(device, host);
}

double zg_budget_behind(const struct zg_plan *plan, const struct zg_plan_message *message)
{
    double seconds = 0;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *other = zg_plan_message_at(plan, i);
        if (other != message && (other->message->from & message->message->from) != 0)
            seconds += zg_budget_seconds(&plan->definition->line, other->frame_most) + (double)plan->send_gap_ns * 1e-9;
    }
    return seconds;
}

double zg_budget_round_trip(const struct zg_plan *plan, const struct zg_plan_message *message)
{
    unsigned answer = 0;

    for (unsigned i = 0; i < message->message->replies->len; i++) {
        const struct zg_plan_message *reply = zg_plan_by_name(plan, g_ptr_array_index(message->message->replies, i));
        answer = MAX(answer, reply ? reply->frame_most : 0);
    }
    if (answer == 0)
        return 0;
    return zg_budget_seconds(&plan->definition->line, message->frame_most + answer) + (double)plan->turn_ns * 1e-9;
}

unsigned zg_budget_away(const struct zg_line *line, double seconds, unsigned *ring)
{
    const unsigned bytes = (unsigned)ceil(seconds / zg_budget_seconds(line, 1)) + 1;

    *ring = 2;
    while (*ring < bytes && *ring < 1U << 30)
        *ring *= 2;
    return bytes;
}

static void judge(const struct zg_plan *plan, const char *whose, double load, struct zg_diagnostics *diagnostics)
{
    const struct zg_line *line = &plan->definition->line;

    if (load > 1)
        zgi_error(diagnostics, line->place,
                  "the messages of %s take %.0f %% of the line's capacity at %" G_GUINT64_FORMAT
                  " baud; raise the baud rate or the periods",
                  whose, 100 * load, line->baud);
    else if (load > 0.7)
        zgi_warning(diagnostics, line->place,
                    "the messages of %s take %.0f %% of the line's capacity at %" G_GUINT64_FORMAT " baud", whose,
                    100 * load, line->baud);
}

void zg_budget_check(const struct zg_plan *plan, struct zg_diagnostics *diagnostics)
{
    if (plan->definition->line.half_duplex) {
        judge(plan, "both sides", zg_budget_line_load(plan), diagnostics);
    } else {
        judge(plan, "the device", zg_budget_side_load(plan, ZG_SIDE_DEVICE), diagnostics);
        judge(plan, "the host", zg_budget_side_load(plan, ZG_SIDE_HOST), diagnostics);
    }
    zgi_diagnostics_sort(diagnostics);
}
