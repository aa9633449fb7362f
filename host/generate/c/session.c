/* SPDX-License-Identifier: MIT */
/* What an end keeps for each peer: hello and delivery. */
#include <string.h>

#include "generate/c/c.h"
#include "plan/fingerprint.h"

/* Whether messages or answers are kept. */
static bool has_contents(const struct zgi_c *c)
{
    return c->end.slots * c->end.room + c->end.answers * c->end.answer_room > 0;
}

void zgi_c_session_type(const struct zgi_c *c, GString *text)
{
    if (!c->end.hello && !c->end.has_many)
        return;
    if (c->end.has_many)
        zgi_c_emit(c, text, NULL,
                   "#ifndef @P_HOST_PEERS\n#define @P_HOST_PEERS 8 /* the most devices that are followed "
                   "*/\n#endif\nZG_ASSERT(@P_HOST_PEERS >= 1 && @P_HOST_PEERS <= 255, \"1 to 255 devices are "
                   "followed\");\n\n");
    zgi_c_emit(c, text, NULL,
               "/* The state between this node and another. */\nstruct @p_@s_session {\n    /* private */\n    struct "
               "zg_peer *peer;\n");
    if (c->end.has_many)
        g_string_append(text, "    struct zg_peer other; /* unless it is the link's first peer */\n");
    if (c->end.hello)
        g_string_append(text, "    struct zg_hello hello;\n");
    if (c->end.delivery) {
        g_string_append(text, "    struct zg_delivery delivery;\n");
        if (c->end.window > 0)
            g_string_append_printf(text, "    struct zg_open open[%u];\n", c->end.slots);
        if (c->end.answers > 0)
            g_string_append_printf(text, "    struct zg_answered answered[%u];\n", c->end.answers);
        if (has_contents(c))
            g_string_append_printf(text, "    uint8_t contents[%u];\n",
                                   c->end.slots * c->end.room + c->end.answers * c->end.answer_room);
    }
    g_string_append(text, "};\n\n");
}

/* --- the constant terms */

static void append_number(GString *text, uint64_t number, unsigned size, bool big_endian)
{
    for (unsigned i = 0; i < size; i++)
        g_string_append_printf(text, "%u, ", (unsigned)(number >> 8 * (big_endian ? size - 1 - i : i) & 0xFF));
}

static void print_hello_terms(const struct zgi_c *c, GString *text)
{
    const struct zg_definition *definition = c->plan->definition;
    const struct zg_plan_message *hello = zg_plan_by_name(c->plan, "hello");
    const struct zg_step *name_step = zg_block_step(&hello->payload, hello->payload.steps->len - 1);
    unsigned size = MIN((unsigned)strlen(definition->protocol), name_step->most);

    zgi_c_emit(c, text, NULL, "static const uint8_t @p_@s_hello_payload[] ZG_FLASH = {\n    ");
    append_number(text, definition->major, 1, false);
    append_number(text, definition->minor, 1, false);
    append_number(text, zg_fingerprint(c->plan), 4, definition->big_endian);
    append_number(text, c->plan->max_payload, 2, definition->big_endian);
    g_string_append_printf(text, "0, 0, 0, 0, %u", size);
    for (unsigned i = 0; i < size; i++)
        g_string_append_printf(text, ", '%c'", definition->protocol[i]);
    zgi_c_emit(c, text, NULL,
               "\n};\nstatic const struct zg_hello_terms @p_@s_hello_terms = {\n    @p_@s_hello_payload, ");
    zgi_c_emit(c, text, NULL, "/* payload */\n    sizeof @p_@s_hello_payload, /* size */\n");
    zgi_c_member(text, "big_endian", "%s", definition->big_endian ? "true" : "false");
    zgi_c_member(text, "asks_only", "%s", c->end.has_many ? "true" : "false");
    zgi_c_member(text, "answers_only", "%s", c->end.shared && !c->end.has_many ? "true" : "false");
    zgi_c_member(text, "id", "%s_HELLO_ID", c->upper);
    zgi_c_member(text, "wait_us", "UINT32_C(%" G_GUINT64_FORMAT ")", zg_plan_hello_wait_us(c->plan));
    zgi_c_member(text, "keepalive_us", "UINT32_C(%" G_GUINT64_FORMAT ")", definition->line.keepalive_ns / 1000);
    g_string_append(text, "};\n\n");
}

