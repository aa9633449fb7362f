/* SPDX-License-Identifier: MIT */
/* Sending and receiving an end's messages. */
#include <string.h>

#include "generate/c/c.h"

/* Whom a message is sent to, in a send function. */
static const char *address_of_peer(const struct zgi_c *c)
{
    return c->end.has_many ? "to" : c->plan->destination_bits > 0 ? "node->link.peer.address" : "0";
}

/* How a function finds the session that it sends in. */
static void print_find_session(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               c->end.has_many
                   ? "    struct @p_@s_session *with = @p_@s_session_with(node, zgi_peer(&node->link, to));\n"
                   : "    struct @p_@s_session *with = &node->session;\n");
}

static char *send_prototype(const struct zgi_c *c, const struct zg_message *message)
{
    GString *text = g_string_new(NULL);

    zgi_c_emit(c, text, message->name, "int @p_@s_send_@n(struct @p_@s *node, ");
    g_string_append(text, zgi_c_to_parameter(c));
    zgi_c_emit(c, text, message->name, "const struct @p_@n *message");
    g_string_append(text, message->is_reply ? ", uint8_t ticket)" : ")");
    return g_string_free(text, FALSE);
}

/* The prototypes of two more functions. Text on an interleaved console goes to all nodes on the line. */
static void print_refuse_prototype(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL, "int @p_@s_refuse(struct @p_@s *node, ");
    g_string_append_printf(text, "%suint8_t ticket, enum zg_settled reason)", zgi_c_to_parameter(c));
}

static void print_print_prototype(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL, "size_t @p_@s_print(struct @p_@s *node, ");
    g_string_append_printf(text, "%sconst char *text, size_t size)", c->end.interleaved ? "" : zgi_c_to_parameter(c));
}

void zgi_c_send_prototypes(const struct zgi_c *c, GString *text)
{
    bool replies = false;

    g_string_append(text, "/* Each sends one message: 0; ZG_ERANGE: a field is outside its type or range; ZG_EROOM: "
                          "the transmit ring has no room now; nothing\n * was sent, try again later.");
    if (c->end.window > 0)
        g_string_append(
            text,
            " A message with a ticket is kept, and sent as soon as the line allows; ZG_EROOM: its window is full.");
    if (c->end.queries > 0)
        g_string_append(text, " A request without a\n * ticket is refused with ZG_EROOM while another one is open, and "
                              "for its timeout after one was given up.");
    if (c->end.has_many)
        g_string_append(text, " `to` is a device's address,\n * or all ones for every device. ZG_EINVALID: a message "
                              "with a ticket to all of them, or to one that is not followed.");
    g_string_append(text, " Loop only. */\n");
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        g_autofree char *prototype = send_prototype(c, message);
        if (!(message->from & c->side) || zg_message_is_answer(message))
            continue;
        if (message->is_reply)
            g_string_append(text, "/* `ticket` is the request's, frame->header.ticket. ZG_EINVALID: no unanswered "
                                  "request has it. The reply is sent again\n * when the request comes again. */\n");
        replies = replies || message->is_reply;
        g_string_append_printf(text, "%s;\n", prototype);
    }
    if (replies) {
        g_string_append(text, "/* Refuses a request instead. */\n");
        print_refuse_prototype(c, text);
        g_string_append(text, ";\n");
    }
    if (c->end.interleaved || c->end.console) {
        g_string_append_printf(
            text, "/* Sends text %s. Returns how many of the bytes it took; 0: there is no room now. */\n",
            c->end.interleaved ? "to the other end's console, between frames" : "to the other end's console");
        print_print_prototype(c, text);
        g_string_append(text, ";\n");
    }
}

/* --- sending */

/* Bytes on the wire of a message's shortest frame: if there is no room for them, the message is not even packed. For
 * short frames that check costs more than packing in vain. */
static unsigned least_frame(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    unsigned content = plan->header.size + item->payload_least + plan->check.size;
    return zg_framing_least(&plan->definition->framing, MAX(content, plan->filled));
}

/* A message outside frames. */
static void print_bare_send(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const struct zg_tag *bytes = zg_plan_tag(item);

    g_string_append(text, "    static const uint8_t bytes[] = { ");
    for (unsigned i = 0; i < bytes->size; i++)
        g_string_append_printf(text, "%s0x%02X", i > 0 ? ", " : "", bytes->bytes[i]);
    g_string_append(text, " };\n\n    (void)message;\n");
    if (c->end.has_many)
        g_string_append(text, "    (void)to;\n");
    g_string_append(text, "    return zgi_link_send_bare(&node->link, bytes, sizeof bytes);\n}\n\n");
}

