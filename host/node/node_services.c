/* SPDX-License-Identifier: MIT */
#include "node/node_services.h"

#include "codec/choice.h"
#include "node/services_code.h"
#include "zeugma/variable.h"

static uint8_t zgi_variable_access(struct zg_link *link, uint8_t index);
static int zgi_variable_get(struct zg_link *link, uint8_t index, uint8_t *out, size_t room, size_t *size);
static enum zg_settled zgi_variable_set(struct zg_link *link, uint8_t index, const uint8_t *in, size_t length);
static void zgi_variable_written(struct zg_link *link, uint8_t index);
#include "zeugma/detail/variables_body.h"

/* --- receiving */

static void hand_on(struct zg_node *node, const struct zg_frame *frame, const struct zg_plan_message *message,
                    const struct zg_value *values)
{
    if (node->calls->take)
        node->calls->take(node->data, frame, message, values);
}

/* Unpacks a payload. Returns how many bytes are left over, or ZG_ESIZE. */
static int unpack(const struct zg_node *node, const struct zg_plan_message *message, const uint8_t *payload,
                  size_t length, struct zg_value *values)
{
    struct zg_header tickets;
    size_t ignored;

    if (!zg_payload_unpack(message, payload, length, &tickets, values, &ignored))
        return ZG_ESIZE;
    return node->plan->filled > 0 && !node->protocol.length_ends ? 0 : (int)ignored;
}

void zgi_services_changed(void *owner, struct zg_peer *peer, enum zg_link_event event)
{
    const struct zg_node *node = owner;

    if (node->calls->changed)
        node->calls->changed(node->data, peer->address, event);
}

static int take_hello(struct zg_node *node, struct zg_frame *frame, const uint8_t *payload, size_t length,
                      struct zg_value *values)
{
    struct zgi_session *with = zgi_session_with(node, frame->peer);
    uint8_t nameless[ZG_HELLO_LEAST];

    if (length < ZG_HELLO_LEAST)
        return ZG_ESIZE;
    if (!with || (node->services.end.shared && frame->header.destination == zgi_everybody(&node->any.link)))
        return 0;
    enum zgi_news news = zgi_hello_take(&node->any.link, &with->hello, node->services.boot, payload);
    if (unpack(node, node->services.hello, payload, length, values) < 0) { /* the name is longer than ours can be */
        memcpy(nameless, payload, sizeof nameless);
        nameless[ZG_HELLO_LEAST - 1] = 0;
        (void)unpack(node, node->services.hello, nameless, sizeof nameless, values);
    }
    if (news == ZGI_NEWS_RESTARTED) {
        zgi_forget_sequence(&node->any.link, frame);
        memset(node->services.streams, 0, sizeof node->services.streams);
        if (node->services.end.delivery)
            zgi_delivery_restart(&node->any.link, &with->delivery);
    }
    if (news != ZGI_NEWS_NONE)
        zgi_services_changed(node, frame->peer, news == ZGI_NEWS_MET ? ZG_LINK_MET : ZG_LINK_RESTARTED);
    hand_on(node, frame, node->services.hello, values);
    return 0;
}

/* Where a service's answer waits, and its content. */
static struct zg_late *late_of(struct zg_node *node)
{
    return node->services.end.late ? &node->services.late : NULL;
}

static uint8_t *answer_content(struct zg_node *node)
{
    return node->services.end.late ? node->services.late_content : node->services.content;
}

static int take_echo(struct zg_node *node, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    zgi_echo(&node->any.link, late_of(node), answer_content(node), frame->header.source,
             (zg_header_number)node->services.echo_reply->message->id, payload, length);
    return 0;
}

static int take_counters_request(struct zg_node *node, const struct zg_frame *frame, const uint8_t *payload,
                                 size_t length)
{
    const struct zg_plan_message *reply = node->services.counters;

    return zgi_counters(&node->any.link, late_of(node), answer_content(node), frame->header.source,
                        (zg_header_number)reply->message->id,
                        (uint8_t)MIN(zg_block_step(&reply->payload, 1)->most, 255), node->plan->definition->big_endian,
                        payload, length);
}

