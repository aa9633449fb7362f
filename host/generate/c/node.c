/* SPDX-License-Identifier: MIT */
/* PROTOCOL_device.h/.c and PROTOCOL_host.h/.c: one typed end of the link each. */
#include <string.h>

#include "generate/c/c.h"

static unsigned power_of_two(unsigned least)
{
    unsigned size = 1;
    while (size < least)
        size *= 2;
    return size;
}

/* Whether this end measures silence while its operating system may hold bytes back for longer than the line is silent.
 */
static bool holds_back(const struct zgi_c *c)
{
    return c->side == ZG_SIDE_HOST && c->plan->definition->line.byte_timeout_ns > 0;
}

/* --- the header */

/* Room for the longest frame; if echoes are answered, for an answer and a message of this end's own. */
static unsigned ring_room(const struct zgi_c *c)
{
    const struct zg_plan_message *answer = zg_plan_by_name(c->plan, "echo_reply");
    unsigned own = 0;

    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_plan_message *item = zg_plan_message_at(c->plan, i);
        if ((item->message->from & c->side) && !item->message->service)
            own = MAX(own, item->frame_most);
    }
    const bool answers = answer && zg_definition_serves(c->plan->definition, ZG_SERVICE_ECHO);
    return MAX(c->plan->max_frame, answers ? answer->frame_most + own : 2);
}

static void print_ring(const struct zgi_c *c, GString *text, const char *ring)
{
    const bool sends = strcmp(ring, "TRANSMIT") == 0;
    const unsigned room = sends ? ring_room(c) : c->plan->packets ? 0 : c->plan->max_frame;
    g_autofree char *size = g_strdup_printf("%u", power_of_two(MAX(room, 2)));

    zgi_c_emit(c, text, ring, "#ifndef @P_@S_@N_RING\n#define @P_@S_@N_RING ");
    zgi_c_emit(c, text, ring, size);
    zgi_c_emit(c, text, ring,
               " /* bytes, a power of two; the longest frame fits */\n#endif\n"
               "ZG_ASSERT(@P_@S_@N_RING <= ZG_RING_MAX, \"this ring needs a wider ZG_RING_INDEX_BITS\");\n"
               "ZG_ASSERT(@P_@S_@N_RING >= 2 && (@P_@S_@N_RING & (@P_@S_@N_RING - 1)) == 0, \"a ring's size is a "
               "power of two\");\n");
}

static void print_handlers(const struct zgi_c *c, GString *text)
{
    gsize before;

    zgi_c_emit(c, text, NULL,
               "/* @p_@s_poll() calls these for each message that arrives; NULL: not wanted. `context` is the one "
               "given to\n * @p_@s_init().");
    if (c->end.window > 0 || c->end.queries > 0)
        g_string_append(text, " NAME_settled() reports how a request, or a message with a ticket, ended, once for "
                              "each.");
    zgi_c_emit(c, text, NULL, " */\nstruct @p_@s_handlers {\n");
    before = text->len;
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if ((message->from & zg_receivers(c->side)) && !zg_side_answers(c->side, message))
            zgi_c_emit(c, text, message->name,
                       "    void (*@n)(void *context, const struct @p_@n *message, const struct zg_frame *frame);\n");
        if ((c->end.delivery && zg_side_tickets(c->side, message)) || zg_side_queries(c->side, message))
            zgi_c_emit(
                c, text, message->name,
                c->end.has_many
                    ? "    void (*@n_settled)(void *context, zg_header_number to, const struct @p_@n *message, enum "
                      "zg_settled how);\n"
                    : "    void (*@n_settled)(void *context, const struct @p_@n *message, enum zg_settled "
                      "how);\n");
    }
    for (unsigned i = 0; c->end.variables && c->side == ZG_SIDE_HOST && i < c->plan->variables->len; i++)
        zgi_c_emit(c, text, zg_plan_variable_at(c->plan, i)->name,
                   "    void (*@n)(void *context, const struct @p_@n *value, const struct zg_frame *frame);\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE)
        g_string_append(text, "    void (*variable_written)(void *context, uint8_t index);\n");
    if (c->end.interleaved)
        g_string_append(text, "    void (*console_text)(void *context, const char *text, size_t size);\n");
    if (c->end.reports_changes)
        g_string_append(
            text, "    void (*link_changed)(void *context, zg_header_number address, enum zg_link_event event);\n");
    g_string_append_printf(text, "%s};\n\n",
                           text->len > before ? "" : "    uint8_t nothing; /* the other end sends no message */\n");
}

