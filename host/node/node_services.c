/* SPDX-License-Identifier: MIT */
#include "node/node_services.h"

#include "plan/fingerprint.h"
#include "zeugma/detail/any_end.h"
#include "zeugma/variable.h"

#include "zeugma/detail/hello_body.h"

#include "zeugma/detail/delivery_body.h"

#include "zeugma/detail/services_body.h"

static uint8_t zgi_variable_access(struct zg_link *link, uint8_t index);
static int zgi_variable_get(struct zg_link *link, uint8_t index, uint8_t *out, size_t room, size_t *size);
static enum zg_settled zgi_variable_set(struct zg_link *link, uint8_t index, const uint8_t *in, size_t length);
static void zgi_variable_written(struct zg_link *link, uint8_t index);
#include "zeugma/detail/variables_body.h"

/* --- sessions */

static struct zgi_session *session_at(const struct zg_node *node, unsigned index)
{
    return g_ptr_array_index(node->services.sessions, index);
}

static struct zgi_session *session_with(const struct zg_node *node, const struct zg_peer *peer)
{
    if (!node->services.end.has_many)
        return session_at(node, 0);
    for (unsigned i = 0; peer && i < node->services.sessions->len; i++)
        if (session_at(node, i)->peer == peer)
            return session_at(node, i);
    return NULL;
}

static struct zgi_session *session_to(struct zg_node *node, zg_header_word address)
{
    return node->services.side == 0 ? NULL : session_with(node, zgi_peer(&node->any.link, address));
}

static void free_session(void *data)
{
    struct zgi_session *with = data;

    g_free(with->open);
    g_free(with->answered);
    g_free(with->contents);
    g_free(with);
}

static struct zgi_session *begin_session(struct zg_node *node)
{
    const struct zg_plan_end *end = &node->services.end;
    struct zgi_session *with = g_new0(struct zgi_session, 1);

    with->peer = node->services.sessions->len == 0 ? &node->any.link.peer : &with->other;
    g_ptr_array_add(node->services.sessions, with);
    if (end->hello)
        zgi_hello_begin(&node->any.link, &with->hello);
    if (!end->delivery)
        return with;
    zgi_delivery_begin(&with->delivery, 0);
    with->delivery.peer = with->peer;
    with->delivery.open = with->open = g_new0(struct zg_open, end->slots);
    with->delivery.answered = with->answered = g_new0(struct zg_answered, MAX(end->answers, 1));
    with->delivery.contents = with->contents =
        g_malloc((gsize)end->slots * end->room + (gsize)end->answers * end->answer_room + 1);
    return with;
}

int zg_node_set_address(struct zg_node *node, zg_header_word address)
{
    const zg_header_word everybody = zgi_everybody(&node->any.link);

    if (!node->services.end.addressed || address == 0 || (everybody > 0 && address >= everybody))
        return ZG_EINVALID;
    node->any.link.address = address;
    return 0;
}

int zg_node_follow(struct zg_node *node, zg_header_word address)
{
    if (!node->services.end.has_many || address == 0 || address >= zgi_everybody(&node->any.link) ||
        zgi_peer(&node->any.link, address))
        return ZG_EINVALID;
    struct zgi_session *with = begin_session(node);
    if (with->peer == &node->any.link.peer)
        node->any.link.peer.address = address;
    else
        zg_link_add_peer(&node->any.link, with->peer, address);
    return 0;
}

const struct zg_hello *zg_node_hello(struct zg_node *node, zg_header_word address)
{
    const struct zgi_session *with = node->services.end.hello ? session_to(node, address) : NULL;
    return with ? &with->hello : NULL;
}

bool zg_node_is_settled(const struct zg_node *node)
{
    const struct zgi_services *services = &node->services;

    if (services->late.due)
        return false;
    if (services->side == 0 || !services->end.delivery)
        return true;
    for (unsigned i = 0; i < services->sessions->len; i++) {
        const struct zgi_session *with = session_at(node, i);
        if (with->delivery.base != with->delivery.next || with->delivery.owing || with->delivery.refused != 0)
            return false;
        for (unsigned k = 0; k < services->end.answers; k++)
            if (with->answered[k].due && with->answered[k].length > 0)
                return false;
    }
    return true;
}

/* --- sending */

