/* SPDX-License-Identifier: MIT */
/* Sets up a side's end from the plan: what its hello and delivery need, and their memory. */
#include <string.h>

#include "node/node_services.h"
#include "node/services_code.h"
#include "plan/fingerprint.h"

int zg_node_send_plain(struct zg_node *node, const struct zg_plan_message *message, const struct zg_value *values)
{
    static const struct zg_header none = { 0 };
    const size_t size = zg_payload_size(message, values);
    g_autofree uint8_t *payload = g_malloc(size + 1);

    zg_payload_pack(message, &none, values, payload);
    return zg_any_link_send(&node->any, (zg_header_number)message->message->id, payload, size);
}

/* A hello's values, without boot numbers. Free with zg_values_free(). */
static struct zg_value *hello_values(const struct zg_plan *plan, const struct zg_plan_message *message)
{
    const struct zg_definition *definition = plan->definition;
    const struct zg_step *name = zg_block_step(&message->payload, 6);
    struct zg_value *values = zg_values_new(&message->payload);
    const unsigned size = MIN((unsigned)strlen(definition->protocol), name->most);

    values[0].raw.u = definition->major;
    values[1].raw.u = definition->minor;
    values[2].raw.u = zg_fingerprint(plan);
    values[3].raw.u = plan->max_payload;
    zg_value_resize(name, &values[6], size);
    memcpy(values[6].bytes, definition->protocol, size);
    return values;
}

int zg_node_announce(struct zg_node *node, uint16_t boot)
{
    const struct zg_plan_message *message = zg_plan_by_name(node->plan, "hello");

    if (!zg_definition_serves(node->plan->definition, ZG_SERVICE_HELLO))
        return ZG_EUNKNOWN;
    struct zg_value *values = hello_values(node->plan, message);
    values[4].raw.u = boot;
    const int error = zg_node_send_plain(node, message, values);
    zg_values_free(&message->payload, values);
    return error;
}

static void make_hello(struct zg_node *node)
{
    struct zgi_services *services = &node->services;
    const struct zg_definition *definition = node->plan->definition;
    const struct zg_plan_message *message = services->hello;
    struct zg_value *values = hello_values(node->plan, message);

    zg_block_pack(&message->payload, values, services->hello_payload);
    services->hello_terms = (struct zg_hello_terms){ services->hello_payload,
                                                     (uint8_t)zg_block_size(&message->payload, values),
                                                     definition->big_endian,
                                                     services->end.has_many,
                                                     services->end.shared && !services->end.has_many,
                                                     (zg_header_number)message->message->id,
                                                     (uint32_t)zg_plan_hello_wait_us(node->plan),
                                                     (uint32_t)(definition->line.keepalive_ns / 1000) };
    zg_values_free(&message->payload, values);
    node->protocol.hello = &services->hello_terms;
}

static void make_delivery(struct zg_node *node)
{
    struct zgi_services *services = &node->services;
    const struct zg_plan_end *end = &services->end;

    services->ticketed = g_new0(struct zg_ticketed, node->plan->messages->len);
    for (unsigned i = 0; i < node->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(node->plan, i);
        const struct zg_message *message = item->message;
        if (!zg_side_tickets(services->side, message))
            continue;
        services->ticketed[services->kinds->len] = (struct zg_ticketed){ (zg_header_number)message->id,
                                                                         (uint8_t)message->window,
                                                                         (uint8_t)message->retries,
                                                                         zg_message_is_request(message),
                                                                         message->kept,
                                                                         (uint32_t)(message->timeout_ns / 1000) };
        g_ptr_array_add(services->kinds, (void *)item);
    }
    services->delivery_terms = (struct zg_delivery_terms){ services->ticketed,
                                                           (uint8_t)end->window,
                                                           end->windows_differ,
                                                           (uint8_t)end->kinds,
                                                           end->sends_requests,
                                                           end->keeps_order,
                                                           (uint8_t)end->slots,
                                                           (uint8_t)end->answers,
                                                           (uint16_t)end->room,
                                                           (uint16_t)end->answer_room,
                                                           end->receives_tickets,
                                                           (zg_header_number)services->acknowledge->message->id,
                                                           (zg_header_number)services->refused->message->id,
                                                           zgi_services_settled };
    node->protocol.delivery = &services->delivery_terms;
}

