/* SPDX-License-Identifier: MIT */
#include "analysis/waits.h"

#include "analysis/budget.h"
#include "analysis/places.h"

/* A hello that takes more of the line than this is worth a word. */
static const double much_of_line = 0.1;

static void judge_byte_timeout(const struct zg_plan *plan, GPtrArray *told)
{
    const struct zg_line *line = &plan->definition->line;
    const double character = zg_budget_seconds(line, 1), timeout = (double)line->byte_timeout_ns * 1e-9;
    g_autofree char *takes = zg_time_text(character);

    if (timeout > 0 && timeout < 2 * character)
        g_ptr_array_add(told, g_strdup_printf("byte_timeout is under two characters of %s: it ends frames whose bytes "
                                              "are only a little apart",
                                              takes));
}

/* Of silences that end frames `check` warns. */
static void judge_gap(const struct zg_plan *plan, GPtrArray *told)
{
    const uint64_t gap_ns = plan->definition->line.gap_ns;
    g_autofree char *gap = zg_time_text((double)gap_ns * 1e-9);

    if (gap_ns > 0 && gap_ns < ZG_PC_STEP_NS)
        g_ptr_array_add(told,
                        g_strdup_printf("a PC cannot keep a gap of %s: what it sends goes through USB in steps of "
                                        "1 ms, and two frames may come without it",
                                        gap));
}

/* How often a side is heard at least: by its keepalive, by a message of its own with a period, or by its answers to one
 * of the other side. 0: it may be silent for any time. */
static double heard_every(const struct zg_plan *plan, enum zg_side side)
{
    uint64_t least_ns = plan->definition->line.keepalive_ns;

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        const bool answered = message->acknowledged || zg_message_is_request(message);
        if (((message->from & side) || answered) && message->every_ns > 0 &&
            (least_ns == 0 || message->every_ns < least_ns))
            least_ns = message->every_ns;
    }
    return (double)least_ns * 1e-9;
}

static void judge_link_timeout(const struct zg_plan *plan, enum zg_side side, GPtrArray *told)
{
    const double timeout = (double)plan->definition->line.link_timeout_ns * 1e-9, every = heard_every(plan, side);
    g_autofree char *waits = zg_time_text(timeout), *comes = zg_time_text(every);
    const char *other = side == ZG_SIDE_DEVICE ? "host" : "device", *name = zg_side_name(side);

    if (timeout == 0)
        return;
    if (every == 0)
        g_ptr_array_add(told, g_strdup_printf("the %s sends nothing by itself: after %s without a request the %s takes "
                                              "the link for down; a keepalive would keep it up",
                                              name, waits, other));
    else if (2 * every > timeout)
        g_ptr_array_add(told, g_strdup_printf("the %s may be silent for %s, so that one lost frame makes the %s take "
                                              "the link for down after %s; link_timeout should be over twice that",
                                              name, comes, other, waits));
}

static void judge_keepalive(const struct zg_plan *plan, GPtrArray *told)
{
    const struct zg_line *line = &plan->definition->line;
    const struct zg_plan_message *hello = line->keepalive_ns > 0 ? zg_plan_by_name(plan, "hello") : NULL;

    if (!hello)
        return;
    const double takes = zg_budget_seconds(line, hello->frame_most), every = (double)line->keepalive_ns * 1e-9;
    g_autofree char *period = zg_time_text(every);
    if (takes > much_of_line * every)
        g_ptr_array_add(told, g_strdup_printf("a hello every keepalive of %s takes %.3g %% of the line", period,
                                              100 * takes / every));
}

static void judge_timeouts(const struct zg_plan *plan, GPtrArray *told)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        const double trip = zg_budget_round_trip(plan, item), timeout = (double)item->message->timeout_ns * 1e-9;
        g_autofree char *takes = zg_time_text(trip), *waits = zg_time_text(timeout);
        if (trip > timeout)
            g_ptr_array_add(told, g_strdup_printf("the timeout of %s, %s, is under its round trip of %s",
                                                  item->message->name, waits, takes));
    }
}

/* Whether the other side hears anything of this one. */
static bool sends(const struct zg_plan *plan, enum zg_side side)
{
    for (unsigned i = 0; i < plan->messages->len; i++)
        if (zg_plan_message_at(plan, i)->message->from & side)
            return true;
    return false;
}

GPtrArray *zg_waits_judged(const struct zg_plan *plan)
{
    GPtrArray *told = g_ptr_array_new_with_free_func(g_free);

    judge_byte_timeout(plan, told);
    judge_gap(plan, told);
    for (enum zg_side side = ZG_SIDE_DEVICE; side <= ZG_SIDE_HOST; side++)
        if (sends(plan, side))
            judge_link_timeout(plan, side, told);
    judge_keepalive(plan, told);
    judge_timeouts(plan, told);
    return told;
}
