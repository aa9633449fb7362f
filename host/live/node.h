/* SPDX-License-Identifier: MIT */
/* An end of a link that a plan drives: the runtime's link with the interpreter in the place of generated code. */
#ifndef ZEUGMA_NODE_H
#define ZEUGMA_NODE_H

#include "plan/plan.h"
#include "zeugma/link.h"

/* What a node tells. `data` is the owner's. */
struct zg_node_calls {
    /* A frame of this version: as zg_protocol.deliver. */
    int (*deliver)(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length);
    /* A frame of another version, which passed its check and is left; NULL: not wanted. */
    void (*left)(void *data, const struct zg_header *header, const uint8_t *payload, size_t length);
};

/* Opaque; free with zg_node_free(). */
struct zg_node;

/* `ring` is the least size of each ring, bytes. The plan, the calls and the port must outlive the node. */
struct zg_node *zg_node_new(const struct zg_plan *plan, size_t ring, const struct zg_port *port, void *port_context,
                            const struct zg_node_calls *calls, void *data);
void zg_node_free(struct zg_node *node);

/* The node's link: to attach it to a port, poll it, send on it and read its counters. */
struct zg_link *zg_node_link(struct zg_node *node);

/* Lets silence inside a frame last this much longer than the definition says: for what an operating system holds back. */
void zg_node_allow_silence(struct zg_node *node, uint32_t us);

/* Whether frames of the largest size, `count` of them, fit into the transmit ring now. */
bool zg_node_has_room(const struct zg_node *node, unsigned count);

/* The sequence number that the next frame will carry (all 32 bits of the counter). */
uint32_t zg_node_sequence(const struct zg_node *node);

/* Sends a frame as zg_link_send() does, under the sequence number of the frame before: a sender's buffer that goes out
 * twice. */
int zg_node_send_again(struct zg_node *node, uint32_t id, const uint8_t *payload, size_t length);

#endif