static void make_queries(struct zg_node *node)
{
    struct zgi_services *services = &node->services;

    services->queries = g_ptr_array_new();
    services->queried = g_new0(struct zg_queried, MAX(services->end.queries, 1));
    services->query_content = g_malloc0(services->end.query_room + 1);
    for (unsigned i = 0; i < node->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(node->plan, i);
        const struct zg_message *message = item->message;
        if (!zg_side_queries(services->side, message))
            continue;
        services->queried[services->queries->len] =
            (struct zg_queried){ (zg_header_number)message->id, (uint8_t)message->retries,
                                 (uint32_t)(message->timeout_ns / 1000), message->bare };
        node->protocol.asks_bare = node->protocol.asks_bare || message->bare;
        g_ptr_array_add(services->queries, (void *)item);
    }
}

static const struct zg_plan_message *service_message(const struct zg_node *node, const char *name)
{
    const struct zg_plan_message *message = zg_plan_by_name(node->plan, name);
    return message && message->message->service ? message : NULL;
}

void zgi_services_prepare(struct zg_node *node, enum zg_side side)
{
    struct zgi_services *services = &node->services;

    services->side = side;
    services->end = zg_plan_end(node->plan, side);
    services->kinds = g_ptr_array_new();
    services->sessions = g_ptr_array_new_with_free_func(zgi_session_free);
    services->late_content = g_malloc0((gsize)node->plan->max_content + sizeof(zg_check_word));
    services->content = g_malloc0((gsize)node->plan->max_content + sizeof(zg_check_word));
    services->hello = service_message(node, "hello");
    services->echo_request = service_message(node, "echo_request");
    services->echo_reply = service_message(node, "echo_reply");
    services->counters_request = service_message(node, "counters_request");
    services->counters = service_message(node, "counters");
    services->read = service_message(node, "variable_read");
    services->write = service_message(node, "variable_write");
    services->stream = service_message(node, "variable_stream");
    services->value = service_message(node, "variable_value");
    services->console = service_message(node, "console");
    services->acknowledge = service_message(node, "acknowledge");
    services->refused = service_message(node, "refused");
    services->traffic_request = service_message(node, "traffic_request");
    services->traffic_frame = service_message(node, "traffic");
    services->traffic_report = service_message(node, "traffic_report");
    services->traffic_damage = service_message(node, "traffic_damage");
    node->protocol.deliver = zgi_services_deliver;
    make_queries(node);
    if (services->end.reports_changes)
        node->protocol.changed = zgi_services_changed;
    if (services->end.hello)
        make_hello(node);
    if (services->end.delivery)
        make_delivery(node);
    if (services->end.interleaved)
        node->protocol.console = zgi_services_console;
    if (services->traffic_damage && services->side == ZG_SIDE_DEVICE)
        node->protocol.hear = zgi_services_hear;
}

void zgi_services_begin(struct zg_node *node)
{
    struct zgi_services *services = &node->services;
    const struct zg_plan_end *end = &services->end;

    if (end->interleaved) {
        const size_t room = ZG_TEXT_ROOM(node->plan->max_frame, node->plan->receive_room);
        services->sorter_raw = g_malloc(room);
        zg_text_sorter_init(&services->sorter, services->sorter_raw, room, zgi_services_take_text, node);
    }
    if (end->hello)
        services->boot = zgi_boot_number(&node->any.link);
    if (end->has_many)
        node->any.link.peer.address = zgi_everybody(&node->any.link); /* an address that no node has */
    else if (node->plan->destination_bits > 0 || node->plan->source_bits > 0)
        zg_link_set_addresses(&node->any.link, services->side == ZG_SIDE_DEVICE, services->side != ZG_SIDE_DEVICE);
    if (!end->has_many)
        (void)zgi_session_begin(node);
}

void zgi_services_clear(struct zg_node *node)
{
    struct zgi_services *services = &node->services;

    if (services->side == 0)
        return;
    g_ptr_array_unref(services->kinds);
    g_ptr_array_unref(services->sessions);
    g_free(services->ticketed);
    g_free(services->content);
    g_free(services->queried);
    g_free(services->query_content);
    if (services->queries)
        g_ptr_array_unref(services->queries);
    g_free(services->late_content);
    g_free(services->sorter_raw);
}
