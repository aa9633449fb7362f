/* SPDX-License-Identifier: MIT */
/* Requests without a ticket: how an end sends them, and hears their answers. */
#include <limits.h>
#include <string.h>

#include "generate/c/c.h"

/* The message with this index, if this end sends it as a request without a ticket; otherwise NULL. */
static const struct zg_message *query_at(const struct zgi_c *c, unsigned index)
{
    const struct zg_message *message = zg_plan_message_at(c->plan, index)->message;

    return zg_side_queries(c->side, message) ? message : NULL;
}

void zgi_c_query_members(const struct zgi_c *c, GString *text)
{
    if (c->end.queries > 0)
        g_string_append_printf(text, "    struct zg_query query;\n    uint8_t query_content[%u];\n", c->end.query_room);
}

void zgi_c_query_terms(const struct zgi_c *c, GString *text)
{
    unsigned kind = 0;

    if (c->end.queries == 0)
        return;
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = query_at(c, i);
        if (!message)
            continue;
        zgi_c_emit(c, text, message->name, "#define @P_@S_QUERY_@N ");
        g_string_append_printf(text, "%u\n", kind++);
    }
    zgi_c_emit(c, text, NULL,
               "static const struct zg_queried @p_@s_queried[] ZG_FLASH = { /* id, retries, timeout in us, outside "
               "frames */\n");
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = query_at(c, i);
        if (!message)
            continue;
        zgi_c_emit(c, text, message->name, "    { @P_@N_ID, ");
        g_string_append_printf(text, "%u, UINT32_C(%" G_GUINT64_FORMAT "), %s },\n", message->retries,
                               message->timeout_ns / 1000, message->bare ? "true" : "false");
    }
    g_string_append(text, "};\n\n");
}

void zgi_c_query_send(const struct zgi_c *c, GString *text, const struct zg_plan_message *item, const char *to)
{
    zgi_c_emit(c, text, item->message->name,
               "    size_t length;\n    int error;\n\n    if (node->query.state != ZGI_QUERY_NONE)\n        return "
               "ZG_EROOM;\n    error = @p_@n_pack(message, node->query_content + @P_HEADER_SIZE, @P_@N_MAX_PAYLOAD, "
               "&length);\n    if (!error)\n        error = zgi_query_send(&node->link, &node->query, @p_@s_queried, "
               "@P_@S_QUERY_@N, ");
    g_string_append_printf(text, "%s, node->query_content, length);\n    return error;\n}\n\n", to);
}

void zgi_c_query_settle(const struct zgi_c *c, GString *text)
{
    if (c->end.queries == 0)
        return;
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = query_at(c, i);
        if (!message)
            continue;
        zgi_c_emit(
            c, text, message->name,
            "static void @p_@s_settled_@n(struct @p_@s *node, enum zg_settled how)\n{\n    struct @p_@n "
            "message;\n\n    if (node->handlers->@n_settled && @p_@n_unpack(&message, node->query_content + "
            "@P_HEADER_SIZE, node->query.length, NULL) == 0)\n        node->handlers->@n_settled(node->context, ");
        zgi_c_emit(c, text, NULL,
                   c->end.has_many ? "node->query.to, &message, how);\n}\n\n" : "&message, how);\n}\n\n");
    }
    zgi_c_emit(c, text, NULL,
               "/* The request without a ticket ended in this way. */\nstatic void @p_@s_settle_query(struct @p_@s "
               "*node, enum zg_settled how)\n{\n    switch (node->query.kind) {\n");
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = query_at(c, i);
        if (message)
            zgi_c_emit(c, text, message->name, "    case @P_@S_QUERY_@N: @p_@s_settled_@n(node, how); break;\n");
    }
    g_string_append(text, "    default: break;\n    }\n}\n\n");
}

/* "node->query.kind == LOOM_HOST_QUERY_ASK || ...": the requests that a message answers so; "false": none. */
static char *asking(const struct zgi_c *c, const char *name, enum zg_answers how)
{
    GString *text = g_string_new(NULL);

    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *message = query_at(c, i);
        if (!message || zg_message_answers(message, name) != how)
            continue;
        zgi_c_emit(c, text, message->name,
                   text->len > 0 ? " || node->query.kind == @P_@S_QUERY_@N" : "node->query.kind == @P_@S_QUERY_@N");
    }
    if (text->len == 0)
        g_string_append(text, "false");
    return g_string_free(text, FALSE);
}

void zgi_c_query_hear(const struct zgi_c *c, GString *text, const struct zg_message *message)
{
    g_autofree char *ends = asking(c, message->name, ZG_ANSWERS);
    g_autofree char *lines = asking(c, message->name, ZG_ANSWERS_LINE);
    const bool has_lines = strcmp(lines, "false") != 0, has_ends = strcmp(ends, "false") != 0;

    if (!has_lines && !has_ends)
        return;
    g_string_append_printf(text, "    if (%s%s%s) {\n", has_ends ? ends : "", has_ends && has_lines ? " || " : "",
                           has_lines ? lines : "");
    zgi_c_emit(c, text, NULL,
               "        const enum zgi_query_news news = zgi_query_hear(&node->link, &node->query, @p_@s_queried, ");
    g_string_append_printf(text,
                           "%s, zgi_now(&node->link));\n        if (news == ZGI_QUERY_TOO_LATE)\n            return "
                           "(int)ignored;\n",
                           !has_lines ? "true" : ends);
    zgi_c_emit(c, text, NULL,
               "        if (news == ZGI_QUERY_ANSWERED)\n            @p_@s_settle_query(node, ZG_DELIVERED);\n    }\n");
}

/* The first in a request's list counts most. */
void zgi_c_query_prefer(const struct zgi_c *c, GString *text, const struct zg_message *message)
{
    for (unsigned i = 0; i < c->plan->messages->len; i++) {
        const struct zg_message *request = query_at(c, i);
        const unsigned at = request ? zg_message_answer_index(request, message->name) : UINT_MAX;
        if (at == UINT_MAX)
            continue;
        zgi_c_emit(c, text, request->name,
                   "    if ((fit & 11U) == 11 && node->query.state != ZGI_QUERY_NONE && node->query.kind == "
                   "@P_@S_QUERY_@N)\n");
        g_string_append_printf(text, "        fit += %uU;\n", 16 * (256 - MIN(at, 255)));
    }
}

void zgi_c_query_poll(const struct zgi_c *c, GString *text)
{
    if (c->end.queries > 0)
        zgi_c_emit(c, text, NULL,
                   "    if (zgi_query_poll(&node->link, &node->query, @p_@s_queried, node->query_content, "
                   "zgi_now(&node->link)))\n        @p_@s_settle_query(node, ZG_SETTLED_NO_ANSWER);\n");
}
