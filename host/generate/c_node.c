/* SPDX-License-Identifier: MIT */
/* PROTOCOL_device.h/.c and PROTOCOL_host.h/.c: one end of the link each, typed. */
#include <string.h>

#include "generate/c.h"

static unsigned power_of_two(unsigned least)
{
    unsigned size = 2;
    while (size < least)
        size *= 2;
    return size;
}

static void print_ring(const struct zgi_c *c, GString *text, const char *node, const char *ring)
{
    g_autofree char *name = g_strdup_printf("%s_%s_%s_RING", c->upper, node, ring);

    g_string_append_printf(text,
                           "#ifndef %s\n#define %s %u /* bytes, a power of two; the longest frame fits */\n#endif\n"
                           "ZG_ASSERT(%s <= ZG_RING_MAX, \"this ring needs a wider ZG_RING_INDEX_BITS\");\n"
                           "ZG_ASSERT(%s >= 2 && (%s & (%s - 1)) == 0, \"a ring's size is a power of two\");\n",
                           name, name, power_of_two(c->plan->max_frame), name, name, name, name);
}

/* Whether an end answers a message by itself, and which ones are such answers. */
static bool is_answered(const struct zg_message *message, enum zg_side side)
{
    return message->service && (strcmp(message->name, "echo_request") == 0 ||
                                (side == ZG_SIDE_DEVICE && strcmp(message->name, "counters_request") == 0));
}

static bool is_answer(const struct zg_message *message)
{
    return message->service && (strcmp(message->name, "echo_reply") == 0 || strcmp(message->name, "counters") == 0);
}

static void print_handlers(const struct zgi_c *c, GString *text, enum zg_side side)
{
    const char *p = c->prefix;
    bool any = false;

    g_string_append_printf(
        text,
        "/* What is called, from %s_%s_poll(), for each message that arrives; NULL: not wanted. `context` is the one\n"
        " * given to %s_%s_init(). */\nstruct %s_%s_handlers {\n",
        p, zg_side_name(side), p, zg_side_name(side), p, zg_side_name(side));
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if (!(message->from & zg_receivers(side)) || is_answered(message, side))
            continue;
        any = true;
        g_string_append_printf(
            text, "    void (*%s)(void *context, const struct %s_%s *message, const struct zg_frame *frame);\n",
            message->name, p, message->name);
    }
    g_string_append_printf(text, "%s};\n\n", any ? "" : "    uint8_t nothing; /* the other end sends no message */\n");
}

/* Whether a side sends messages whose tickets it counts itself: all ticketed ones but replies. */
static bool counts_tickets(const struct zg_plan *plan, enum zg_side side)
{
    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        if (message->from & side && zg_message_is_ticketed(message) && !message->is_reply)
            return true;
    }
    return false;
}

static char *send_prototype(const struct zgi_c *c, const struct zg_message *message, enum zg_side side)
{
    return g_strdup_printf("int %s_%s_send_%s(struct %s_%s *node, const struct %s_%s *message%s)", c->prefix,
                           zg_side_name(side), message->name, c->prefix, zg_side_name(side), c->prefix, message->name,
                           message->is_reply ? ", uint8_t ticket" : "");
}

static void print_send_prototypes(const struct zgi_c *c, GString *text, enum zg_side side)
{
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        g_autofree char *prototype = send_prototype(c, message, side);
        if (!(message->from & side) || is_answer(message))
            continue;
        if (message->is_reply)
            g_string_append_printf(text, "/* `ticket` is the request's, frame->header.ticket. */\n");
        g_string_append_printf(text, "%s;\n", prototype);
    }
}