/* Prints a line for an end that finds frames with a struct zg_receiver. A device that gathers short frames in place has
 * none; a host has one unless ZG_COBS_IN_PLACE. */
static void print_for_receiver(const struct zgi_c *c, GString *text, const char *line)
{
    const bool is_short = zg_framing_is_short_cobs(&c->plan->definition->framing, c->plan->max_content);

    if (is_short && c->side == ZG_SIDE_HOST)
        g_string_append_printf(text, "#if !ZG_COBS_IN_PLACE\n%s#endif\n", line);
    else if (!is_short)
        g_string_append(text, line);
}

/* Large members come last: short instructions reach only the first ones. */
static void print_struct(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "/* The @s's end, with all of its memory. link.counters may be read. */\nstruct @p_@s {\n    struct "
               "zg_link link;\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE && c->plan->variables->len > 0)
        zgi_c_emit(c, text, NULL,
                   "    struct @p_variables variables; /* read and set them here; the host sees the changes */\n");
    zgi_c_emit(c, text, NULL, "    /* private */\n    const struct @p_@s_handlers *handlers;\n    void *context;\n");
    print_for_receiver(c, text, "    struct zg_receiver receiver;\n");
    if (c->end.hello)
        g_string_append(text, "    uint16_t boot;\n");
    if (c->end.hello && !c->end.has_many)
        zgi_c_emit(c, text, NULL, "    struct @p_@s_session session;\n");
    if (c->end.has_many)
        zgi_c_emit(c, text, NULL,
                   "    struct @p_@s_session sessions[@P_@S_PEERS];\n    uint8_t peers; /* how many of them are in use "
                   "*/\n    uint8_t turn;\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE)
        zgi_c_emit(c, text, NULL, "    struct zg_variable_stream streams[@P_DEVICE_STREAMS];\n");
    if (c->end.traffic)
        g_string_append(text, "    struct zg_traffic traffic; /* its counts may be read */\n");
    if (c->end.late)
        zgi_c_emit(c, text, NULL,
                   "    struct zg_late late;\n"
                   "    uint8_t late_content[@P_HEADER_SIZE + @P_MAX_PAYLOAD + @P_CHECK_SIZE];\n");
    zgi_c_query_members(c, text);
    if (c->plan->gap_ns > 0)
        g_string_append(text, "    struct zg_link_gaps gaps;\n");
    if (c->end.interleaved)
        zgi_c_emit(c, text, NULL,
                   "    struct zg_text_sorter console;\n"
                   "    uint8_t console_raw[ZG_TEXT_ROOM(@P_MAX_FRAME, @P_RECEIVE_ROOM)];\n");
    zgi_c_emit(c, text, NULL,
               "    uint8_t receive[@P_@S_RECEIVE_RING];\n    uint8_t transmit[@P_@S_TRANSMIT_RING];\n"
               "    uint8_t frame[@P_RECEIVE_ROOM];\n};\n\n");
}

/* For a DMA. */
static void print_spans(const struct zgi_c *c, GString *text)
{
    if (c->side == ZG_SIDE_DEVICE) {
        zgi_c_emit(
            c, text, NULL,
            "/* Many bytes came in, which a DMA left in memory: the same as @p_device_receive_isr() for each of them. "
            "Call "
            "poll\n * before the receive ring is full. Any one context, but not the receive interrupt as well. */\n"
            "static inline void @p_device_receive(struct @p_device *node, const uint8_t *bytes, size_t count)\n{\n");
        if (c->plan->gap_ns > 0)
            g_string_append(text, "    if (count > 0)\n        zgi_note_gap_isr(&node->link);\n");
        g_string_append(text, "    for (; count > 0; count--)\n        zgi_link_put_isr(&node->link, node->receive, "
                              "sizeof node->receive, *bytes++, 0);\n}\n\n");
    }
    zgi_c_emit(
        c, text, NULL,
        "/* What is to be sent, for a DMA: returns how many of the oldest bytes are contiguous (0: there are none) "
        "and where they\n * start. They stay there until `count` of them were sent and are released. In the place "
        "of @p_@s_transmit_isr();\n * constant time. */\nstatic inline size_t @p_@s_transmit_span(const struct "
        "@p_@s *node, const uint8_t **first)\n{\n    return zg_ring_span(&node->link.transmit, first);\n}\n\n"
        "static inline void @p_@s_transmitted(struct @p_@s *node, size_t count)\n{\n"
        "    zg_ring_release(&node->link.transmit, (zg_index)count);\n}\n\n");
}

/* How packets, or bytes by interrupts and DMA, come in and go out. */
static void print_packets(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "/* A packet came in, whole; calls the handlers. Loop only; linear in `size`. */\nvoid "
               "@p_@s_receive_packet(struct @p_@s *node, const uint8_t *bytes, size_t size);\n\n/* 0: every packet is "
               "judged when it comes. With it the counters of bytes add up to bytes_in. */\nsize_t "
               "@p_@s_pending(const struct @p_@s *node);\n\n");
}