static void print_ticketed(const struct zgi_c *c, GString *text)
{
    unsigned kind = 0;

    if (c->end.window == 0)
        return;
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if (!zg_side_tickets(c->side, message))
            continue;
        zgi_c_emit(c, text, message->name, "#define @P_@S_KIND_@N ");
        g_string_append_printf(text, "%u\n", kind++);
    }
    zgi_c_emit(c, text, NULL,
               "static const struct zg_ticketed @p_@s_ticketed[] ZG_FLASH = { /* id, window, retries, request, "
               "kept, timeout in us */\n");
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if (!zg_side_tickets(c->side, message))
            continue;
        zgi_c_emit(c, text, message->name, "    { @P_@N_ID, ");
        g_string_append_printf(text, "%u, %u, %s, %s, UINT32_C(%" G_GUINT64_FORMAT ") },\n", message->window,
                               message->retries, zg_message_is_request(message) ? "true" : "false",
                               message->kept ? "true" : "false", message->timeout_ns / 1000);
    }
    g_string_append(text, "};\n");
}

/* It is called by code that is compiled for this end. An end that sends nothing with a ticket has nothing to settle. */
static void print_settled_declaration(const struct zgi_c *c, GString *text)
{
    static const char signature[] =
        "static %s zgi_settled(struct zg_link *link, const struct zg_peer *peer, uint8_t kind, const uint8_t *payload, "
        "uint16_t length, enum zg_settled how)%s";

    if (c->end.window > 0)
        g_string_append_printf(text, signature, "void", ";\n\n");
    else
        g_string_append_printf(text, signature, "inline void",
                               "\n{\n    (void)link;\n    (void)peer;\n    (void)kind;\n    (void)payload;\n"
                               "    (void)length;\n    (void)how;\n}\n\n");
}

static void print_delivery_terms(const struct zgi_c *c, GString *text)
{
    const struct zg_plan_end *end = &c->end;

    print_ticketed(c, text);
    print_settled_declaration(c, text);
    zgi_c_emit(c, text, NULL, "static const struct zg_delivery_terms @p_@s_delivery_terms = {\n    ");
    zgi_c_emit(c, text, NULL, end->window > 0 ? "@p_@s_ticketed, /* messages */\n" : "NULL, /* messages */\n");
    zgi_c_member(text, "window", "%u", end->window);
    zgi_c_member(text, "windows_differ", "%s", end->windows_differ ? "true" : "false");
    zgi_c_member(text, "kinds", "%u", end->kinds);
    zgi_c_member(text, "sends_requests", "%s", end->sends_requests ? "true" : "false");
    zgi_c_member(text, "keeps_order", "%s", end->keeps_order ? "true" : "false");
    zgi_c_member(text, "slots", "%u", end->slots);
    zgi_c_member(text, "answers", "%u", end->answers);
    zgi_c_member(text, "room", "%u", end->room);
    zgi_c_member(text, "answer_room", "%u", end->answer_room);
    zgi_c_member(text, "receives_tickets", "%s", end->receives_tickets ? "true" : "false");
    zgi_c_member(text, "acknowledge_id", "%s_ACKNOWLEDGE_ID", c->upper);
    zgi_c_member(text, "refused_id", "%s_REFUSED_ID", c->upper);
    zgi_c_member(text, "settled, which is known at compile time", "NULL");
    g_string_append(text, "};\n\n");
}

/* --- finding, beginning, driving */

static void print_find(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "/* The state between this node and a peer; NULL: it is not followed. */\nstatic inline struct "
               "@p_@s_session *@p_@s_session_with(struct @p_@s *node, const struct zg_peer *peer)\n{\n");
    zgi_c_emit(c, text, NULL,
               c->end.has_many ? "    for (uint8_t i = 0; i < node->peers; i++)\n"
                                 "        if (node->sessions[i].peer == peer)\n"
                                 "            return &node->sessions[i];\n    return NULL;\n}\n\n"
                               : "    (void)peer;\n"
                                 "    return (struct @p_@s_session *)zgi_near(&node->session);\n}\n\n");
}

