/* SPDX-License-Identifier: MIT */
/* What a node sends on its owner's behalf: messages, answers, console text. */
#include <string.h>

#include "node/node_services.h"
#include "node/services_code.h"

/* Where a payload is built, within a frame with room for header and check. */
static uint8_t *payload_of(struct zg_node *node)
{
    return node->services.content + node->plan->header.size;
}

static int send_content(struct zg_node *node, zg_header_number to, const struct zg_plan_message *message, size_t length)
{
    return zgi_link_send(&node->any.link, to, (zg_header_number)message->message->id, node->services.content, NULL,
                         length);
}

/* The index of a ticketed message among those of this side. */
static uint8_t kind_of(const struct zg_node *node, const struct zg_plan_message *message)
{
    guint kind = 0;
    (void)g_ptr_array_find(node->services.kinds, message, &kind);
    return (uint8_t)kind;
}

static int send_ticketed(struct zg_node *node, zg_header_number to, const struct zg_plan_message *message,
                         const struct zg_value *values, size_t size, uint8_t *ticket)
{
    struct zgi_session *with = zgi_session_to(node, to);
    const uint8_t kind = kind_of(node, message);

    if (!with)
        return ZG_EINVALID;
    const uint8_t number = with->delivery.next;
    uint8_t *at = zgi_delivery_open(&node->any.link, &with->delivery, kind);
    if (!at)
        return ZG_EROOM;
    at[-(int)message->tickets] = number; /* for settled(), in case it is never sent */
    zg_block_pack(&message->payload, values, at);
    zgi_delivery_commit(&node->any.link, &with->delivery, kind, size);
    if (ticket)
        *ticket = number;
    return 0;
}

static int send_query(struct zg_node *node, zg_header_number to, const struct zg_plan_message *message,
                      const uint8_t *payload, size_t size)
{
    struct zgi_services *services = &node->services;
    guint kind = 0;

    if (services->query.state != ZGI_QUERY_NONE)
        return ZG_EROOM;
    (void)g_ptr_array_find(services->queries, message, &kind);
    memcpy(services->query_content + node->plan->header.size, payload, size);
    return zgi_query_send(&node->any.link, &services->query, services->queried, (uint8_t)kind, to,
                          services->query_content, size);
}

int zg_node_send(struct zg_node *node, zg_header_number to, const struct zg_plan_message *message,
                 const struct zg_value *values, uint8_t *ticket)
{
    static const struct zg_header none = { 0 };
    const size_t size = zg_payload_size(message, values);

    if (size > node->plan->max_payload)
        return ZG_ESIZE;
    if (message->message->is_reply)
        return ZG_EINVALID;
    if (message->tickets > 0)
        return send_ticketed(node, to, message, values, size, ticket);
    zg_payload_pack(message, &none, values, payload_of(node));
    if (zg_plan_mistaken(node->plan, message, payload_of(node), size) ||
        !zg_plan_carries(node->plan, message, payload_of(node), size))
        return ZG_ERANGE;
    if (zg_side_queries(node->services.side, message->message))
        return send_query(node, to, message, payload_of(node), size);
    if (message->message->bare)
        return zgi_link_send_bare(&node->any.link, payload_of(node), (uint8_t)size);
    int error = send_content(node, to, message, size);
    if (!error && zg_message_asks_service(message->message))
        zgi_await(&node->any.link, to, (uint32_t)zg_plan_answer_us(node->plan));
    return error;
}

/* Where the answer to a request goes, after its ticket. NULL: there is no such request. */
static uint8_t *answer_place(struct zg_node *node, struct zgi_session *with, uint8_t ticket)
{
    return with && node->services.end.answers > 0 ? zgi_delivery_answer(&node->any.link, &with->delivery, ticket)
                                                  : NULL;
}

int zg_node_answer(struct zg_node *node, zg_header_number to, uint8_t ticket, const struct zg_plan_message *message,
                   const struct zg_value *values)
{
    struct zgi_session *with = zgi_session_to(node, to);
    const size_t size = zg_payload_size(message, values);
    uint8_t *at = answer_place(node, with, ticket);

    if (!at)
        return ZG_EINVALID;
    if (size > node->plan->max_payload)
        return ZG_ESIZE;
    if (message->tickets > 1) /* if nothing older is on offer, base and ticket are the same */
        at[0] = ticket;
    zg_block_pack(&message->payload, values, at + message->tickets - 1);
    zgi_delivery_answered(&node->any.link, &with->delivery, at, ticket, (zg_header_number)message->message->id, size);
    return 0;
}

int zg_node_refuse(struct zg_node *node, zg_header_number to, uint8_t ticket, enum zg_settled why)
{
    struct zgi_session *with = zgi_session_to(node, to);
    uint8_t *at = answer_place(node, with, ticket);

    if (!at)
        return ZG_EINVALID;
    at[0] = (uint8_t)why;
    zgi_delivery_answered(&node->any.link, &with->delivery, at, ticket, node->services.delivery_terms.refused_id, 2);
    return 0;
}

size_t zg_node_print(struct zg_node *node, zg_header_number to, const char *text, size_t size)
{
    const struct zgi_services *services = &node->services;

    if (services->end.interleaved)
        return zgi_link_print(&node->any.link, text, size);
    if (!services->console || size == 0)
        return 0;
    size = MIN(size, services->console->payload_most);
    memcpy(payload_of(node), text, size);
    return send_content(node, to, services->console, size) == 0 ? size : 0;
}