static void print_bytes(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(
        c, text, NULL,
        "/* A byte came in, with the errors flagged for it (a sum of zg_line_error, "
        "usually 0). If the ring is full\n * it is dropped and counted. Receive interrupt; constant time. */\nstatic "
        "ZGI_INLINE void @p_@s_receive_isr(struct @p_@s *node, uint8_t byte, unsigned line_errors)\n{\n");
    if (c->plan->gap_ns > 0)
        g_string_append(text, "    zgi_note_gap_isr(&node->link);\n");
    zgi_c_emit(c, text, NULL,
               "    zgi_link_put_isr(&node->link, node->receive, sizeof node->receive, byte, line_errors);\n}\n\n/* "
               "The next byte to send. False: there is none, disable the transmit interrupt. Transmit interrupt; "
               "constant time. */\nstatic ZGI_INLINE bool @p_@s_transmit_isr(struct @p_@s *node, uint8_t *byte)\n{\n   "
               " return zgi_ring_get(&node->link.transmit, node->transmit, sizeof node->transmit, byte);\n}\n\n/* "
               "Received bytes of a frame, or of noise, that has not ended yet. With them the counters of bytes add up "
               "to bytes_in.\n * Loop only. */\nsize_t @p_@s_pending(const struct @p_@s *node);\n\n");
    print_spans(c, text);
}

static void print_functions(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "/* Prepares the node. `handlers` must stay valid; NULL: none. Returns 0. Call it before interrupts are "
               "enabled. ");
    zgi_c_emit(c, text, NULL,
               c->plan->packets
                   ? "Packets\n * come in through @p_@s_receive_packet() and go out through the port's send_packet(). "
                   : "Bytes\n * come in through @p_@s_receive_isr() and go out through @p_@s_transmit_isr(). ");
    zgi_c_emit(c, text, NULL,
               "*/\nint @p_@s_init(struct @p_@s *node, const struct zg_port *port, void *port_context, const struct "
               "@p_@s_handlers *handlers, void *context);\n\n/* Does what is due, and calls the handlers. Never waits. "
               "Loop only. */\nvoid @p_@s_poll(struct @p_@s *node);\n\n");
    if (c->plan->packets)
        print_packets(c, text);
    else
        print_bytes(c, text);
    if (c->end.hello)
        zgi_c_emit(c, text, NULL,
                   c->end.has_many
                       ? "/* What is known about a device: `match`, how its definition compares with this one; "
                         "`known`, whether it knows this\n * node; `boot`. NULL: it is not followed. Loop only. "
                         "*/\nconst struct zg_hello *@p_@s_hello(struct @p_@s *node, zg_header_number address);\n\n"
                       : "/* What is known about the other end: `match`, how its definition compares with this one; "
                         "`known`, whether it knows\n * this node; `boot`. Loop only. */\nconst struct zg_hello "
                         "*@p_@s_hello(const struct @p_@s *node);\n\n");
    if (c->end.has_many)
        zgi_c_emit(
            c, text, NULL,
            "/* Follows the device with this address. Returns 0; ZG_EINVALID: it is followed already, or no device can "
            "have that\n * address; ZG_EROOM: all @P_HOST_PEERS places are taken. Loop only. */\nint "
            "@p_host_add(struct @p_host *node, zg_header_number address);\n\n/* The address of the next device, to ask "
            "one after the other: a different one with each call; one that is down only\n * every eighth time. 0: none "
            "is followed. Loop only. */\nzg_header_number @p_host_next(struct @p_host *node);\n\n");
    else if (c->end.addressed && c->side == ZG_SIDE_DEVICE)
        zgi_c_emit(c, text, NULL,
                   "/* Sets the address of this device, which is 1 at first. Loop only. */\nvoid "
                   "@p_device_set_address(struct @p_device *node, zg_header_number address);\n\n");
    else if (c->plan->destination_bits > 0)
        zgi_c_emit(c, text, NULL,
                   "/* Sets the device that this host sends to, which is 1 at first; all ones: every device. Frames "
                   "that come back do not\n * say from whom, so messages with tickets must be settled before the next "
                   "change. Loop only. */\nvoid @p_host_set_peer(struct @p_host *node, zg_header_number address);\n\n");
}