static void print_begin(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL, "static void @p_@s_begin_session(struct @p_@s *node, struct @p_@s_session *with)\n{\n");
    if (!c->end.has_many)
        g_string_append(text, "    with->peer = &node->link.peer;\n");
    if (c->end.hello)
        g_string_append(text, "    zgi_hello_begin(&node->link, &with->hello);\n");
    if (c->end.delivery) {
        g_string_append(text, "    zgi_delivery_begin(&with->delivery, 0);\n"
                              "    with->delivery.peer = with->peer;\n");
        if (c->end.window > 0)
            g_string_append(text, "    memset(with->open, 0, sizeof with->open);\n"
                                  "    with->delivery.open = with->open;\n");
        if (c->end.answers > 0)
            g_string_append(text, "    memset(with->answered, 0, sizeof with->answered);\n"
                                  "    with->delivery.answered = with->answered;\n");
        if (has_contents(c))
            g_string_append(text, "    with->delivery.contents = with->contents;\n");
    }
    g_string_append(text, "}\n\n");
    zgi_c_emit(
        c, text, NULL,
        "static inline void @p_@s_poll_session(struct @p_@s *node, struct @p_@s_session *with, uint32_t now)\n{\n");
    g_string_append(text, "    zgi_hello_poll(&node->link, with->peer, &with->hello, node->boot, now);\n");
    if (c->end.delivery)
        g_string_append(text, "    zgi_delivery_poll(&node->link, &with->hello, &with->delivery, now);\n");
    g_string_append(text, "}\n\n");
}

static void print_add(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(
        c, text, NULL,
        "int @p_host_add(struct @p_host *node, zg_header_number address)\n{\n    struct @p_host_session *with;\n\n"
        "    if (!zgi_is_address(&node->link, address) || "
        "zgi_peer(&node->link, address))\n        return ZG_EINVALID;\n"
        "    if (node->peers == @P_HOST_PEERS)\n        return ZG_EROOM;\n"
        "    with = &node->sessions[node->peers];\n    with->peer = node->peers == 0 ? &node->link.peer : "
        "&with->other;\n"
        "    node->peers++;\n"
        "    if (with->peer == &node->link.peer)\n        node->link.peer.address = address;\n    else\n"
        "        zg_link_add_peer(&node->link, with->peer, address);\n");
    zgi_c_emit(c, text, NULL,
               c->end.hello ? "    @p_@s_begin_session(node, with);\n    return 0;\n}\n\n" : "    return 0;\n}\n\n");
    zgi_c_emit(c, text, NULL,
               "zg_header_number @p_host_next(struct @p_host *node)\n{\n    const struct zg_peer *peer;\n\n"
               "    for (unsigned i = 0; i < 8U * node->peers; i++) {\n        node->turn++;\n"
               "        peer = node->sessions[node->turn % node->peers].peer;\n");
    g_string_append(text, c->plan->definition->line.link_timeout_ns > 0
                              ? "        if (peer->up || node->turn / node->peers % 8 == 0)\n"
                                "            return peer->address;\n"
                              : "        return peer->address;\n");
    g_string_append(text, "    }\n    return 0;\n}\n\n");
}

void zgi_c_session_terms(const struct zgi_c *c, GString *text)
{
    if (c->end.hello)
        print_hello_terms(c, text);
    if (c->end.delivery)
        print_delivery_terms(c, text);
}

void zgi_c_session_code(const struct zgi_c *c, GString *text)
{
    if (c->end.hello) {
        print_find(c, text);
        print_begin(c, text);
        zgi_c_emit(
            c, text, NULL,
            c->end.has_many
                ? "const struct zg_hello *@p_@s_hello(struct @p_@s *node, zg_header_number address)\n{\n"
                  "    struct @p_@s_session *with = @p_@s_session_with(node, zgi_peer(&node->link, address));\n\n"
                  "    return with ? &with->hello : NULL;\n}\n\n"
                : "const struct zg_hello *@p_@s_hello(const struct @p_@s *node)\n{\n"
                  "    return &node->session.hello;\n}\n\n");
    }
    if (c->end.has_many)
        print_add(c, text);
    else if (c->end.addressed && c->side == ZG_SIDE_DEVICE)
        zgi_c_emit(c, text, NULL,
                   "void @p_device_set_address(struct @p_device *node, zg_header_number address)\n{\n"
                   "    node->link.address = address;\n}\n\n");
    else if (c->plan->destination_bits > 0)
        zgi_c_emit(c, text, NULL,
                   "void @p_host_set_peer(struct @p_host *node, zg_header_number address)\n{\n"
                   "    node->link.peer.address = address;\n}\n\n");
}

