/* SPDX-License-Identifier: MIT */
/* What the parts of a definition require of each other: replies of requests, messages of services. */
#include <string.h>

#include "definition/read.h"

struct checking {
    struct zg_definition *definition;
    struct zg_diagnostics *diagnostics;
};

static void need_service(const struct checking *checking, struct zg_place place, const char *what,
                         enum zg_service service)
{
    const char *name = zg_service_names[service];

    if (!zg_definition_serves(checking->definition, service))
        zgi_error(checking->diagnostics, place, "%s needs the service %s; expected services: [..., %s]", what, name,
                  name);
}

static void check_reply(const struct checking *checking, const struct zg_message *request, const char *name)
{
    struct zg_diagnostics *diagnostics = checking->diagnostics;
    struct zg_message *reply = (struct zg_message *)zg_definition_message(checking->definition, name);
    enum zg_side answering = zg_receivers(request->from);

    if (!reply) {
        zgi_error(diagnostics, request->reply_place, "the reply \"%s\" is no message of this definition", name);
        return;
    }
    if (request->ticketless ? reply->is_reply : reply->follows)
        zgi_error(diagnostics, request->reply_place,
                  "%s answers a request with a ticket, and one without; expected tickets for both, or for none", name);
    if (request->ticketless)
        reply->follows = true;
    else
        reply->is_reply = true;
    if ((reply->from & answering) != answering)
        zgi_error(diagnostics, request->reply_place,
                  "%s is sent by the %s and cannot answer %s, which is as well; expected a message from: %s",
                  reply->name, zg_side_name(reply->from), request->name, zg_side_name(answering));
    if (!request->ticketless && reply->layout.kind != ZG_LAYOUT_BINARY)
        zgi_error(diagnostics, request->reply_place,
                  "%s is text, which cannot repeat the ticket of %s, a byte of any value; expected ticket: none", name,
                  request->name);
}

static void check_replies(const struct checking *checking, const struct zg_message *request)
{
    for (unsigned i = 0; i < request->replies->len; i++)
        check_reply(checking, request, g_ptr_array_index(request->replies, i));
    for (unsigned i = 0; i < request->lines->len; i++)
        check_reply(checking, request, g_ptr_array_index(request->lines, i));
}

/* What a request without a ticket cannot have. */
static void check_ticketless(const struct checking *checking, const struct zg_message *message)
{
    struct zg_diagnostics *diagnostics = checking->diagnostics;

    if (message->lines->len > 0 && !message->ticketless)
        zgi_error(diagnostics, message->reply_place,
                  "a ticket is answered once, so %s cannot have lines before its answer; expected ticket: none",
                  message->name);
    if (!message->ticketless)
        return;
    if (!zg_message_is_request(message))
        zgi_error(diagnostics, message->ticket_place,
                  "ticket: none is for requests; expected reply: with the message that answers %s", message->name);
    if (message->window_place.line > 0)
        zgi_error(diagnostics, message->window_place,
                  "only one request without a ticket is open at a time, so %s has no window", message->name);
    if (message->delivery_place.line > 0)
        zgi_error(diagnostics, message->delivery_place,
                  "without a ticket nothing acknowledges %s; expected no delivery, or no ticket: none", message->name);
    if (message->order_place.line > 0)
        zgi_error(diagnostics, message->order_place,
                  "only one request without a ticket is open at a time, so %s needs no order", message->name);
}

static void check_message(const struct checking *checking, const struct zg_message *message)
{
    struct zg_diagnostics *diagnostics = checking->diagnostics;
    bool ticketed = zg_message_is_ticketed(message);

    check_ticketless(checking, message);
    if (zg_message_is_request(message) && message->is_reply)
        zgi_error(diagnostics, message->reply_place,
                  "%s answers a request, whose ticket it repeats, so it cannot be a request itself", message->name);
    if (message->acknowledged && message->follows)
        zgi_error(diagnostics, message->delivery_place,
                  "%s answers a request without a ticket, and has none either; it needs no delivery", message->name);
    if (message->acknowledged && (zg_message_is_request(message) || message->is_reply))
        zgi_error(diagnostics, message->delivery_place, "the reply acknowledges its request; %s needs no delivery",
                  message->name);
    if (message->kept && !ticketed && !message->ticketless)
        zgi_error(diagnostics, message->order_place,
                  "order: kept is for acknowledged messages, requests and replies; give %s delivery: acknowledged",
                  message->name);
    if (message->resend_place.line > 0 && !message->acknowledged && !zg_message_is_request(message))
        zgi_error(diagnostics, message->resend_place,
                  "%s is never sent again; timeout, retries and window are only for requests and acknowledged messages",
                  message->name);
    if (message->service || !ticketed)
        return;
    if (zg_message_is_request(message))
        need_service(checking, message->reply_place, "a request", ZG_SERVICE_DELIVERY);
    else if (message->acknowledged)
        need_service(checking, message->delivery_place, "delivery: acknowledged", ZG_SERVICE_DELIVERY);
}

static void check_services(const struct checking *checking)
{
    const struct zg_definition *definition = checking->definition;

    if (zg_definition_serves(definition, ZG_SERVICE_DELIVERY))
        need_service(checking, definition->services_place, "the service delivery", ZG_SERVICE_HELLO);
    if (zg_definition_serves(definition, ZG_SERVICE_VARIABLES))
        need_service(checking, definition->services_place, "the service variables", ZG_SERVICE_DELIVERY);
    if (definition->variables->len > 0)
        need_service(checking, definition->variables_place, "variables", ZG_SERVICE_VARIABLES);
    if (definition->line.keepalive_ns > 0)
        need_service(checking, definition->line.keepalive_place, "keepalive", ZG_SERVICE_HELLO);
    if (definition->console == ZG_CONSOLE_FRAMED)
        need_service(checking, definition->console_place, "console: framed", ZG_SERVICE_CONSOLE);
    if (definition->console == ZG_CONSOLE_INTERLEAVED && !zg_framing_opens(&definition->framing))
        zgi_error(checking->diagnostics, definition->console_place,
                  "console: interleaved needs a framing with an opening delimiter; expected console: framed");
    if (definition->console == ZG_CONSOLE_INTERLEAVED && definition->framing.ignores > 0)
        zgi_error(checking->diagnostics, definition->console_place,
                  "console: interleaved keeps all text between frames, and the framing's ignore drops some; expected "
                  "one of them");
}

