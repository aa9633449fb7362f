/* SPDX-License-Identifier: MIT */
#include "plan/end.h"

static unsigned power_of_two(unsigned least)
{
    unsigned size = 1;
    while (size < least)
        size *= 2;
    return size;
}

bool zg_side_tickets(enum zg_side side, const struct zg_message *message)
{
    return (message->from & side) && zg_message_is_ticketed(message) && !message->is_reply;
}

bool zg_side_queries(enum zg_side side, const struct zg_message *message)
{
    return (message->from & side) && message->ticketless;
}

static void plan_queries(const struct zg_plan *plan, enum zg_side side, struct zg_plan_end *end)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if (!zg_side_queries(side, item->message))
            continue;
        end->queries++;
        end->query_room = MAX(end->query_room, plan->header.size + item->payload_most + plan->check.size);
    }
}

/* The ticketed messages that one side sends. */
struct tickets {
    unsigned window, least_window; /* 0: there are none */
    unsigned payload;              /* bytes of the largest payload */
    unsigned kinds;
    bool requests, keeps_order;
};

static struct tickets tickets_of(const struct zg_plan *plan, enum zg_side side)
{
    struct tickets tickets = { 0 };

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        const struct zg_message *message = item->message;
        if (!zg_side_tickets(side, message))
            continue;
        tickets.least_window = tickets.window == 0 ? message->window : MIN(tickets.least_window, message->window);
        tickets.window = MAX(tickets.window, message->window);
        tickets.payload = MAX(tickets.payload, item->payload_most);
        tickets.requests = tickets.requests || zg_message_is_request(message);
        tickets.keeps_order = tickets.keeps_order || message->kept;
        tickets.kinds++;
    }
    return tickets;
}

static unsigned largest_reply(const struct zg_plan *plan, enum zg_side side)
{
    unsigned most = 2; /* of a refusal */

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(plan, i);
        if ((item->message->from & side) && item->message->is_reply)
            most = MAX(most, item->payload_most);
    }
    return most;
}

struct zg_plan_end zg_plan_end(const struct zg_plan *plan, enum zg_side side)
{
    const struct zg_definition *definition = plan->definition;
    const unsigned around = plan->header.size + plan->check.size;
    struct zg_plan_end end = { .shared = plan->destination_bits > 0 && plan->source_bits > 0,
                               .addressed = plan->destination_bits > 0 || plan->source_bits > 0,
                               .hello = zg_definition_serves(definition, ZG_SERVICE_HELLO),
                               .delivery = zg_definition_serves(definition, ZG_SERVICE_DELIVERY),
                               .variables = zg_definition_serves(definition, ZG_SERVICE_VARIABLES),
                               .console = zg_definition_serves(definition, ZG_SERVICE_CONSOLE),
                               .traffic = zg_definition_serves(definition, ZG_SERVICE_TRAFFIC),
                               .interleaved = definition->console == ZG_CONSOLE_INTERLEAVED };

    end.has_many = end.shared && side == ZG_SIDE_HOST;
    end.reports_changes = end.hello || definition->line.link_timeout_ns > 0;
    end.late = (plan->send_gap_ns > 0 || plan->packets) &&
               (zg_definition_serves(definition, ZG_SERVICE_ECHO) ||
                (side == ZG_SIDE_DEVICE && (zg_definition_serves(definition, ZG_SERVICE_COUNTERS) || end.traffic)));
    plan_queries(plan, side, &end);
    if (!end.delivery)
        return end;
    const struct tickets ours = tickets_of(plan, side), theirs = tickets_of(plan, zg_receivers(side));
    end.window = ours.window;
    end.windows_differ = ours.least_window != ours.window;
    end.kinds = ours.kinds;
    end.sends_requests = ours.requests;
    end.keeps_order = ours.keeps_order;
    end.slots = power_of_two(MAX(ours.window, 1));
    end.room = ours.window > 0 ? around + ours.payload : 0;
    end.receives_tickets = theirs.window > 0;
    end.answers = theirs.requests ? power_of_two(theirs.window) : 0;
    end.answer_room = theirs.requests ? around + largest_reply(plan, side) : 0;
    return end;
}

bool zg_side_answers(enum zg_side side, const struct zg_message *message)
{
    static const char *const everywhere[] = { "echo_request", "acknowledge", "refused", "traffic", NULL };
    static const char *const by_device[] = {
        "hello", "counters_request", "variable_read", "variable_write", "variable_stream", "traffic_request", NULL
    };

    return message->service && (g_strv_contains(everywhere, message->name) ||
                                (side == ZG_SIDE_DEVICE && g_strv_contains(by_device, message->name)));
}

bool zg_message_is_answer(const struct zg_message *message)
{
    static const char *const answers[] = { "hello",       "echo_reply",     "counters",
                                           "acknowledge", "refused",        "variable_value",
                                           "traffic",     "traffic_report", "traffic_damage",
                                           NULL };
    return message->service && g_strv_contains(answers, message->name);
}

bool zg_message_settles(const struct zg_message *message)
{
    return message->service && (strcmp(message->name, "acknowledge") == 0 || strcmp(message->name, "refused") == 0);
}

bool zg_plan_has_console(const struct zg_plan *plan)
{
    return zg_definition_serves(plan->definition, ZG_SERVICE_CONSOLE) ||
           plan->definition->console == ZG_CONSOLE_INTERLEAVED;
}