/* --- what the services' messages do */

void zgi_c_settled(const struct zgi_c *c, GString *text)
{
    if (c->end.window == 0)
        return;
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(c->plan, i);
        if (!zg_side_tickets(c->side, item->message))
            continue;
        zgi_c_emit(c, text, item->message->name,
                   "static void @p_@s_settled_@n(struct @p_@s *node, const struct zg_peer *peer, const uint8_t "
                   "*payload, size_t length, enum zg_settled how)\n{\n    struct @p_@n message;\n\n    (void)peer;\n"
                   "    if (node->handlers->@n_settled && ");
        g_string_append_printf(text, "%s_%s_unpack(&message, payload + %u, length - %u, NULL) == 0)\n", c->prefix,
                               item->message->name, item->tickets, item->tickets);
        zgi_c_emit(c, text, item->message->name, "        node->handlers->@n_settled(node->context, ");
        g_string_append_printf(text, "%s&message, how);\n}\n\n", c->end.has_many ? "peer->address, " : "");
    }
    zgi_c_emit(c, text, NULL,
               "static ZGI_INLINE void zgi_settled(struct zg_link *link, const struct zg_peer *peer, uint8_t kind, "
               "const uint8_t "
               "*payload, uint16_t length, enum zg_settled how)\n{\n"
               "    struct @p_@s *node = (struct @p_@s *)(void *)link;\n\n    switch "
               "(kind) {\n");
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if (zg_side_tickets(c->side, message))
            zgi_c_emit(c, text, message->name,
                       "    case @P_@S_KIND_@N:\n        @p_@s_settled_@n(node, peer, payload, length, how);\n        "
                       "break;\n");
    }
    g_string_append(text, "    default: break;\n    }\n}\n\n");
}

/* What a hello does. The host also hands it on, last: what the handler sends belongs to the new run. */
static void print_hello(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "static int @p_@s_take_hello(struct @p_@s *node, struct zg_frame *frame, const uint8_t *payload, size_t "
               "length)\n{\n    struct @p_@s_session *with = @p_@s_session_with(node, frame->peer);\n    enum zgi_news "
               "news;\n\n"
               "    if (length < ZG_HELLO_LEAST)\n        return ZG_ESIZE;\n");
    if (c->end.shared)
        g_string_append(text, "    if (!with || frame->header.destination == zgi_everybody(&node->link))\n"
                              "        return 0;\n");
    g_string_append(text, "    news = zgi_hello_take(&node->link, &with->hello, node->boot, payload);\n");
    g_string_append(text, "    if (news == ZGI_NEWS_RESTARTED) {\n        zgi_forget_sequence(&node->link, frame);\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE)
        g_string_append(text, "        memset(node->streams, 0, sizeof node->streams);\n");
    if (c->end.delivery)
        g_string_append(text, "        zgi_delivery_restart(&node->link, &with->delivery);\n");
    zgi_c_emit(c, text, NULL,
               "    }\n    if (news != ZGI_NEWS_NONE)\n        @p_@s_changed(node, frame->peer, news == ZGI_NEWS_MET ? "
               "ZG_LINK_MET : ZG_LINK_RESTARTED);\n");
    if (c->side == ZG_SIDE_HOST)
        zgi_c_emit(
            c, text, NULL,
            "    if (node->handlers->hello) {\n        struct @p_hello message;\n        uint8_t "
            "nameless[ZG_HELLO_LEAST];\n\n        if (@p_hello_unpack(&message, payload, length, NULL) != 0) { /* a "
            "longer name than ours can be */\n            memcpy(nameless, payload, sizeof nameless);\n            "
            "nameless[ZG_HELLO_LEAST - 1] = 0;\n            (void)@p_hello_unpack(&message, nameless, sizeof nameless, "
            "NULL);\n        }\n        node->handlers->hello(node->context, &message, frame);\n    }\n");
    g_string_append(text, "    return 0;\n}\n\n");
}