void zgi_c_node_header(const struct zgi_c *c, GString *text)
{
    enum zg_side side = c->side;
    const char *p = c->prefix;
    const char *s = zg_side_name(side);
    g_autofree char *node = g_ascii_strup(s, -1);

    g_string_append_printf(text, "#include \"%s.h\"\n\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n", p);
    print_ring(c, text, node, "RECEIVE");
    print_ring(c, text, node, "TRANSMIT");
    g_string_append_printf(text, "ZG_ASSERT(%s_%s_TRANSMIT_RING >= %s_MAX_FRAME, \"the longest frame must fit\");\n",
                           c->upper, node, c->upper);
    g_string_append_c(text, '\n');
    print_handlers(c, text, side);
    g_string_append_printf(
        text,
        "/* The %s's end, all memory inside. link.counters may be read. */\n"
        "struct %s_%s {\n"
        "    struct zg_link link;\n"
        "    /* private */\n"
        "    const struct %s_%s_handlers *handlers;\n"
        "    void *context;\n"
        "    uint8_t receive[%s_%s_RECEIVE_RING];\n"
        "    uint8_t transmit[%s_%s_TRANSMIT_RING];\n"
        "    uint8_t frame[%s_RECEIVE_ROOM];\n"
        "%s%s};\n\n"
        "/* Prepares the node; `handlers` is kept. Returns 0. Call it before the "
        "interrupts are on. Bytes\n"
        " * come in by %s_%s_receive_isr() and go out by %s_%s_transmit_isr(). */\n"
        "int %s_%s_init(struct %s_%s *node, const struct zg_port *port, void *port_context,\n"
        "               const struct %s_%s_handlers *handlers, void *context);\n\n"
        "/* Does what is due and calls the handlers. Never waits. Loop only. */\n"
        "void %s_%s_poll(struct %s_%s *node);\n\n"
        "/* A byte came in, with the errors flagged for it (a sum of zg_line_error, usually 0). Receive interrupt; "
        "constant "
        "time.\n * A byte that finds the ring full is dropped and counted. */\n"
        "static ZGI_INLINE void %s_%s_receive_isr(struct %s_%s *node, uint8_t byte, unsigned line_errors)\n{\n"
        "%s    zgi_link_put_isr(&node->link, node->receive, sizeof node->receive, byte, line_errors);\n}\n\n"
        "/* The next byte to send. False: none, turn the transmit interrupt off. Transmit interrupt; constant time. "
        "*/\n"
        "static ZGI_INLINE bool %s_%s_transmit_isr(struct %s_%s *node, uint8_t *byte)\n{\n"
        "    return zgi_ring_get(&node->link.transmit, node->transmit, sizeof node->transmit, byte);\n}\n\n"
        "/* Each sends one message: 0; ZG_ERANGE: a field is outside its type or range; ZG_EROOM: the transmit ring "
        "has no room now, nothing\n"
        " * was sent, try again later. Loop only. */\n",
        s, p, s, p, s, c->upper, node, c->upper, node, c->upper,
        c->plan->gap_ns > 0 ? "    struct zg_link_gaps gaps;\n" : "",
        counts_tickets(c->plan, side) ? "    uint8_t ticket; /* of the next ticketed message */\n" : "", p, s, p, s, p,
        s, p, s, p, s, p, s, p, s, p, s, p, s, c->plan->gap_ns > 0 ? "    zgi_note_gap_isr(&node->link);\n" : "", p, s,
        p, s);
    print_send_prototypes(c, text, side);
    if (side == ZG_SIDE_HOST)
        g_string_append_printf(
            text,
            "\n/* Many bytes came in at once, as a host reads them from its system: they are taken apart "
            "and delivered at once,\n * without the receive ring. Where silence ends a frame it is told "
            "from the times of the calls. Loop only. */\n"
            "void %s_host_receive(struct %s_host *node, const uint8_t *bytes, size_t count);\n",
            p, p);
    g_string_append(text, "\n#ifdef __cplusplus\n}\n#endif\n\n");
}

static void print_echo(const struct zgi_c *c, GString *text, enum zg_side side)
{
    g_string_append_printf(text,
                           "/* Sends the bytes back; without room for them there is no answer. */\n"
                           "static int take_echo_request(struct %s_%s *node, struct zg_frame *frame, const uint8_t "
                           "*payload,\n                   size_t length)\n{\n"
                           "    uint8_t content[%s_HEADER_SIZE + %s_MAX_PAYLOAD + %s_CHECK_SIZE];\n\n"
                           "    (void)frame;\n    memcpy(content + %s_HEADER_SIZE, payload, length);\n"
                           "    (void)send_content(node, %s_ECHO_REPLY_ID, content, length);\n    return 0;\n}\n\n",
                           c->prefix, zg_side_name(side), c->upper, c->upper, c->upper, c->upper, c->upper);
}