/* What frame a payload stands in, with room for header and check. */
static uint8_t *payload_of(struct zg_node *node)
{
    return node->services.content + node->plan->header.size;
}

static int send_content(struct zg_node *node, zg_header_word to, const struct zg_plan_message *message, size_t length)
{
    return zgi_link_send(&node->any.link, to, (zg_header_word)message->message->id, node->services.content, NULL, length);
}

/* The number of a ticketed message among those of this side. */
static uint8_t kind_of(const struct zg_node *node, const struct zg_plan_message *message)
{
    guint kind = 0;
    (void)g_ptr_array_find(node->services.kinds, message, &kind);
    return (uint8_t)kind;
}

static int send_ticketed(struct zg_node *node, zg_header_word to, const struct zg_plan_message *message,
                         const struct zg_value *values, size_t size, uint8_t *ticket)
{
    struct zgi_session *with = session_to(node, to);
    const uint8_t kind = kind_of(node, message);

    if (!with)
        return ZG_EINVALID;
    const uint8_t number = with->delivery.next;
    uint8_t *at = zgi_delivery_open(&node->any.link, &with->delivery, kind);
    if (!at)
        return ZG_EROOM;
    at[-(int)message->tickets] = number; /* for settled(), though it may never be sent */
    zg_block_pack(&message->payload, values, at);
    zgi_delivery_commit(&node->any.link, &with->delivery, kind, size);
    if (ticket)
        *ticket = number;
    return 0;
}

int zg_node_send(struct zg_node *node, zg_header_word to, const struct zg_plan_message *message, const struct zg_value *values,
                 uint8_t *ticket)
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
    int error = send_content(node, to, message, size);
    if (!error && zg_message_asks_service(message->message))
        zgi_await(&node->any.link, to, (uint32_t)zg_plan_answer_us(node->plan));
    return error;
}

/* Where the answer to a request goes, behind the ticket; NULL: there is no such request. */
static uint8_t *answer_place(struct zg_node *node, struct zgi_session *with, uint8_t ticket)
{
    return with && node->services.end.answers > 0 ? zgi_delivery_answer(&node->any.link, &with->delivery, ticket)
                                                  : NULL;
}

int zg_node_answer(struct zg_node *node, zg_header_word to, uint8_t ticket, const struct zg_plan_message *message,
                   const struct zg_value *values)
{
    struct zgi_session *with = session_to(node, to);
    const size_t size = zg_payload_size(message, values);
    uint8_t *at = answer_place(node, with, ticket);

    if (!at)
        return ZG_EINVALID;
    if (size > node->plan->max_payload)
        return ZG_ESIZE;
    if (message->tickets > 1) /* with nothing older on offer, base and ticket are the same */
        at[0] = ticket;
    zg_block_pack(&message->payload, values, at + message->tickets - 1);
    zgi_delivery_answered(&node->any.link, &with->delivery, at, ticket, (zg_header_word)message->message->id, size);
    return 0;
}

int zg_node_refuse(struct zg_node *node, zg_header_word to, uint8_t ticket, enum zg_settled why)
{
    struct zgi_session *with = session_to(node, to);
    uint8_t *at = answer_place(node, with, ticket);

    if (!at)
        return ZG_EINVALID;
    at[0] = (uint8_t)why;
    zgi_delivery_answered(&node->any.link, &with->delivery, at, ticket, node->services.delivery_terms.refused_id, 2);
    return 0;
}

size_t zg_node_print(struct zg_node *node, zg_header_word to, const char *text, size_t size)
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

/* --- taking */

static void hand_on(struct zg_node *node, const struct zg_frame *frame, const struct zg_plan_message *message,
                    const struct zg_value *values)
{
    if (node->calls->take)
        node->calls->take(node->data, frame, message, values);
}

/* Unpacks what stands behind the tickets: bytes ignored, or ZG_ESIZE. */
static int unpack(const struct zg_node *node, const struct zg_plan_message *message, const uint8_t *payload,
                  size_t length, struct zg_value *values)
{
    size_t ignored;

    if (length < message->tickets ||
        !zg_block_unpack(&message->payload, payload + message->tickets, length - message->tickets, values, &ignored))
        return ZG_ESIZE;
    return node->plan->filled > 0 && !node->protocol.length_ends ? 0 : (int)ignored;
}

