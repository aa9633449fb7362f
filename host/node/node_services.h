/* SPDX-License-Identifier: MIT */
/* Private to a node: its state, and the services of a side's end. */
#ifndef ZEUGMA_NODE_SERVICES_H
#define ZEUGMA_NODE_SERVICES_H

#include "node/node.h"
#include "plan/end.h"
#include "zeugma/query.h"
#include "zeugma/text.h"
#include "zeugma/traffic.h"
#include "zeugma/variable.h"

/* What a node keeps for one other node. */
struct zgi_session {
    struct zg_peer *peer;
    struct zg_peer other; /* unless it is the link's first peer */
    struct zg_hello hello;
    struct zg_delivery delivery;
    struct zg_open *open;
    struct zg_answered *answered;
    uint8_t *contents;
};

/* What a side's end has besides its link. */
struct zgi_services {
    enum zg_side side; /* 0: none, and nothing of this is used */
    struct zg_plan_end end;
    uint16_t boot;
    uint8_t hello_payload[64];
    struct zg_hello_terms hello_terms;
    struct zg_delivery_terms delivery_terms;
    struct zg_ticketed *ticketed;
    GPtrArray *kinds;    /* const struct zg_plan_message: those of `ticketed` */
    GPtrArray *sessions; /* struct zgi_session */
    uint8_t *content;    /* of a frame that is being sent */
    struct zg_queried *queried;
    GPtrArray *queries; /* const struct zg_plan_message: those of `queried` */
    struct zg_query query;
    uint8_t *query_content;
    struct zg_late late; /* a service's answer that waits for the line */
    uint8_t *late_content;
    struct zg_variable_stream streams[ZG_DEVICE_STREAMS];
    struct zg_traffic traffic;
    struct zg_text_sorter sorter;
    uint8_t *sorter_raw;
    const struct zg_plan_message *hello, *echo_request, *echo_reply, *counters_request, *counters, *read, *write,
        *stream, *value, *console, *acknowledge, *refused, *traffic_request, *traffic_frame, *traffic_report,
        *traffic_damage; /* NULL: the definition does not have it */
};

struct zg_node {
    struct zg_any_link any;
    struct zg_protocol protocol;
    const struct zg_plan *plan;
    const struct zg_node_calls *calls;
    void *data;
    uint8_t *receive;
    uint8_t *transmit;
    uint8_t *frame;
    struct zg_receiver receiver;
    struct zg_link_gaps gaps;
    struct zgi_services services;
};

/* Sets up the protocol for a side's end, before its link is; sets up what needs the link; frees everything. */
void zgi_services_prepare(struct zg_node *node, enum zg_side side);
void zgi_services_begin(struct zg_node *node);
void zgi_services_clear(struct zg_node *node);

/* The session with this number, with this peer, with the node of this address. NULL: it is not followed. */
struct zgi_session *zgi_session_at(const struct zg_node *node, unsigned index);
struct zgi_session *zgi_session_with(const struct zg_node *node, const struct zg_peer *peer);
struct zgi_session *zgi_session_to(struct zg_node *node, zg_header_number address);

/* Follows one more peer; frees one session. */
struct zgi_session *zgi_session_begin(struct zg_node *node);
void zgi_session_free(void *session);

/* What the link calls, with the node as owner (zg_protocol.deliver, changed, console and hear;
 * zg_delivery_terms.settled; the text of an interleaved console). */
int zgi_services_deliver(void *owner, struct zg_frame *frame, const uint8_t *payload, size_t length);
void zgi_services_changed(void *owner, struct zg_peer *peer, enum zg_link_event event);
void zgi_services_settled(void *owner, const struct zg_peer *peer, uint8_t kind, const uint8_t *payload,
                          uint16_t length, enum zg_settled how);
void zgi_services_take_text(void *owner, const uint8_t *bytes, size_t size);
struct zg_text_sorter *zgi_services_console(void *owner);
void zgi_services_hear(void *owner, const uint8_t *bytes, size_t count, const struct zg_found *found, size_t pending);

#endif