void zgi_c_node_header(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL, "#include \"@p.h\"\n\n");
    if (c->end.hello)
        g_string_append(text, "#include \"zeugma/hello.h\"\n");
    if (c->end.delivery)
        g_string_append(text, "#include \"zeugma/delivery.h\"\n");
    if (c->end.queries > 0)
        g_string_append(text, "#include \"zeugma/query.h\"\n");
    if (c->end.interleaved)
        g_string_append(text, "#include \"zeugma/text.h\"\n");
    if (c->end.traffic)
        g_string_append(text, "#include \"zeugma/traffic.h\"\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE)
        g_string_append(text, "#include \"zeugma/variable.h\"\n");
    g_string_append(text, "\n#ifdef __cplusplus\nextern \"C\" {\n#endif\n\n");
    print_ring(c, text, "RECEIVE");
    print_ring(c, text, "TRANSMIT");
    zgi_c_emit(c, text, NULL, "ZG_ASSERT(@P_@S_TRANSMIT_RING >= @P_MAX_FRAME, \"the longest frame must fit\");\n\n");
    if (holds_back(c))
        zgi_c_emit(c, text, NULL,
                   "#ifndef @P_HOST_HELD_BACK_US\n#define @P_HOST_HELD_BACK_US UINT32_C(250000) /* how long the "
                   "operating system may hold bytes back; 0: there is none */\n#endif\n\n");
    zgi_c_session_type(c, text);
    if (c->side == ZG_SIDE_DEVICE)
        zgi_c_variables_type(c, text);
    print_handlers(c, text);
    print_struct(c, text);
    print_functions(c, text);
    zgi_c_send_prototypes(c, text);
    if (c->side == ZG_SIDE_HOST) {
        zgi_c_variables_host(c, text, true);
        zgi_c_traffic_host(c, text, true);
    }
    if (c->side == ZG_SIDE_HOST && !c->plan->packets) {
        zgi_c_emit(
            c, text, NULL,
            "\n/* Takes many bytes at once, as a host reads them from its system, without the receive ring, and "
            "delivers frames from\n * within the call. Where silence ends a frame, the times of the calls show it. "
            "Loop only. */\nvoid @p_host_receive(struct @p_host *node, const uint8_t *bytes, size_t count);\n");
    }
    g_string_append(text, "\n#ifdef __cplusplus\n}\n#endif\n\n");
}

/* --- the code */

/* The name of the end's own function or object, or NULL. */
static char *named(const struct zgi_c *c, bool has_it, const char *before, const char *name)
{
    return has_it
               ? g_strdup_printf("%s%s_%s_%s", before, c->prefix, c->side == ZG_SIDE_DEVICE ? "device" : "host", name)
               : g_strdup("NULL");
}

/* Whether a request without a ticket is sent outside frames. */
static bool asks_bare(const struct zgi_c *c)
{
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        if (message->bare && zg_side_queries(c->side, message))
            return true;
    }
    return false;
}

/* What this end hears outside frames. */
static void print_bares(GString *text, const char *name, const struct zg_protocol *protocol)
{
    for (unsigned i = 0; i < protocol->bares; i++) {
        const struct zg_bare *bare = &protocol->bare[i];
        g_string_append_printf(text, i == 0 ? "static const struct zg_bare %s[] = {\n" : "%.0s", name);
        g_string_append_printf(text, "    { %u, %u, { 0x%02X", bare->number, bare->size, bare->bytes[0]);
        for (unsigned k = 1; k < bare->size; k++)
            g_string_append_printf(text, ", 0x%02X", bare->bytes[k]);
        g_string_append(text, " } },\n");
    }
    if (protocol->bares > 0)
        g_string_append(text, "};\n");
}