static int take_traffic_request(struct zg_node *node, const struct zg_frame *frame, const uint8_t *payload,
                                size_t length)
{
    return zgi_traffic_asked(&node->any.link, late_of(node), answer_content(node), &node->services.traffic,
                             frame->header.source, (zg_header_number)node->services.traffic_report->message->id,
                             node->plan->definition->big_endian, payload, length);
}

/* --- a device's variables */

static struct zg_node *node_of(struct zg_link *link)
{
    return (struct zg_node *)(void *)link;
}

static const struct zg_plan_variable *variable_of(const struct zg_node *node, uint8_t index)
{
    for (unsigned i = 0; i < node->plan->variables->len; i++)
        if (zg_plan_variable_at(node->plan, i)->variable->index == index)
            return zg_plan_variable_at(node->plan, i);
    return NULL;
}

static uint8_t zgi_variable_access(struct zg_link *link, uint8_t index)
{
    const struct zg_node *node = node_of(link);
    const struct zg_plan_variable *variable = node->calls->variable_get ? variable_of(node, index) : NULL;

    if (!variable)
        return 0;
    return (uint8_t)((variable->variable->access & ZG_ACCESS_READ ? ZG_MAY_READ : 0) |
                     (variable->variable->access & ZG_ACCESS_WRITE ? ZG_MAY_WRITE : 0));
}

static int zgi_variable_get(struct zg_link *link, uint8_t index, uint8_t *out, size_t room, size_t *size)
{
    const struct zg_node *node = node_of(link);
    return node->calls->variable_get(node->data, variable_of(node, index), out, room, size);
}

static enum zg_settled zgi_variable_set(struct zg_link *link, uint8_t index, const uint8_t *in, size_t length)
{
    const struct zg_node *node = node_of(link);
    return node->calls->variable_set(node->data, variable_of(node, index), in, length);
}

static void zgi_variable_written(struct zg_link *link, uint8_t index)
{
    const struct zg_node *node = node_of(link);

    if (node->calls->variable_written)
        node->calls->variable_written(node->data, variable_of(node, index));
}

/* A device's end answers requests about variables by itself. */
static int take_variable(struct zg_node *node, struct zg_frame *frame, const struct zg_plan_message *message,
                         const uint8_t *payload, size_t length)
{
    struct zgi_services *services = &node->services;
    struct zg_link *link = &node->any.link;
    struct zgi_session *with = zgi_session_with(node, frame->peer);
    const zg_header_number id = (zg_header_number)services->value->message->id;

    if (!with)
        return 0;
    if (message == services->read)
        return zgi_variable_read(link, &with->hello, &with->delivery, id, frame, payload, length);
    if (message == services->write)
        return zgi_variable_write(link, &with->hello, &with->delivery, id, frame, payload, length);
    return zgi_variable_stream(link, &with->hello, &with->delivery, id, node->plan->definition->big_endian,
                               services->streams, ZG_DEVICE_STREAMS, frame, payload, length);
}

/* --- tickets */

static int take_settling(struct zg_node *node, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_session *with = zgi_session_with(node, frame->peer);

    if (!with || node->services.end.window == 0)
        return 0;
    return zgi_delivery_settling(&node->any.link, &with->delivery, &frame->header, payload, length);
}

/* Whether a reply answers an open request. */
static bool is_asked(struct zg_node *node, const struct zgi_session *with, const struct zg_plan_message *reply,
                     uint8_t ticket)
{
    for (unsigned i = 0; with && i < node->services.kinds->len; i++) {
        const struct zg_plan_message *request = g_ptr_array_index(node->services.kinds, i);
        if (zg_message_answers(request->message, reply->message->name) == ZG_ANSWERS &&
            zgi_is_asked(&node->any.link, &with->delivery, ticket, (uint8_t)i))
            return true;
    }
    return false;
}