/* What cannot be where a byte is two characters. */
static void check_halves(const struct checking *checking)
{
    const struct zg_definition *definition = checking->definition;
    const struct zg_framing_choice *framing = &definition->framing;
    const struct zg_check_choice *check = &definition->check;
    const struct zg_place place = definition->line.format_place;

    if (framing->halves == ZG_HALVES_NONE)
        return;
    if ((framing->kind == ZG_FRAMING_LENGTH || framing->kind == ZG_FRAMING_FIXED) && check->crc.width < 16)
        zgi_error(
            checking->diagnostics, place,
            "with 4 data bits every half may begin a frame of the framing %s, and a check of %u bits mistakes too "
            "many for one; expected a check of 16 bits or more, or another framing",
            zg_framing_names[framing->kind], check->crc.width);
    if (framing->kind == ZG_FRAMING_PACKET)
        zgi_error(checking->diagnostics, place, "packets hold bytes, not halves of them; omit format");
    if (definition->console == ZG_CONSOLE_INTERLEAVED)
        zgi_error(checking->diagnostics, definition->console_place,
                  "with 4 data bits text between frames cannot be told from halves; expected console: framed");
    if (framing->ignores > 0)
        zgi_error(checking->diagnostics, framing->place,
                  "with 4 data bits no byte can be ignored before its halves are joined; omit ignore");
    for (unsigned i = 0; i < definition->messages->len; i++) {
        const struct zg_message *message = g_ptr_array_index(definition->messages, i);
        if (message->bare)
            zgi_error(checking->diagnostics, message->bare_place,
                      "with 4 data bits a message outside frames, such as %s, cannot be told from halves; expected it "
                      "in a frame",
                      message->name);
    }
}

/* What the framing requires of header and check. */
static void check_framing(const struct checking *checking)
{
    const struct zg_definition *definition = checking->definition;
    enum zg_framing_kind kind = definition->framing.kind;
    const struct zg_header_role *length = zgi_role(definition, ZG_ROLE_LENGTH);
    const struct zg_check_choice *check = &definition->check;

    if (kind == ZG_FRAMING_LENGTH && !length && !definition->header_in_doubt)
        zgi_error(checking->diagnostics, definition->framing.place,
                  "the framing length needs the role length in the header; expected header: [..., length: u8]");
    if (definition->framing.coding && (kind == ZG_FRAMING_LENGTH || kind == ZG_FRAMING_FIXED))
        zgi_error(checking->diagnostics, definition->framing.place,
                  "the framing %s counts bytes, not hex digits; expected another framing, or no coding",
                  zg_framing_names[kind]);
    if (definition->framing.coding && check->after_end)
        zgi_error(checking->diagnostics, check->place,
                  "behind the end mark nothing is coded; expected place: before_end, or no coding");
    if (kind == ZG_FRAMING_PACKET && definition->max_frame == 0)
        zgi_error(checking->diagnostics, definition->framing.place,
                  "the framing packet needs max_frame, the bytes of the largest packet that the link carries");
    if (kind == ZG_FRAMING_FIXED && length && length->counts != ZG_COUNTS_PAYLOAD)
        zgi_error(checking->diagnostics, length->place,
                  "with the framing fixed, length counts the payload before the zero bytes; expected counts: payload");
    if ((kind != ZG_FRAMING_LENGTH && kind != ZG_FRAMING_FIXED) || check->crc.width >= 16 || check->place.line == 0 ||
        definition->framing.halves)
        return;
    if (check->crc.width == 0)
        zgi_warning(checking->diagnostics, check->place,
                    "with the framing %s only the check distinguishes frames from other bytes after damage, and there "
                    "is none; use one of 16 bits or more",
                    zg_framing_names[kind]);
    else
        zgi_warning(checking->diagnostics, check->place,
                    "with the framing %s only the check distinguishes frames from other bytes after damage, and one of "
                    "%u bits mistakes 1 in %u for a frame; use 16 bits or more",
                    zg_framing_names[kind], check->crc.width, 1U << check->crc.width);
}

static void check_version(const struct checking *checking)
{
    const struct zg_header_role *role = zgi_role(checking->definition, ZG_ROLE_VERSION);

    if (role && role->bits < 8 && checking->definition->major >> role->bits != 0)
        zgi_warning(
            checking->diagnostics, role->place,
            "major version %u looks like %u in the header's u%u; older ends with that number cannot distinguish them",
            checking->definition->major, checking->definition->major & ((1U << role->bits) - 1), role->bits);
}

void zgi_check_behaviour(struct zg_definition *definition, struct zg_diagnostics *diagnostics)
{
    const struct checking checking = { definition, diagnostics };

    for (unsigned i = 0; i < definition->messages->len; i++) {
        check_replies(&checking, g_ptr_array_index(definition->messages, i));
    }
    for (unsigned i = 0; i < definition->messages->len; i++)
        check_message(&checking, g_ptr_array_index(definition->messages, i));
    check_services(&checking);
    check_framing(&checking);
    check_halves(&checking);
    check_version(&checking);
}