static void changed(void *owner, struct zg_peer *peer, enum zg_link_event event)
{
    const struct zg_node *node = owner;

    if (node->calls->changed)
        node->calls->changed(node->data, peer->address, event);
}

static int take_hello(struct zg_node *node, struct zg_frame *frame, const uint8_t *payload, size_t length,
                      struct zg_value *values)
{
    struct zgi_session *with = session_with(node, frame->peer);
    uint8_t nameless[ZG_HELLO_LEAST];

    if (length < ZG_HELLO_LEAST)
        return ZG_ESIZE;
    if (!with || (node->services.end.shared && frame->header.destination == zgi_everybody(&node->any.link)))
        return 0;
    enum zgi_news news = zgi_hello_take(&node->any.link, &with->hello, node->services.boot, payload);
    if (unpack(node, node->services.hello, payload, length, values) < 0) { /* a name longer than ours can be */
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
        changed(node, frame->peer, news == ZGI_NEWS_MET ? ZG_LINK_MET : ZG_LINK_RESTARTED);
    hand_on(node, frame, node->services.hello, values);
    return 0;
}

/* Where the answer of a service waits, and its content. */
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
             (zg_header_word)node->services.echo_reply->message->id, payload, length);
    return 0;
}

static int take_counters_request(struct zg_node *node, const struct zg_frame *frame, const uint8_t *payload,
                                 size_t length)
{
    const struct zg_plan_message *reply = node->services.counters;

    return zgi_counters(&node->any.link, late_of(node), answer_content(node), frame->header.source,
                        (zg_header_word)reply->message->id, (uint8_t)MIN(zg_block_step(&reply->payload, 1)->most, 255),
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
    struct zgi_session *with = session_with(node, frame->peer);
    const zg_header_word id = (zg_header_word)services->value->message->id;

    if (!with)
        return 0;
    if (message == services->read)
        return zgi_variable_read(link, &with->hello, &with->delivery, id, frame, payload, length);
    if (message == services->write)
        return zgi_variable_write(link, &with->hello, &with->delivery, id, frame, payload, length);
    return zgi_variable_stream(link, &with->hello, &with->delivery, id, node->plan->definition->big_endian,
                               services->streams, ZGI_NODE_STREAMS, frame, payload, length);
}

/* --- tickets */

static int take_settling(struct zg_node *node, const struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zgi_session *with = session_with(node, frame->peer);

    if (!with || node->services.end.window == 0)
        return 0;
    return zgi_delivery_told(&node->any.link, &with->delivery, &frame->header, payload, length);
}

/* Whether a reply answers an open request. */
static bool is_asked(struct zg_node *node, const struct zgi_session *with, const struct zg_plan_message *reply,
                     uint8_t ticket)
{
    for (unsigned i = 0; with && i < node->services.kinds->len; i++) {
        const struct zg_plan_message *request = g_ptr_array_index(node->services.kinds, i);
        if (g_strcmp0(request->message->reply, reply->message->name) == 0 &&
            zgi_is_asked(&node->any.link, &with->delivery, ticket, (uint8_t)i))
            return true;
    }
    return false;
}

static int take_reply(struct zg_node *node, struct zg_frame *frame, const struct zg_plan_message *message,
                      const uint8_t *payload, size_t length, struct zg_value *values)
{
    struct zgi_session *with = session_with(node, frame->peer);

    if (length < message->tickets)
        return ZG_ESIZE;
    frame->header.ticket = payload[0];
    frame->header.base = message->tickets > 1 ? payload[1] : 0;
    const bool asked = node->services.end.window > 0 && is_asked(node, with, message, payload[0]);
    if (!asked && message != node->services.value) /* a variable's value comes again and again */
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
    struct zgi_session *with = session_with(node, frame->peer);
    const bool request = message->message->reply != NULL;

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
    struct zgi_session *with = node->services.end.receives_tickets ? session_with(node, frame->peer) : NULL;

    if (with)
        zgi_refuse_unknown(&with->hello, &with->delivery, payload, length);
    return ZG_EUNKNOWN;
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
    if (result >= 0)
        hand_on(node, frame, message, values);
    return result;
}

static int deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length)
{
    struct zg_node *node = owner;
    const struct zg_plan_message *message = zg_plan_by_id(node->plan, frame->header.id);

    if (!message || !(message->message->from & zg_receivers(node->services.side)))
        return take_unknown(node, frame, payload, length);
    struct zg_value *values = zg_values_new(&message->payload);
    int result = take_message(node, frame, message, payload, length, values);
    zg_values_free(&message->payload, values);
    return result;
}