static void print_counters(const struct zgi_c *c, GString *text, enum zg_side side)
{
    const char *p = c->prefix;
    const char *s = zg_side_name(side);

    g_string_append_printf(
        text,
        "/* Sends as many counters as fit; without room for them there is no answer. */\n"
        "static int take_counters_request(struct %s_%s *node, struct zg_frame *frame, const uint8_t *payload,\n"
        "                   size_t length)\n{\n"
        "    struct %s_counters_request request;\n    struct %s_counters reply;\n"
        "    int result = %s_counters_request_unpack(&request, payload, length);\n    unsigned i;\n\n"
        "    (void)frame;\n    if (result < 0)\n        return result;\n"
        "    reply.first = request.first;\n    reply.values_count = 0;\n"
        "    for (i = request.first; i < ZG_COUNTERS && reply.values_count < sizeof reply.values / sizeof "
        "reply.values[0]; i++)\n"
        "        reply.values[reply.values_count++] = zg_link_counter(&node->link, i);\n"
        "    if (%s_%s_send_counters(node, &reply) == 0 && request.clear)\n"
        "        while (i-- > request.first)\n            zg_link_clear_counter(&node->link, i);\n"
        "    return result;\n}\n\n",
        p, s, p, p, p, p, s);
}

/* What an end does by itself with a message. */
static void print_answer(const struct zgi_c *c, GString *text, const struct zg_message *message, enum zg_side side)
{
    if (strcmp(message->name, "echo_request") == 0)
        print_echo(c, text, side);
    else
        print_counters(c, text, side);
}

static void print_case(const struct zgi_c *c, GString *text, const struct zg_plan_message *item, enum zg_side side)
{
    const char *p = c->prefix;
    const char *name = item->message->name;
    g_autoptr(GString) tickets = g_string_new(NULL);

    if (is_answered(item->message, side)) {
        print_answer(c, text, item->message, side);
        return;
    }
    if (item->tickets > 0)
        g_string_append_printf(
            tickets, "    if (length < %u)\n        return ZG_ESIZE;\n    frame->header.ticket = payload[0];\n",
            item->tickets);
    if (item->tickets > 1)
        g_string_append(tickets, "    frame->header.base = payload[1];\n");
    if (item->tickets > 0)
        g_string_append_printf(tickets, "    payload += %u;\n    length -= %u;\n", item->tickets, item->tickets);
    g_string_append_printf(text,
                           "static int take_%s(struct %s_%s *node, struct zg_frame *frame, const uint8_t *payload,\n"
                           "                   size_t length)\n{\n"
                           "    struct %s_%s message;\n"
                           "    int result;\n\n%s"
                           "    result = %s_%s_unpack(&message, payload, length);\n"
                           "    if (result >= 0 && node->handlers->%s)\n"
                           "        node->handlers->%s(node->context, &message, frame);\n"
                           "    return result;\n}\n\n",
                           name, p, zg_side_name(side), p, name, tickets->str, p, name, name, name);
}