static void print_plain_send(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const char *name = item->message->name;

    zgi_c_emit(c, text, name, "    uint8_t content[@P_HEADER_SIZE + ");
    zgi_c_emit(c, text, name, item->payload_most > 0 ? "@P_@N_MAX_PAYLOAD" : "1");
    zgi_c_emit(c, text, name, " + @P_CHECK_SIZE];\n    size_t length;\n    int error;\n\n");
    if (!zg_framing_is_short_cobs(&c->plan->definition->framing, c->plan->max_content))
        g_string_append_printf(text, "    if (zg_ring_room(&node->link.transmit) < %u)\n        return ZG_EROOM;\n",
                               least_frame(c->plan, item));
    zgi_c_emit(c, text, name,
               "    error = @p_@n_pack(message, content + @P_HEADER_SIZE, @P_@N_MAX_PAYLOAD, &length);\n"
               "    if (!error)\n        error = @p_@s_send_content(node, ");
    g_string_append(text, address_of_peer(c));
    zgi_c_emit(c, text, name, ", @P_@N_ID, content, length);\n");
    if ((c->end.shared || c->side == ZG_SIDE_HOST) && c->plan->turn_ns > 0 && zg_message_asks_service(item->message))
        g_string_append_printf(
            text, "    if (!error)\n        zgi_await(&node->link, %s, UINT32_C(%" G_GUINT64_FORMAT "));\n",
            address_of_peer(c), zg_plan_answer_us(c->plan));
    g_string_append(text, "    return error;\n}\n\n");
}

/* The beginning of a function that packs a message for a session. */
static void print_packing(const struct zgi_c *c, GString *text)
{
    print_find_session(c, text);
    g_string_append(text, "    uint8_t *at;\n    size_t length;\n    int error;\n\n");
    if (c->end.has_many)
        g_string_append(text, "    if (!with)\n        return ZG_EINVALID;\n");
}

static void print_ticketed_send(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const char *name = item->message->name;
    g_autofree char *sizes = g_strdup_printf("at, @P_@N_MAX_PAYLOAD - %u, &length);\n", item->tickets);

    print_packing(c, text);
    zgi_c_emit(c, text, name,
               "    at = zgi_delivery_open(&node->link, &with->delivery, @P_@S_KIND_@N);\n"
               "    if (!at)\n        return ZG_EROOM;\n    error = @p_@n_pack(message, ");
    zgi_c_emit(c, text, name, sizes);
    zgi_c_emit(c, text, name,
               "    if (!error)\n        zgi_delivery_commit(&node->link, &with->delivery, @P_@S_KIND_@N, length + ");
    g_string_append_printf(text, "%u);\n    return error;\n}\n\n", item->tickets);
}

static void print_reply_send(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const char *name = item->message->name;
    const unsigned more = item->tickets - 1; /* if nothing older is on offer, base and ticket are the same */
    g_autofree char *sizes =
        g_strdup_printf("at%s, @P_@N_MAX_PAYLOAD - %u, &length);\n", more > 0 ? " + 1" : "", item->tickets);

    print_packing(c, text);
    zgi_c_emit(c, text, name,
               "    at = zgi_delivery_answer(&node->link, &with->delivery, ticket);\n"
               "    if (!at)\n        return ZG_EINVALID;\n");
    if (more > 0)
        g_string_append(text, "    at[0] = ticket;\n");
    zgi_c_emit(c, text, name, "    error = @p_@n_pack(message, ");
    zgi_c_emit(c, text, name, sizes);
    zgi_c_emit(c, text, name,
               "    if (!error)\n        zgi_delivery_answered(&node->link, &with->delivery, at, ticket, @P_@N_ID, "
               "length + ");
    g_string_append_printf(text, "%u);\n    return error;\n}\n\n", item->tickets);
}