static void settled(void *owner, const struct zg_peer *peer, uint8_t kind, const uint8_t *payload, uint16_t length,
                    enum zg_settled how)
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

static void text(void *owner, const uint8_t *bytes, size_t size)
{
    const struct zg_node *node = owner;

    if (node->calls->text)
        node->calls->text(node->data, bytes, size);
}

static struct zg_text_sorter *console_of(void *owner)
{
    return &((struct zg_node *)owner)->services.sorter;
}

/* --- the terms */

int zg_node_send_plain(struct zg_node *node, const struct zg_plan_message *message, const struct zg_value *values)
{
    static const struct zg_header none = { 0 };
    const size_t size = zg_payload_size(message, values);
    g_autofree uint8_t *payload = g_malloc(size + 1);

    zg_payload_pack(message, &none, values, payload);
    return zg_any_link_send(&node->any, (zg_header_word)message->message->id, payload, size);
}

/* A hello's values, without boot numbers; free with zg_values_free(). */
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

    if (!zg_definition_serves(node->plan->definition, "hello"))
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
                                                     (zg_header_word)message->message->id,
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
        services->ticketed[services->kinds->len] = (struct zg_ticketed){ (zg_header_word)message->id,
                                                                         (uint8_t)message->window,
                                                                         (uint8_t)message->retries,
                                                                         message->reply != NULL,
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
                                                           (zg_header_word)services->acknowledge->message->id,
                                                           (zg_header_word)services->refused->message->id,
                                                           settled };
    node->protocol.delivery = &services->delivery_terms;
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
    services->sessions = g_ptr_array_new_with_free_func(free_session);
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
    node->protocol.deliver = deliver;
    if (services->end.reports_changes)
        node->protocol.changed = changed;
    if (services->end.hello)
        make_hello(node);
    if (services->end.delivery)
        make_delivery(node);
    if (services->end.interleaved)
        node->protocol.console = console_of;
}

void zgi_services_begin(struct zg_node *node)
{
    struct zgi_services *services = &node->services;
    const struct zg_plan_end *end = &services->end;

    if (end->interleaved) {
        const size_t room = ZG_TEXT_ROOM(node->plan->max_frame, node->plan->receive_room);
        services->sorter_raw = g_malloc(room);
        zg_text_sorter_init(&services->sorter, services->sorter_raw, room, text, node);
    }
    if (end->hello)
        services->boot = zgi_boot_number(&node->any.link);
    if (end->has_many)
        node->any.link.peer.address = zgi_everybody(&node->any.link); /* nobody's own */
    else if (node->plan->destination_bits > 0 || node->plan->source_bits > 0)
        zg_link_set_addresses(&node->any.link, services->side == ZG_SIDE_DEVICE, services->side != ZG_SIDE_DEVICE);
    if (!end->has_many)
        (void)begin_session(node);
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
    g_free(services->late_content);
    g_free(services->sorter_raw);
}

/* --- the loop */

void zg_node_poll(struct zg_node *node)
{
    struct zgi_services *services = &node->services;

    zg_any_link_poll(&node->any);
    if (services->side == 0)
        return;
    zgi_late_poll(&node->any.link, &services->late, services->late_content);
    const uint32_t now = zgi_now(&node->any.link);
    for (unsigned i = 0; i < services->sessions->len; i++) {
        struct zgi_session *with = session_at(node, i);
        if (services->end.hello)
            zgi_hello_poll(&node->any.link, with->peer, &with->hello, services->boot, now);
        if (services->end.delivery)
            zgi_delivery_poll(&node->any.link, &with->hello, &with->delivery, now);
    }
    if (services->side == ZG_SIDE_DEVICE && services->value)
        zgi_streams_poll(&node->any.link, (zg_header_word)services->value->message->id, services->streams, ZGI_NODE_STREAMS,
                         services->content, now);
}