static void print_deliver(const struct zgi_c *c, GString *text, enum zg_side side)
{
    const struct zg_plan *plan = c->plan;
    g_autoptr(GString) cases = g_string_new(NULL);

    for (unsigned i = 0; i < plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        if (!(message->from & zg_receivers(side)))
            continue;
        print_case(c, text, zg_plan_message_at(plan, i), side);
        if (plan->id_bits == 0) {
            g_string_append_printf(cases, "    return take_%s(node, frame, payload, length);\n", message->name);
            continue;
        }
        g_autofree char *id = zgi_c_constant(c, message->name, "ID");
        g_string_append_printf(cases, "    case %s: return take_%s(node, frame, payload, length);\n", id,
                               message->name);
    }
    g_string_append(
        text, "static int deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length)\n{\n");
    if (cases->len == 0) {
        g_string_append(
            text,
            "    (void)owner;\n    (void)frame;\n    (void)payload;\n    (void)length;\n    return ZG_EUNKNOWN;\n");
    } else {
        g_string_append_printf(text, "    struct %s_%s *node = (struct %s_%s *)owner;\n\n", c->prefix,
                               zg_side_name(side), c->prefix, zg_side_name(side));
        g_string_append_printf(
            text,
            plan->id_bits == 0 ? "%s" : "    switch (frame->header.id) {\n%s    default: return ZG_EUNKNOWN;\n    }\n",
            cases->str);
    }
    g_string_append(text, "}\n\n");
}

static void print_protocol(const struct zgi_c *c, GString *text)
{
    const struct zg_protocol protocol = zg_plan_protocol(c->plan);
    g_autofree char *framing = zgi_c_framing_name(c);

    g_string_append_printf(text,
                           "static const struct zg_protocol this_protocol = {\n"
                           "    &%s,\n    &%s_check,\n    %s_MAX_PAYLOAD,\n    %s_MAX_FRAME,\n    %s_RECEIVE_ROOM,\n"
                           "    %u, /* bytes that zeros fill the content up to */\n"
                           "    UINT32_C(%" G_GUINT32_FORMAT "), /* us of silence that abandon a frame */\n"
                           "    UINT32_C(%" G_GUINT32_FORMAT "), /* us of silence that end one */\n"
                           "    UINT32_C(%" G_GUINT32_FORMAT "), /* us of silence in front of one sent */\n"
                           "    %s_HEADER_SIZE,\n    %u, /* bits of the sequence */\n    %u, /* of the destination */\n"
                           "    %u, /* of the source */\n    %s,\n    %s_write_header,\n    %s_admit,\n"
                           "    deliver\n};\n\n",
                           framing, c->prefix, c->upper, c->upper, c->upper, c->plan->filled, protocol.byte_timeout_us,
                           protocol.gap_us, protocol.send_gap_us, c->upper, c->plan->sequence_bits,
                           c->plan->destination_bits, c->plan->source_bits,
                           protocol.length_ends ? "true /* the header's length tells where zeros begin */" : "false",
                           c->prefix, c->prefix);
}

/* Bytes on the wire of a message's shortest frame; before there is room for them, nothing is packed. */
static unsigned least_frame(const struct zg_plan *plan, const struct zg_plan_message *item)
{
    unsigned content = plan->header.size + item->payload_least + plan->check.size;
    return zg_framing_least(&plan->definition->framing, MAX(content, plan->filled));
}

static void print_send(const struct zgi_c *c, GString *text, const struct zg_plan_message *item, enum zg_side side)
{
    const struct zg_message *message = item->message;
    g_autofree char *id = zgi_c_constant(c, message->name, "ID");
    g_autofree char *size = zgi_c_constant(c, message->name, "MAX_PAYLOAD");
    g_autofree char *prototype = send_prototype(c, message, side);
    unsigned tickets = item->tickets;
    const char *ticket = message->is_reply ? "ticket" : "node->ticket";

    g_string_append_printf(text,
                           "%s\n{\n    uint8_t content[%s_HEADER_SIZE + %s + %s_CHECK_SIZE];\n"
                           "    uint8_t *payload = content + %s_HEADER_SIZE;\n    size_t length;\n    int error;\n\n",
                           prototype, c->upper, item->payload_most > 0 ? size : "1", c->upper, c->upper);
    g_string_append_printf(text, "    if (zg_ring_room(&node->link.transmit) < %u)\n        return ZG_EROOM;\n",
                           least_frame(c->plan, item));
    for (unsigned i = 0; i < tickets; i++) /* with nothing older on offer, base and ticket are the same */
        g_string_append_printf(text, "    payload[%u] = %s;\n", i, ticket);
    g_string_append_printf(text, "    error = %s_%s_pack(message, payload + %u, %s - %u, &length);\n", c->prefix,
                           message->name, tickets, size, tickets);
    if (tickets == 0 || message->is_reply) {
        g_string_append_printf(text, "    return error ? error : send_content(node, %s, content, length + %u);\n}\n\n",
                               id, tickets);
        return;
    }
    g_string_append_printf(text,
                           "    if (!error)\n        error = send_content(node, %s, content, length + %u);\n"
                           "    if (!error)\n        node->ticket++;\n    return error;\n}\n\n",
                           id, tickets);
}