static void print_protocol(const struct zgi_c *c, GString *text)
{
    struct zg_protocol protocol = zg_plan_protocol(c->plan);
    g_autofree char *framing = zgi_c_framing_name(c);
    g_autofree char *silence =
        g_strdup_printf("UINT32_C(%" G_GUINT32_FORMAT ")%s%s%s", protocol.byte_timeout_us, holds_back(c) ? " + " : "",
                        holds_back(c) ? c->upper : "", holds_back(c) ? "_HOST_HELD_BACK_US" : "");

    g_autofree char *changed = named(c, c->end.reports_changes, "", "changed");
    g_autofree char *hello = named(c, c->end.hello, "&", "hello_terms");
    g_autofree char *delivery = named(c, c->end.delivery, "&", "delivery_terms");
    g_autofree char *console = named(c, c->end.interleaved, "", "console_of");

    g_autofree char *ignored =
        g_strdup_printf("%s_%s_ignored", c->prefix, c->side == ZG_SIDE_DEVICE ? "device" : "host");

    g_autofree char *bare = g_strdup_printf("%s_%s_bares", c->prefix, zg_side_name(c->side));

    zg_plan_hear_bares(c->plan, zg_receivers(c->side), &protocol);
    print_bares(text, bare, &protocol);
    zgi_c_framing_needs(c, text);
    for (unsigned i = 0; i < protocol.ignores; i++)
        g_string_append_printf(text, i == 0 ? "static const uint8_t %s[] = { 0x%02X" : "%.0s, 0x%02X", ignored,
                               protocol.ignored[i]);
    if (protocol.ignores > 0)
        g_string_append(text, " };\n");
    g_string_append(text, "static const struct zg_protocol zgi_protocol = {\n");
    zgi_c_member(text, "framing", "&%s", framing);
    zgi_c_member(text, "check", "&%s_check", c->prefix);
    zgi_c_member(text, "max_payload", "%s_MAX_PAYLOAD", c->upper);
    zgi_c_member(text, "max_frame", "%s_MAX_FRAME", c->upper);
    zgi_c_member(text, "receive_room", "%s_RECEIVE_ROOM", c->upper);
    zgi_c_member(text, "filled", "%u", c->plan->filled);
    zgi_c_member(text, "byte_timeout_us", "%s", silence);
    zgi_c_member(text, "gap_us", "UINT32_C(%" G_GUINT32_FORMAT ")", protocol.gap_us);
    zgi_c_member(text, "send_gap_us", "UINT32_C(%" G_GUINT32_FORMAT ")", protocol.send_gap_us);
    zgi_c_member(text, "turn_us", "UINT32_C(%" G_GUINT32_FORMAT ")", protocol.turn_us);
    zgi_c_member(text, "link_timeout_us", "UINT32_C(%" G_GUINT32_FORMAT ")", protocol.link_timeout_us);
    zgi_c_member(text, "header_size", "%s_HEADER_SIZE", c->upper);
    zgi_c_member(text, "version_bits", "%u", c->plan->version_bits);
    zgi_c_member(text, "sequence_bits", "%u", c->plan->sequence_bits);
    zgi_c_member(text, "destination_bits", "%u", c->plan->destination_bits);
    zgi_c_member(text, "source_bits", "%u", c->plan->source_bits);
    zgi_c_member(text, "node", "%s", c->plan->node ? "true" : "false");
    zgi_c_member(text, "everybody", "%uU", zg_plan_everybody(c->plan));
    zgi_c_member(text, "awaits", "%s", c->side == ZG_SIDE_HOST ? "true" : "false");
    zgi_c_member(text, "packets", "%s", protocol.packets ? "true" : "false");
    zgi_c_member(text, "coded", "%s", protocol.coded ? "true" : "false");
    zgi_c_member(text, "halved", "%s", protocol.halved ? "true" : "false");
    zgi_c_member(text, "ignores", "%u", protocol.ignores);
    zgi_c_member(text, "ignored", "%s", protocol.ignores > 0 ? ignored : "NULL");
    zgi_c_member(text, "bares", "%u", protocol.bares);
    zgi_c_member(text, "bare", "%s", protocol.bares > 0 ? bare : "NULL");
    zgi_c_member(text, "asks_bare", "%s", asks_bare(c) ? "true" : "false");
    zgi_c_member(text, "length_ends", "%s", protocol.length_ends ? "true" : "false");
    zgi_c_member(text, "write_header, admit and deliver, which are known at compile time", "NULL, NULL, NULL");
    zgi_c_member(text, "changed", "%s", changed);
    zgi_c_member(text, "hello", "%s", hello);
    zgi_c_member(text, "delivery", "%s", delivery);
    zgi_c_member(text, "console", "%s", console);
    if (zgi_c_hears_damage(c))
        zgi_c_emit(c, text, NULL,
                   "#if ZG_TRAFFIC_DAMAGE\n    @p_@s_hear, /* hear */\n#else\n    NULL, /* hear */\n#endif\n");
    else
        zgi_c_member(text, "hear", "NULL");
    g_string_append(text, "};\n\n");
}