static int take_reply(struct zg_node *node, struct zg_frame *frame, const struct zg_plan_message *message,
                      const uint8_t *payload, size_t length, struct zg_value *values)
{
    struct zgi_session *with = zgi_session_with(node, frame->peer);

    if (length < message->tickets)
        return ZG_ESIZE;
    frame->header.ticket = payload[0];
    frame->header.base = message->tickets > 1 ? payload[1] : 0;
    const bool asked = node->services.end.window > 0 && is_asked(node, with, message, payload[0]);
    if (!asked && message != node->services.value) /* a variable's value comes repeatedly */
        return 0;
    int result = unpack(node, message, payload, length, values);
    if (result < 0)
        return result;
    if (asked)
        zgi_settle(&node->any.link, &with->delivery, payload[0], ZG_DELIVERED);
    hand_on(node, frame, message, values);
    return result;
}

static int take_ticketed(struct zg_node *node, struct zg_frame *frame, const struct zg_plan_message *message,
                         const uint8_t *payload, size_t length, struct zg_value *values)
{
    struct zgi_session *with = zgi_session_with(node, frame->peer);
    const bool request = zg_message_is_request(message->message);

    if (!with)
        return 0;
    int result = zgi_delivery_admit(&node->any.link, &with->hello, &with->delivery, frame, payload, length,
                                    message->tickets > 1, request);
    if (result <= 0)
        return result;
    result = unpack(node, message, payload, length, values);
    if (zgi_delivery_take(&node->any.link, &with->delivery, payload[0], result, node->calls->take != NULL, request))
        hand_on(node, frame, message, values);
    return result;
}

static int take_unknown(struct zg_node *node, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_session *with = node->services.end.receives_tickets ? zgi_session_with(node, frame->peer) : NULL;

    if (with)
        zgi_refuse_unknown(&with->hello, &with->delivery, payload, length);
    return ZG_EUNKNOWN;
}

/* The open request without a ticket, or the one that was just given up, ended in this way. */
static void settle_query(struct zg_node *node, enum zg_settled how)
{
    const struct zgi_services *services = &node->services;
    const struct zg_plan_message *message = g_ptr_array_index(services->queries, services->query.kind);

    if (!node->calls->settled)
        return;
    struct zg_value *values = zg_values_new(&message->payload);
    if (unpack(node, message, services->query_content + node->plan->header.size, services->query.length, values) >= 0)
        node->calls->settled(node->data, services->query.to, message, 0, values, how);
    zg_values_free(&message->payload, values);
}

/* What answers requests without a ticket came. False: too late, it is not to be handed on. */
static bool hear_answer(struct zg_node *node, const struct zg_plan_message *message)
{
    struct zgi_services *services = &node->services;

    if (services->queries->len == 0)
        return true;
    const struct zg_plan_message *asked = g_ptr_array_index(services->queries, services->query.kind);
    const enum zg_answers how = zg_message_answers(asked->message, message->message->name);
    if (how == ZG_ANSWERS_NOT)
        return true;
    switch (zgi_query_hear(&node->any.link, &services->query, services->queried, how == ZG_ANSWERS,
                           zgi_now(&node->any.link))) {
    case ZGI_QUERY_TOO_LATE: return false;
    case ZGI_QUERY_ANSWERED: settle_query(node, ZG_DELIVERED); return true;
    default: return true;
    }
}

static int take_message(struct zg_node *node, struct zg_frame *frame, const struct zg_plan_message *message,
                        const uint8_t *payload, size_t length, struct zg_value *values)
{
    const struct zgi_services *services = &node->services;

    if (message == services->hello)
        return take_hello(node, frame, payload, length, values);
    if (message == services->echo_request)
        return take_echo(node, frame, payload, length);
    if (message == services->counters_request)
        return take_counters_request(node, frame, payload, length);
    if (message == services->traffic_request)
        return take_traffic_request(node, frame, payload, length);
    if (message == services->traffic_frame)
        return zgi_traffic_take(&node->services.traffic, services->side == ZG_SIDE_DEVICE, node->plan->max_payload,
                                node->plan->definition->big_endian, payload, length, services->content);
    if (services->side == ZG_SIDE_DEVICE &&
        (message == services->read || message == services->write || message == services->stream))
        return take_variable(node, frame, message, payload, length);
    if (message == services->acknowledge || message == services->refused)
        return take_settling(node, frame, payload, length);
    if (message->message->is_reply)
        return take_reply(node, frame, message, payload, length, values);
    if (message->tickets > 0)
        return take_ticketed(node, frame, message, payload, length, values);
    int result = unpack(node, message, payload, length, values);
    if (result >= 0 && (!message->message->follows || hear_answer(node, message)))
        hand_on(node, frame, message, values);
    return result;
}