/* Acknowledgements and refusals, which settle what this end sent. */
static void print_settling(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(
        c, text, NULL,
        "static int @p_@s_hear_settling(struct @p_@s *node, struct zg_frame *frame, const uint8_t *payload, size_t "
        "length)\n{\n");
    if (c->end.window == 0) {
        g_string_append(text, "    (void)node;\n    (void)frame;\n    (void)payload;\n    (void)length;\n    return 0; "
                              "/* this end sends nothing that they could settle */\n}\n\n");
        return;
    }
    zgi_c_emit(c, text, NULL, "    struct @p_@s_session *with = @p_@s_session_with(node, frame->peer);\n\n");
    if (c->end.has_many)
        g_string_append(text, "    if (!with)\n        return 0;\n");
    g_string_append(
        text,
        "    return zgi_delivery_settling(&node->link, &with->delivery, &frame->header, payload, length);\n}\n\n");
}

void zgi_c_answering(const struct zgi_c *c, GString *text, const char *request)
{
    zgi_c_emit(c, text, request,
               "static int @p_@s_take_@n(struct @p_@s *node, struct zg_frame *frame, const uint8_t *payload, "
               "size_t length)\n{\n");
    if (!c->end.late)
        zgi_c_emit(c, text, NULL, "    uint8_t content[@P_HEADER_SIZE + @P_MAX_PAYLOAD + @P_CHECK_SIZE];\n\n");
}

const char *zgi_c_late_arguments(const struct zgi_c *c)
{
    return c->end.late ? "&node->late, node->late_content" : "NULL, content";
}

static void print_echo(const struct zgi_c *c, GString *text)
{
    zgi_c_answering(c, text, "echo_request");
    g_string_append_printf(text, "    zgi_echo(&node->link, %s, frame->header.source, ", zgi_c_late_arguments(c));
    zgi_c_emit(c, text, NULL, "@P_ECHO_REPLY_ID, payload, length);\n    return 0;\n}\n\n");
}

static void print_counters(const struct zgi_c *c, GString *text)
{
    const struct zg_block *reply = &zg_plan_by_name(c->plan, "counters")->payload;

    zgi_c_answering(c, text, "counters_request");
    g_string_append_printf(text, "    return zgi_counters(&node->link, %s, frame->header.source, ",
                           zgi_c_late_arguments(c));
    zgi_c_emit(c, text, NULL, "@P_COUNTERS_ID, ");
    g_string_append_printf(text, "%u, %s, payload, length);\n}\n\n",
                           MIN(zg_block_step(reply, reply->steps->len - 1)->most, 255),
                           c->plan->definition->big_endian ? "true" : "false");
}

void zgi_c_services(const struct zgi_c *c, GString *text)
{
    const struct zg_definition *definition = c->plan->definition;

    if (c->end.hello)
        print_hello(c, text);
    if (c->end.delivery) {
        zgi_c_settled(c, text);
        print_settling(c, text);
        if (c->end.receives_tickets)
            zgi_c_emit(
                c, text, NULL,
                "/* A message with an id that this end does not know. */\nstatic int @p_@s_refuse_unknown(struct @p_@s "
                "*node, const struct zg_frame *frame, const uint8_t *payload, size_t length)\n{\n    struct "
                "@p_@s_session *with = @p_@s_session_with(node, frame->peer);\n\n    if (with)\n        "
                "zgi_refuse_unknown(&with->hello, &with->delivery, payload, length);\n    return ZG_EUNKNOWN;\n}\n\n");
    }
    if (zg_definition_serves(definition, ZG_SERVICE_ECHO))
        print_echo(c, text);
    if (zg_definition_serves(definition, ZG_SERVICE_COUNTERS) && c->side == ZG_SIDE_DEVICE)
        print_counters(c, text);
}