static void print_refuse(const struct zgi_c *c, GString *text)
{
    print_refuse_prototype(c, text);
    g_string_append(text, "\n{\n");
    print_find_session(c, text);
    g_string_append(text, "    uint8_t *at = ");
    g_string_append(text, c->end.has_many ? "with ? " : "");
    g_string_append(text, "zgi_delivery_answer(&node->link, &with->delivery, ticket)");
    g_string_append(text, c->end.has_many ? " : NULL" : "");
    zgi_c_emit(c, text, NULL,
               ";\n\n    if (!at)\n        return ZG_EINVALID;\n    at[0] = (uint8_t)reason;\n"
               "    zgi_delivery_answered(&node->link, &with->delivery, at, ticket, @P_REFUSED_ID, 2);\n"
               "    return 0;\n}\n\n");
}

static void print_print(const struct zgi_c *c, GString *text)
{
    print_print_prototype(c, text);
    if (c->end.interleaved) {
        g_string_append(text, "\n{\n    return zgi_link_print(&node->link, text, size);\n}\n\n");
        return;
    }
    zgi_c_emit(c, text, NULL,
               "\n{\n    uint8_t content[@P_HEADER_SIZE + @P_CONSOLE_MAX_PAYLOAD + @P_CHECK_SIZE];\n\n"
               "    if (size > @P_CONSOLE_MAX_PAYLOAD)\n        size = @P_CONSOLE_MAX_PAYLOAD;\n"
               "    if (size == 0)\n        return 0;\n    memcpy(content + @P_HEADER_SIZE, text, size);\n"
               "    return @p_@s_send_content(node, ");
    g_string_append(text, address_of_peer(c));
    zgi_c_emit(c, text, NULL, ", @P_CONSOLE_ID, content, size) == 0 ? size : 0;\n}\n\n");
}

/* Whether the plain way of sending is used at all. */
static bool sends_content(const struct zgi_c *c)
{
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if ((message->from & c->side) && strcmp(message->name, "hello") != 0 && !zg_message_is_ticketed(message) &&
            !zg_message_is_answer(message) && !zg_side_queries(c->side, message) && !message->bare)
            return true;
    }
    return false;
}

void zgi_c_sends(const struct zgi_c *c, GString *text)
{
    bool replies = false;

    if (sends_content(c))
        zgi_c_emit(c, text, NULL,
                   "/* The payload comes after room for the header, and before room for the check. */\nstatic int "
                   "@p_@s_send_content(struct @p_@s *node, zg_header_number to, zg_header_number id, uint8_t *content, "
                   "size_t length)\n{\n    return zgi_link_send(&node->link, to, id, content, NULL, length);\n}\n\n");
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(c->plan, i);
        const struct zg_message *message = item->message;
        g_autofree char *prototype = send_prototype(c, message);
        if (!(message->from & c->side))
            continue;
        replies = replies || (message->is_reply && !message->service);
        if (zg_message_is_answer(message))
            continue;
        g_string_append_printf(text, "%s\n{\n", prototype);
        if (zg_side_queries(c->side, message))
            zgi_c_query_send(c, text, item, address_of_peer(c));
        else if (message->bare)
            print_bare_send(c, text, item);
        else if (item->tickets == 0)
            print_plain_send(c, text, item);
        else if (message->is_reply)
            print_reply_send(c, text, item);
        else
            print_ticketed_send(c, text, item);
    }
    if (replies)
        print_refuse(c, text);
    if (c->end.interleaved || c->end.console)
        print_print(c, text);
}

/* --- taking */

static void print_plain_take(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    zgi_c_emit(c, text, item->message->name,
               "    size_t ignored;\n    const int error = @p_@n_unpack(&message, payload, length, &ignored);\n\n"
               "    if (error)\n        return error;\n");
    if (item->message->follows)
        zgi_c_query_hear(c, text, item->message);
    zgi_c_emit(c, text, item->message->name,
               "    if (node->handlers->@n)\n"
               "        node->handlers->@n(node->context, &message, frame);\n    return (int)ignored;\n}\n\n");
}