/* The request without a ticket that is open, or was just given up; NULL: none is. */
static const struct zg_message *asked_of(const struct zg_node *node)
{
    const struct zgi_services *services = &node->services;

    if (services->query.state == ZGI_QUERY_NONE)
        return NULL;
    return ((const struct zg_plan_message *)g_ptr_array_index(services->queries, services->query.kind))->message;
}

int zgi_services_deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zg_node *node = owner;
    const enum zg_side from = zg_receivers(node->services.side);
    const struct zg_plan_message *message =
        frame->header.bare > 0 ? zg_plan_heard(node->plan, from, &frame->header, payload, length)
                               : zg_told(node->plan, from, frame->header.id, payload, length, asked_of(node));

    if (!message)
        return take_unknown(node, frame, payload, length);
    struct zg_value *values = zg_values_new(&message->payload);
    int result = take_message(node, frame, message, payload, length, values);
    zg_values_free(&message->payload, values);
    return result;
}

void zgi_services_settled(void *owner, const struct zg_peer *peer, uint8_t kind, const uint8_t *payload,
                          uint16_t length, enum zg_settled how)
{
    const struct zg_node *node = owner;
    const struct zg_plan_message *message = g_ptr_array_index(node->services.kinds, kind);

    if (!node->calls->settled)
        return;
    struct zg_value *values = zg_values_new(&message->payload);
    if (unpack(node, message, payload, length, values) >= 0)
        node->calls->settled(node->data, peer->address, message, payload[0], values, how);
    zg_values_free(&message->payload, values);
}

void zgi_services_take_text(void *owner, const uint8_t *bytes, size_t size)
{
    const struct zg_node *node = owner;

    if (node->calls->text)
        node->calls->text(node->data, bytes, size);
}

struct zg_text_sorter *zgi_services_console(void *owner)
{
    return &((struct zg_node *)owner)->services.sorter;
}

void zgi_services_hear(void *owner, const uint8_t *bytes, size_t count, const struct zg_found *found, size_t pending)
{
    struct zg_node *node = owner;
    zgi_traffic_hear(&node->services.traffic, bytes, count, found, pending, zgi_now(&node->any.link));
}

/* --- the loop */

void zg_node_poll(struct zg_node *node)
{
    struct zgi_services *services = &node->services;

    zg_any_link_poll(&node->any);
    if (services->side == 0)
        return;
    zgi_late_poll(&node->any.link, &services->late, services->late_content);
    if (services->queries->len > 0 && zgi_query_poll(&node->any.link, &services->query, services->queried,
                                                     services->query_content, zgi_now(&node->any.link)))
        settle_query(node, ZG_SETTLED_NO_ANSWER);
    const uint32_t now = zgi_now(&node->any.link);
    for (unsigned i = 0; i < services->sessions->len; i++) {
        struct zgi_session *with = zgi_session_at(node, i);
        if (services->end.hello)
            zgi_hello_poll(&node->any.link, with->peer, &with->hello, services->boot, now);
        if (services->end.delivery)
            zgi_delivery_poll(&node->any.link, &with->hello, &with->delivery, now);
    }
    if (services->side == ZG_SIDE_DEVICE && services->value)
        zgi_streams_poll(&node->any.link, (zg_header_number)services->value->message->id, services->streams,
                         ZG_DEVICE_STREAMS, services->content, now);
    if (node->protocol.hear)
        zgi_traffic_poll_damage(&node->any.link, services->content, &services->traffic,
                                (zg_header_number)services->traffic_damage->message->id,
                                node->plan->definition->big_endian);
    if (services->traffic_frame)
        zgi_traffic_poll(&node->any.link, services->content, &services->traffic, services->side == ZG_SIDE_DEVICE,
                         (zg_header_number)services->traffic_frame->message->id, node->plan->definition->big_endian,
                         now);
}