static void print_changed(const struct zgi_c *c, GString *text)
{
    if (!c->end.reports_changes)
        return;
    zgi_c_emit(c, text, NULL,
               "static void @p_@s_changed(void *owner, struct zg_peer *peer, enum zg_link_event event)\n{\n"
               "    struct @p_@s *node = (struct @p_@s *)owner;\n\n"
               "    if (node->handlers->link_changed)\n"
               "        node->handlers->link_changed(node->context, peer->address, event);\n}\n\n");
}

/* What came outside frames. */
static void print_bare_cases(const struct zgi_c *c, GString *cases)
{
    unsigned number = 0;

    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = zg_plan_message_at(c->plan, i)->message;
        number += message->bare ? 1 : 0;
        if (!message->bare || (message->from & zg_receivers(c->side)) == 0)
            continue;
        g_string_append_printf(cases, "%s    case %u: ", cases->len == 0 ? "    switch (frame->header.bare) {\n" : "",
                               number);
        zgi_c_emit(c, cases, message->name, "return @p_@s_take_@n(node, frame, payload, length);\n");
    }
    if (cases->len > 0)
        g_string_append(cases, "    default: break;\n    }\n");
}

static void print_deliver(const struct zgi_c *c, GString *text)
{
    const struct zg_plan *plan = c->plan;
    const char *unknown = c->end.delivery && c->end.receives_tickets
                              ? "@p_@s_refuse_unknown(node, frame, payload, length)"
                              : "ZG_EUNKNOWN";
    g_autoptr(GString) cases = g_string_new(NULL), bares = g_string_new(NULL);

    print_bare_cases(c, bares);
    if (plan->id_bits == 0)
        zgi_c_choice(c, text, cases, unknown);
    for (unsigned i = 0; i < plan->messages->len && plan->id_bits > 0; i++) {
        const struct zg_message *message = zg_plan_message_at(plan, i)->message;
        if ((message->from & zg_receivers(c->side)) && !message->bare)
            zgi_c_emit(c, cases, message->name,
                       zg_message_settles(message)
                           ? "    case @P_@N_ID: return @p_@s_hear_settling(node, frame, payload, length);\n"
                           : "    case @P_@N_ID: return @p_@s_take_@n(node, frame, payload, length);\n");
    }
    g_string_append(text,
                    "static ZGI_SHARED int zgi_deliver(struct zg_link *link, struct zg_frame *frame, const uint8_t "
                    "*payload, size_t length)\n{\n");
    if (cases->len + bares->len == 0)
        g_string_append(text, "    (void)link;\n");
    else
        zgi_c_emit(c, text, NULL, "    struct @p_@s *node = (struct @p_@s *)(void *)link;\n\n");
    g_string_append(text, bares->str);
    if (cases->len == 0) {
        g_string_append(text, "    (void)frame;\n    (void)payload;\n    (void)length;\n    return ZG_EUNKNOWN;\n");
    } else if (plan->id_bits == 0) {
        g_string_append(text, cases->str);
    } else {
        g_string_append_printf(text, "    switch (frame->header.id) {\n%s    default: return ", cases->str);
        zgi_c_emit(c, text, NULL, unknown);
        g_string_append(text, ";\n    }\n");
    }
    g_string_append(text, "}\n\n");
}

