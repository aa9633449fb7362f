/* SPDX-License-Identifier: MIT */
/*
 * An end of a link that a plan drives: the runtime's link and services with the interpreter in the place of generated
 * code. Without a side it takes and sends frames only; as one side's end it does what the generated end of that side
 * does: hello, tickets, echo, counters, console.
 */
#ifndef ZEUGMA_NODE_H
#define ZEUGMA_NODE_H

#include "codec/payload.h"
#include "zeugma/any_link.h"
#include "zeugma/delivery.h"

/* What a node tells. `data` is the owner's. What is NULL is not wanted. */
struct zg_node_calls {
    /* Of a node without a side, not NULL: a frame of this version, as zg_protocol.deliver. */
    int (*deliver)(void *data, const struct zg_frame *frame, const uint8_t *payload, size_t length);
    /* A frame of another version, which passed its check and is left. */
    void (*left)(void *data, const struct zg_header *header, const uint8_t *payload, size_t length);
    /* Of a side's end: a message for it, once for each ticket; hellos, too. A request's answer is zg_node_answer() or
     * zg_node_refuse(), with frame->header.ticket. */
    void (*take)(void *data, const struct zg_frame *frame, const struct zg_plan_message *message,
                 const struct zg_value *values);
    /* A message that was sent with a ticket ended so. */
    void (*settled)(void *data, zg_header_number peer, const struct zg_plan_message *message, uint8_t ticket,
                    const struct zg_value *values, enum zg_settled how);
    /* Something changed about the node of this address (0 where the line is not shared). */
    void (*changed)(void *data, zg_header_number address, enum zg_link_event event);
    /* Of a device's end: a variable's value, packed: its bytes, at most `room`; whether what was written is good, and
     * taken; that it was. Without these the variables are refused as such that there are not. */
    int (*variable_get)(void *data, const struct zg_plan_variable *variable, uint8_t *out, size_t room, size_t *size);
    enum zg_settled (*variable_set)(void *data, const struct zg_plan_variable *variable, const uint8_t *in,
                                    size_t length);
    void (*variable_written)(void *data, const struct zg_plan_variable *variable);
    /* Text of an interleaved console. */
    void (*text)(void *data, const uint8_t *text, size_t size);
};

/* Opaque; free with zg_node_free(). */
struct zg_node;

/* `ring` is the least size of each ring, bytes; `side` the one whose end it is, or 0. The plan, the calls and the port
 * must outlive the node. On a shared line a device's end has the address 1, until it is given another, and the host's
 * follows nobody until it is told to. */
struct zg_node *zg_node_new(const struct zg_plan *plan, enum zg_side side, size_t ring, const struct zg_port *port,
                            void *port_context, const struct zg_node_calls *calls, void *data);
void zg_node_free(struct zg_node *node);

/* The node's link: to attach it to a port, and to read its counters; without a side, to send. */
struct zg_link *zg_node_link(struct zg_node *node);
struct zg_any_link *zg_node_any_link(struct zg_node *node);

/* On a shared line: gives a device's end its address; lets the host's end follow a device. Returns 0, or ZG_EINVALID
 * where that address is nobody's, or followed already. */
int zg_node_set_address(struct zg_node *node, zg_header_number address);
int zg_node_follow(struct zg_node *node, zg_header_number address);

/* Bytes came in; what is due is done. As zg_any_link_receive() and zg_any_link_poll(), and the services' work. */
void zg_node_receive(struct zg_node *node, const uint8_t *bytes, size_t count);
void zg_node_poll(struct zg_node *node);

/* Sends a message, whose values lie within their types, to a node (0 where the line is not shared). Returns 0;
 * ZG_EROOM: no room, or its window is full, or silence is due: later; ZG_ESIZE: longer than max_payload; ZG_EINVALID: a
 * reply, or a message with a ticket to a node that is not followed. `ticket` learns the ticket, where the message has
 * one. */
int zg_node_send(struct zg_node *node, zg_header_number to, const struct zg_plan_message *message, const struct zg_value *values,
                 uint8_t *ticket);

/* Answers a request, with the message that is its reply or with why not. ZG_EINVALID: no open request has this ticket.
 */
int zg_node_answer(struct zg_node *node, zg_header_number to, uint8_t ticket, const struct zg_plan_message *message,
                   const struct zg_value *values);
int zg_node_refuse(struct zg_node *node, zg_header_number to, uint8_t ticket, enum zg_settled why);

/* Sends text to the other end's console: how many of its bytes; 0: there is no room now, or no console. */
size_t zg_node_print(struct zg_node *node, zg_header_number to, const char *text, size_t size);

/* What the other one's hellos told; NULL: it is not followed, or there is no such service. */
const struct zg_hello *zg_node_hello(struct zg_node *node, zg_header_number address);

/* Whether messages with tickets are neither open nor to be answered, at any peer. */
bool zg_node_is_settled(const struct zg_node *node);

/* Of a node without a side: a message without a ticket, whose values lie within their types. As zg_any_link_send(). */
int zg_node_send_plain(struct zg_node *node, const struct zg_plan_message *message, const struct zg_value *values);

/* And one hello, by which the other end knows that this is another run, with this boot number
 * (not 0). Returns 0; ZG_EUNKNOWN: the definition has no such service; else as zg_any_link_send(). */
int zg_node_announce(struct zg_node *node, uint16_t boot);

/* Lets silence inside a frame last this much longer than the definition says: for what an operating system holds back.
 */
void zg_node_allow_silence(struct zg_node *node, uint32_t us);

/* Whether frames of the largest size, `count` of them, fit into the transmit ring now. */
bool zg_node_has_room(const struct zg_node *node, unsigned count);

/* The sequence number that the next frame will carry (all 32 bits of the counter). */
uint32_t zg_node_sequence(const struct zg_node *node);

/* Sends a frame as zg_any_link_send() does, under the sequence number of the frame before: a sender's buffer that goes
 * out twice. */
int zg_node_send_again(struct zg_node *node, uint32_t id, const uint8_t *payload, size_t length);

#endif