static void print_ticketed_take(const struct zgi_c *c, GString *text, const struct zg_plan_message *item,
                                const char *wanted, const char *body)
{
    const struct zg_message *message = item->message;
    const char *request = zg_message_is_request(message) ? "true" : "false";

    zgi_c_emit(c, text, message->name,
               "static int @p_@s_take_@n(struct @p_@s *node, struct zg_frame *frame, const uint8_t *payload, "
               "size_t length)\n{\n    struct @p_@n message;\n"
               "    struct @p_@s_session *with = @p_@s_session_with(node, frame->peer);\n    size_t ignored;\n"
               "    int result;\n\n");
    if (c->end.has_many)
        g_string_append(text, "    if (!with)\n        return 0;\n");
    g_string_append_printf(
        text,
        "    result = zgi_delivery_admit(&node->link, &with->hello, &with->delivery, frame, payload, length, %s, %s);\n"
        "    if (result <= 0)\n        return result;\n",
        message->kept ? "true" : "false", request);
    zgi_c_emit(c, text, message->name, "    result = @p_@n_unpack(&message, payload + ");
    g_string_append_printf(text, "%u, length - %u, &ignored);\n", item->tickets, item->tickets);
    g_string_append(text, "    if (!zgi_delivery_take(&node->link, &with->delivery, payload[0], result, ");
    zgi_c_emit(c, text, message->name, wanted);
    g_string_append_printf(text, ", %s) || result != 0)\n        return result;\n", request);
    zgi_c_emit(c, text, message->name, body);
    g_string_append(text, "    return (int)ignored;\n}\n\n");
}

/* A condition: the ticket belongs to an open request that this message answers. */
static char *asked_condition(const struct zgi_c *c, const struct zg_message *reply)
{
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if (!(message->from & c->side) || zg_message_answers(message, reply->name) != ZG_ANSWERS || message->ticketless)
            continue;
        g_string_append(text, text->len > 0 ? " ||\n        " : "");
        zgi_c_emit(c, text, message->name, "zgi_is_asked(&node->link, &with->delivery, payload[0], @P_@S_KIND_@N)");
    }
    if (text->len == 0)
        g_string_append(text, "false");
    return g_string_free(text, FALSE);
}

static void print_reply_take(const struct zgi_c *c, GString *text, const struct zg_plan_message *item)
{
    const struct zg_message *message = item->message;
    g_autofree char *asked = asked_condition(c, message);
    const bool streamed = message->service; /* a variable's value comes repeatedly */

    zgi_c_emit(c, text, message->name,
               "    struct @p_@s_session *with = @p_@s_session_with(node, frame->peer);\n    bool asked;\n    size_t "
               "ignored;\n    int "
               "error;\n\n");
    g_string_append_printf(text,
                           "    if (length < %u)\n        return ZG_ESIZE;\n    frame->header.ticket = payload[0];\n",
                           item->tickets);
    if (message->kept)
        g_string_append(text, "    frame->header.base = payload[1];\n");
    g_string_append_printf(text, "    asked = %s(%s);\n%s", c->end.has_many ? "with && " : "", asked,
                           streamed ? "" : "    if (!asked)\n        return 0;\n");
    zgi_c_emit(c, text, message->name, "    error = @p_@n_unpack(&message, payload + ");
    g_string_append_printf(text, "%u, length - %u, &ignored);\n", item->tickets, item->tickets);
    g_string_append(text, "    if (error)\n        return error;\n");
    if (streamed)
        g_string_append(text, "    if (asked)\n    ");
    g_string_append(text, "    zgi_settle(&node->link, &with->delivery, payload[0], ZG_DELIVERED);\n");
    if (streamed)
        zgi_c_emit(c, text, NULL, "    @p_@s_hear_variable(node, &message, frame);\n");
    zgi_c_emit(c, text, message->name,
               "    if (node->handlers->@n)\n        node->handlers->@n(node->context, &message, frame);\n"
               "    return (int)ignored;\n}\n\n");
}

void zgi_c_takes(const struct zgi_c *c, GString *text)
{
    zgi_c_services(c, text);
    zgi_c_query_settle(c, text);
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(c->plan, i);
        const struct zg_message *message = item->message;
        if (!(message->from & zg_receivers(c->side)) || zg_side_answers(c->side, message) ||
            (message->service && strcmp(message->name, "hello") == 0))
            continue;
        if (item->tickets > 0 && !message->is_reply) {
            print_ticketed_take(c, text, item, "node->handlers->@n != NULL",
                                "    node->handlers->@n(node->context, &message, frame);\n");
            continue;
        }
        zgi_c_emit(c, text, message->name,
                   "static int @p_@s_take_@n(struct @p_@s *node, struct zg_frame *frame, const uint8_t *payload, "
                   "size_t length)\n{\n    struct @p_@n message;\n");
        if (message->is_reply)
            print_reply_take(c, text, item);
        else
            print_plain_take(c, text, item);
    }
}