static void print_init(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL,
               "int @p_@s_init(struct @p_@s *node, const struct zg_port *port, void *port_context, const struct "
               "@p_@s_handlers *handlers, void *context)\n{\n    static struct @p_@s_handlers none; /* never written; "
               "not const, because C++ would require an initialiser */\n    struct zg_link_memory memory;\n\n    "
               "memory.receive = node->receive;\n    memory.receive_size = sizeof node->receive;\n    memory.transmit "
               "= node->transmit;\n    memory.transmit_size = sizeof node->transmit;\n    memory.frame = "
               "node->frame;\n    memory.frame_size = sizeof node->frame;\n");
    print_for_receiver(c, text, "    memory.receiver = &node->receiver;\n");
    g_string_append_printf(text, "    memory.gaps = %s;\n", c->plan->gap_ns > 0 ? "&node->gaps" : "NULL");
    g_string_append(text, "    node->handlers = handlers ? handlers : &none;\n    node->context = context;\n"
                          "    zgi_link_begin(&node->link, &zgi_protocol, node, port, port_context, &memory);\n");
    if (c->end.has_many)
        g_string_append(text, "    node->peers = 0;\n    node->turn = 0;\n    node->link.peer.address = "
                              "zgi_everybody(&node->link); /* an address that no device has */\n");
    else if (c->plan->destination_bits > 0 || c->plan->source_bits > 0)
        g_string_append_printf(text, "    zg_link_set_addresses(&node->link, %d, %d);\n", c->side == ZG_SIDE_DEVICE,
                               c->side != ZG_SIDE_DEVICE);
    if (c->end.interleaved)
        zgi_c_emit(c, text, NULL,
                   "    zg_text_sorter_init(&node->console, node->console_raw, sizeof node->console_raw, "
                   "@p_@s_hear_text, node);\n");
    if (c->end.hello)
        g_string_append(text, "    node->boot = zgi_boot_number(&node->link);\n");
    if (c->end.late)
        g_string_append(text, "    node->late.due = false;\n");
    if (c->end.queries > 0)
        g_string_append(text, "    memset(&node->query, 0, sizeof node->query);\n");
    if (c->end.hello && !c->end.has_many)
        zgi_c_emit(c, text, NULL, "    @p_@s_begin_session(node, @p_@s_session_with(node, &node->link.peer));\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE)
        g_string_append(text, "    memset(node->streams, 0, sizeof node->streams);\n");
    if (c->end.traffic)
        g_string_append(text, "    memset(&node->traffic, 0, sizeof node->traffic);\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE && c->plan->variables->len > 0)
        g_string_append(text, "    memset(&node->variables, 0, sizeof node->variables);\n");
    g_string_append(text, "    return 0;\n}\n\n");
}

static void print_poll(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL, "void @p_@s_poll(struct @p_@s *node)\n{\n");
    if (c->end.hello)
        g_string_append(text, "    uint32_t now;\n\n");
    g_string_append(text, "    zgi_link_poll(&node->link);\n");
    if (c->end.late)
        g_string_append(text, "    zgi_late_poll(&node->link, &node->late, node->late_content);\n");
    zgi_c_query_poll(c, text);
    if (c->end.hello)
        g_string_append(text, "    now = zgi_now(&node->link);\n");
    if (c->end.hello && c->end.has_many)
        zgi_c_emit(c, text, NULL,
                   "    for (uint8_t i = 0; i < node->peers; i++)\n"
                   "        @p_@s_poll_session(node, &node->sessions[i], now);\n");
    else if (c->end.hello)
        zgi_c_emit(c, text, NULL, "    @p_@s_poll_session(node, @p_@s_session_with(node, &node->link.peer), now);\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE)
        zgi_c_emit(c, text, NULL, "    @p_@s_poll_streams(node, now);\n");
    if (c->end.traffic)
        zgi_c_emit(c, text, NULL, "    @p_@s_poll_traffic(node);\n");
    g_string_append(text, "}\n");
}

/* What zeugma/detail/specialise.h requires. */
static void print_contract(const struct zgi_c *c, GString *text)
{
    const struct zg_definition *definition = c->plan->definition;
    const bool is_short = zg_framing_is_short_cobs(&definition->framing, c->plan->max_content);

    zgi_c_emit(c, text, NULL,
               "/* zeugma/detail/specialise.h explains these. */\n#define ZGI_RUNTIME @P_RUNTIME\n#define "
               "ZGI_NAME(name) @p_@s_zgi_##name\n#define ZGI_FRAME(name) @p_##name\n#define ZGI_END struct @p_@s\n");
    g_string_append_printf(text,
                           "#define ZGI_CHECKED %d\n#define ZGI_IS_COBS %d\n#define ZGI_IN_PLACE %s\n"
                           "#define ZGI_MAX_CONTENT %u\n#define ZGI_FED_AT_ONCE %d\n",
                           definition->check.kind != ZG_CHECK_NONE, definition->framing.kind == ZG_FRAMING_COBS,
                           !is_short                   ? "0"
                           : c->side == ZG_SIDE_DEVICE ? "1"
                                                       : "ZG_COBS_IN_PLACE",
                           c->plan->max_content, c->side == ZG_SIDE_HOST);
    g_string_append(text, "#include \"zeugma/detail/specialise.h\"\n");
}

static bool answers_by_itself(const struct zgi_c *c)
{
    const struct zg_definition *definition = c->plan->definition;
    return zg_definition_serves(definition, ZG_SERVICE_ECHO) || c->end.traffic ||
           (zg_definition_serves(definition, ZG_SERVICE_COUNTERS) && c->side == ZG_SIDE_DEVICE);
}

void zgi_c_node_code(const struct zgi_c *c, GString *text)
{
    zgi_c_emit(c, text, NULL, "#include \"@p_@s.h\"\n\n#include <string.h>\n\n#include \"@p_frame.h\"\n\n");
    print_contract(c, text);
    g_string_append(
        text,
        "\nstatic ZGI_SHARED int zgi_deliver(struct zg_link *link, struct zg_frame *frame, const uint8_t *payload, "
        "size_t length);\n\n");
    print_changed(c, text);
    if (c->end.interleaved)
        zgi_c_emit(c, text, NULL,
                   "static struct zg_text_sorter *@p_@s_console_of(void *owner)\n{\n"
                   "    return &((struct @p_@s *)owner)->console;\n}\n\n"
                   "static void @p_@s_hear_text(void *owner, const uint8_t *bytes, size_t size)\n{\n"
                   "    struct @p_@s *node = (struct @p_@s *)owner;\n\n    if (node->handlers->console_text)\n"
                   "        node->handlers->console_text(node->context, (const char *)bytes, size);\n}\n\n");
    zgi_c_session_terms(c, text);
    zgi_c_query_terms(c, text);
    if (zgi_c_hears_damage(c))
        zgi_c_emit(
            c, text, NULL,
            "#if ZG_TRAFFIC_DAMAGE\nstatic void @p_@s_hear(void *owner, const uint8_t *bytes, size_t count, const "
            "struct zg_found *found, size_t pending);\n#endif\n\n");
    print_protocol(c, text);
    g_string_append(text, "#include \"zeugma/detail/link_body.h\"\n");
    if (c->end.hello)
        g_string_append(text, "#include \"zeugma/detail/hello_body.h\"\n");
    if (c->end.delivery)
        g_string_append(text, "#include \"zeugma/detail/delivery_body.h\"\n");
    if (c->end.queries > 0)
        g_string_append(text, "#include \"zeugma/detail/query_body.h\"\n");
    if (answers_by_itself(c))
        g_string_append(text, "#include \"zeugma/detail/services_body.h\"\n");
    if (c->end.traffic)
        g_string_append(text, "#include \"zeugma/detail/traffic_body.h\"\n");
    if (c->end.variables && c->side == ZG_SIDE_DEVICE)
        zgi_c_variables_declarations(c, text);
    g_string_append_c(text, '\n');
    zgi_c_session_code(c, text);
    zgi_c_sends(c, text);
    if (c->side == ZG_SIDE_DEVICE)
        zgi_c_variables_code(c, text);
    else
        zgi_c_variables_host(c, text, false);
    zgi_c_traffic_host(c, text, false);
    zgi_c_takes(c, text);
    zgi_c_traffic_code(c, text);
    print_deliver(c, text);
    print_init(c, text);
    print_poll(c, text);
    zgi_c_emit(c, text, NULL,
               "\nsize_t @p_@s_pending(const struct @p_@s *node)\n{\n    return zgi_pending(&node->link);\n}\n");
    if (c->plan->packets)
        zgi_c_emit(c, text, NULL,
                   "\nvoid @p_@s_receive_packet(struct @p_@s *node, const uint8_t *bytes, size_t size)\n{\n"
                   "    zgi_link_receive_packet(&node->link, &zgi_protocol, bytes, size);\n}\n");
    else if (c->side == ZG_SIDE_HOST)
        zgi_c_emit(c, text, NULL,
                   "\nvoid @p_host_receive(struct @p_host *node, const uint8_t *bytes, size_t count)\n{\n"
                   "    zgi_link_receive(&node->link, &zgi_protocol, bytes, count);\n}\n");
    g_string_append(text, "\n#include \"zeugma/detail/specialised.h\"\n");
}