static void print_sends(const struct zgi_c *c, GString *text, enum zg_side side)
{
    bool any = false;

    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(c->plan, i);
        if (!(item->message->from & side))
            continue;
        if (!any)
            g_string_append_printf(
                text,
                "/* The payload stands behind room for the header, with room for the check behind. */\n"
                "static int send_content(struct %s_%s *node, zg_role id, uint8_t *content, size_t length)\n{\n"
                "    return zgi_link_send(&node->link, id, content, NULL, length);\n}\n\n",
                c->prefix, zg_side_name(side));
        any = true;
        if (strcmp(item->message->name, "echo_reply") == 0)
            continue; /* the payload as it came */
        if (is_answer(item->message))
            g_string_append(text, "static ");
        print_send(c, text, item, side);
    }
}

/* The end of an init function: on a shared line the PC is 0, and the device 1 until it is told its address. */
static char *init_end(const struct zg_plan *plan, enum zg_side side)
{
    unsigned own = side == ZG_SIDE_DEVICE;

    if (plan->destination_bits == 0 && plan->source_bits == 0)
        return g_strdup("    return 0;\n");
    return g_strdup_printf("    zg_link_set_addresses(&node->link, %u, %u);\n    return 0;\n", own, !own);
}

void zgi_c_node_code(const struct zgi_c *c, GString *text)
{
    enum zg_side side = c->side;
    const char *p = c->prefix;
    const char *s = zg_side_name(side);
    g_autofree char *end = init_end(c->plan, side);

    g_string_append_printf(text, "#include \"%s_%s.h\"\n\n#include <string.h>\n\n#include \"%s_frame.h\"\n\n", p, s, p);
    g_string_append(
        text, "static int deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length);\n\n");
    print_protocol(c, text);
    g_string_append(text, "#define ZGI_PROTOCOL(end) (&this_protocol)\n#include \"zeugma/link_body.h\"\n\n");
    print_sends(c, text, side);
    print_deliver(c, text, side);
    g_string_append_printf(
        text,
        "int %s_%s_init(struct %s_%s *node, const struct zg_port *port, void *port_context,\n"
        "               const struct %s_%s_handlers *handlers, void *context)\n{\n"
        "    struct zg_link_memory memory;\n\n"
        "    memory.receive = node->receive;\n    memory.receive_size = sizeof node->receive;\n"
        "    memory.transmit = node->transmit;\n    memory.transmit_size = sizeof node->transmit;\n"
        "    memory.frame = node->frame;\n    memory.frame_size = sizeof node->frame;\n"
        "    memory.gaps = %s;\n"
        "    node->handlers = handlers;\n    node->context = context;\n"
        "%s    zgi_link_begin(&node->link, &this_protocol, node, port, port_context, &memory);\n%s}\n\n"
        "void %s_%s_poll(struct %s_%s *node)\n{\n    zgi_link_poll(&node->link);\n}\n",
        p, s, p, s, p, s, c->plan->gap_ns > 0 ? "&node->gaps" : "NULL",
        counts_tickets(c->plan, side) ? "    node->ticket = 0;\n" : "", end, p, s, p, s);
    if (side == ZG_SIDE_HOST)
        g_string_append_printf(text,
                               "\nvoid %s_host_receive(struct %s_host *node, const uint8_t *bytes, size_t count)\n{\n"
                               "    zgi_link_receive(&node->link, bytes, count);\n}\n",
                               p, p);
}
