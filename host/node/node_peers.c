/* SPDX-License-Identifier: MIT */
/* What a node keeps for each node that it talks to. */
#include "node/node_services.h"
#include "node/services_code.h"

struct zgi_session *zgi_session_at(const struct zg_node *node, unsigned index)
{
    return g_ptr_array_index(node->services.sessions, index);
}

struct zgi_session *zgi_session_with(const struct zg_node *node, const struct zg_peer *peer)
{
    if (!node->services.end.has_many)
        return zgi_session_at(node, 0);
    for (unsigned i = 0; peer && i < node->services.sessions->len; i++)
        if (zgi_session_at(node, i)->peer == peer)
            return zgi_session_at(node, i);
    return NULL;
}

struct zgi_session *zgi_session_to(struct zg_node *node, zg_header_number address)
{
    return node->services.side == 0 ? NULL : zgi_session_with(node, zgi_peer(&node->any.link, address));
}

void zgi_session_free(void *data)
{
    struct zgi_session *with = data;

    g_free(with->open);
    g_free(with->answered);
    g_free(with->contents);
    g_free(with);
}

struct zgi_session *zgi_session_begin(struct zg_node *node)
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

int zg_node_set_address(struct zg_node *node, zg_header_number address)
{
    if (!node->services.end.addressed || !zgi_is_address(&node->any.link, address))
        return ZG_EINVALID;
    node->any.link.address = address;
    return 0;
}

int zg_node_follow(struct zg_node *node, zg_header_number address)
{
    if (!node->services.end.has_many || !zgi_is_address(&node->any.link, address) || zgi_peer(&node->any.link, address))
        return ZG_EINVALID;
    struct zgi_session *with = zgi_session_begin(node);
    if (with->peer == &node->any.link.peer)
        node->any.link.peer.address = address;
    else
        zg_link_add_peer(&node->any.link, with->peer, address);
    return 0;
}

const struct zg_hello *zg_node_hello(struct zg_node *node, zg_header_number address)
{
    const struct zgi_session *with = node->services.end.hello ? zgi_session_to(node, address) : NULL;
    return with ? &with->hello : NULL;
}

bool zg_node_is_settled(const struct zg_node *node)
{
    const struct zgi_services *services = &node->services;

    if (services->late.due || (services->query.state != ZGI_QUERY_NONE && services->query.state != ZGI_QUERY_LATE))
        return false;
    if (services->side == 0 || !services->end.delivery)
        return true;
    for (unsigned i = 0; i < services->sessions->len; i++) {
        const struct zgi_session *with = zgi_session_at(node, i);
        if (with->delivery.base != with->delivery.next || with->delivery.owing || with->delivery.refused != 0)
            return false;
        for (unsigned k = 0; k < services->end.answers; k++)
            if (with->answered[k].due && with->answered[k].length > 0)
                return false;
    }
    return true;
}
