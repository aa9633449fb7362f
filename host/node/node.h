/* SPDX-License-Identifier: MIT */
/*
 * An end of a link that a plan drives: the runtime's link and services, with the interpreter in the place of generated
 * code. Without a side it only sends and receives frames. With a side it does what the generated end of that side does:
 * hello, tickets, echo, counters, console.
 */
#ifndef ZEUGMA_NODE_H
#define ZEUGMA_NODE_H

#include "codec/payload.h"
#include "zeugma/any_link.h"
#include "zeugma/delivery.h"

/* What a node reports. `data` is the owner's. NULL: not wanted. */
struct zg_node_calls {
    /* For a node without a side, not NULL: a frame of this version arrived, like zg_protocol.deliver. */
    int (*deliver)(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length);
    /* A frame of another version passed its check and is not delivered. */
    void (*left)(void *data, const struct zg_header *header, const uint8_t *payload, size_t length);
    /* For a side's end: a message arrived, once for each ticket; also hellos. A request is answered with
     * zg_node_answer() or zg_node_refuse(), giving frame->header.ticket. */
    void (*take)(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values);
    /* A message sent with a ticket, or a request without one (then the ticket is 0), ended in this way. */
    void (*settled)(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how);
    /* Something changed about the node with this address (0 if the line is not shared). */
    void (*changed)(void *data, zg_header_number address, enum zg_link_event event);
    /* For a device's end. Gets a variable's value, packed into at most `room` bytes. Takes a value that was written, if
     * it is valid. Reports that it was taken. Without these functions, every variable is refused as not existing. */
    int (*variable_get)(void *data, const struct zg_plan_variable *variable, uint8_t *out, size_t room, size_t *size);
    enum zg_settled (*variable_set)(void *data, const struct zg_plan_variable *variable, const uint8_t *in,
                                    size_t length);
    void (*variable_written)(void *data, const struct zg_plan_variable *variable);
    /* Text arrived on an interleaved console. */
    void (*text)(void *data, const uint8_t *text, size_t size);
};

/* Opaque; free with zg_node_free(). */
struct zg_node;

/* `ring` is the least size of each ring, bytes; `side` is the side whose end it is, or 0. The plan, the calls and the
 * port must outlive the node. On a shared line a device's end first has the address 1, and the host's follows no node.
 */
struct zg_node *zg_node_new(const struct zg_plan *plan, enum zg_side side, size_t ring, const struct zg_port *port,
                            void *port_context, const struct zg_node_calls *calls, void *data);
void zg_node_free(struct zg_node *node);

/* The node's link: to attach it to a port and read its counters; without a side, also to send. */
struct zg_link *zg_node_link(struct zg_node *node);
struct zg_any_link *zg_node_any_link(struct zg_node *node);

/* On a shared line: sets the address of a device's end; makes the host's end follow a device. Returns 0, or
 * ZG_EINVALID: no node can have this address, or it is followed already. */
int zg_node_set_address(struct zg_node *node, zg_header_number address);
int zg_node_follow(struct zg_node *node, zg_header_number address);

/* Takes received bytes, or one packet where the link keeps them apart; does what is due. Like zg_any_link_receive() and
 * zg_any_link_poll(), plus the services. */
void zg_node_receive(struct zg_node *node, const uint8_t *bytes, size_t count);
void zg_node_poll(struct zg_node *node);

/* Sends a message, whose values are within their types, to a node (0 if the line is not shared). Returns 0; ZG_EROOM:
 * no room, or its window is full, or silence is due: later; ZG_ESIZE: longer than max_payload; ZG_EINVALID: a reply, or
 * a message with a ticket to a node that is not followed. `ticket` is set to the ticket, if the message has one. */
int zg_node_send(struct zg_node *node, zg_header_number to, const struct zg_plan_message *message,
                 const struct zg_value *values, uint8_t *ticket);

/* Answers a request with its reply; or refuses it. ZG_EINVALID: no open request has this ticket. */
int zg_node_answer(struct zg_node *node, zg_header_number to, uint8_t ticket, const struct zg_plan_message *message,
                   const struct zg_value *values);
int zg_node_refuse(struct zg_node *node, zg_header_number to, uint8_t ticket, enum zg_settled why);

/* Sends text to the other end's console. Returns how many bytes of it; 0: there is no room now, or no console. */
size_t zg_node_print(struct zg_node *node, zg_header_number to, const char *text, size_t size);

/* What is known from another node's hellos. NULL: it is not followed, or there is no such service. */
const struct zg_hello *zg_node_hello(struct zg_node *node, zg_header_number address);

/* Whether no message with a ticket is open or waits for its answer, at any peer, nor a request without one. */
bool zg_node_is_settled(const struct zg_node *node);

/* For a node without a side: sends a message without a ticket, whose values are within their types. Like
 * zg_any_link_send(). */
int zg_node_send_plain(struct zg_node *node, const struct zg_plan_message *message, const struct zg_value *values);

/* The same for one hello with this boot number (not 0), which makes the other end take this for a new run. Returns 0;
 * ZG_EUNKNOWN: the definition lacks that service; otherwise like zg_any_link_send(). */
int zg_node_announce(struct zg_node *node, uint16_t boot);

/* Lets silence within a frame last this much longer than the definition says, for bytes that an operating system holds
 * back. */
void zg_node_allow_silence(struct zg_node *node, uint32_t us);

/* Whether `count` frames of the largest size fit into the transmit ring now. */
bool zg_node_has_room(const struct zg_node *node, unsigned count);

/* The sequence number of the next frame (all 32 bits of the counter). */
uint32_t zg_node_sequence(const struct zg_node *node);

/* Sends a frame like zg_any_link_send(), under the sequence number of the frame `back` before the next one, as if a
 * sender's buffer went out again. */
int zg_node_send_again(struct zg_node *node, uint32_t back, uint32_t id, const uint8_t *payload, size_t length);

#endif
